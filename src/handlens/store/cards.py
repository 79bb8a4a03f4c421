"""The Shelf, a page at a time: what it says of a model is kept when the model is judged."""

from __future__ import annotations

import hashlib
from typing import Any, NamedTuple

import msgspec
from sqlalchemy import Select, and_, func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session

from ..core.present.report import with_waivers
from ..core.route.stations import measures_key, route_key
from ..core.rules import RuleSheet
from . import shelf
from .models import Card, Export, Inspection, Model, Revision, TapeState
from .sheets import all_sheets

#: Models on a page.
PAGE = 60


def card_version(db: Session) -> str:
    """Digest of what a card depends on beside its model: the records of this version, and the sheets."""
    return _version(all_sheets(db))


def _version(sheets: tuple[RuleSheet, ...]) -> str:
    return hashlib.sha256(msgspec.json.encode([measures_key(), route_key(), sheets])).hexdigest()


def renew(db: Session, model: Model) -> None:
    """Judge the newest reading of a model's newest revision under every sheet, and keep what the Shelf says of it."""
    revision = model.revisions[-1] if model.revisions else None
    if revision is None:
        return
    sheets = all_sheets(db)
    wanted = shelf.inspection_of(db, revision, shelf.slips_of(db, revision))
    done = wanted if wanted is not None and wanted.state == "done" else shelf.latest_done(db, revision)
    row: dict[str, Any] = {
        "model_id": model.id,
        "version": _version(sheets),
        "inspection_id": done.id if done else None,
        "triangles": None,
        "longest_m": None,
        "unit_stated": False,
        "held": False,
        "fit": False,
        "verdicts": [{"sheet": x.slug, "code": x.code, "counts": None, "not_looked_at": []} for x in sheets],
    }
    if done is not None:
        intent, reasons = shelf.intent_of(model), shelf.reasons_of(model)
        trees = {x.slug: with_waivers(shelf.judgement(db, done, x, intent).report, reasons) for x in sheets}
        row |= _text_of(trees, sheets)
    changed = {k: v for k, v in row.items() if k != "model_id"}
    db.execute(insert(Card).values(row).on_conflict_do_update(index_elements=["model_id"], set_=changed))


def _text_of(trees: dict[str, dict[str, Any]], sheets: tuple[RuleSheet, ...]) -> dict[str, Any]:
    facts = next(iter(trees.values()))["facts"]
    bounds, unit = facts["bounds"], facts["unit_metres"]
    counts = [tree["verdict"] for tree in trees.values()]
    verdicts = [
        {"sheet": x.slug, "code": x.code, "counts": trees[x.slug]["verdict"], "not_looked_at": trees[x.slug]["not_looked_at"]}
        for x in sheets
    ]
    return {
        "triangles": facts["triangles"],
        "longest_m": max(bounds["size"]) * (unit or 1.0) if bounds else None,
        "unit_stated": unit is not None,
        "held": any(count["stop"] for count in counts),
        "fit": all(not count["stop"] and not tree["not_looked_at"] for count, tree in zip(counts, trees.values(), strict=True)),
        "verdicts": verdicts,
    }


def renew_stale(db: Session, most: int) -> int:
    """Renew cards that are missing or of another version; returns how many there were, at most `most`."""
    stale = select(Model).outerjoin(Card).where(or_(Card.model_id.is_(None), Card.version != card_version(db))).limit(most)
    models = db.scalars(stale).all()
    for model in models:
        renew(db, model)
    return len(models)


class Page(NamedTuple):
    """models: entries of a page; totals: over everything that is on the Shelf; found: how many the search met in all."""

    models: list[dict[str, Any]]
    found: int
    totals: dict[str, Any]


def page(db: Session, search: str, show: str, first: int) -> Page:
    """A page of the Shelf, what was touched last first. show: all, held or fit; first: how many come before."""
    wanted = select(Model).outerjoin(Card).where(select(Revision.id).where(Revision.model_id == Model.id).exists())
    if search:
        escaped = search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        named = select(Revision.id).where(Revision.model_id == Model.id, Revision.main.ilike(f"%{escaped}%")).exists()
        wanted = wanted.where(or_(Model.name.ilike(f"%{escaped}%"), named))
    if show != "all":
        wanted = wanted.where(Card.held if show == "held" else Card.fit)
    found = db.scalar(select(func.count()).select_from(wanted.subquery())) or 0
    models = list(db.scalars(wanted.order_by(Model.touched.desc(), Model.id.desc()).offset(first).limit(PAGE)))
    return Page(_entries(db, models), found, _totals(db))


def _totals(db: Session) -> dict[str, Any]:
    sheets = all_sheets(db)
    stops = [
        func.count().filter(Card.verdicts[k]["counts"]["stop"].as_integer() > 0).label(f"stops_{k}") for k in range(len(sheets))
    ]
    on = select(Revision.id).where(Revision.model_id == Model.id).exists()
    sums = (
        func.count(Model.id),
        func.coalesce(func.sum(Card.triangles), 0),
        func.count().filter(Card.held),
        func.count().filter(Card.fit),
    )
    row = db.execute(select(*sums, *stops).select_from(Model).outerjoin(Card).where(on)).one()
    reading = db.scalar(select(func.count()).where(Inspection.state.in_(["waiting", "running"])).select_from(Inspection)) or 0
    return {
        "models": row[0],
        "triangles": int(row[1] or 0),
        "held": row[2],
        "fit": row[3],
        "reading": reading,
        "stops": {x.slug: row[4 + k] for k, x in enumerate(sheets)},
    }


def _newest(ids: list[int]) -> Select[Revision]:
    return (
        select(Revision)
        .where(Revision.model_id.in_(ids))
        .ext(distinct_on(Revision.model_id))
        .order_by(Revision.model_id, Revision.number.desc())
    )


def _entries(db: Session, models: list[Model]) -> list[dict[str, Any]]:
    ids = [model.id for model in models]
    revisions = {r.model_id: r for r in db.scalars(_newest(ids))}
    numbers = [revision.id for revision in revisions.values()]
    tapes = select(TapeState.revision_id, TapeState.slips).join(
        Revision, and_(Revision.id == TapeState.revision_id, Revision.tape_at == TapeState.number)
    )
    slips = {row.revision_id: row.slips for row in db.execute(tapes.where(Revision.id.in_(numbers)))}
    columns = (Inspection.revision_id, Inspection.tape_key, Inspection.state, Inspection.error)
    states = {
        (row.revision_id, row.tape_key): (row.state, row.error)
        for row in db.execute(select(*columns).where(Inspection.revision_id.in_(numbers)))
    }
    # After the states: a reading that ends between the two looks then has its card, and none is done without one.
    cards = {c.model_id: c for c in db.scalars(select(Card).where(Card.model_id.in_(ids)))}
    exported = set(
        db.scalars(select(Export.revision_id).where(Export.revision_id.in_(numbers), Export.state == "done").distinct())
    )
    nothing = Card(
        unit_stated=False,
        verdicts=[{"sheet": x.slug, "code": x.code, "counts": None, "not_looked_at": []} for x in all_sheets(db)],
    )
    out = []
    for model in models:
        revision, card = revisions[model.id], cards.get(model.id, nothing)
        state, error = states.get((revision.id, shelf.tape_key(slips.get(revision.id, []))), ("waiting", None))
        out.append(
            {
                "id": model.id,
                "name": model.name,
                "revision": revision.id,
                "number": revision.number,
                "main": revision.main,
                "state": state,
                "error": error,
                "sheet": model.sheet,
                "longest_m": card.longest_m,
                "unit_stated": card.unit_stated,
                "triangles": card.triangles,
                "stage": card.inspection_id,
                "thumbnail": revision.thumbnail_id,
                "verdicts": card.verdicts,
                "exported": revision.id in exported,
            }
        )
    return out

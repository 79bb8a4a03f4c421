"""The Shelf, a page at a time: searched, filtered, sorted."""

from __future__ import annotations

from datetime import timedelta
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, Text, and_, cast, func, literal, or_, select, text
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from ..core.rules import RuleSheet
from . import shelf
from .cards import FINDING, MATERIAL, PART
from .models import Card, Export, Inspection, Model, Revision, TapeState, now
from .sheets import all_sheets

#: Models on a page.
PAGE = 60


class Page(NamedTuple):
    """models: entries of a page; totals: over everything that is on the Shelf; found: how many the search met in all; folders, tags: that
    there are on the Shelf, with how many models each has."""

    models: list[dict[str, Any]]
    found: int
    totals: dict[str, Any]
    folders: list[dict[str, Any]]
    tags: list[dict[str, Any]]


class Asked(NamedTuple):
    """What the Shelf is asked for. search: letters in a name of the model, its file, folder, tags, parts, materials or findings. show: all,
    held, cautions, fit, unread or off (what was taken off). sheet: slug of the destination whose verdict counts; all where empty. folder,
    tag: only those. age: today, week or older, by when they were touched last; all where empty. sort: touched, name, verdict or size."""

    search: str = ""
    show: str = "all"
    sheet: str = ""
    folder: str = ""
    tag: str = ""
    age: str = ""
    sort: str = "touched"


#: Folders and tags that are listed.
_LISTED = 200


def page(db: Session, asked: Asked, first: int) -> Page:
    """A page of the Shelf. first: how many come before."""
    sheets = all_sheets(db)
    wanted = _wanted(asked, sheets)
    found = db.scalar(select(func.count()).select_from(wanted.subquery())) or 0
    models = list(db.scalars(wanted.order_by(*_order(asked, sheets), Model.id.desc()).offset(first).limit(PAGE)))
    return Page(_entries(db, models, asked.search, sheets), found, _totals(db, sheets), _folders(db), _tags(db))


def chosen(db: Session, asked: Asked, most: int) -> list[int]:
    """Ids of all models that the Shelf would show, over all its pages."""
    sheets = all_sheets(db)
    ids = _wanted(asked, sheets).with_only_columns(Model.id).order_by(*_order(asked, sheets), Model.id.desc()).limit(most)
    return list(db.scalars(ids))


def _on_shelf() -> ColumnElement[bool]:
    return and_(Model.taken_off.is_(None), select(Revision.id).where(Revision.model_id == Model.id).exists())


def _wanted(asked: Asked, sheets: tuple[RuleSheet, ...]) -> Select[Model]:
    wanted = select(Model).outerjoin(Card).where(Model.taken_off.is_not(None) if asked.show == "off" else _on_shelf())
    if asked.search:
        meets = lambda column: column.icontains(asked.search, autoescape=True)
        named = select(Revision.id).where(Revision.model_id == Model.id, meets(Revision.main)).exists()
        text_of_tags = cast(Model.tags, Text)
        wanted = wanted.where(
            or_(meets(Model.name), meets(Model.folder), meets(text_of_tags), meets(func.coalesce(Card.words, "")), named)
        )
    if asked.folder:
        wanted = wanted.where(Model.folder == asked.folder)
    if asked.tag:
        wanted = wanted.where(Model.tags.contains([asked.tag]))
    if asked.age:
        day, week = now() - timedelta(days=1), now() - timedelta(days=7)
        wanted = wanted.where(
            {"today": Model.touched >= day, "week": Model.touched >= week, "older": Model.touched < week}[asked.age]
        )
    return wanted if asked.show in ("all", "off") else wanted.where(_shown(asked, sheets))


def _place(slug: str, sheets: tuple[RuleSheet, ...]) -> int | None:
    """The place of a sheet among a card's verdicts."""
    return next((k for k, sheet in enumerate(sheets) if sheet.slug == slug), None)


def _of_sheet(name: str, place: int) -> ColumnElement[int]:
    count: ColumnElement[int] = Card.verdicts[place]["counts"][name].as_integer()
    return count


def _shown(asked: Asked, sheets: tuple[RuleSheet, ...]) -> ColumnElement[bool]:
    place = _place(asked.sheet, sheets)
    if asked.show == "unread":
        return or_(Card.model_id.is_(None), Card.inspection_id.is_(None))
    if place is None:
        some = or_(*(_of_sheet("caution", k) > 0 for k in range(len(sheets))))
        of_all: dict[str, ColumnElement[bool]] = {
            "held": and_(Card.held),
            "cautions": and_(~Card.held, some),
            "fit": and_(Card.fit),
        }
        return of_all[asked.show]
    stops = _of_sheet("stop", place) + func.jsonb_array_length(Card.verdicts[place]["not_looked_at"])
    cautions = _of_sheet("caution", place)
    return {"held": stops > 0, "cautions": and_(stops == 0, cautions > 0), "fit": stops == 0}[asked.show]


def _order(asked: Asked, sheets: tuple[RuleSheet, ...]) -> tuple[ColumnElement[Any], ...]:
    if asked.sort == "name":
        return (func.lower(Model.name),)
    if asked.sort == "size":
        return (Card.triangles.desc().nulls_last(),)
    if asked.sort == "verdict":
        place = _place(asked.sheet, sheets)
        of = range(len(sheets)) if place is None else [place]
        return tuple(
            func.coalesce(sum((func.coalesce(_of_sheet(name, k), 0) for k in of), literal(0)), 0).desc()
            for name in ("stop", "caution")
        )
    if asked.show == "off":
        return (Model.taken_off.desc(),)
    return (Model.touched.desc(),)


def _folders(db: Session) -> list[dict[str, Any]]:
    counted = select(Model.folder, func.count()).where(_on_shelf(), Model.folder != "").group_by(Model.folder)
    return [{"name": name, "models": n} for name, n in db.execute(counted.order_by(Model.folder).limit(_LISTED)).all()]


_TAGS = text(
    "SELECT tag, count(*) FROM model, jsonb_array_elements_text(model.tags) tag WHERE model.taken_off IS NULL GROUP BY 1 ORDER BY 1 LIMIT :most"
)


def _tags(db: Session) -> list[dict[str, Any]]:
    return [{"name": name, "models": n} for name, n in db.execute(_TAGS, {"most": _LISTED}).all()]


def _totals(db: Session, sheets: tuple[RuleSheet, ...]) -> dict[str, Any]:
    stops = [
        func.count().filter(Card.verdicts[k]["counts"]["stop"].as_integer() > 0).label(f"stops_{k}") for k in range(len(sheets))
    ]
    sums = (
        func.count(Model.id),
        func.coalesce(func.sum(Card.triangles), 0),
        func.count().filter(Card.held),
        func.count().filter(Card.fit),
    )
    row = db.execute(select(*sums, *stops).select_from(Model).outerjoin(Card).where(_on_shelf())).one()
    reading = db.scalar(select(func.count()).where(Inspection.state.in_(["waiting", "running"])).select_from(Inspection)) or 0
    off = db.scalar(select(func.count(Model.id)).where(Model.taken_off.is_not(None))) or 0
    return {
        "models": row[0],
        "triangles": int(row[1] or 0),
        "held": row[2],
        "fit": row[3],
        "reading": reading,
        "off": off,
        "stops": {x.slug: row[4 + k] for k, x in enumerate(sheets)},
    }


def _newest(ids: list[int]) -> Select[Revision]:
    return (
        select(Revision)
        .where(Revision.model_id.in_(ids))
        .ext(distinct_on(Revision.model_id))
        .order_by(Revision.model_id, Revision.number.desc())
    )


def _entries(db: Session, models: list[Model], search: str, sheets: tuple[RuleSheet, ...]) -> list[dict[str, Any]]:
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
        verdicts=[{"sheet": x.slug, "code": x.code, "counts": None, "not_looked_at": []} for x in sheets],
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
                "folder": model.folder,
                "tags": model.tags,
                "touched": model.touched,
                "taken_off": model.taken_off,
                "met": _met(search, model, revision, card),
            }
        )
    return out


def _met(search: str, model: Model, revision: Revision, card: Card) -> str | None:
    """What of a model a search met that its label does not show anyway; None where there is nothing such."""
    wanted = search.lower()
    if not wanted or any(wanted in name.lower() for name in (model.name, revision.main, model.folder, *model.tags)):
        return None
    kinds = {PART: "part", MATERIAL: "material", FINDING: "finding"}
    line = next((line for line in (card.words or "").split("\n") if wanted in line.lower()), None)
    return None if line is None else f"{kinds.get(line[:1], '')}: {line[1:]}"

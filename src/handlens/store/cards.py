"""Cards: what the Shelf says of a model, kept when the model is judged, so that a page of it is one question."""

from __future__ import annotations

import hashlib
from typing import Any

import msgspec
from sqlalchemy import or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.measures import Measures
from ..core.present.report import with_waivers
from ..core.route.stations import measures_key, route_key
from ..core.rules import RuleSheet
from . import shelf
from .batches import rows as batch_rows
from .models import Card, Inspection, Model
from .sheets import all_sheets


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
        "words": "",
    }
    if done is not None:
        intent, reasons = shelf.intent_of(model), shelf.reasons_of(model)
        trees = {x.slug: with_waivers(shelf.judgement(db, done, x, intent).report, reasons) for x in sheets}
        row |= _text_of(trees, sheets)
        row["words"] = _words(done, trees)
    changed = {k: v for k, v in row.items() if k != "model_id"}
    db.execute(insert(Card).values(row).on_conflict_do_update(index_elements=["model_id"], set_=changed))
    batch_rows.renew(db, model, revision, wanted)


#: By which letter a line of a card's words begins that names a part, a material or a finding. No name holds these.
PART, MATERIAL, FINDING = "\x01", "\x02", "\x03"
#: Letters of a card's words at most: names past them are not searched.
_WORDS = 200_000


def _words(done: Inspection, trees: dict[str, dict[str, Any]]) -> str:
    """What a model is found by beside its own name."""
    measures = Measures.from_bytes(done.measures) if done.measures is not None else None
    parts = dict.fromkeys(part.name for part in measures.parts) if measures else {}
    materials = dict.fromkeys(material.name for material in measures.materials if material.name) if measures else {}
    titles = dict.fromkeys(f["title"] for tree in trees.values() for f in tree["findings"] if f["waived"] is None)
    named = ((PART, parts), (MATERIAL, materials), (FINDING, titles))
    lines = (letter + _one_line(name) for letter, names in named for name in names)
    return "\n".join(lines)[:_WORDS]


def _one_line(name: str) -> str:
    """A name without letters that a text of several names cannot hold."""
    return "".join(" " if letter < " " else letter for letter in name)


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
    stale = (
        select(Model)
        .outerjoin(Card)
        .where(Model.taken_off.is_(None))
        .where(or_(Card.model_id.is_(None), Card.version != card_version(db)))
        .limit(most)
    )
    models = db.scalars(stale).all()
    for model in models:
        renew(db, model)
    return len(models)

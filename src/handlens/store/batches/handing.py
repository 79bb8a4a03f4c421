"""A batch handed on: its board as a table, its report, and what was written of its models."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ...core.present.report import with_waivers
from ...core.present.reports import Reported
from ...core.present.reports.board import BoardRow, board
from .. import contents, shelf
from ..models import Batch, BatchRow, Export, Inspection, Model, Revision
from ..sheets import sheet_of

#: Models up to which a report shows each with its picture.
_PICTURES = 200


def _rows(db: Session, batch: Batch) -> Iterator[tuple[BatchRow, Model]]:
    """A batch's rows with their models, by name."""
    wanted = select(BatchRow, Model).join(Model, Model.id == BatchRow.model_id)
    shown = wanted.where(BatchRow.batch_id == batch.id, Model.taken_off.is_(None))
    for found in db.execute(shown.order_by(Model.name, Model.id)):
        yield found[0], found[1]


def csv_of(db: Session, batch: Batch) -> bytes:
    """The board of a batch as a table."""
    name = sheet_of(db, batch.sheet).name
    rows = []
    for row, model in _rows(db, batch):
        export = db.get(Export, row.export_id) if row.export_id is not None else None
        proved = None if export is None or export.proof is None else bool(export.proof["proved"])
        after = (row.trial or {}).get("verdict")
        rows.append(
            BoardRow(model.name, model.folder, name, _state(row), row.verdict, after, row.stations, proved, row.error or "")
        )
    return board(rows)


def _state(row: BatchRow) -> str:
    if row.verdict is None:
        return row.state
    return "held" if row.verdict["stop"] + row.verdict.get("unlooked", 0) else "fit"


def reported(db: Session, batch: Batch, pictures: bool) -> list[Reported]:
    """What a report says of all models of a batch. pictures: whether each is shown, where they are not too many."""
    found = list(_rows(db, batch))
    return [_reported(db, batch, row, model, pictures and len(found) <= _PICTURES) for row, model in found]


def _reported(db: Session, batch: Batch, row: BatchRow, model: Model, pictures: bool) -> Reported:
    sheet = sheet_of(db, batch.sheet)
    path = "/".join(x for x in (model.folder, model.name) if x)
    reading = db.get(Inspection, row.inspection_id) if row.inspection_id is not None else None
    if reading is None or reading.state != "done":
        return Reported(path, sheet.name, error=row.error or "It was not read yet.")
    tree = with_waivers(shelf.judgement(db, reading, sheet, shelf.intent_of(model)).report, shelf.reasons_of(model))
    revision = db.get_one(Revision, reading.revision_id)
    drawn = revision.thumbnail_id if pictures else None
    export = db.get(Export, row.export_id) if row.export_id is not None else None
    picture = contents.read(db, drawn) if drawn is not None else None
    mends = [run for run in reading.runs if run["applied"]]
    return Reported(path, sheet.name, tree, picture=picture, mends=mends, proof=export.proof if export is not None else None)


def package_files(db: Session, batch: Batch) -> tuple[list[tuple[str, int]], dict[str, bytes]]:
    """What was written of all models, each in a folder of its own, by path and content; and what is laid beside it: the board, and each
    proof. Models that are not proved are among them, and the board says so."""
    files: list[tuple[str, int]] = []
    proofs: dict[str, Any] = {}
    taken: set[str] = set()
    for row, model in _rows(db, batch):
        export = db.get(Export, row.export_id) if row.export_id is not None else None
        if export is None or export.state != "done":
            continue
        folder = _folder(model.name, taken)
        files += [(f"{folder}/{file.path}", file.content_id) for file in export.files]
        proofs[folder] = export.proof
    beside = {"board.csv": csv_of(db, batch), "proofs.json": json.dumps(proofs, indent=1).encode()}
    return files, beside


def _folder(name: str, taken: set[str]) -> str:
    """A folder's name for a model that every system takes, and no other model of the batch has."""
    plain = re.sub(r"[^\w.-]+", "_", name).strip("._")[:80] or "model"
    count = 1
    chosen = plain
    while chosen.casefold() in taken:
        count += 1
        chosen = f"{plain}_{count}"
    taken.add(chosen.casefold())
    return chosen

"""Puts what was tried in a batch on the tapes of its models, and takes it back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from ...core.offers.better import is_better
from .. import shelf
from ..models import Batch, BatchRow, Revision, now


class Laying(NamedTuple):
    """How many models of a batch a change was made to, how many it does not help, and how many whose tape was changed meanwhile."""

    laid: int
    useless: int
    changed: int


def helps(row: BatchRow) -> bool:
    """Whether what was tried on a model leaves it better than it is, and brings no stop and no caution."""
    if row.trial is None or row.verdict is None or not row.trial.get("verdict") or not row.trial.get("slips"):
        return False
    return not row.trial.get("harms") and is_better(row.verdict, row.trial["verdict"])


def keep(db: Session, batch: Batch, rows: Sequence[int]) -> Laying:
    """Put what was tried behind the tapes of models that it helps. rows: ids. Each model is then read with it."""
    laid = useless = changed = 0
    for row in _locked(db, batch, rows):
        if row.trial is None:
            continue
        if not helps(row):
            useless += 1
            continue
        revision = _newest(db, row)
        if revision is None or shelf.tape_version(db, revision) != row.trial["version"]:
            changed += 1
            continue
        shelf.change_tape(db, revision, [*shelf.slips_of(db, revision), *row.trial["slips"]])
        _read_again(row)
        row.laid = shelf.tape_version(db, revision)
        laid += 1
    if laid:
        batch.step, batch.state, batch.began = "judge", "running", now()
    return Laying(laid, useless, changed)


def take_back(db: Session, batch: Batch) -> Laying:
    """Take back what was put on tapes from here last, where nothing was changed on them since."""
    laid = changed = 0
    for row in _locked(db, batch, None):
        if row.laid is None:
            continue
        revision = _newest(db, row)
        if revision is None or shelf.tape_version(db, revision) != row.laid or not shelf.can_undo(revision):
            changed += 1
            row.laid = None
            continue
        revision.tape_at -= 1
        db.flush()
        _read_again(row)
        row.laid = None
        laid += 1
    if laid:
        batch.step, batch.state, batch.began = "judge", "running", now()
    return Laying(laid, 0, changed)


def forget(db: Session, batch: Batch) -> None:
    """Throw away what was tried; the tapes are as they were."""
    for row in _locked(db, batch, None):
        row.trial = None


def _locked(db: Session, batch: Batch, rows: Sequence[int] | None) -> list[BatchRow]:
    wanted = select(BatchRow).where(BatchRow.batch_id == batch.id).order_by(BatchRow.id).with_for_update()
    return list(db.scalars(wanted if rows is None else wanted.where(BatchRow.id.in_(list(rows)))))


def _newest(db: Session, row: BatchRow) -> Revision | None:
    """The newest revision of a row's model, its tape to ourselves; None where another came since the row was judged."""
    newest = select(Revision).where(Revision.model_id == row.model_id).order_by(Revision.number.desc()).limit(1)
    revision = db.scalar(newest.with_for_update().execution_options(populate_existing=True))
    return revision if revision is not None and revision.id == row.revision_id else None


def _read_again(row: BatchRow) -> None:
    row.step, row.state, row.error, row.trial, row.ended = "judge", "waiting", None, None, None

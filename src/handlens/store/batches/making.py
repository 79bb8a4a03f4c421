"""Beginning a batch, adding to it, and steering it: pause, go on, stop, try again."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..models import Batch, BatchRow, Job, Model, Revision, now
from ..queue import size_of, stop, turn


def begin(db: Session, name: str, sheet: str, models: Iterable[int]) -> Batch:
    """A new batch that judges models. models: their ids; those that are not on the shelf are left out."""
    batch = Batch(name=name, sheet=sheet)
    db.add(batch)
    db.flush()
    add(db, batch, models)
    return batch


def add(db: Session, batch: Batch, models: Iterable[int]) -> int:
    """Take models into a batch to be judged; those that are in it are left as they are. Returns how many came to it."""
    wanted = select(Revision).join(Model).where(Model.id.in_(list(models)), Model.taken_off.is_(None))
    newest: dict[int, Revision] = {r.model_id: r for r in db.scalars(wanted.order_by(Revision.model_id, Revision.number))}
    moment = now()
    rows = [
        {"batch_id": batch.id, "model_id": model, "turn": turn(size_of(db, r), moment), "step": "judge", "state": "waiting"}
        | {"stations": {}, "findings": []}
        for model, r in newest.items()
    ]
    if not rows:
        return 0
    added = db.execute(insert(BatchRow).values(rows).on_conflict_do_nothing().returning(BatchRow.id)).all()
    return len(added)


def ask(db: Session, batch: Batch, step: str, wish: dict[str, Any], rows: Sequence[int]) -> None:
    """Have something done with rows of a batch. step: judge, try or export. wish: what is tried, or how it is exported."""
    batch.step, batch.wish, batch.state, batch.began = step, wish, "running", now()
    values: dict[str, Any] = {"step": step, "state": "waiting", "error": None, "ended": None}
    if step == "try":
        values["trial"] = None
    if step == "export":
        values["export_id"] = None
    db.execute(update(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.id.in_(rows)).values(values))


def jobs_of(db: Session, batch: Batch, state: str) -> list[Job]:
    """Jobs under way that a batch asked for, locked. state: waiting or running."""
    wanted = select(Job).where(Job.state == state, Job.subject["batch"].as_integer() == batch.id)
    return list(db.scalars(wanted.order_by(Job.id).with_for_update(skip_locked=True)))


def pause(db: Session, batch: Batch) -> None:
    """Begin nothing more of a batch; what is being done is done to its end."""
    batch.state = "paused"
    _back(db, batch)


def _back(db: Session, batch: Batch) -> None:
    """What waits in the queue waits in the batch again."""
    for job in jobs_of(db, batch, "waiting"):
        stop(db, job)
    db.flush()
    _settle_rows(db, batch, "waiting")


def _settle_rows(db: Session, batch: Batch, state: str) -> None:
    """Rows whose job was stopped before it began. state: what they become."""
    from .feeding import cancelled_rows

    for row in cancelled_rows(db, batch):
        row.state, row.error = state, None


def go_on(db: Session, batch: Batch) -> None:
    """Go on where a batch was paused or stopped: what waits, and what was stopped, is begun in its turn."""
    batch.state, batch.began = "running", now()
    stopped = (BatchRow.batch_id == batch.id, BatchRow.state == "cancelled")
    db.execute(update(BatchRow).where(*stopped).values(state="waiting", error=None))


def end(db: Session, batch: Batch) -> None:
    """Stop a batch: what waits is given up, what is being done is stopped."""
    batch.state = "stopped"
    for state in ("waiting", "running"):
        for job in jobs_of(db, batch, state):
            stop(db, job)
    db.flush()
    _settle_rows(db, batch, "cancelled")
    waiting = (BatchRow.batch_id == batch.id, BatchRow.state == "waiting")
    db.execute(update(BatchRow).where(*waiting).values(state="cancelled", error="Stopped by you.", ended=now()))


def try_failed(db: Session, batch: Batch) -> int:
    """Have everything tried again that failed; returns how many there were."""
    failed = (BatchRow.batch_id == batch.id, BatchRow.state == "failed")
    again = db.execute(update(BatchRow).where(*failed).values(state="waiting", error=None).returning(BatchRow.id)).all()
    if again:
        batch.state, batch.began = "running", now()
    return len(again)


def ids(db: Session, batch: Batch, models: Sequence[int] | None) -> list[int]:
    """Rows of a batch by the ids of their models, of those that are on the shelf; all of them where none is named."""
    wanted = select(BatchRow.id).join(Model).where(BatchRow.batch_id == batch.id, Model.taken_off.is_(None))
    if models is not None:
        wanted = wanted.where(BatchRow.model_id.in_(list(models)))
    return list(db.scalars(wanted))


def size(db: Session, batch: Batch) -> int:
    """How many models a batch has."""
    return db.scalar(select(func.count()).select_from(BatchRow).where(BatchRow.batch_id == batch.id)) or 0

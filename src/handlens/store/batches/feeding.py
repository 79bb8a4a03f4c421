"""Gives the queue what batches wait for, a few at a time: so a pause holds at once, a person's job is never behind a thousand, two batches
share the workers, and what was under way when everything was killed is still written down here."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from ...core.limits import InputError
from ...core.pipeline.writing import format_for
from ...core.present.kinds import together
from .. import shelf
from ..models import Batch, BatchRow, Export, Inspection, Job, Model, Revision, SoughtWay, now
from ..queue import NO_BATCH, want_export, want_inspection
from ..sheets import sheet_of
from ..ways import seek
from . import rows as of_rows
from .trials import found_by_tape, found_by_way

log = logging.getLogger("handlens.worker")
#: Jobs of batches that wait in the queue at the least, where there are so many: enough that no worker has to wait for the next.
_AHEAD = 4
#: Rows that are looked at in one round.
_AT_ONCE = 64
#: Advisory lock of whoever feeds: two at once would begin the same rows.
_LOCK = 7_414
_ENDED = ("done", "failed", "cancelled")


def feed(db: Session) -> int:
    """Carry what ended over to its rows, and begin what comes next; returns how many rows were begun."""
    db.execute(select(func.pg_advisory_xact_lock(_LOCK)))
    settle_ended(db)
    of_batches = Job.subject["batch"].as_integer() != NO_BATCH
    under_way = select(Job.state, func.count()).where(Job.state.in_(["waiting", "running"]), of_batches)
    count: dict[str, int] = {row[0]: row[1] for row in db.execute(under_way.group_by(Job.state))}
    wanted = max(_AHEAD, count.get("running", 0)) - count.get("waiting", 0)
    begun = 0
    for _ in range(_AT_ONCE):
        row = _next(db) if wanted > 0 else None
        if row is None:
            break
        wanted -= _guarded(db, row, _begin) or 0
        begun += 1
    return begun


def _guarded(db: Session, row: BatchRow, work: Callable[[Session, BatchRow], int | None]) -> int | None:
    """What is done for one row, all of it or nothing: what one trips over must not keep the others from their turn."""
    try:
        with db.begin_nested():
            return work(db, row)
    except OperationalError:
        raise
    except InputError as error:
        _end(row, "failed", str(error))
    except Exception:
        log.exception("row %s of a batch could not go on", row.id)
        _end(row, "failed", "Something in Hand Lens itself went wrong; the log says what. Try it again.")
    return None


def _next(db: Session) -> BatchRow | None:
    """The row that is begun next: of the batch with the fewest under way the one whose turn it is."""
    under_way = (
        select(BatchRow.batch_id, func.count().label("n"))
        .where(BatchRow.state == "running")
        .group_by(BatchRow.batch_id)
        .subquery()
    )
    waiting = select(BatchRow.id).where(BatchRow.batch_id == Batch.id, BatchRow.state == "waiting").exists()
    batch = db.scalar(
        select(Batch.id)
        .outerjoin(under_way, under_way.c.batch_id == Batch.id)
        .where(Batch.state == "running", waiting)
        .order_by(func.coalesce(under_way.c.n, 0), Batch.began, Batch.id)
        .limit(1)
    )
    if batch is None:
        return None
    wanted = select(BatchRow).where(BatchRow.batch_id == batch, BatchRow.state == "waiting")
    return db.scalar(wanted.order_by(BatchRow.turn, BatchRow.id).limit(1).with_for_update(skip_locked=True))


def _begin(db: Session, row: BatchRow) -> int:
    """Begin what a row waits for; returns how many jobs that put on the queue."""
    model, batch = db.get_one(Model, row.model_id), db.get_one(Batch, row.batch_id)
    revision = model.revisions[-1] if model.revisions else None
    if revision is None or model.taken_off is not None:
        _end(row, "failed", "The model was taken off the shelf.")
        return 0
    slips = shelf.slips_of(db, revision)
    reading = shelf.inspection_of(db, revision, slips)
    row.state, row.error = "running", None
    if row.step == "judge" or reading is None or reading.state != "done":
        # Nothing can be tried or written of a model that was not read.
        reading, job = want_inspection(db, revision, slips, batch.id)
        row.inspection_id, row.revision_id = reading.id, revision.id
        if reading.state == "done":
            of_rows.fill(db, row, batch.sheet, model, revision, reading)
            _end(row, "done")
        return int(job is not None)
    return _STEPS[row.step](db, row, batch, revision, reading, slips)


def _begin_trial(
    db: Session, row: BatchRow, batch: Batch, revision: Revision, reading: Inspection, slips: list[dict[str, Any]]
) -> int:
    """Play what the batch wishes on a copy of one model."""
    if row.inspection_id != reading.id:
        of_rows.fill(db, row, batch.sheet, revision.model, revision, reading)
    about = {"tape_key": reading.tape_key, "version": shelf.tape_version(db, revision), "inspection": reading.id}
    if batch.wish["kind"] == "way":
        way = seek(db, reading, [batch.sheet], batch.wish.get("goal", "caution"), {}, True, batch.id)
        assert way is not None
        row.way_id, row.trial = way.id, {**about, "way": way.id}
        return int(way.state == "waiting")
    more = wished_slips(batch.wish, row.findings)
    if not more:
        _end(row, "done")
        return 0
    tried, job = want_inspection(db, revision, [*slips, *more], batch.id)
    row.trial = {**about, "slips": more, "tried": tried.id}
    return int(job is not None)


def wished_slips(wish: dict[str, Any], findings: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The slips that a recipe, or a mend for all findings of one check, puts behind a model's tape. findings: as a row keeps them."""
    if wish["kind"] == "recipe":
        return [{**slip, "on": True} for slip in wish["slips"] if slip.get("on", True)]
    calls = [
        call
        for finding in findings
        if finding["check"] == wish["check"]
        for call in finding["mends"]
        if call["mend"] == wish["mend"]
    ]
    return [{**call, "on": True} for call in together(calls)]


def _begin_export(
    db: Session, row: BatchRow, batch: Batch, revision: Revision, reading: Inspection, slips: list[dict[str, Any]]
) -> int:
    """Write one model for the batch's destination."""
    model, sheet = revision.model, sheet_of(db, batch.sheet)
    branch = [{**slip, "on": True} for slip in revision.branches.get(sheet.slug, [])]
    name = batch.wish.get("format") or format_for(revision.main.rpartition(".")[2].lower(), sheet)
    # A model that came as one file is its whole package, and is written in a format.
    options = {"whole": True} if batch.wish.get("whole") and len(revision.files) > 1 else {}
    aside = shelf.aside_of(db, model, sheet.slug)
    export, _ = want_export(db, revision, [*slips, *branch], name, sheet.slug, aside, options, batch.id)
    row.export_id = export.id
    return 1


_STEPS = {"try": _begin_trial, "export": _begin_export}


def settle_ended(db: Session) -> None:
    """Rows whose job has ended say so. What was only read so that something can be done with it waits for that now."""
    running = select(BatchRow).where(BatchRow.state == "running").with_for_update(of=BatchRow, skip_locked=True)
    read = running.join(Inspection, Inspection.id == BatchRow.inspection_id).where(BatchRow.step == "judge")
    for row in db.scalars(read.where(Inspection.state.in_(_ENDED)).order_by(BatchRow.id)).all():
        _guarded(db, row, _settle_reading)
    for row in db.scalars(running.where(BatchRow.step != "judge").order_by(BatchRow.id)).all():
        _guarded(db, row, _settle_step)


def _settle_reading(db: Session, row: BatchRow) -> None:
    reading = db.get_one(Inspection, row.inspection_id)
    if reading.state == "done":
        _keep_verdict(db, row, reading)
        _end(row, "done")
    else:
        _end(row, reading.state, reading.error)


def _keep_verdict(db: Session, row: BatchRow, reading: Inspection) -> None:
    batch, model = db.get_one(Batch, row.batch_id), db.get_one(Model, row.model_id)
    of_rows.fill(db, row, batch.sheet, model, db.get_one(Revision, reading.revision_id), reading)


def _settle_step(db: Session, row: BatchRow) -> None:
    """A row that is tried or exported, or read first for that."""
    batch = db.get_one(Batch, row.batch_id)
    if row.step == "export" and row.export_id is not None:
        export = db.get(Export, row.export_id)
        if export is not None and export.state in _ENDED:
            _end(row, export.state, export.error)
        return
    if row.step == "try" and row.trial is not None:
        _settle_trial(db, row, batch)
        return
    reading = db.get(Inspection, row.inspection_id) if row.inspection_id is not None else None
    if reading is None or reading.state == "done":
        row.state = "waiting"
    elif reading.state in _ENDED:
        _end(row, reading.state, reading.error)


def _settle_trial(db: Session, row: BatchRow, batch: Batch) -> None:
    trial = row.trial or {}
    way = db.get(SoughtWay, trial["way"]) if "way" in trial else None
    tried = db.get(Inspection, trial["tried"]) if "tried" in trial else None
    ended = way or tried
    if ended is None:
        # What it waited for was swept, or went with another revision: it is tried anew.
        row.state, row.trial = "waiting", None
    elif ended.state == "done":
        if way is not None:
            found = found_by_way(way, batch.sheet)
        else:
            assert tried is not None
            found = found_by_tape(db, row, batch, tried)
        row.trial = {**trial, **found}
        _end(row, "done")
    elif ended.state in _ENDED:
        row.trial = None
        _end(row, ended.state, ended.error)


def _end(row: BatchRow, state: str, error: str | None = None) -> None:
    row.state, row.error, row.ended = state, error, now()


def cancelled_rows(db: Session, batch: Batch) -> list[BatchRow]:
    """Rows under way whose job was stopped before it began."""
    out = []
    for row in db.scalars(
        select(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.state == "running").order_by(BatchRow.id).with_for_update()
    ):
        trial = row.trial or {}
        about: list[tuple[type[Any], int | None]] = [(Inspection, row.inspection_id)]
        if row.step == "export" and row.export_id is not None:
            about = [(Export, row.export_id)]
        elif row.step == "try" and trial:
            about = [(SoughtWay, trial.get("way"))] if "way" in trial else [(Inspection, trial.get("tried"))]
        kind, number = about[0]
        found = db.get(kind, number) if number is not None else None
        if found is not None and found.state == "cancelled":
            if row.step == "try":
                row.trial = None
            out.append(row)
    return out


def release(db: Session, model: Model) -> None:
    """A model that was taken off is waited for no longer."""
    held = (BatchRow.model_id == model.id, BatchRow.state.in_(["waiting", "running"]))
    db.execute(update(BatchRow).where(*held).values(state="failed", error="The model was taken off the shelf.", ended=now()))


def any_waiting(db: Session) -> bool:
    """Whether some batch has something to do: asked before the lock is taken."""
    sql = text(
        "SELECT EXISTS (SELECT 1 FROM batch_row r JOIN batch b ON b.id = r.batch_id WHERE r.state = 'running' OR (r.state = 'waiting' AND b.state = 'running'))"
    )
    return bool(db.scalar(sql))

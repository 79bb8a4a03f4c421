"""The queue's app, and putting work on it inside the transaction that the work is about."""

from __future__ import annotations

import hashlib
import json
from datetime import UTC, datetime, timedelta
from functools import cache
from typing import Any, TypeVar, cast

import procrastinate
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from ..core import limits
from .database import SEARCH_PATH, database_url
from .models import (
    Asking,
    Comparison,
    Content,
    Curve,
    Export,
    Inspection,
    Job,
    Likeness,
    Model,
    Revision,
    RevisionFile,
    Sending,
    SoughtWay,
    now,
)
from .shelf import inspection_of, slips_of, tape_key

#: First half of the advisory locks on revisions.
_LOCK = 7_411


def connector_options() -> dict[str, Any]:
    """How the queue reaches the database, from the address that the rest uses."""
    return {"conninfo": database_url(), "kwargs": {"options": f"-c search_path={SEARCH_PATH}"}}


@cache
def producer() -> procrastinate.App:
    """An app that only puts jobs on the queue, for the web server."""
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector(**connector_options()))


#: Which jobs are begun before which: what a person waits for, then what was not asked for by anybody, then what a batch asks for.
_PERSON, _UNASKED, _BATCH = 2, 1, 0
#: Between two of these classes lies more than the numbers of one: seconds since the epoch below, less what size adds.
_CLASS, _EPOCH = 700_000_000, datetime(2026, 1, 1, tzinfo=UTC).timestamp()
#: What a job may be about, by the key of its subject: each has a state and an error.
_About = Inspection | Export | Comparison | Curve | Sending | Likeness | Asking | SoughtWay
_Wanted = TypeVar("_Wanted", Comparison, Curve, Asking, SoughtWay)
_Wished = TypeVar("_Wished", Asking, SoughtWay)
_ABOUT: dict[str, type[_About]] = {
    "inspection": Inspection,
    "export": Export,
    "comparison": Comparison,
    "likeness": Likeness,
    "sending": Sending,
    "curve": Curve,
    "asking": Asking,
    "way": SoughtWay,
}
#: As of a batch that is none: of what a new version reads again, nobody waits for anything yet.
NO_BATCH = 0
#: Seconds that a job counts as having come later for each doubling of its model from a megabyte on: a small one is begun before it, but
#: not for ever, since those that come later than that many seconds after it are begun after it.
_SECONDS_A_DOUBLING, _DOUBLINGS = 30.0, 11


def enqueue(db: Session, kind: str, title: str, subject: dict[str, Any]) -> Job:
    """A job row and its queue entry, both in the session's transaction. subject: what it is about; "bytes" of it says how large that is."""
    job = Job(kind=kind, title=title, subject=subject)
    db.add(job)
    db.flush()
    deliver(db, job)
    return job


def hasten(db: Session, job: Job) -> None:
    """A person wants now what a batch asked for: it goes with what persons wait for."""
    if job.state != "waiting" or "batch" not in job.subject:
        return
    job.subject = {k: v for k, v in job.subject.items() if k != "batch"}
    db.execute(
        text("UPDATE queue.procrastinate_jobs SET priority = :rank WHERE status = 'todo' AND (args->>'job_id')::int = :job"),
        {"rank": rank(job), "job": job.id},
    )


def deliver(db: Session, job: Job) -> None:
    """Put a job on the queue, in the session's transaction."""
    # Of what nobody waits for one is done at a time, so that whoever waits always finds a worker.
    alone = "try" if job.kind == "try" else None
    deferrer = producer().configure_task(
        job.kind, queue=queue_of(job.kind, "batch" in job.subject), priority=rank(job), lock=alone
    )
    deferrer.connection = db.connection().connection.driver_connection
    deferrer.defer(job_id=job.id)


def queue_of(kind: str, of_batch: bool = False) -> str:
    """Naming what came never waits behind readings, and readings never behind a gate that is away: each has a worker of its own. So has
    what a person waits for: what a batch asks for takes the other workers alone."""
    return kind if kind in ("intake", "send") else "batch" if of_batch else "work"


def turn(size: int, arrived: datetime) -> float:
    """When something counts as having come, in seconds since 1970: of two that come at once the smaller has its turn before the larger.

    size: bytes of its model. arrived: when it came.
    """
    return arrived.timestamp() + _SECONDS_A_DOUBLING * min((size >> 20).bit_length(), _DOUBLINGS)


def rank(job: Job) -> int:
    """The higher, the sooner."""
    return _rank(job.kind, "batch" in job.subject, int(job.subject.get("bytes", 0)), job.created)


def _rank(kind: str, of_batch: bool, size: int, arrived: datetime) -> int:
    group = _BATCH if of_batch else _UNASKED if kind == "try" else _PERSON
    return group * _CLASS - int(turn(size, arrived) - _EPOCH)


def places(db: Session) -> dict[int, int]:
    """How many jobs of its queue are begun before each that waits, by job."""
    place: dict[str, int] = {}
    out = {}
    # Asked several times a second while a page is open, of a queue that may be long: a few columns, and no objects.
    columns = (Job.id, Job.kind, Job.subject.has_key("batch"), Job.subject["bytes"].as_string(), Job.created)
    waiting = db.execute(select(*columns).where(Job.state == "waiting")).all()
    ranked = sorted(
        (-_rank(kind, batch, int(size or 0), came), number, queue_of(kind)) for number, kind, batch, size, came in waiting
    )
    for _, number, queue in ranked:
        out[number] = place.get(queue, 0)
        place[queue] = out[number] + 1
    return out


def abandoned(db: Session, seconds: float = 5.0) -> list[Job]:
    """Jobs that count as waiting or running, though the queue has no entry of them; locked. Those of the last seconds may have
    one that is on its way."""
    unknown = text(
        "NOT EXISTS (SELECT 1 FROM queue.procrastinate_jobs q WHERE q.status IN ('todo', 'doing') AND (q.args->>'job_id')::int = job.id)"
    )
    old = Job.updated < now() - timedelta(seconds=seconds)
    wanted = select(Job).where(Job.state.in_(["waiting", "running"]), old, unknown)
    return list(db.scalars(wanted.with_for_update(skip_locked=True)))


def settle(db: Session, job: Job, state: str, error: str | None = None) -> None:
    """Bring a job to its end, with what it was about."""
    error = None if error is None else error.replace("\0", "\ufffd")
    job.state, job.error = state, error
    job.phase, job.share = {"done": "done", "failed": "failed", "cancelled": "stopped"}[state], 1.0
    if state != "done":
        settle_subject(db, job, state, error or "Stopped by you.")


def want_inspection(
    db: Session, revision: Revision, slips: list[dict[str, Any]], batch: int | None = None
) -> tuple[Inspection, Job | None]:
    """The inspection of a revision under a tape; asked for if there is none, or if the last try failed or was stopped. batch: the one that
    asks, where it is no person."""
    on = [x for x in slips if x.get("on", True)]
    # Two requests may want the same inspection at once: the second waits for the first and then finds it.
    db.execute(select(func.pg_advisory_xact_lock(_LOCK, revision.id)))
    inspection = inspection_of(db, revision, slips)
    if inspection is not None and inspection.state in ("waiting", "running", "done"):
        if inspection.state == "waiting" and batch is None:
            for job in db.scalars(select(Job).where(Job.subject["inspection"].as_integer() == inspection.id).with_for_update()):
                hasten(db, job)
        return inspection, None
    if inspection is None:
        inspection = Inspection(revision_id=revision.id, tape_key=tape_key(slips), tape=on)
        db.add(inspection)
        db.flush()
    inspection.state, inspection.error = "waiting", None
    title = f"{'Re-reading' if on else 'Reading'} {revision.model.name}"
    subject = {"inspection": inspection.id, "revision": revision.id, "model": revision.model_id, "bytes": size_of(db, revision)}
    return inspection, enqueue(db, "inspect", title, subject | _asked_by(batch))


def _asked_by(batch: int | None) -> dict[str, int]:
    return {} if batch is None else {"batch": batch}


def size_of(db: Session, revision: Revision) -> int:
    """Bytes of a revision's model file."""
    main = select(Content.bytes).join(RevisionFile, RevisionFile.content_id == Content.id)
    return db.scalar(main.where(RevisionFile.revision_id == revision.id, RevisionFile.path == revision.main)) or 0


def want_trials(db: Session, revision: Revision, inspection: Inspection) -> None:
    """Have the mends tried that a finished inspection offers, where they were not and it is what the tape now asks for."""
    wanted = limits.TRIES and inspection.state == "done" and inspection.offers == "none"
    if not wanted or inspection.tape_key != tape_key(slips_of(db, revision)):
        return
    inspection.offers = "waiting"
    subject = {"trying": inspection.id, "revision": revision.id, "model": revision.model_id, "bytes": size_of(db, revision)}
    enqueue(db, "try", f"Trying what is offered for {revision.model.name}", subject)


def drop_overtaken(db: Session, revision: Revision, wanted: Inspection) -> None:
    """Readings of other states of the tape that still wait are not begun: a person who lays ten mends wants the last one read.

    Who looks at one of them all the same (a try-out, another window) asks for it again by looking.
    """
    about = Job.subject["revision"].as_integer() == revision.id
    tries = select(Job).where(Job.kind == "try", Job.state.in_(["waiting", "running"]), about)
    for job in db.scalars(tries.with_for_update(skip_locked=True)):
        if job.subject["trying"] != wanted.id:
            stop(db, job)
    for job in db.scalars(
        select(Job).where(Job.kind == "inspect", Job.state == "waiting", about).with_for_update(skip_locked=True)
    ):
        inspection = db.get(Inspection, job.subject["inspection"])
        if inspection is not None and inspection.id != wanted.id and inspection.tape:
            settle_subject(db, job, "cancelled", "The tape was changed before this was read.")
            db.delete(job)


def want_missing(db: Session) -> int:
    """Ask for what the Shelf cannot show: newest revisions that this version has never read. Returns how many."""
    count = 0
    for model in db.scalars(select(Model).where(Model.taken_off.is_(None))):
        revision = model.revisions[-1] if model.revisions else None
        if revision is not None and inspection_of(db, revision, slips_of(db, revision)) is None:
            want_inspection(db, revision, slips_of(db, revision), NO_BATCH)
            count += 1
    return count


def want_export(
    db: Session,
    revision: Revision,
    slips: list[dict[str, Any]],
    format_name: str,
    sheet: str,
    aside: list[str],
    options: dict[str, Any] | None = None,
    batch: int | None = None,
) -> tuple[Export, Job]:
    """A new export of a revision with its tape. aside: keys by which parts are said to stay behind. options: how it is wished, where that
    is otherwise than the sheet says. batch: the one that asks, where it is no person."""
    tape = [x for x in slips if x.get("on", True)]
    export = Export(revision_id=revision.id, tape=tape, format=format_name, sheet=sheet, aside=aside, options=options or {})
    db.add(export)
    db.flush()
    subject = {"export": export.id, "revision": revision.id, "model": revision.model_id}
    return export, enqueue(db, "export", f"Exporting {revision.model.name}", subject | _asked_by(batch))


def want_sending(db: Session, export: Export, sheet: str, variant: str) -> Sending:
    """Send an export that is done to the destination of a sheet."""
    revision = db.get_one(Revision, export.revision_id)
    sending = Sending(export_id=export.id, sheet=sheet, variant=variant)
    db.add(sending)
    db.flush()
    subject = {"sending": sending.id, "revision": revision.id, "model": revision.model_id}
    enqueue(db, "send", f"Sending {revision.model.name}", subject)
    return sending


def want_likeness(db: Session, revision: Revision) -> Likeness:
    """Images that look like those that a revision misses; looked for anew each time, as others may have come."""
    db.execute(select(func.pg_advisory_xact_lock(_LOCK, revision.id)))
    row = db.scalar(select(Likeness).where(Likeness.revision_id == revision.id))
    if row is not None and row.state in ("waiting", "running"):
        return row
    if row is None:
        row = Likeness(revision_id=revision.id)
        db.add(row)
        db.flush()
    row.state, row.error, row.rows = "waiting", None, []
    subject = {"likeness": row.id, "revision": revision.id, "model": revision.model_id}
    enqueue(db, "look", f"Looking for images of {revision.model.name}", subject)
    return row


def want_comparison(db: Session, earlier: Inspection, later: Inspection) -> Comparison:
    """What differs between two inspections that are done; asked for if it was not, or if the last try failed."""
    revision = db.get_one(Revision, later.revision_id)
    db.execute(select(func.pg_advisory_xact_lock(_LOCK, revision.id)))
    row = db.scalar(select(Comparison).where(Comparison.earlier_id == earlier.id, Comparison.later_id == later.id))
    if row is not None and row.state in ("waiting", "running", "done"):
        return row
    return _to_work_on(
        db,
        row or Comparison(earlier_id=earlier.id, later_id=later.id),
        revision,
        "comparison",
        "compare",
        f"Comparing revisions of {revision.model.name}",
    )


def want_curve(db: Session, inspection: Inspection, parts: list[str], again: bool) -> Curve:
    """How far off parts of a model that was read lie at each count of triangles; asked for if it was not. again: whether it is tried once
    more where the last try failed, or else that is told."""
    revision = db.get_one(Revision, inspection.revision_id)
    key = hashlib.sha256(json.dumps(sorted(parts)).encode()).hexdigest()
    db.execute(select(func.pg_advisory_xact_lock(_LOCK, revision.id)))
    row = db.scalar(select(Curve).where(Curve.inspection_id == inspection.id, Curve.key == key))
    if row is not None and (row.state in ("waiting", "running", "done") or not again):
        return row
    return _to_work_on(
        db,
        row or Curve(inspection_id=inspection.id, key=key, parts=parts),
        revision,
        "curve",
        "curve",
        f"Measuring how far {revision.model.name} may be reduced",
    )


def want_asking(db: Session, inspection: Inspection, wish: dict[str, Any], by: list[Any], begin: bool) -> Asking | None:
    """What a destination would say to a model that was read, if it were written so; None where nobody asked yet and `begin` is not said.

    wish: {"format", "options", "sheet", "variant"}. by: what else the writing goes by, so that another answer is kept for each.
    """
    return _of_wish(db, Asking, inspection, wish, by, begin, ("asking", "ask", "Asking the destination about"))


def want_way(
    db: Session, inspection: Inspection, wish: dict[str, Any], by: list[Any], begin: bool, batch: int | None = None
) -> SoughtWay | None:
    """The way to Fit of a model that was read; None where nobody asked for it yet and `begin` is not said.

    wish: {"sheets", "goal", "prefer"}. by: what else the search goes by, so that another way is kept for each. batch: the one that asks,
    where it is no person.
    """
    return _of_wish(db, SoughtWay, inspection, wish, by, begin, ("way", "way", "Looking for the way to Fit of"), batch)


def _of_wish(
    db: Session,
    kind: type[_Wished],
    inspection: Inspection,
    wish: dict[str, Any],
    by: list[Any],
    begin: bool,
    job: tuple[str, str, str],
    batch: int | None = None,
) -> _Wished | None:
    """What there is of a wish about a model that was read, or is begun. job: under which name its subject is found, its task, its title
    before the model's name."""
    revision = db.get_one(Revision, inspection.revision_id)
    key = hashlib.sha256(json.dumps([wish, by], sort_keys=True).encode()).hexdigest()
    db.execute(select(func.pg_advisory_xact_lock(_LOCK, revision.id)))
    row = db.scalar(select(kind).where(kind.inspection_id == inspection.id, kind.key == key))
    if not begin or (row is not None and row.state in ("waiting", "running", "done")):
        return row
    name, task, title = job
    return _to_work_on(
        db,
        row or kind(inspection_id=inspection.id, key=key, wish=wish),
        revision,
        name,
        task,
        f"{title} {revision.model.name}",
        batch,
    )


def _to_work_on(
    db: Session, row: _Wanted, revision: Revision, name: str, task: str, title: str, batch: int | None = None
) -> _Wanted:
    """The row of what somebody asked for, kept, waiting, and queued as a task under the name by which its subject is found."""
    db.add(row)
    row.state, row.error = "waiting", None
    db.flush()
    enqueue(db, task, title, {name: row.id, "revision": revision.id, "model": revision.model_id} | _asked_by(batch))
    return row


def stop(db: Session, job: Job) -> None:
    """Ask for a job to be stopped; one that still waits is stopped at once."""
    if job.state == "waiting":
        job.state, job.phase = "cancelled", "stopped"
        settle_subject(db, job, "cancelled", "Stopped before it began.")
    elif job.state == "running":
        job.stop_wanted, job.phase = True, "stopping"


def settle_subject(db: Session, job: Job, state: str, error: str | None) -> None:
    """Carry a job's end over to the inspection, export or comparison that it was about."""
    if "trying" in job.subject:
        tried = db.get(Inspection, job.subject["trying"])
        if tried is not None and tried.offers != "done":
            # What was stopped is tried when the tape comes back to it; what failed would fail again.
            tried.offers = "none" if state == "cancelled" else state
        return
    for key, kind in _ABOUT.items():
        row = cast("_About | None", db.get(kind, job.subject[key])) if key in job.subject else None
        if row is not None and row.state != "done":
            row.state, row.error = state, error

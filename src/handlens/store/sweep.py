"""What nobody wants any more: drops that were given up, try-outs, readings of an earlier version, judgements by a sheet or an intent that
have changed since, steps of a tape that undo has long passed, and the bytes of all these. All but the steps can be made anew."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from . import contents
from .database import session
from .models import Asking, Curve, Drop, Evidence, Inspection, Job, Judgement, Model, Revision, SoughtWay, TapeState, now
from .shelf import tape_key

#: How long a drop may stay open, and a try-out unused.
DROP_AGE, TRIAL_AGE = timedelta(hours=24), timedelta(hours=2)
#: Rows of ended jobs are kept so long, for whoever asks what happened.
JOB_AGE = timedelta(days=30)
#: Curves of a reduction, and what a destination would say, are kept so long; a new one takes some seconds.
CURVE_AGE = timedelta(hours=24)
#: Models that were taken off the shelf can be brought back for so long.
OFF_AGE = timedelta(days=30)
#: Steps of a tape that undo can go back over.
UNDO = 200
_AT_ONCE = 500


def all_of_it() -> int:
    """One round, each kind in a transaction of its own; returns how many contents went."""
    for some in (_taken_off, _drops, _trials, _jobs, _judgements, _steps, _measured_again):
        with session() as db:
            some(db)
    with session() as db:
        gone = contents.sweep(db)
    contents.take_gone_objects_away()
    contents.give_back()
    return gone


def _taken_off(db: Session) -> None:
    for model in db.scalars(select(Model).where(Model.taken_off < now() - OFF_AGE).order_by(Model.id).limit(_AT_ONCE)):
        db.delete(model)


def _drops(db: Session) -> None:
    under_way = select(Job.subject["drop"].as_integer()).where(
        Job.kind == "intake", Job.state.in_(["waiting", "running", "failed", "cancelled"])
    )
    db.execute(delete(Drop).where(Drop.created < now() - DROP_AGE, Drop.id.not_in(under_way)))


def _jobs(db: Session) -> None:
    db.execute(delete(Job).where(Job.updated < now() - JOB_AGE, Job.state.in_(["done", "failed", "cancelled"])))


def _judgements(db: Session) -> None:
    """Of each reading and sheet the newest stays; what only the others marked goes with them."""
    newest = select(func.max(Judgement.id)).group_by(Judgement.inspection_id, Judgement.sheet)
    old = select(Inspection.id).where(Inspection.created < now() - TRIAL_AGE)
    gone = db.execute(
        select(Judgement.id, Judgement.inspection_id)
        .where(Judgement.id.not_in(newest), Judgement.inspection_id.in_(old))
        .order_by(Judgement.id)
        .limit(_AT_ONCE)
    ).all()
    if not gone:
        return
    db.execute(delete(Judgement).where(Judgement.id.in_([row.id for row in gone])))
    for inspection in {row.inspection_id for row in gone}:
        left = db.scalars(select(Judgement.marks).where(Judgement.inspection_id == inspection)).all()
        marked = {digest for marks in left for mark in marks.values() for digest in (mark["digest"], mark["drawn"])}
        db.execute(delete(Evidence).where(Evidence.inspection_id == inspection, Evidence.digest.not_in(marked)))


def _steps(db: Session) -> None:
    at = select(Revision.tape_at).where(Revision.id == TapeState.revision_id).scalar_subquery()
    db.execute(delete(TapeState).where(TapeState.number < at - UNDO))


def _measured_again(db: Session) -> None:
    for kind in (Curve, Asking, SoughtWay):
        db.execute(delete(kind).where(kind.created < now() - CURVE_AGE, kind.state.in_(["done", "failed", "cancelled"])))


def _trials(db: Session) -> None:
    """Readings with a tape that no state of the revision's has, and readings that an earlier version made."""
    columns = (Inspection.id, Inspection.revision_id, Inspection.tape, Inspection.tape_key)
    ended = Inspection.state.in_(["done", "failed", "cancelled"])
    old = db.execute(select(*columns).where(Inspection.created < now() - TRIAL_AGE, ended).order_by(Inspection.id)).all()
    revisions = {row.revision_id for row in old}
    kept: dict[int, set[str]] = {k: {tape_key([])} for k in revisions}
    for state in db.execute(select(TapeState.revision_id, TapeState.slips).where(TapeState.revision_id.in_(revisions))):
        kept[state.revision_id].add(tape_key(state.slips))
    gone = [row.id for row in old if row.tape_key not in kept[row.revision_id]][:_AT_ONCE]
    if gone:
        db.execute(delete(Inspection).where(Inspection.id.in_(gone)))

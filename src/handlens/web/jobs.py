"""Jobs: the list, stop and again. Their live stream is in `events`."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from flask_smorest import Blueprint
from sqlalchemy import and_, or_, select

from ..store.database import session
from ..store.models import Job, now
from ..store.queue import enqueue, places, settle_subject, stop
from . import schemas
from .find import refuse, row

blueprint = Blueprint("jobs", __name__, url_prefix="/api/jobs", description="Jobs")


def recent() -> list[dict[str, Any]]:
    """Jobs under way, and those that ended lately."""
    with session() as db:
        # Those of a batch that ended are told by its board.
        lately = and_(Job.updated > now() - timedelta(minutes=10), ~Job.subject.has_key("batch"))
        fresh = or_(Job.state.in_(["waiting", "running"]), lately)
        # What runs and waits comes first, so that a crowd of ended ones never pushes it off the list.
        ended = Job.state.not_in(["running", "waiting"])
        jobs = db.scalars(select(Job).where(fresh).order_by(ended, Job.state != "running", Job.id.desc()).limit(60)).all()
        before = places(db)
        told = schemas.Job(many=True).dump(jobs)
        return [{**job, "before": before.get(job["id"], 0)} for job in told]


@blueprint.get("")
@blueprint.response(200, schemas.Jobs)
def listed() -> dict[str, Any]:
    """Jobs under way, and those that ended in the last ten minutes."""
    return {"jobs": recent()}


@blueprint.post("/<int:job_id>/stop")
@blueprint.response(202, schemas.Job)
def stop_job(job_id: int) -> Any:
    """Stop a job, or take it off the queue."""
    with session() as db:
        job = row(db, Job, job_id, "job")
        stop(db, job)
        db.flush()
        return job


@blueprint.post("/<int:job_id>/again")
@blueprint.response(202, schemas.Job)
def again(job_id: int) -> Any:
    """Try a job again that failed or was stopped."""
    with session() as db:
        job = row(db, Job, job_id, "job")
        if job.state not in ("failed", "cancelled"):
            refuse(409, "This job is still under way, or it is done.")
        settle_subject(db, job, "waiting", None)
        return enqueue(db, job.kind, job.title, dict(job.subject))

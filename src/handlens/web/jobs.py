"""Jobs: the list, the live stream, stop and again."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from flask import Response
from flask_smorest import Blueprint
from sqlalchemy import or_, select

from ..store.database import session
from ..store.models import Job, now
from ..store.queue import enqueue, settle_subject, stop
from . import schemas
from .find import refuse, row

blueprint = Blueprint("jobs", __name__, url_prefix="/api/jobs", description="Jobs")
#: A stream ends by itself after this many seconds; the browser opens the next one.
_STREAM_SECONDS = 60


def _recent() -> list[dict[str, Any]]:
    with session() as s:
        fresh = or_(Job.state.in_(["waiting", "running"]), Job.updated > now() - timedelta(minutes=10))
        jobs = s.scalars(select(Job).where(fresh).order_by(Job.id.desc()).limit(60)).all()
        return schemas.Job(many=True).dump(jobs)  # type: ignore[no-any-return]


@blueprint.get("")
@blueprint.response(200, schemas.Jobs)
def listed() -> dict[str, Any]:
    """Jobs under way, and those that ended in the last ten minutes."""
    return {"jobs": _recent()}


@blueprint.get("/stream")
@blueprint.response(200)
def stream() -> Response:
    """Server-sent events: the list, each time it changes."""

    def events() -> Iterator[str]:
        last = None
        end = time.monotonic() + _STREAM_SECONDS
        yield "retry: 500\n\n"
        while time.monotonic() < end:
            text = json.dumps({"jobs": _recent()})
            if text != last:
                last = text
                yield f"data: {text}\n\n"
            else:
                yield ": still here\n\n"
            time.sleep(0.4)

    answer = Response(events(), mimetype="text/event-stream")
    answer.headers["X-Accel-Buffering"] = "no"
    return answer


@blueprint.post("/<int:job_id>/stop")
@blueprint.response(202, schemas.Job)
def stop_job(job_id: int) -> Any:
    with session() as s:
        job = row(s, Job, job_id, "job")
        stop(s, job)
        s.flush()
        return job


@blueprint.post("/<int:job_id>/again")
@blueprint.response(202, schemas.Job)
def again(job_id: int) -> Any:
    """Try a job again that failed or was stopped."""
    with session() as s:
        job = row(s, Job, job_id, "job")
        if job.state not in ("failed", "cancelled"):
            refuse(409, "This job is still under way, or it is done.")
        settle_subject(s, job, "waiting", None)
        return enqueue(s, job.kind, job.title, dict(job.subject))

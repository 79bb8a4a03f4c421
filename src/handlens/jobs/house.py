"""Keeping house: what a worker that died left behind is taken up again, and what nobody wants any more is swept."""

from __future__ import annotations

import asyncio
import logging
import shutil
from collections.abc import Awaitable

import procrastinate
import psycopg
from procrastinate.jobs import Job as Queued

from ..store import cards, sweep
from ..store.database import database_url, session
from ..store.models import Job
from ..store.queue import abandoned, deliver, settle
from ..store.room import no_room
from .running import WAITS_FOR_ROOM, work_folder
from .tasks import STALLED_SECONDS

log = logging.getLogger("handlens.worker")
#: Seconds between two rounds, and between two sweeps.
_EVERY, _SWEEP = 3.0, 60.0
#: A job that was begun so often and never ended is given up: whatever ends its worker would do so for ever.
MOST_TRIES = 6
#: Advisory lock of whoever is a worker: held by one session at a time.
_SOLE = 7_412


async def take_over(app: procrastinate.App) -> None:
    """Before the first job: where no other worker lives, whatever is marked as being done is nobody's, and waits again at once."""
    _Sole.connection = await asyncio.to_thread(_only_one)
    if _Sole.connection is None:
        return
    for left in work_folder().iterdir():
        shutil.rmtree(left, ignore_errors=True)
    for job in await app.job_manager.list_jobs_async(status="doing"):
        await _again(app, job)


class _Sole:
    """The session that holds the lock, for as long as the process lives."""

    connection: psycopg.Connection | None = None


def _only_one() -> psycopg.Connection | None:
    connection = psycopg.connect(database_url(), autocommit=True)
    row = connection.execute("SELECT pg_try_advisory_lock(%s)", (_SOLE,)).fetchone()
    if row and row[0]:
        return connection
    connection.close()
    return None


async def keep_house(app: procrastinate.App) -> None:
    """Look after the queue until the worker ends. What goes wrong once may go right the next time."""
    swept = -_SWEEP
    loop = asyncio.get_running_loop()
    while True:
        work: list[Awaitable[object]] = [
            _take_up_stalled(app),
            asyncio.to_thread(_settle_abandoned),
            asyncio.to_thread(_renew_cards),
        ]
        if loop.time() - swept >= _SWEEP:
            swept = loop.time()
            work.append(asyncio.to_thread(sweep.all_of_it))
        # What one of them trips over must not keep the others from their turn.
        for one in work:
            try:
                await one
            except Exception:
                log.warning("keeping house was cut short", exc_info=True)
        await asyncio.sleep(_EVERY)


async def _take_up_stalled(app: procrastinate.App) -> None:
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        await _again(app, job)


async def _again(app: procrastinate.App, job: Queued) -> None:
    if job.attempts >= MOST_TRIES:
        await asyncio.to_thread(_give_up, int(job.task_kwargs.get("job_id", 0)))
    await app.job_manager.retry_job(job)


def _give_up(job_id: int) -> None:
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is not None and job.state in ("waiting", "running"):
            settle(db, job, "failed", f"It was begun {MOST_TRIES} times and never came to an end; the log says why.")


def _settle_abandoned() -> None:
    """Jobs that count as under way but that the queue knows nothing of: stopped where that was wished, else put on it again."""
    full = no_room(0) is not None
    with session() as db:
        for job in abandoned(db):
            if job.stop_wanted:
                settle(db, job, "cancelled", "Stopped by you.")
            elif job.phase == WAITS_FOR_ROOM and full:
                continue
            else:
                log.warning("job %s was lost on its way and is put on the queue again", job.id)
                job.state, job.phase, job.share = "waiting", "waiting", 0.0
                deliver(db, job)


def _renew_cards() -> None:
    """A few at a time: after a new version all of them are stale."""
    with session() as db:
        cards.renew_stale(db, 5)

"""Keeping house: what a worker that died left behind is taken up again, and what nobody wants any more is swept."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable

import procrastinate
import psycopg
from procrastinate.jobs import Job as Queued

from ..store import cards, sweep
from ..store.database import database_url, session
from ..store.models import Job
from ..store.queue import abandoned, deliver, settle
from ..store.room import no_room
from .running import WAITS_FOR_ROOM, clear_left, feed_batches
from .tasks import STALLED_SECONDS

log = logging.getLogger("handlens.worker")
#: Seconds between two rounds, and between two sweeps.
_EVERY, _SWEEP = 3.0, 60.0
#: A job that was begun so often and never ended is given up: whatever ends its worker would do so for ever.
MOST_TRIES = 25
#: Advisory locks: every worker shares the first for as long as it lives; who has the second keeps house for all.
_ALIVE, _KEEPER = 7_412, 7_415


class House:
    """What a worker holds for as long as it lives: the sign that it is there, and perhaps the keys. own: whether its machine has the data
    folder, which only the workers of `./start` have."""

    def __init__(self, app: procrastinate.App, own: bool) -> None:
        self.app, self.own = app, own
        self.connection: psycopg.Connection | None = None
        self.keeper = False

    async def move_in(self) -> None:
        """Before the first job: where no other worker lives, whatever is marked as being done is nobody's, and waits again at once."""
        self.connection = await asyncio.to_thread(psycopg.connect, database_url(), autocommit=True)
        alone = self.own and bool(await asyncio.to_thread(self._ask, "SELECT pg_try_advisory_lock(%s)", _ALIVE))
        clear_left()
        if alone:
            for job in await self.app.job_manager.list_jobs_async(status="doing"):
                await _again(self.app, job)
        # Those that start beside this one wait here until it has looked.
        await asyncio.to_thread(self._ask, "SELECT pg_advisory_lock_shared(%s)", _ALIVE)
        if alone:
            await asyncio.to_thread(self._ask, "SELECT pg_advisory_unlock(%s)", _ALIVE)

    def keeps(self) -> bool:
        """Whether this worker keeps house for all: the first that asked, or the next where that one is gone."""
        # Asking also says whether the session that holds the keys is still there.
        if not (self.keeper and self._ask("SELECT %s::int", 1) and self.keeper):
            self.keeper = bool(self._ask("SELECT pg_try_advisory_lock(%s)", _KEEPER))
        return self.keeper

    def _ask(self, sql: str, number: int) -> object:
        assert self.connection is not None
        try:
            row = self.connection.execute(sql, (number,)).fetchone()
        except psycopg.OperationalError:
            # The database was away, and with it whatever was locked: another may have the keys by now.
            self.keeper = False
            self.connection = psycopg.connect(database_url(), autocommit=True)
            self.connection.execute("SELECT pg_advisory_lock_shared(%s)", (_ALIVE,))
            return self._ask(sql, number)
        return row[0] if row else None


async def keep_house(house: House) -> None:
    """Look after the queue until the worker ends, where no other does. What goes wrong once may go right the next time."""
    swept = -_SWEEP
    loop = asyncio.get_running_loop()
    while True:
        try:
            keeps = await asyncio.to_thread(house.keeps)
        except psycopg.Error:
            keeps = False
        if not keeps:
            await asyncio.sleep(_EVERY)
            continue
        work: list[Awaitable[object]] = [
            _take_up_stalled(house.app),
            asyncio.to_thread(_settle_abandoned),
            asyncio.to_thread(feed_batches),
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

"""The worker process: takes jobs off the queue until it is told to stop."""

from __future__ import annotations

import asyncio
import logging
import shutil
import signal
from typing import Any

from ..core import limits
from ..core.machine.parent import end_with_parent
from .folders import keep_watch
from .house import keep_house, take_over
from .running import dismiss, work_folder
from .tasks import STALLED_SECONDS, app

#: Packages that are on their way at once: a gate that is away is waited for, and takes nothing.
_SENT_AT_ONCE = 4


async def _serve() -> None:
    async with app.open_async():
        await take_over(app)
        house = asyncio.create_task(keep_house(app))
        watching = asyncio.create_task(keep_watch())
        # Naming what came has a worker of its own: it takes a moment, and must not wait for a reading that takes minutes.
        workers: list[asyncio.Task[Any]] = [
            _take_jobs("work", limits.JOBS_AT_ONCE),
            _take_jobs("intake", 1),
            _take_jobs("send", _SENT_AT_ONCE),
        ]
        told = asyncio.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            asyncio.get_running_loop().add_signal_handler(number, told.set)
        stop = asyncio.create_task(told.wait())
        try:
            ended, _ = await asyncio.wait([*workers, stop], return_when=asyncio.FIRST_COMPLETED)
            for one in workers:
                one.cancel()
            await asyncio.gather(*workers, return_exceptions=True)
            # One that ended by itself fell: whoever started this process must hear of it.
            for one in ended & set(workers):
                one.result()
        finally:
            stop.cancel()
            house.cancel()
            watching.cancel()
            await dismiss()
            shutil.rmtree(work_folder(), ignore_errors=True)


def _take_jobs(queue: str, at_once: int) -> asyncio.Task[Any]:
    """Take the jobs of a queue until that is cancelled; then those under way have three seconds."""
    return asyncio.create_task(
        app.run_worker_async(
            queues=[queue],
            name=queue,
            concurrency=at_once,
            fetch_job_polling_interval=2.0,
            delete_jobs="successful",
            shutdown_graceful_timeout=3,
            install_signal_handlers=False,
            update_heartbeat_interval=min(2, STALLED_SECONDS / 4),
            stalled_worker_timeout=STALLED_SECONDS,
        )
    )


def main() -> None:
    """Take jobs until a signal says to stop."""
    end_with_parent()
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    asyncio.run(_serve())


if __name__ == "__main__":
    main()

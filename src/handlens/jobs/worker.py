"""The worker process: takes jobs off the queue until it is told to stop."""

from __future__ import annotations

import argparse
import asyncio
import logging
import shutil
import signal
from typing import Any

from ..core import limits
from ..core.machine.parent import end_with_parent
from ..store.about import refuse_other_version
from .folders import keep_watch
from .house import House, keep_house
from .running import dismiss, work_folder
from .tasks import STALLED_SECONDS, app

#: Packages that are on their way at once: a gate that is away is waited for, and takes nothing.
_SENT_AT_ONCE = 4


async def _serve(at_once: int, helper: bool) -> None:
    if helper:
        # What is kept by another version is not to be mixed with what this one would make.
        await asyncio.to_thread(refuse_other_version)
    async with app.open_async():
        house = House(app, own=not helper)
        await house.move_in()
        beside = [asyncio.create_task(keep_house(house))]
        workers: list[asyncio.Task[Any]] = [_take_jobs(at_once, "work", "batch")]
        if not helper:
            # Naming what came has a worker of its own: it takes a moment, and must not wait for a reading that takes minutes.
            workers += [_take_jobs(1, "intake"), _take_jobs(_SENT_AT_ONCE, "send")]
            # What a person waits for is begun though batches have all the rest, however long what they do takes.
            workers.append(_take_jobs(1, "work"))
            beside.append(asyncio.create_task(keep_watch()))
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
            for task in (stop, *beside):
                task.cancel()
            await dismiss()
            shutil.rmtree(work_folder(), ignore_errors=True)


def _take_jobs(at_once: int, *queues: str) -> asyncio.Task[Any]:
    """Take the jobs of some queues until that is cancelled; then those under way have three seconds."""
    return asyncio.create_task(
        app.run_worker_async(
            queues=list(queues),
            name="-".join(queues),
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
    parser = argparse.ArgumentParser(prog="handlens.jobs.worker")
    parser.add_argument("--at-once", type=int, default=limits.JOBS_AT_ONCE, help="jobs at once")
    parser.add_argument("--helper", action="store_true", help="only works; another names what came, sends, and watches folders")
    args = parser.parse_args()
    end_with_parent()
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    asyncio.run(_serve(args.at_once, args.helper))


if __name__ == "__main__":
    main()

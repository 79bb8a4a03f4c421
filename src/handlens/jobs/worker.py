"""The worker process: takes jobs off the queue until it is told to stop."""

from __future__ import annotations

import asyncio
import logging
import shutil

from ..core import limits
from ..core.machine.parent import end_with_parent
from .folders import keep_watch
from .house import keep_house, take_over
from .running import dismiss, work_folder
from .tasks import STALLED_SECONDS, app


async def _serve() -> None:
    async with app.open_async():
        await take_over(app)
        house = asyncio.create_task(keep_house(app))
        watching = asyncio.create_task(keep_watch())
        try:
            await app.run_worker_async(
                queues=["work"],
                concurrency=limits.JOBS_AT_ONCE,
                fetch_job_polling_interval=2.0,
                delete_jobs="successful",
                shutdown_graceful_timeout=3,
                update_heartbeat_interval=min(2, STALLED_SECONDS / 4),
                stalled_worker_timeout=STALLED_SECONDS,
            )
        finally:
            house.cancel()
            watching.cancel()
            await dismiss()
            shutil.rmtree(work_folder(), ignore_errors=True)


def main() -> None:
    end_with_parent()
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    asyncio.run(_serve())


if __name__ == "__main__":
    main()

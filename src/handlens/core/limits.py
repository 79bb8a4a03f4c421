"""Every bound on what is read, in one place, and the two errors that the outside may see."""

from __future__ import annotations

import os
from pathlib import Path

MAX_FILE_BYTES = 2 * 1024**3
MAX_PACKAGE_BYTES = 4 * 1024**3
MAX_PACKAGE_FILES = 5_000
#: Files of a library: a folder that is only looked through by name for what is missing.
MAX_LIBRARY_FILES = 250_000
#: Files that the models of one drop may come to, each counted for every model that may use it.
MAX_SHELF_FILES = 20_000
#: Models of one drop from which on they are many: a batch, each folder with models a package of its own.
MANY_MODELS = 12
MAX_ZIP_RATIO = 200
MAX_PATH_BYTES = 1_024
#: Longest name of a file that every file system takes.
MAX_NAME_BYTES = 255
MAX_IMAGE_PIXELS = 16_384 * 16_384


def _memory() -> int:
    """Bytes of memory that this machine, or the group that this process is confined to, has (cgroup v2: memory.max)."""
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    try:
        told = Path("/sys/fs/cgroup/memory.max").read_text().strip()
    except OSError:
        return whole
    return min(whole, int(told)) if told.isdigit() else whole


def _setting(name: str, otherwise: float) -> float:
    """A number from the environment, where it states a sensible one."""
    try:
        stated = float(os.environ.get(name, ""))
    except ValueError:
        return otherwise
    return stated if 0 < stated < 1e9 else otherwise


#: Jobs at once on this machine: one for each core, but none that would have less than 2 GiB.
JOBS_AT_ONCE = int(_setting("HANDLENS_JOBS", max(1, min(len(os.sched_getaffinity(0)), _memory() // (2 * 1024**3)))))
#: Address space of one job: so many of the largest fit beside each other, and an eighth is left for the rest.
CHILD_MEMORY_BYTES = int(_setting("HANDLENS_JOB_MEMORY_MIB", _memory() * 7 / 8 / JOBS_AT_ONCE / 1024**2) * 1024**2)
#: The same for a job of the queue, beside which there may be one more that a person waits for.
QUEUED_MEMORY_BYTES = int(_setting("HANDLENS_JOB_MEMORY_MIB", _memory() * 7 / 8 / (JOBS_AT_ONCE + 1) / 1024**2) * 1024**2)
#: Whether the mends that a model is offered are tried on copies of it once it is judged.
TRIES = os.environ.get("HANDLENS_TRIES") != "0"
CHILD_SECONDS = int(_setting("HANDLENS_JOB_SECONDS", 1_800))


class InputError(Exception):
    """The input cannot be read, or the call is wrong. The message is one sentence for the user."""


class MendError(Exception):
    """A mend does not apply to this model. The message is one sentence that says why."""


def plural(count: int, one: str, many: str | None = None) -> str:
    """ "1 face", "2 faces", "1,234 faces"."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"

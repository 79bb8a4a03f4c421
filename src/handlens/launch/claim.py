"""One Hand Lens a data folder: a second one would stop the database under the first.

The claim is a lock that the kernel takes away with the process; the file beside it says where the holder answers, and which
processes it started. What those are is asked of the kernel again: a number alone may be another's by now.
"""

from __future__ import annotations

import fcntl
import json
import os
import signal
import time
from contextlib import suppress
from pathlib import Path
from typing import Any, TextIO


class Claimed(Exception):
    """Another Hand Lens has the folder; one sentence that says where it is."""


def claim(folder: Path, patience: float = 5.0) -> TextIO:
    """Take a data folder for this process, until the file that is returned is closed or the process ends.

    One that is just being stopped is waited for, at most `patience` seconds; what a dead one left running is ended. Raises Claimed.
    """
    held = (folder / "running").open("a+")
    end = time.monotonic() + patience
    while True:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if time.monotonic() < end:
                time.sleep(0.1)
                continue
            address = _described(held).get("address")
            held.close()
            where = f", at {address}" if address else ""
            raise Claimed(
                f"Hand Lens is running from {folder} already{where}; stop that one first, or choose another --data folder."
            ) from None
        end_left(_described(held).get("processes", []))
        held.truncate(0)
        return held


def tell(lock: TextIO, address: str, processes: list[int]) -> None:
    """Write into a claim where its holder answers and what it started, for whoever finds the folder taken, or left."""
    lock.seek(0)
    lock.truncate(0)
    lock.write(json.dumps({"address": address, "processes": [[n, began(n)] for n in processes]}))
    lock.flush()


def _described(lock: TextIO) -> dict[str, Any]:
    lock.seek(0)
    try:
        told = json.loads(lock.read())
    except ValueError:
        return {}
    return told if isinstance(told, dict) else {}


def began(process: int) -> int | None:
    """When a process began, in the kernel's ticks since its own start (proc(5), field 22); None where it is not there."""
    try:
        text = Path(f"/proc/{process}/stat").read_text()
    except OSError:
        return None
    return int(text.rpartition(")")[2].split()[19])


def end_left(processes: list[Any]) -> None:
    """End processes that an earlier holder left, the very same ones; those that do not go within some seconds are killed."""
    left = [n for n, t in processes if t is not None and began(n) == t]
    for number, patience in ((signal.SIGTERM, 4.0), (signal.SIGKILL, 2.0)):
        for process in left:
            with suppress(ProcessLookupError, PermissionError):
                os.kill(process, number)
        end = time.monotonic() + patience
        while left and time.monotonic() < end:
            left = [n for n, t in processes if n in left and began(n) == t and not _zombie(n)]
            time.sleep(0.05)
        if not left:
            return


def _zombie(process: int) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True

"""One Hand Lens a data folder: a second one would stop the database under the first."""

from __future__ import annotations

import fcntl
import time
from pathlib import Path
from typing import TextIO


class Claimed(Exception):
    """Another Hand Lens has the folder; one sentence that says where it is."""


def claim(folder: Path, patience: float = 5.0) -> TextIO:
    """Take a data folder for this process, until the file that is returned is closed or the process ends.

    One that is just being stopped is waited for, at most `patience` seconds. Raises Claimed.
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
            held.seek(0)
            address = held.read().strip()
            held.close()
            where = f", at {address}" if address else ""
            raise Claimed(
                f"Hand Lens is running from {folder} already{where}; stop that one first, or choose another --data folder."
            ) from None
        held.truncate(0)
        return held


def tell(held: TextIO, address: str) -> None:
    """Write the address into a claim, for whoever finds the folder taken."""
    held.truncate(0)
    held.write(address)
    held.flush()

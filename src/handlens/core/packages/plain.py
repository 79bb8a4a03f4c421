"""Files that are nothing but files: a pipe never ends, and a link leads elsewhere."""

from __future__ import annotations

import os
import stat
from io import BufferedReader
from pathlib import Path


def open_plain(path: Path) -> BufferedReader:
    """A file opened for reading. Raises OSError where it is no plain file by now, but a link, a pipe or a device."""
    number = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    if not stat.S_ISREG(os.fstat(number).st_mode):
        os.close(number)
        raise OSError(f"{path} is no plain file")
    return os.fdopen(number, "rb")

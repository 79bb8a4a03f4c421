"""Room on the disks that uploads go to: asked for before they are taken, so that the database never stands on a full one."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile

from ..core.limits import InputError

#: What stays free for the database to go on with: its log, its temporary files, a checkpoint.
RESERVE_BYTES = int(os.environ.get("HANDLENS_RESERVE_MIB", "512")) << 20


class NoRoom(InputError):
    """The disk is too full for what was to be stored; the message is one sentence for the user."""


def is_full(error: BaseException) -> bool:
    """Whether an error says that a disk is full: the system's, the database's (SQLSTATE 53100, disk_full) or our own."""
    if isinstance(error, NoRoom) or (isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)):
        return True
    return getattr(getattr(error, "orig", error), "sqlstate", None) == "53100"


def no_room(wanted: int) -> str | None:
    """Why so many bytes more are not taken, None where there is room: once on their way, and once in the database."""
    places = {tempfile.gettempdir(), os.environ.get("HANDLENS_DATA") or tempfile.gettempdir()}
    free = min(shutil.disk_usage(place).free for place in places)
    if free - max(wanted, 0) >= RESERVE_BYTES:
        return None
    return (
        f"The disk has {free >> 20:,} MiB left, of which {RESERVE_BYTES >> 20:,} stay free for the database, so this is not taken. "
        "Throw models away that were taken off the shelf, or free some of the disk, then send it again."
    )

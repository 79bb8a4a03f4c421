"""Every bound on what is read, in one place, and the two errors that the outside may see."""

from __future__ import annotations

MAX_FILE_BYTES = 2 * 1024**3
MAX_PACKAGE_BYTES = 4 * 1024**3
MAX_PACKAGE_FILES = 5_000
MAX_ZIP_RATIO = 200
MAX_PATH_LENGTH = 1_024
MAX_IMAGE_PIXELS = 16_384 * 16_384
CHILD_MEMORY_BYTES = 12 * 1024**3
CHILD_SECONDS = 1_800


class InputError(Exception):
    """The input cannot be read, or the call is wrong. The message is one sentence for the user."""


class MendError(Exception):
    """A mend does not apply to this model. The message is one sentence that says why."""


def plural(count: int, one: str, many: str | None = None) -> str:
    """ "1 face", "2 faces", "1,234 faces"."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"

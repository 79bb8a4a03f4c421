"""How large a request's body may be, in one place: known before any of it is read."""

from __future__ import annotations

import re

from ..core import limits

#: Everything that is JSON: a tape, a wish, a change.
JSON_BYTES = 1 << 20

_FILES = re.compile(r"/api/drops/\d+/files")


def most_bytes(method: str, path: str) -> int:
    """The largest body that a request may have."""
    if method == "PUT" and _FILES.fullmatch(path):
        return limits.MAX_FILE_BYTES
    return JSON_BYTES


def too_large(most: int) -> str:
    """The sentence for a body above its limit."""
    if most >= 1 << 30:
        size = f"{most >> 30} GiB"
    else:
        size = f"{most >> 20} MiB" if most >= 1 << 20 else f"{most // 1000} kB"
    return f"What was sent is larger than {size}, the most that is taken here."

"""Which compiled loops a process will need, loaded before it locks itself in: where they are kept can only be read by who may write."""

from __future__ import annotations

import importlib
from collections.abc import Mapping

#: Bytes of text from which on its reader has compiled loops.
LARGE_TEXT = 6 << 20


def load_ahead(sizes: Mapping[str, int]) -> None:
    """Load what reading files of these names and sizes will ask for. sizes: bytes by name."""
    if any(size >= LARGE_TEXT and name.lower().endswith(".obj") for name, size in sizes.items()):
        importlib.import_module("handlens.core.formats.obj.blocks")

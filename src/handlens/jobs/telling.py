"""What a child says of itself while it works: a line of JSON each."""

from __future__ import annotations

import json
from typing import Any


def tell(phase: str, share: float) -> None:
    """Tell the worker how far a phase is, 0 to 1."""
    print(json.dumps({"phase": phase, "share": round(share, 4)}), flush=True)


def come(what: str, **more: Any) -> None:
    """Say that a part of the result is there, before the rest of it."""
    print(json.dumps({"come": what, **more}), flush=True)

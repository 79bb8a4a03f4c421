"""Which parts of Hand Lens run, as the start command wrote it down."""

from __future__ import annotations

import json
import os
from pathlib import Path

_SAID = {
    "database": "The database stopped and is being started again; nothing that was kept is lost.",
    "worker": "The part that reads models stopped and is being started again; what was under way begins anew by itself.",
    "web server": "The web server stopped and is being started again.",
}


def states() -> dict[str, str]:
    """up, starting or stopped, for each part; nothing where this was started by other means than the start command."""
    place = os.environ.get("HANDLENS_STATE")
    try:
        told = json.loads(Path(place).read_text()) if place else {}
    except (OSError, ValueError):
        return {}
    return {str(k): str(v) for k, v in told.items()}


def troubles() -> list[str]:
    """A sentence for each part that does not run."""
    told = states()
    halted = [
        f"The {name} was halted by somebody; nothing goes on until it is let go on (SIGCONT)."
        for name, x in told.items()
        if x == "stopped"
    ]
    # Of several workers it is told once.
    starting = dict.fromkeys(
        "worker" if name.startswith("worker ") else name for name, state in told.items() if state == "starting"
    )
    return halted + [_SAID[name] for name in starting if name in _SAID]

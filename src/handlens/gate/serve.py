"""The gate as a process: `python -m handlens.gate.serve PORT FOLDER`, on loopback."""

from __future__ import annotations

import logging
import sys
from pathlib import Path

from werkzeug.serving import make_server

from ..core.machine.parent import end_with_parent
from .app import create_gate


def main() -> None:
    """Serve until a signal says to stop."""
    end_with_parent()
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    make_server("127.0.0.1", int(sys.argv[1]), create_gate(Path(sys.argv[2])), threaded=True).serve_forever()


if __name__ == "__main__":
    main()

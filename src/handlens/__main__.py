"""`python -m handlens`: the command line, which a stop ends without a word while its imports still run."""

from __future__ import annotations

import signal
import sys


def main() -> int:
    """Run the command line; returns the exit code."""
    stop = signal.signal(signal.SIGINT, signal.SIG_DFL)
    from .cli import guarded_main

    signal.signal(signal.SIGINT, stop)
    return guarded_main()


if __name__ == "__main__":
    sys.exit(main())

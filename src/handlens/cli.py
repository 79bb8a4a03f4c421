"""The command line: the same core as the web app, without database or server."""

from __future__ import annotations

import os
import signal
import sys
import warnings
from collections.abc import Sequence
from pathlib import Path

from .commands.arguments import parser
from .commands.project import lay_project
from .core.limits import InputError
from .core.words.lengths import WISH
from .guarded import guarded
from .locked import lock_in


def main(argv: Sequence[str] | None = None, scratch: Path | None = None) -> int:
    """Run a command. Returns 0 (ran), 1 (findings at or above --fail-on) or 2 (cannot be read, wrong call).

    With a folder for temporary files the process locks itself in to what the call names, before it opens any of it.
    """
    commands = parser()
    # Numbers past what floats hold are findings; numpy's own words about them would only garble the output.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    try:
        args = commands.parse_args(argv)
        lay_project(args)
        if getattr(args, "lengths", None):
            os.environ[WISH] = args.lengths
        if scratch is not None:
            lock_in(args, scratch)
        code: int = args.run(args)
        sys.stdout.flush()
        return code
    except InputError as error:
        print(f"handlens: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # The reader of our output went away; that is its right. Keep the interpreter from complaining at exit. What was not told to its
        # end must not pass for a verdict: the code is that of a program which the signal ends.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 128 + signal.SIGPIPE
    except KeyboardInterrupt:
        print("handlens: stopped.", file=sys.stderr)
        return 130


def guarded_main() -> int:
    """The command line in a child with limits, locked in to what its call names.

    Watching goes on for days and opens nothing itself: each save is inspected by a command of its own, which is guarded.
    """
    if sys.argv[1:2] == ["watch"]:
        return main()
    return guarded(lambda scratch: main(scratch=scratch))


if __name__ == "__main__":
    sys.exit(guarded_main())

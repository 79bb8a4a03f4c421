"""A command in a child process with limits on memory and time, so that a file from outside can at worst end the child."""

from __future__ import annotations

import contextlib
import os
import resource
import signal
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from .core import limits
from .core.machine.parent import end_with_parent

#: Signals by which someone says that it shall stop.
_TOLD = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


def guarded(run: Callable[[Path], int]) -> int:
    """Run in a forked child and return its exit code, or 2 with one sentence where it was ended from outside. The child gets a
    folder for its temporary files, which goes with it.

    Forked before anything heavy is imported, so it costs next to nothing.
    """
    _all_open()
    sys.stdout.flush()
    try:
        scratch = tempfile.TemporaryDirectory(prefix="handlens-", ignore_cleanup_errors=True)
    except OSError as error:
        print(f"handlens: There is no place for temporary files: {error.strerror}.", file=sys.stderr)
        return 2
    with scratch as folder:
        return _guarded(run, Path(folder))


def _guarded(run: Callable[[Path], int], scratch: Path) -> int:
    child = os.fork()
    if child == 0:
        end_with_parent(signal.SIGKILL)
        _limit()
        code = 2
        try:
            code = run(scratch)
        except SystemExit as done:
            code = done.code if isinstance(done.code, int) else 0
        except MemoryError:
            print(
                "handlens: The model asks for more memory than one command may use; send it in smaller pieces.", file=sys.stderr
            )
        except Exception as error:
            words = " ".join(str(error).split())[:200]
            print(
                f"handlens: Something in Hand Lens itself went wrong ({type(error).__name__}: {words}); please report it.",
                file=sys.stderr,
            )
        finally:
            _flush()
            os._exit(code)
    ends = (signal.SIGTERM, signal.SIGHUP)
    previous = [signal.signal(one, lambda number, frame: _pass_on(child, number)) for one in ends]
    try:
        code = _ended(child)
    finally:
        for one, before in zip(ends, previous, strict=True):
            signal.signal(one, before)
    if code >= 0:
        return code
    print(f"handlens: {_why(-code)}", file=sys.stderr)
    return 130 if -code in _TOLD else 2


def _pass_on(child: int, number: int) -> None:
    with contextlib.suppress(ProcessLookupError):  # it had the same signal, and is gone already
        os.kill(child, number)


def _all_open() -> None:
    """Where a stream was closed by whoever called, what is said there goes nowhere: a file must not get its number."""
    for number, name in ((0, "stdin"), (1, "stdout"), (2, "stderr")):
        if getattr(sys, name) is None:
            nowhere = os.open(os.devnull, os.O_RDWR)
            if nowhere != number:
                os.dup2(nowhere, number)
                os.close(nowhere)
            setattr(sys, name, os.fdopen(number, "r" if number == 0 else "w", closefd=False))


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (limits.CHILD_MEMORY_BYTES, limits.CHILD_MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.CHILD_SECONDS, limits.CHILD_SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _ended(child: int) -> int:
    """The exit code of the child once it has ended, the signal's number below 0 where one ended it."""
    while True:
        try:
            # Left to be asked for again: an interrupt may come when it is told and not yet heard.
            done = os.waitid(os.P_PID, child, os.WEXITED | os.WNOWAIT)
        except KeyboardInterrupt:
            continue  # the child has the same signal from the terminal and says so itself
        if done is not None:
            # Asked for once more, and now for good: what it used counts for whoever measures this command.
            with contextlib.suppress(ChildProcessError, KeyboardInterrupt):
                os.waitpid(child, 0)
            return done.si_status if done.si_code == os.CLD_EXITED else -done.si_status


def _flush() -> None:
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except OSError:
        pass


def _why(number: int) -> str:
    if number in _TOLD:
        return "stopped."
    if number in (signal.SIGXCPU, signal.SIGKILL):
        return "The file takes more time or memory than one command may use; send it in smaller pieces."
    return "The file made its reader stop unexpectedly, so it is damaged; export it again, or in another format."

"""A process that ends when the one that started it does, however that one ended. Linux only; elsewhere nothing happens."""

from __future__ import annotations

import ctypes
import os
import signal
import sys

_PR_SET_PDEATHSIG = 1


def end_with_parent(number: int = signal.SIGTERM) -> None:
    """Ask the kernel for a signal when the parent is gone (prctl(2), PR_SET_PDEATHSIG); at once where it is gone already.

    The setting survives exec, and is lost by a change of user: call it after that.
    """
    if not sys.platform.startswith("linux"):
        return
    parent = os.getppid()
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, number, 0, 0, 0)
    if os.getppid() != parent:
        os.kill(os.getpid(), number)

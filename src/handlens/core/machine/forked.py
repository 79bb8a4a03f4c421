"""Work on many small things, half of it in a copy of this process: what is all calls and no long arrays gains nothing by threads."""

from __future__ import annotations

import os
import pickle
import signal
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from .parent import end_with_parent

T = TypeVar("T")
R = TypeVar("R")


def by_two(work: Callable[[T], R], items: Sequence[T]) -> list[R]:
    """What `work` answers for each of some items, in order; every other one is done by a forked process where there are two cores.

    work: must change nothing that counts outside of its answer, since half of its calls happen elsewhere; answers must be picklable.
    Where the copy is ended from outside, or its work falls, its half is done here.
    """
    if len(items) < 2 or not hasattr(os, "fork") or len(os.sched_getaffinity(0)) < 2:
        return [work(thing) for thing in items]
    theirs, ours = os.pipe()
    try:
        child = os.fork()
    except OSError:  # no more processes are allowed
        os.close(theirs)
        os.close(ours)
        return [work(thing) for thing in items]
    if child == 0:
        os.close(theirs)
        _answer(work, items[1::2], ours)
    os.close(ours)
    try:
        mine = [work(thing) for thing in items[::2]]
        with os.fdopen(theirs, "rb") as pipe:
            told = pipe.read()
    except BaseException:
        os.kill(child, signal.SIGKILL)
        raise
    finally:
        _, status = os.waitpid(child, 0)
    whole = status == 0 and bool(told)
    others: Sequence[R] = pickle.loads(told) if whole else [work(thing) for thing in items[1::2]]
    out: list[Any] = [None] * len(items)
    out[::2], out[1::2] = mine, others
    return out


def _answer(work: Callable[[T], R], items: Sequence[T], pipe: int) -> None:
    """Do the work in the copy, tell its answers, and end without any of the clearing up that is the original's."""
    code = 1
    try:
        end_with_parent(signal.SIGKILL)
        told = pickle.dumps([work(thing) for thing in items], pickle.HIGHEST_PROTOCOL)
        with os.fdopen(pipe, "wb") as out:
            out.write(told)
        code = 0
    finally:
        os._exit(code)

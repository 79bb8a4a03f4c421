"""Work on many things, each in a process of its own, several at once: what one of them does to its process is done to no other."""

from __future__ import annotations

import os
import pickle
import selectors
import signal
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from .parent import end_with_parent

T = TypeVar("T")
R = TypeVar("R")


@dataclass(frozen=True)
class Ended(Generic[R]):
    """What came of one thing. answer: None where its process was ended. signal: what ended it, 0 where nothing did. error: what its work
    raised, where it did."""

    number: int
    answer: R | None
    signal: int = 0
    error: Exception | None = None


def one_each(work: Callable[[T], R], items: Sequence[T], at_once: int) -> Iterator[Ended[R]]:
    """What `work` answers for each of some items, as it comes, which need not be their order.

    work: changes nothing that counts outside of its answer; answers and errors must be picklable. at_once: processes.
    """
    waiting = list(enumerate(items))[::-1]
    with selectors.DefaultSelector() as listening:
        running: dict[int, tuple[int, int, bytearray]] = {}
        try:
            while waiting or running:
                while waiting and len(running) < max(at_once, 1):
                    number, item = waiting.pop()
                    pipe, child = _begin(work, item, list(running))
                    running[pipe] = number, child, bytearray()
                    listening.register(pipe, selectors.EVENT_READ)
                for key, _ in listening.select():
                    number, child, told = running[key.fd]
                    piece = os.read(key.fd, 1 << 20)
                    told += piece
                    if not piece:
                        listening.unregister(key.fd)
                        del running[key.fd]
                        os.close(key.fd)
                        yield _ended(number, child, bytes(told))
        finally:
            for pipe, (_, child, _) in running.items():
                os.kill(child, signal.SIGKILL)
                os.waitpid(child, 0)
                os.close(pipe)


def _begin(work: Callable[[T], Any], item: T, others: list[int]) -> tuple[int, int]:
    theirs, ours = os.pipe()
    child = os.fork()
    if child:
        os.close(ours)
        return theirs, child
    code = 1
    try:
        end_with_parent(signal.SIGKILL)
        for pipe in (theirs, *others):
            os.close(pipe)
        try:
            told: tuple[Any, Exception | None] = work(item), None
        except Exception as error:
            told = None, error
        with os.fdopen(ours, "wb") as out:
            pickle.dump(told, out, pickle.HIGHEST_PROTOCOL)
        code = 0
    finally:
        os._exit(code)


def _ended(number: int, child: int, data: bytes) -> Ended[Any]:
    _, status = os.waitpid(child, 0)
    if status == 0 and data:
        answer, error = pickle.loads(data)
        return Ended(number, answer, error=error)
    return Ended(number, None, os.WTERMSIG(status) if os.WIFSIGNALED(status) else signal.SIGABRT)

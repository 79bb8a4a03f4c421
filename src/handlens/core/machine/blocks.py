"""Long arrays worked through in blocks that stay in the cache, on as many cores as there are."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

#: Elements of a block: some hundred kilobytes of each array that takes part.
BLOCK = 16_384
#: Blocks below which threads cost more than they spare.
_FEW = 8

#: Threads at the most; fewer where a process is one of many that work beside each other.
_threads = 8

T = TypeVar("T")


def use_threads(count: int) -> None:
    """Have this process work on so many cores at the most. Where others have the rest, threads would only wait for each other."""
    global _threads
    _threads = count


def each_block(count: int, work: Callable[[slice], T], size: int = BLOCK) -> list[T]:
    """What `work` answers for each block of `count` elements, in order, whichever thread did it.

    work: called with a slice of at most `size` elements; it writes nothing that another block reads, and sets its own
    `np.errstate`, which a thread does not inherit.
    """
    blocks = [slice(at, min(at + size, count)) for at in range(0, count, size)]
    cores = min(len(os.sched_getaffinity(0)), _threads)
    if len(blocks) < _FEW or cores < 2:
        return [work(block) for block in blocks]
    with ThreadPoolExecutor(cores) as pool:
        return list(pool.map(work, blocks))

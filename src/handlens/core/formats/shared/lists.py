"""Lists that lie one behind the other, each led by its own count: how PLY, OFF and COLLADA store polygons of mixed sizes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ...words.arrays import I64, Array

#: Runs of equal counts below which walking from list to list is quicker than looking for runs.
_SHORT_RUN = 8


def ragged(starts: I64, counts: I64) -> I64:
    """(sum of counts,) int64 positions of every entry of lists that begin at `starts` (N,) and hold `counts` (N,).

    starts, counts: (N,) int64.
    """
    total = int(counts.sum())
    ends = np.cumsum(counts)
    answer: I64 = np.arange(total, dtype=np.int64) + np.repeat(starts - (ends - counts), counts)
    return answer


def walk_lists(
    size: int, total: int, before: int, item: int, after: int, count_at: Callable[[Array], Array]
) -> tuple[Array, Array, int] | None:
    """Where each of `total` records lies that hold one list: its start (total,) int64, its count (total,) int64, and the end.

    A record is `before` units, of which the last are the count, then count * `item` units, then `after` units. count_at gives
    the counts of records that start at given places (N,) int64. Records of one count in a row are found in one step.
    None where the records run past `size`.
    """
    starts, counts = np.empty(total, np.int64), np.empty(total, np.int64)
    at = done = 0
    runs = 0
    while done < total:
        if at + before > size:
            return None
        n = int(count_at(np.array([at]))[0])
        stride = before + n * item + after
        if n < 0 or at + stride > size:
            return None
        guess = min(total - done, (size - at) // stride, 64 if runs > _SHORT_RUN * 8 and done < runs * _SHORT_RUN else total)
        places = at + stride * np.arange(guess, dtype=np.int64)
        same = count_at(places) == n
        k = guess if same.all() else int(np.argmin(same))
        starts[done : done + k], counts[done : done + k] = places[:k], n
        done += k
        at += stride * k
        runs += 1
    return starts, counts, at

"""Sides of a reduced surface turned the other way where the surface of before lies nearer so.

Collapsing edges leaves the diagonals of what is left as it falls out; each costs as much as any other, and one of two often cuts a corner
off that the other follows (Hoppe et al. 1993, section 4.2, "edge swap").
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..geometry.flips import thinness
from ..geometry.topology import NEEDLE
from ..geometry.triangles import cross
from ..words.arrays import F64, I64, Array, Bool
from .nearest import Tree

#: Triangles up to which sides are turned: each asks where the surface lay six times.
MOST = 20_000
#: Rounds, places along a side that are looked at, what has to be left of its distance at most, and the cosine that neither of the new
#: triangles leans past.
_ROUNDS, _ALONG, _LEFT, _LEAN = 3, (0.25, 0.5, 0.75), 0.8, 0.6


class _Sides(NamedTuple):
    """Sides between two triangles: one, other: (n,) the triangles; a, b: (n,) ends; left, right: (n,) the corners beyond; across: (n,) key of
    the side that there would be instead."""

    one: Array
    other: Array
    a: Array
    b: Array
    left: Array
    right: Array
    across: Array


def swap_edges(tree: Tree, positions: F64, triangles: I64, point: I64) -> I64:
    """(n, 3) triangles with sides turned. tree: of the surface of before. positions: (W, 3) of wedges. triangles: (n, 3) wedges, of which
    sides at seams stay as they are. point: (W,) the welded point of each wedge; no side is made that is there already.
    """
    out = triangles.copy()
    look = np.ones(len(out), bool)
    for _ in range(_ROUNDS if len(out) <= MOST else 0):
        sides = _swappable_edges(positions, out, point, look)
        look = np.zeros(len(out), bool)
        now, then = (
            _distance_along(tree, positions[p], positions[q]) for p, q in ((sides.a, sides.b), (sides.left, sides.right))
        )
        better = np.flatnonzero(then < _LEFT * now)
        made: set[int] = set()
        for k in better[np.argsort(then[better] - now[better], kind="stable")].tolist():
            one, other, across = int(sides.one[k]), int(sides.other[k]), int(sides.across[k])
            if look[one] or look[other] or across in made:
                continue
            made.add(across)
            out[one] = sides.a[k], sides.right[k], sides.left[k]
            out[other] = sides.right[k], sides.b[k], sides.left[k]
            look[one] = look[other] = True
        if not made:
            break
    return out


def _swappable_edges(positions: F64, triangles: I64, point: I64, look: Bool) -> _Sides:
    """Sides within one patch whose other diagonal would leave two sound triangles, of the triangles that are looked at (n,) bool."""
    wedges, points = len(positions), int(point.max(initial=-1)) + 1
    a, b, beyond = (np.roll(triangles, -k, axis=1).reshape(-1) for k in range(3))
    there = _key(point[a], point[b], points)
    key = _key(a, b, wedges)
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.concatenate([[True], key[order][1:] != key[order][:-1]]))
    count = np.diff(np.append(first, len(order)))
    side, other = order[first[count == 2]], order[first[count == 2] + 1]
    kept = (a[side] == b[other]) & (look[side // 3] | look[other // 3]) & (point[beyond[side]] != point[beyond[other]])
    side, other = side[kept], other[kept]
    sides = _Sides(
        side // 3,
        other // 3,
        a[side],
        b[side],
        beyond[side],
        beyond[other],
        _key(point[beyond[side]], point[beyond[other]], points),
    )
    pa, pb, pl, pr = (positions[x] for x in (sides.a, sides.b, sides.left, sides.right))
    stood = cross(pb - pa, pl - pa) + cross(pa - pb, pr - pb)
    free = ~np.isin(sides.across, there)
    for first_point, second_point, third_point in ((pa, pr, pl), (pr, pb, pl)):
        free &= _leans(cross(second_point - first_point, third_point - first_point), stood) > _LEAN
        free &= thinness(first_point, second_point, third_point) >= NEEDLE
    return _Sides(*(x[free] for x in sides))


def _key(a: I64, b: I64, count: int) -> I64:
    return np.asarray(np.minimum(a, b).astype(np.int64) * count + np.maximum(a, b))


def _leans(u: F64, v: F64) -> F64:
    """(n,) cosine between vectors, 0 where one has no length."""
    size = np.sqrt(np.einsum("ij,ij->i", u, u) * np.einsum("ij,ij->i", v, v))
    answer: Array = np.divide(np.einsum("ij,ij->i", u, v), size, out=np.zeros(len(u)), where=size > 0)
    return answer


def _distance_along(tree: Tree, points: F64, directions: F64) -> F64:
    """(n,) how far sides from p to q (n, 3) lie from the surface of before, summed over places along them."""
    return np.asarray(sum(tree.nearest(points * (1 - x) + directions * x).distance for x in _ALONG) + np.zeros(len(points)))

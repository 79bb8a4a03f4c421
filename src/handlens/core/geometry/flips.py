"""Triangles of one polygon, made less thin by exchanging diagonals (Lawson 1977)."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, I64, Array

#: A triangle is thin where its height is under this share of its longest side.
THIN = 1 / 500
#: Rounds over all diagonals: each makes the thinnest of two triangles less thin, so few are needed.
_ROUNDS = 12


def thinness(a: F64, b: F64, third: F64) -> F64:
    """(n,) height over longest side of triangles given by their corners (n, 3); 0 where one has no area.

    a, b, third: (..., 3) float64, in one unit.
    """
    sides = np.stack([np.linalg.norm(b - a, axis=-1), np.linalg.norm(third - b, axis=-1), np.linalg.norm(a - third, axis=-1)])
    longest = sides.max(axis=0)
    twice = np.linalg.norm(np.cross(b - a, third - a), axis=-1)
    answer: Array = np.divide(twice, longest**2, out=np.zeros_like(twice), where=longest > 0)
    return answer


def less_thin(points: F64, triangles: I64) -> I64:
    """(n - 2, 3) triangles of a polygon with (n, 3) points, as many and wound as before, over the same outline.

    A diagonal is exchanged only where both triangles stay on the polygon's own side and the thinner of the two gets thicker.

    points: (n, 3) float64, the polygon's corners in order.
    triangles: (n - 2, 3) int64, positions in `points`.
    """
    normal = np.cross(points - points[0], np.roll(points, -1, axis=0) - points[0]).sum(axis=0)
    out = [tuple(t) for t in triangles.tolist()]
    quality = lambda t: float(thinness(*(points[k] for k in t)))
    facing = lambda t: float(np.cross(points[t[1]] - points[t[0]], points[t[2]] - points[t[0]]) @ normal)
    for _ in range(_ROUNDS):
        changed = False
        sides: dict[tuple[int, int], int] = {}
        for k, triangle in enumerate(out):
            for i in range(3):
                sides[triangle[i], triangle[(i + 1) % 3]] = k
        for (start, end), k in list(sides.items()):
            other = sides.get((end, start))
            if other is None or start > end or sides.get((start, end)) != k or k == other:
                continue
            left = next((x for x in out[k] if x not in (start, end)), None)
            right = next((x for x in out[other] if x not in (start, end)), None)
            if (
                left is None
                or right is None
                or left == right
                or not {start, end} <= set(out[k])
                or not {start, end} <= set(out[other])
            ):
                continue
            one, two = (left, right, end), (right, left, start)
            before, after = min(quality(out[k]), quality(out[other])), min(quality(one), quality(two))
            if after > before * 1.01 + 1e-12 and facing(one) > 0 and facing(two) > 0:
                out[k], out[other] = one, two
                changed = True
        if not changed:
            break
    return np.array(out, np.int64)

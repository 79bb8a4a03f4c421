"""Seams that were meant to be joined: open edges that lie along each other."""

from __future__ import annotations

import math

import numpy as np

from ..words.arrays import F64, I32, I64, Bool
from .components import components
from .sums import sums_by
from .welding import Slow, close_groups

#: Distances, as shares of the mesh's diagonal, at which the doubles are counted for a choice.
SHARES = (1e-6, 1e-5, 1e-4, 1e-3)

#: How far apart edges of one seam lie at most, as a share of their length.
NEAR = 0.25
#: Rim points up to which each is held against each before anything else is done.
_FEW = 128
#: Rounds of joining after which it is begun anew in another order.
_ROUNDS = 24


def close_seams(points: F64, pairs: I64, size: float, at: I32, face: I32) -> tuple[I64, F64]:
    """Points of open edges that would become one with another open edge if their ends were joined, and how far apart they lie.

    points: (W, 3) welded positions. pairs: (n, 2) positions in it of the ends of open edges. size: diagonal of the mesh.
    at, face: (m,) welded point and face of each corner. Points are joined as welding joins them, over at most a thousandth of the
    size and a quarter of the edges' own length. Rims that only touch in a point, and edges that would then have more than two faces,
    are no seams, nor is a rim that closes on itself all along without lying in one place, as lips and eyelids do.
    Returns (k,) positions in `points` and (k,) float64 distances, by position.
    """
    rim = np.unique(pairs)
    rim = rim[np.isfinite(points[rim]).all(axis=1)] if len(rim) else rim
    if len(rim) < 2 or not size > 0 or (len(rim) <= _FEW and not _any_near(points[rim], SHARES[-1] * size)):
        return np.zeros(0, np.int64), np.zeros(0)
    # What lies farther apart than a quarter of the longest open edge is no seam: a long ribbon is not compared over a thousandth of its length.
    longest = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    longest = float(longest[np.isfinite(longest)].max(initial=0.0))
    first, local = _grouped(points, rim, min(SHARES[-1] * size, NEAR * longest), at, face)
    ends = local[pairs]
    ends = ends[(ends >= 0).all(axis=1)]
    joined = np.sort(first[ends], axis=1)
    _, which, uses = np.unique(joined[:, 0] * len(rim) + joined[:, 1], return_inverse=True, return_counts=True)
    seam = (uses[which.reshape(-1)] == 2) & (joined[:, 0] != joined[:, 1])
    seam &= _close_for(ends, which.reshape(-1), points[rim], first)
    seam &= ~_lips(ends, which.reshape(-1), seam, points[rim], first, size)
    told = np.unique(ends[seam])
    told = told[np.bincount(first, minlength=len(rim))[first[told]] > 1]
    away = np.linalg.norm(points[rim[told]] - points[rim[first[told]]], axis=1)
    # The first of a group is as far off as the others are from it.
    farthest = np.zeros(len(rim))
    np.maximum.at(farthest, first[told], away)
    return rim[told], np.where(first[told] == told, farthest[told], away)


def _any_near(points: F64, distance: float) -> bool:
    """Whether any two of a few points (n, 3) lie within a distance."""
    away = np.zeros((len(points), len(points)))
    for k in range(3):
        away += (points[:, None, k] - points[None, :, k]) ** 2
    # Each lies in its own place; a squared distance is rounded otherwise than its root.
    return bool(np.count_nonzero(away <= (distance * (1 + 1e-9)) ** 2) > len(points))


def _close_for(ends: I64, which: I64, points: F64, first: I64) -> Bool:
    """(n,) bool: open edges that are much longer than they are far from the one that they are joined with. As `_lips` has them."""
    away = np.linalg.norm(points - points[first], axis=1)[ends].max(axis=1)
    length = np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1)
    gap, least = np.zeros(len(ends)), np.full(len(ends), np.inf)
    np.maximum.at(gap, which, away)
    np.minimum.at(least, which, length)
    return np.asarray(gap[which] <= NEAR * least[which])


def _lips(ends: I64, which: I64, seam: Bool, points: F64, first: I64, size: float) -> Bool:
    """(n,) bool: open edges of rims of which each edge meets another of the same rim, farther apart than what rounding leaves.

    ends: (n, 2) rim points of each edge. which: (n,) the edge that each becomes. seam: (n,) whether two become one. points: (R, 3).
    first: (R,) first of each rim point's group.
    """
    if not seam.any():
        return seam
    loop = components(len(points), ends[:, 0], ends[:, 1])[ends[:, 0]]
    low, high = np.full(len(ends), len(points)), np.full(len(ends), -1)
    np.minimum.at(low, which, loop)
    np.maximum.at(high, which, loop)
    own = seam & (low[which] == high[which])
    # What the corner of a mouth is made of becomes a point.
    folded = first[ends[:, 0]] == first[ends[:, 1]]
    count = int(loop.max()) + 1
    whole = sums_by(loop, ~(own | folded), count) == 0
    gap = np.zeros(count)
    away = np.linalg.norm(points - points[first], axis=1)
    np.maximum.at(gap, loop, away[ends].max(axis=1))
    return np.asarray((whole & (gap > SHARES[1] * size))[loop] & own)


def _grouped(points: F64, rim: I64, distance: float, at: I32, face: I32) -> tuple[I64, I64]:
    """First of the group of each rim point, by its place among them, and (W,) the place of each point, -1 for those of no rim."""
    try:
        return _grouped_in(rim, points, distance, at, face, _ROUNDS)
    except Slow:
        # The first of a group is the one that others must lie near: along a strip each group begins at its end and holds up the next.
        # In mixed order they begin anywhere.
        mixed = np.argsort(rim.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15), kind="stable")
        first, local = _grouped_in(rim[mixed], points, distance, at, face, math.inf)
        back = np.argsort(mixed)
        return mixed[first][back], np.where(local >= 0, mixed[local], -1)


def _grouped_in(rim: I64, points: F64, distance: float, at: I32, face: I32, rounds: float) -> tuple[I64, I64]:
    local = np.full(len(points), -1, np.int64)
    local[rim] = np.arange(len(rim))
    ours = local[at] >= 0
    return close_groups(points[rim], distance, local[at[ours]], face[ours], rounds=rounds), local

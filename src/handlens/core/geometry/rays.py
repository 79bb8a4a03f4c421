"""Rays against all triangles of a scene, in a frame where the model has size 1, so that 32-bit floats are fine enough.

Directions and places come from low-discrepancy sequences instead of dice: the same model always gets the same rays.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ..words.arrays import F32, F64, I32, I64, Array, Bool
from .embree import Triangles
from .finite import finite_points

#: How far a ray begins off the surface it leaves, as a share of the model's size: above what 32-bit floats blur.
OFFSET = 1e-5
_GOLDEN = (np.sqrt(5.0) - 1) / 2


class Hits(NamedTuple):
    """What rays meet first. triangle: (n,) int32, -1 for nothing. distance: (n,) float32 in the frame of the rays."""

    triangle: I32
    distance: F32


class RayScene:
    """Triangles that rays are cast against. corners: (T, 3, 3) float32 in the unit frame; those that are no numbers are left out."""

    def __init__(self, points: F64, triangles: Array) -> None:
        """points: (V, 3) float64 in world space. triangles: (T, 3) int of points, in the order in which they are to be told."""
        kept = finite_points(points)
        good: Any = np.ones(len(points), bool) if kept is points else np.isfinite(points).all(axis=1)
        low, high = (kept.min(axis=0), kept.max(axis=0)) if len(kept) else (np.zeros(3), np.ones(3))
        self.middle = (low + high) / 2
        size = float(np.linalg.norm(high - low))
        self.size = size if 0 < size < np.inf else 1.0
        unit = ((points - self.middle) / self.size).astype(np.float32)
        if kept is not points:
            unit[~good] = 0.0
        if not np.isfinite(size):
            triangles = triangles[:0]  # beyond what a double can measure, nothing can be looked at
        kept_ones: Array | None = None if good.all() else np.flatnonzero(good[triangles].all(axis=1)).astype(np.int32)
        usable = triangles if kept_ones is None else triangles[kept_ones]
        single = _single(unit, usable)
        if single is not None:
            usable, kept_ones = usable[single], single if kept_ones is None else kept_ones[single]
        self.number = kept_ones
        self._points, self._triangles = unit, triangles
        shown = unit if kept is points else unit[good]
        self.unit_box = (shown.min(axis=0), shown.max(axis=0)) if len(shown) else (np.zeros(3), np.zeros(3))
        self.empty = not len(usable)
        self._scene = None if self.empty else Triangles(unit, usable)

    def to_unit(self, points: F64) -> F64:
        """World points in the unit frame.

        points: (..., 3) float64, in the world.
        """
        return (points - self.middle) / self.size

    def first(self, origins: F64, directions: F64) -> Hits:
        """What each ray meets first. origins, directions: (n, 3) in the unit frame, directions of length 1."""
        if self._scene is None or not len(origins):
            return Hits(np.full(len(origins), -1, np.int32), np.full(len(origins), np.inf, np.float32))
        hit, distance = self._scene.first(origins, directions)
        if self.number is not None:
            hit = np.where(hit >= 0, self.number[hit], -1)
        return Hits(hit, distance)

    def normals(self, triangles: Array) -> F64:
        """(n, 3) float64 normals of triangles by their winding, as they were given, not of unit length.

        triangles: (n,) int, numbers of triangles.
        """
        a, b, c = (self._points[self._triangles[triangles, k]].astype(np.float64) for k in range(3))
        return np.cross(b - a, c - a)

    def blocked(self, origins: F64, directions: F64, reach: F64 | None = None) -> Bool:
        """(n,) bool: whether anything lies on each ray, within `reach` (n,) where it is given.

        origins: (n, 3) float, in the unit frame.
        directions: (n, 3) float, of any length.
        reach: (n,) float, in lengths of the direction.
        """
        if self._scene is None or not len(origins):
            return np.zeros(len(origins), bool)
        return self._scene.blocked(origins, directions, reach)


def _single(points: F32, triangles: Array) -> I32 | None:
    """(n,) int32 triangles without those that lie exactly in the place of an earlier one, which no ray can tell from it but has to
    pass one by one; None where there are hardly any."""
    if len(triangles) < _CROWD:
        return None
    some = triangles[:: max(len(triangles) // 20_000, 1)]
    middles = points[some].sum(axis=1)
    if len(np.unique(middles, axis=0)) > 0.5 * len(some):
        return None
    corners = points[triangles].reshape(len(triangles), 9)
    return np.sort(np.unique(corners, axis=0, return_index=True)[1]).astype(np.int32)


#: Triangles below which even as many in one place cost nothing.
_CROWD = 1_000


def sphere_directions(count: int) -> F64:
    """(count, 3) unit vectors spread evenly over the sphere (Fibonacci lattice; Swinbank and Purser 2006)."""
    k = np.arange(count) + 0.5
    z = 1 - 2 * k / count
    turn = 2 * np.pi * k * _GOLDEN
    radius = np.sqrt(np.maximum(1 - z * z, 0))
    return np.stack([radius * np.cos(turn), z, radius * np.sin(turn)], axis=1)


def hemisphere_directions(normals: F64, number: I64) -> F64:
    """(n, 3) unit vectors about normals, likelier towards them by the cosine; `number` picks each one's place in the sequence.

    Malley's method: points of the unit disc lifted onto the hemisphere (Pharr, Jakob and Humphreys, section 13.6.3).

    normals: (n, 3) float64, of unit length.
    number: (n,) int, from 0.
    """
    u, v = sequence(number, 2).T
    radius, turn = np.sqrt(u), 2 * np.pi * v
    across, along = _frame(normals)
    height = np.sqrt(np.maximum(1 - u, 0))
    answer: Array = (
        (radius * np.cos(turn))[:, None] * across + (radius * np.sin(turn))[:, None] * along + height[:, None] * normals
    )
    return answer


def sequence(number: I64, width: int) -> F64:
    """(n, width) points of the unit cube at places of the additive recurrence with the plastic numbers (Roberts 2018).

    number: (n,) int, from 0.
    width: 1 to 4 coordinates a point.
    """
    x = 2.0
    for _ in range(30):
        x = (1 + x) ** (1 / (width + 1))
    steps = (1 / x) ** np.arange(1, width + 1)
    return (0.5 + np.asarray(number, np.float64)[:, None] * steps) % 1.0


def _frame(n: F64) -> tuple[F64, F64]:
    """Two unit vectors square to each normal and to each other (Duff et al. 2017, building an orthonormal basis)."""
    sign = np.where(n[:, 2] >= 0, 1.0, -1.0)
    a = -1.0 / (sign + n[:, 2])
    b = n[:, 0] * n[:, 1] * a
    across = np.stack([1 + sign * n[:, 0] ** 2 * a, sign * b, -sign * n[:, 0]], axis=1)
    along = np.stack([b, sign + n[:, 1] ** 2 * a, -n[:, 1]], axis=1)
    return across, along

"""Points of one surface on another: samples spread over triangles, and the nearest point to each."""

from __future__ import annotations

import time
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..geometry.rays import sequence
from ..words.arrays import F64, I64, Array

#: Seconds that one set of questions may take, of how many that is judged, and what no set is larger than.
_SECONDS, PROBES, _NO_LIMIT = 4.0, 200, 1_000_000
#: How often the few are asked; the quickest counts.
_TIMES = 3


class Samples(NamedTuple):
    """points: (n, 3). triangle: (n,) which each lies in. weight: (n, 3) barycentric place in it."""

    points: Array
    triangle: Array
    weight: Array


class Nearest(NamedTuple):
    """distance: (n,). triangle: (n,). weight: (n, 3) barycentric place of the nearest point."""

    distance: Array
    triangle: Array
    weight: Array


class Spread:
    """Samples spread evenly over the area of triangles, always the same ones. positions: (V, 3); triangles: (T, 3)."""

    def __init__(self, positions: F64, triangles: I64) -> None:
        self.positions, self.triangles = positions, triangles

    @cached_property
    def _along(self) -> Array:
        """(T,) area of the triangles up to each."""
        position = self.positions[self.triangles]
        return np.cumsum(np.linalg.norm(np.cross(position[:, 1] - position[:, 0], position[:, 2] - position[:, 0]), axis=1))

    def samples(self, count: int) -> Samples:
        """So many samples, none where there is no area."""
        along = self._along
        if not len(along) or not along[-1] > 0:
            return Samples(np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros((0, 3)))
        chosen = np.minimum(np.searchsorted(along, (np.arange(count) + 0.5) / count * along[-1]), len(along) - 1)
        u, v = sequence(np.arange(count), 2).T
        root = np.sqrt(u)
        weight = np.stack([1 - root, root * (1 - v), root * v], axis=1)
        return Samples(np.einsum("ij,ijk->ik", weight, self.positions[self.triangles[chosen]]), chosen, weight)


class Tree:
    """Triangles in a tree of boxes (libigl), asked for the nearest of them as often as one likes. positions: (V, 3); triangles: (T, 3),
    one at least."""

    def __init__(self, positions: F64, triangles: I64) -> None:
        import igl

        self._surface = np.ascontiguousarray(positions, np.float64)
        self._index = np.ascontiguousarray(triangles, np.int64)
        self._tree = igl.AABB()
        self._tree.init(self._surface, self._index)

    def affords(self, points: F64) -> int:
        """How many points may be asked for within some seconds, as a few (n, 3) show: where large triangles lie through each other every
        box is met by every question.

        points: (n, 3) float64.
        """
        if len(points) < PROBES // 2:
            return _NO_LIMIT
        few = points[:: max(len(points) // PROBES, 1)][:PROBES]
        each = min(self._takes(few) for _ in range(_TIMES)) / len(few)
        return _NO_LIMIT if each * _NO_LIMIT < _SECONDS else max(int(_SECONDS / each), PROBES)

    def _takes(self, points: F64) -> float:
        """Seconds of this thread's own for points (n, 3): those of a clock would make what is measured depend on who else works here."""
        began = time.thread_time()
        self.nearest(points)
        return time.thread_time() - began

    def nearest(self, points: F64) -> Nearest:
        """The nearest point of the triangles to each point (n, 3).

        points: (n, 3) float64.
        """
        if not len(points):
            return Nearest(np.zeros(0), np.zeros(0, np.int64), np.zeros((0, 3)))
        given = np.ascontiguousarray(points, np.float64)
        squares, face, found = self._tree.squared_distance(self._surface, self._index, given)
        face = np.asarray(face).reshape(-1)
        corners = self._surface[self._index[face]]
        return Nearest(np.sqrt(np.asarray(squares).reshape(-1)), face, barycentric(np.asarray(found).reshape(-1, 3), corners))


def barycentric(points: F64, corners: F64, inside: bool = True) -> F64:
    """(n, 3) weights of triangles' corners (n, 3, 3) that give points in their planes; the first corner's where there is no area.
    inside: whether the points are known to lie in the triangles, so that what is less than 0 is an error of rounding.
    points: (n, 3) float64.
    corners: (n, 3, 3) float64.
    """
    u, v, w = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], points - corners[:, 0]
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    uw, vw = np.einsum("ij,ij->i", u, w), np.einsum("ij,ij->i", v, w)
    area = uu * vv - uv * uv
    with np.errstate(all="ignore"):
        second, third = (vv * uw - uv * vw) / area, (uu * vw - uv * uw) / area
    second, third = (np.where(np.isfinite(x), x, 0.0) for x in (second, third))
    weight = np.stack([1 - second - third, second, third], axis=1)
    return np.clip(weight, 0, 1) if inside else weight

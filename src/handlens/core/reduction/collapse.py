"""A mesh with fewer triangles, by collapsing edges in the order of their quadric error, seams and borders kept.

The error is that of Garland and Heckbert (1997), worked out by the library; what a result costs is measured on it (`price`) and never
taken from there.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..geometry.recut import only_used_values, only_vertices, recut, used_vertices
from ..machine.meshopt import simplified
from ..scene.model import Array, Layer, Mesh, frozen
from .fitting import MOST, fitted, values_fitted
from .wedges import Wedges, wedges

#: The greatest error, as a share of the largest extent, at which edges are still collapsed: past it small pieces are torn from what
#: they were, and nobody would call it the same thing.
TORN = 0.1
#: A part never goes as a whole: so many triangles stay.
_LEAST = 4


@dataclass(frozen=True, eq=False)
class Reduced:
    """mesh: as it became. triangles: (T', 3) wedges of before that its triangles have; positions: (W, 3) of those wedges now."""

    mesh: Mesh
    triangles: Array
    positions: Array


class Reducer:
    """One mesh, taken apart once, to be reduced to several counts."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self.wedges: Wedges = wedges(mesh)
        p = self.wedges.positions
        finite = np.isfinite(p).all()
        low, high = (p.min(axis=0), p.max(axis=0)) if len(p) and finite else (np.zeros(3), np.ones(3))
        #: The largest extent, which the library's errors are shares of.
        self.extent = float((high - low).max()) or 1.0
        self.able = bool(finite) and len(self.wedges.triangles) > 1
        self._unit = (p - (low + high) / 2) / self.extent

    @cached_property
    def count(self) -> int:
        return len(self.wedges.triangles)

    def triangles(self, target: int, error: float = np.inf) -> Array:
        """(n, 3) wedges of the triangles that are left at a count, or before an error (in the mesh's unit) is passed; more where the rest cannot go
        without tearing."""
        if not self.able or target >= self.count:
            return self.wedges.triangles
        return simplified(self._unit, self.wedges.triangles, max(target, _LEAST), min(error / self.extent, TORN))

    def placed(self, triangles: Array, most: int = MOST) -> Array:
        """(W, 3) positions of wedges: those of kept ones fitted to the surface of before, where they are free to move. most: samples
        that they are fitted by."""
        w = self.wedges
        used = np.unique(triangles)
        points, local = np.unique(w.point[used], return_inverse=True)
        number = np.zeros(len(w.corner), np.int64)
        number[used] = local.reshape(-1)
        start = np.zeros((len(points), 3))
        start[number[used]] = w.positions[used]
        fixed = np.zeros(len(points), bool)
        fixed[number[used]] = w.fixed[used]
        fixed |= self._bound[points]
        moved = fitted((w.positions, w.triangles), start, number[triangles], fixed, most)
        out = w.positions.copy()
        out[used] = moved[number[used]]
        return out

    @cached_property
    def _bound(self) -> Array:
        """(P,) bool: welded points that lines and point elements use."""
        mesh, at = self.wedges.cut, self.wedges
        out = np.zeros(int(at.point.max(initial=-1)) + 1, bool)
        bound = np.zeros(len(mesh.positions), bool)
        bound[mesh.lines.reshape(-1)] = True
        bound[mesh.points] = True
        out[at.point[bound[mesh.corners[at.corner]]]] = True
        return out

    def reduced(self, triangles: Array) -> Reduced:
        """The mesh of triangles of wedges, points fitted, normals as they were shaded."""
        w = self.wedges
        placed = self.placed(triangles)
        cut = w.cut
        # Each face of the result stands where the library left it: next to what it shares an edge with.
        order = w.corner[triangles.reshape(-1)]
        face = order[::3] // 3 if not len(cut.slots) else _face_of(w, triangles)
        made = recut(cut, order, np.arange(len(triangles) + 1) * 3, face)
        positions = cut.positions.copy()
        positions[cut.corners[w.corner]] = placed
        # Vertices in one place are one point: each of them moves along.
        positions[cut.corners[order]] = placed[triangles.reshape(-1)]
        made = replace(made, positions=frozen(positions))
        made = replace(made, uvs=tuple(self._laid(layer, triangles, placed) for layer in cut.uvs))
        if cut.normals is not None:
            made = _shaded(made, w, triangles)
        made = only_used_values(only_vertices(made, used_vertices(made) | ~used_vertices(cut)))
        return Reduced(made, triangles, placed)

    def _laid(self, layer: Layer, triangles: Array, placed: Array) -> Layer:
        """A UV set on the reduced surface: at seams as it was, elsewhere as it shows each place nearest to where it showed it."""
        w = self.wedges
        index = layer.index[w.corner]
        if not len(layer.values) or (index < 0).any():
            return Layer(layer.values, frozen(layer.index[w.corner[triangles.reshape(-1)]]))
        values = values_fitted((w.positions, w.triangles), placed, triangles, layer.values[index], w.fixed, w.chart)
        return Layer(frozen(values.astype(layer.values.dtype)), frozen(triangles.reshape(-1).astype(np.int32)))


def _face_of(w: Wedges, triangles: Array) -> Array:
    """(n,) for each triangle the cut's face whose slot and groups it has: that of its first wedge's corner."""
    face: Array = w.corner[triangles[:, 0]] // 3
    return face


def _shaded(mesh: Mesh, w: Wedges, triangles: Array) -> Mesh:
    """The mesh with normals: each face's own where they were flat, else those of its wedges, each the mean of what stood in its fan."""
    assert w.cut.normals is not None
    dtype = w.cut.normals.values.dtype
    if w.faceted:
        p = mesh.positions[mesh.corners].reshape(-1, 3, 3)
        area = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        values = _unit(area)
        index = np.repeat(np.arange(len(values)), 3)
    else:
        stored = np.nan_to_num(w.cut.normals.at_corners().astype(np.float64)).reshape(-1, 3, 3)[w.of]
        count = len(w.corner)
        values = _unit(
            np.stack([np.bincount(w.triangles.reshape(-1), stored[:, :, x].reshape(-1), count) for x in range(3)], axis=1)
        )
        index = triangles.reshape(-1)
    return replace(mesh, normals=Layer(frozen(values.astype(dtype)), frozen(index.astype(np.int32))))


def _unit(v: Array) -> Array:
    length = np.linalg.norm(v, axis=1, keepdims=True)
    return np.divide(v, length, out=np.tile([0.0, 1.0, 0.0], (len(v), 1)), where=length > 1e-300)

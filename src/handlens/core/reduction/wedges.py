"""A mesh as triangles of wedges: one for each place and each set of what must not run together there.

What is told apart at a point: UVs, colours, slot, group, the joint that moves it most, and the fan of faces between hard edges
and edges at which UVs change their scale: to close those up would let the picture slide.
Borders between them are seams to whoever collapses edges: both sides move together or not at all.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..geometry.adjacency import Edges, edges, next_corner
from ..geometry.components import components
from ..geometry.distinct import distinct_rows
from ..geometry.recut import recut
from ..geometry.triangles import newell_normals, triangulate
from ..scene.matrices import unit_vectors
from ..scene.model import Layer, Mesh
from ..scene.weighing import vertex_of_weight
from ..words.arrays import F64, I32, I64, Array, Bool
from .nearest import barycentric

#: Two faces that meet at more than this, in degrees, and have normals of their own there, meet at a hard edge.
HARD = 30.0
#: Stored normals that differ by less, as vectors, are the same.
_SAME = 1e-2
#: What is told apart, from all of it down: seams, slots and joints always; hard edges up to 1; edges at which UVs break at 0 alone.
LEVELS = (0, 1, 2)
#: Triangles from which on a mesh is large: what takes long is not looked for.
MANY = 200_000
#: UVs break where their scale changes more than about twice from one face to the next.
_BREAK = 0.4


@dataclass(frozen=True, eq=False)
class Wedges:
    """level: what is kept of `LEVELS`. cut: the mesh as triangles. triangles: (T, 3) wedges, without those that have no area; of: (T,) the cut's triangle of each.
    corner: (W,) a corner of the cut that stands for each wedge; point: (W,) its welded point. touching: (W,) which of the fans that only
    touch in that point it is in, 0 for the first or only one and in large meshes. faceted: whether faces were shaded flat."""

    level: int
    cut: Mesh
    triangles: I64
    of: I64
    corner: I64
    point: I64
    touching: I64
    faceted: bool

    @cached_property
    def positions(self) -> F64:
        """(W, 3) float64."""
        position: Array = self.cut.positions[self.cut.corners[self.corner]]
        return position

    @cached_property
    def chart(self) -> I64:
        """(W,) int64 which wedges hang together over triangles: islands between seams."""
        triangles, n = self.triangles, len(self.corner)
        a, b = np.concatenate([triangles[:, 0], triangles[:, 1]]), np.concatenate([triangles[:, 1], triangles[:, 2]])
        return components(n, a, b).astype(np.int64)

    @cached_property
    def fixed(self) -> Bool:
        """(W,) bool: wedges at seams and borders, which keep their place."""
        points = int(self.point.max(initial=-1)) + 1
        fans = int(self.touching.max(initial=0)) + 1
        # Fans that only touch move together; what is a seam is one within its fan.
        crowd: Array = np.bincount(self.point * fans + self.touching, minlength=points * fans).reshape(-1, fans).max(axis=1) > 1
        corners = self.point[self.triangles]
        a, b = corners.reshape(-1), np.roll(corners, -1, axis=1).reshape(-1)
        key = np.minimum(a, b) * points + np.maximum(a, b)
        values, count = np.unique(key, return_counts=True)
        open_ = values[count != 2]
        crowd[open_ // points], crowd[open_ % points] = True, True
        out: Array = crowd[self.point]
        return out


def wedges(mesh: Mesh, level: int = 0) -> Wedges:
    """Take a mesh apart into wedges. Points are joined by exactly equal positions, layers by equal values. level: what is told apart."""
    corners, face = triangulate(mesh)
    cut = mesh if mesh.only_triangles else recut(mesh, corners.reshape(-1), np.arange(len(corners) + 1) * 3, face)
    ids, _ = distinct_rows([cut.positions])
    at = ids[cut.corners]
    owner = np.repeat(np.arange(cut.face_count), 3)
    columns: list[Array] = [at]
    columns += [_numbers(layer.values)[layer.index] for layer in (*cut.uvs, *cut.colours) if len(layer.values)]
    columns += [of_face[owner] for of_face in (cut.slots if len(cut.slots) else None, cut.groups) if of_face is not None]
    if cut.weights is not None:
        columns.append(_strongest(cut)[cut.corners])
    if cut.morphs:
        columns.append(_moved(cut)[cut.corners])
    layered = any(layer is not None and len(layer.values) for layer in (cut.normals, *cut.uvs))
    around = edges(cut, ids) if layered or cut.face_count < MANY else None
    touching = _touching(cut, ids, around) if around is not None and cut.face_count < MANY else None
    if touching is not None:
        columns.append(touching)
    faceted = False
    if around is not None and layered:
        fan, faceted = _fans(cut, around, level)
        columns.append(fan)
    index, count = ids[cut.corners], int(ids.max(initial=-1)) + 1
    # Places alone are numbered already, unless some are no corner's.
    if len(columns) > 1 or not (np.bincount(index, minlength=count) > 0).all():
        index, count = distinct_rows([np.asarray(column) for column in columns])
    corner = np.zeros(count, np.int64)
    corner[index[::-1]] = np.arange(len(index) - 1, -1, -1)
    triangles = index.reshape(-1, 3).astype(np.int64)
    point = at[corner].astype(np.int64)
    sides = point[triangles]
    real = np.flatnonzero((sides[:, 0] != sides[:, 1]) & (sides[:, 1] != sides[:, 2]) & (sides[:, 2] != sides[:, 0]))
    which = np.zeros(count, np.int64) if touching is None else touching[corner]
    return Wedges(level, cut, triangles[real], real, corner, point, which, faceted)


def _numbers(values: Array) -> I64:
    """(N,) the same number for equal values, with another at the end for -1."""
    ids, count = distinct_rows([values])
    return np.append(ids, count)


def _strongest(mesh: Mesh) -> Array:
    """(V,) the joint with the largest weight at each vertex, -1 for none."""
    weights = mesh.weights
    assert weights is not None
    out = np.full(len(mesh.positions), -1, np.int64)
    owner = vertex_of_weight(weights)
    order = np.lexsort((-weights.joints, weights.weights))
    out[owner[order]] = weights.joints[order]
    return out


def _moved(mesh: Mesh) -> Array:
    """(V,) which morph targets move each vertex, as bits of the first 62."""
    out = np.zeros(len(mesh.positions), np.int64)
    for k, morph in enumerate(mesh.morphs[:62]):
        out |= (morph.positions != 0).any(axis=1).astype(np.int64) << k
    return out


def _touching(cut: Mesh, ids: I32, around: Edges) -> Array | None:
    """(C,) which of the fans of faces about its point each corner is in, those of one point numbered from 0; None where no two fans
    touch in a point alone. Where more than two faces meet along an edge they hang together."""
    shared = around.shared
    after = next_corner(cut)
    a, b, turned = shared.one, shared.other, shared.alike
    one, other = np.concatenate([a, after[a]]), np.concatenate([np.where(turned, b, after[b]), np.where(turned, after[b], b)])
    fan = components(len(cut.corners), one, other)
    at = ids[cut.corners]
    # Each fan is about one point.
    owner = np.zeros(int(fan.max(initial=-1)) + 1, np.int64)
    owner[fan] = at
    several = np.bincount(owner) > 1
    several[around.pairs(np.flatnonzero(around.uses > 2))] = False
    if not several.any():
        return None
    order = np.argsort(owner, kind="stable")
    number = np.empty(len(owner), np.int64)
    number[order] = np.arange(len(owner)) - np.searchsorted(owner[order], owner[order])
    return np.where(several[at], number[fan], 0)


def _fans(cut: Mesh, around: Edges, level: int) -> tuple[Array, bool]:
    """(C,) fans of corners about points between hard edges and edges at which UVs break, and whether most faces are shaded flat."""
    shared = around.shared
    a, b = shared.one[~shared.alike], shared.other[~shared.alike]
    after = next_corner(cut)
    soft, flat = np.ones(len(a), bool), False
    if cut.normals is not None and len(cut.normals.values):
        split, bend, flat = _hard(cut, a, b, after)
        if level < 2:
            soft = ~(split & bend)
    for layer in cut.uvs:
        if level < 1 and len(layer.values):
            soft &= ~_breaks(cut, layer, a, b, after)
    a, b = a[soft], b[soft]
    one, other = np.concatenate([a, after[a]]), np.concatenate([after[b], b])
    total = len(cut.corners)
    return components(total, one, other), flat


def _hard(cut: Mesh, a: I64, b: I64, after: I64) -> tuple[Array, Array, bool]:
    """Pairs of faces whose stored normals differ along their edge, those that meet at more than `HARD`, and whether most faces have
    their own normal at all corners. a, b: corners that the two sides of each edge begin at."""
    assert cut.normals is not None
    area = newell_normals(cut)
    unit = unit_vectors(area)
    n = np.nan_to_num(cut.normals.at_corners().astype(np.float64))
    off = lambda x, y: np.linalg.norm(n[x] - n[y], axis=1) > _SAME
    split = off(a, after[b]) | off(after[a], b)
    bend = np.einsum("ij,ij->i", unit[a // 3], unit[b // 3]) < np.cos(np.radians(HARD))
    own = np.linalg.norm(n.reshape(-1, 3, 3) - unit[:, None], axis=2).max(axis=1) < 0.05
    mild = split[~bend]
    return split, bend, bool(len(own)) and float(own.mean()) > 0.5 and bool(len(mild)) and float(mild.mean()) > 0.5


def _breaks(cut: Mesh, layer: Layer, a: I64, b: I64, after: I64) -> Bool:
    """(n,) bool: edges over which UVs do not run on: what the map of one face says of the far corner of the other is off by more than
    `_BREAK` of what lies between."""
    i, j, k, beyond = a, after[a], after[after[a]], after[after[b]]
    position = cut.positions[cut.corners]
    weight = barycentric(position[beyond], np.stack([position[i], position[j], position[k]], axis=1), inside=False)
    uv = np.nan_to_num(layer.at_corners().astype(np.float64))
    said = np.einsum("ij,ijk->ik", weight, np.stack([uv[i], uv[j], uv[k]], axis=1))
    middle = (uv[i] + uv[j]) / 2
    size = lambda v: np.linalg.norm(v, axis=1)
    out: Array = size(uv[beyond] - said) > _BREAK * (size(uv[beyond] - middle) + size(uv[k] - middle))
    return out

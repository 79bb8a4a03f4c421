"""Welded positions, shared edges, closedness, winding, loose elements, split vertices."""

from __future__ import annotations

from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from ..machine.blocks import each_block
from ..scene.model import Mesh
from ..words.arrays import F64, I32, Array, Bool
from .adjacency import Edges, edges, face_of_corner, next_corner
from .components import components
from .distinct import distinct_rows

#: A triangle is a needle where its height is less than this share of its longest side.
NEEDLE = 1 / 500
#: Above this many faces pieces are not counted: the figure is not worth the time it takes there.
PIECES_UP_TO = 250_000


class Topology(NamedTuple):
    """What the welded surface is like. Faces without area are left out of closed and winding_consistent.

    ids: (V,) int32, the same number for equal positions. flat: (F,) bool faces without area. edges: those of all other faces.
    thin: (F,) bool needles among triangles, told on the way; None where there are larger faces.
    """

    welded: int
    closed: bool
    winding_consistent: bool
    zero_area: int
    loose_points: int
    ids: I32
    flat: Bool
    edges: Edges
    thin: Bool | None


_once: WeakKeyDictionary[Mesh, Topology] = WeakKeyDictionary()


def surface_once(mesh: Mesh) -> Topology:
    """The same as `surface` with corners, worked out once for all who measure a mesh, until `forget_surfaces`."""
    if mesh not in _once:
        _once[mesh] = surface(mesh, corners=True)
    return _once[mesh]


def forget_surfaces() -> None:
    """Let go of what `surface_once` keeps, about 60 bytes a triangle: what is kept names its mesh and would keep it for ever."""
    _once.clear()


def surface(mesh: Mesh, corners: bool = False) -> Topology:
    """Weld by exactly equal positions, then look at every edge once. corners: whether edges are to know their faces.

    closed: every edge is shared by exactly two faces (an empty mesh is not closed).
    winding_consistent: no edge is run in the same direction by two faces.
    """
    ids, welded = distinct_rows([mesh.positions])
    flat, thin = zero_area_faces(mesh, ids)
    zero = int(np.count_nonzero(flat))
    sides = edges(mesh, ids, flat if zero else None, corners)
    return Topology(welded, sides.closed, sides.consistent, zero, _loose_points(mesh), ids, flat, sides, thin)


def zero_area_faces(mesh: Mesh, ids: Array) -> tuple[Array, Array | None]:
    """(F,) bool: faces whose area is nothing beside their longest side, 1e-12 of its square; and needles among them and others,
    where all faces are triangles.

    ids: (V,) int, the welded number of each vertex.
    """
    if mesh.only_triangles:
        index = mesh.corners.reshape(-1, 3)
        flat, thin = np.empty(len(index), bool), np.empty(len(index), bool)

        def work(here: slice) -> None:
            flat[here], thin[here] = flat_triangles(mesh.positions, index[here])

        each_block(len(index), work)
        return flat, thin
    face = face_of_corner(mesh)
    position = mesh.positions[mesh.corners]
    first = position[mesh.starts[:-1][face]] if len(face) else position
    reach, area = np.zeros(mesh.face_count), np.zeros(mesh.face_count)
    with np.errstate(invalid="ignore", over="ignore"):
        away = position - first
        np.maximum.at(reach, face, squared(away))
        # The largest triangle about the first corner: a bow whose halves cancel out still draws both.
        np.maximum.at(area, face, _cross_squared(away, away[next_corner(mesh)]))
        return area <= (1e-12 * reach) ** 2, None


def flat_triangles(points: F64, index: I32) -> tuple[Bool, Bool]:
    """(n,) bool triangles (n, 3) of points without area, and needles, both told by the cross product and the longest side.

    points: (V, 3) float.
    index: (n, 3) int, positions in `points`.
    """
    a, b, point = points[index[:, 0]], points[index[:, 1]], points[index[:, 2]]
    # Infinite coordinates give NaN here, which compares as having area: they are reported by themselves.
    with np.errstate(invalid="ignore", over="ignore"):
        u, v, w = b - a, point - a, point - b
        doubled = _cross_squared(u, v)
        longest = np.maximum(np.maximum(squared(u), squared(v)), squared(w))
        # height = 2 area / longest side, so height / longest = |u × v| / longest².
        return doubled <= (1e-12 * longest) ** 2, doubled < (NEEDLE * longest) ** 2


def squared(vectors: F64) -> F64:
    """(n,) squared lengths of vectors (n, 3).

    vectors: (n, 3) float64.
    """
    out = vectors[:, 0] * vectors[:, 0]
    out += vectors[:, 1] * vectors[:, 1]
    out += vectors[:, 2] * vectors[:, 2]
    return out


def _cross_squared(u: F64, v: F64) -> F64:
    """|u × v|² by components: np.cross would make three times the temporaries."""
    component = u[:, 1] * v[:, 2] - u[:, 2] * v[:, 1]
    out = component * component
    component = u[:, 2] * v[:, 0] - u[:, 0] * v[:, 2]
    out += component * component
    component = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    out += component * component
    answer: Array = out
    return answer


def connected_pieces(mesh: Mesh, ids: I32) -> int:
    """How many pieces the faces fall into where pieces share no welded position.

    ids: (V,) int, the welded number of each vertex.
    """
    corner = ids[mesh.corners]
    chained = np.ones(len(corner), bool)
    chained[mesh.starts[1:] - 1] = False
    first = np.flatnonzero(chained)
    total = int(ids.max()) + 1
    labels = components(total, corner[first], corner[first + 1])
    return int(np.count_nonzero(np.bincount(labels[corner])))


def _loose_points(mesh: Mesh) -> int:
    """Point elements, and positions that no face, line or point uses."""
    used = np.zeros(len(mesh.positions), bool)
    used[mesh.corners] = True
    used[mesh.lines.reshape(-1)] = True
    used[mesh.points] = True
    return len(mesh.points) + int(len(used) - np.count_nonzero(used))


def loose_point_indices(mesh: Mesh) -> I32:
    """int32 positions of point elements and of positions that nothing uses."""
    used = np.zeros(len(mesh.positions), bool)
    used[mesh.corners] = True
    used[mesh.lines.reshape(-1)] = True
    used[mesh.points] = False
    return np.flatnonzero(~used).astype(np.int32)


def gpu_vertices(mesh: Mesh, welded: int) -> int:
    """Distinct (position, normal, every UV set, colour, weights) combinations: what a graphics card is given.

    welded: the mesh's distinct positions, which is the answer where nothing else tells vertices apart.

    Lines and points count too: each vertex they use, once, with no normal or UV of its own.
    """
    layers = [*([mesh.normals] if mesh.normals else []), *mesh.uvs, *mesh.colours]
    corners = mesh.corners
    if all(layer.index is corners or np.array_equal(layer.index, corners) for layer in layers):
        # Every attribute is indexed like the positions, as glTF has it: one row a vertex instead of one a corner.
        used = np.zeros(len(mesh.positions), bool)
        used[corners] = True
        if not layers and mesh.weights is None and used.all():
            return welded
        # A layer may hold fewer or more values than there are positions, as long as no corner asks for those.
        whole = bool(used.all()) and all(len(layer.values) == len(used) for layer in layers)
        rows = None if whole else np.flatnonzero(used)
        columns: list[Array] = [mesh.positions if rows is None else mesh.positions[rows]]
        columns += [(layer.values if rows is None else layer.values[rows]) for layer in layers]
        vertex: Array = np.arange(len(mesh.positions), dtype=np.int64) if rows is None else rows
    else:
        columns = [mesh.positions[corners], *(layer.at_corners() for layer in layers)]
        vertex = corners
    if mesh.weights is not None:
        columns.append(_weight_rows(mesh)[vertex])
    faces = distinct_rows(columns)[1] if len(columns[0]) else 0
    rest = np.concatenate([mesh.lines.reshape(-1), mesh.points])
    if not len(rest):
        return faces
    drawn = np.zeros(len(mesh.positions), bool)
    drawn[corners] = True
    alone = np.unique(rest[~drawn[rest]])
    return faces + (distinct_rows([mesh.positions[alone]])[1] if len(alone) else 0)


def _weight_rows(mesh: Mesh) -> I32:
    """(V, 1) int32: vertices with the same joints and weights share a number."""
    weights = mesh.weights
    assert weights is not None
    counts = np.diff(weights.starts)
    widest = int(counts.max(initial=0))
    if not widest:
        return np.zeros((len(counts), 1), np.int32)
    joints = np.full((len(counts), widest), -1, np.int32)
    values = np.zeros((len(counts), widest), np.float32)
    owner = np.repeat(np.arange(len(counts)), counts)
    column = np.arange(len(owner)) - weights.starts[:-1][owner]
    joints[owner, column], values[owner, column] = weights.joints, weights.weights
    return distinct_rows([joints, values])[0][:, None]

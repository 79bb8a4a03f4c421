"""Triangles of a mesh's polygons, each with the corners it came from."""

from __future__ import annotations

import numpy as np

from ..machine.blocks import each_block
from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Bool
from .adjacency import face_of_corner
from .flips import THIN, less_thin, thinness
from .sums import sums_by


def triangulate(mesh: Mesh) -> tuple[I64, I32]:
    """Split every polygon into n - 2 triangles, in face order, keeping the winding.

    Returns corners (T, 3) int64 (positions in mesh.corners) and faces (T,) int32 (polygon of each triangle).
    Convex polygons are fanned from their first corner; others are cut by ear clipping in their own plane
    (mapbox-earcut). Diagonals that leave a triangle thin or without area are exchanged for better ones. Where that gives up (zero area, NaN) the polygon is fanned, so that the count stays n - 2.
    """
    out, face = fan(mesh)
    if mesh.only_triangles:
        return out, face
    n = mesh.corner_counts
    first = np.cumsum(np.maximum(n - 2, 0)) - np.maximum(n - 2, 0)
    for polygon in np.flatnonzero(concave(mesh)):
        ears = clip_ears(mesh.positions[mesh.corners[mesh.starts[polygon] : mesh.starts[polygon + 1]]])
        if ears is not None and len(ears) == n[polygon] - 2:
            out[first[polygon] : first[polygon] + len(ears)] = ears + mesh.starts[polygon]
    for polygon in _thinly_cut(mesh, out, face, n).tolist():
        here = slice(first[polygon], first[polygon] + n[polygon] - 2)
        out[here] = (
            less_thin(
                mesh.positions[mesh.corners[mesh.starts[polygon] : mesh.starts[polygon + 1]]], out[here] - mesh.starts[polygon]
            )
            + mesh.starts[polygon]
        )
    return out, face


def _thinly_cut(mesh: Mesh, corners: I64, face: I32, counts: I64) -> I32:
    """Polygons of which some triangle is thin or has no area although the polygon has one: another cut may be better."""
    many = np.flatnonzero(counts[face] > 3)
    if not len(many):
        return np.zeros(0, np.int64)
    with np.errstate(all="ignore"):
        thin = thinness(*(mesh.positions[mesh.corners[corners[many, k]]] for k in range(3))) < THIN
    return np.unique(face[many[thin]])


def fan(mesh: Mesh) -> tuple[I64, I32]:
    """Triangles of every polygon about its first corner, as `triangulate` returns them, whatever its shape."""
    faces = mesh.face_count
    if mesh.only_triangles:
        return np.arange(3 * faces, dtype=np.int64).reshape(-1, 3), np.arange(faces, dtype=np.int32)
    spread = np.maximum(mesh.corner_counts - 2, 0)
    face = np.repeat(np.arange(faces, dtype=np.int32), spread)
    first = np.cumsum(spread) - spread
    step = np.arange(len(face), dtype=np.int64) - first[face]
    start = mesh.starts[:-1][face]
    return np.stack([start, start + step + 1, start + step + 2], axis=1), face


def cross(u: F64, v: F64) -> F64:
    """(n, 3) cross products by components: np.cross makes three times the temporaries and takes twice as long.

    u, v: (n, 3) float64.
    """
    out = np.empty(u.shape, np.result_type(u, v))
    out[:, 0] = u[:, 1] * v[:, 2] - u[:, 2] * v[:, 1]
    out[:, 1] = u[:, 2] * v[:, 0] - u[:, 0] * v[:, 2]
    out[:, 2] = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    return out


def newell_normals(mesh: Mesh) -> F64:
    """(F, 3) float64 Newell vector of each face, not normalised: twice its area along its normal (Sutherland et al. 1974)."""
    with np.errstate(invalid="ignore", over="ignore"):
        if mesh.only_triangles:
            out = np.empty((mesh.face_count, 3))
            corners = mesh.corners.reshape(-1, 3)

            def work(some: slice) -> None:
                with np.errstate(all="ignore"):
                    a, b, c = (mesh.positions[corners[some, k]] for k in range(3))
                    out[some] = cross(b - a, c - a)

            each_block(len(out), work)
            return out
        face, _, following = _around(mesh)
        position = mesh.positions[mesh.corners]
        origin = position[mesh.starts[:-1][face]] if len(face) else position
        each = cross(position - origin, position[following] - origin)
        return sums_by(face, each, mesh.face_count)


def _around(mesh: Mesh) -> tuple[I32, I64, I64]:
    """(C,) face of each corner, and the corners before and after it round its face."""
    starts = mesh.starts
    corner = np.arange(len(mesh.corners), dtype=np.int64)
    face = face_of_corner(mesh)
    last = starts[1:][face] - 1
    return face, np.where(corner == starts[:-1][face], last, corner - 1), np.where(corner == last, starts[:-1][face], corner + 1)


def concave(mesh: Mesh) -> Bool:
    """(F,) bool: faces of four or more corners with a corner that turns against the face's normal."""
    many = mesh.corner_counts >= 4
    if not many.any():
        return many
    face, before, following = _around(mesh)
    position = mesh.positions[mesh.corners]
    with np.errstate(invalid="ignore", over="ignore"):
        turn = cross(position - position[before], position[following] - position)
        against = np.einsum("ij,ij->i", turn, newell_normals(mesh)[face]) < 0
    return many & (np.bincount(face[against], minlength=mesh.face_count) > 0)


def clip_ears(points: F64) -> I64 | None:
    """(n - 2, 3) int64 triangles of a polygon (n, 3), cut in its own plane and wound as it is; None where it has none.

    points: (n, 3) float64, the polygon's corners in order.
    """
    import mapbox_earcut

    centre = points[0]
    rolled = np.roll(points, -1, axis=0)
    normal = np.cross(points - centre, rolled - centre).sum(axis=0)
    drop = int(np.abs(normal).argmax())
    if not np.isfinite(points).all() or normal[drop] == 0:
        return None
    flat = np.ascontiguousarray(np.delete(points, drop, axis=1), dtype=np.float64)
    cut = mapbox_earcut.triangulate_float64(flat, np.array([len(points)], dtype=np.uint32))
    ears = np.asarray(cut, dtype=np.int64).reshape(-1, 3)
    if not len(ears):
        return None
    # Ear clipping returns a winding of its own; each triangle must run the way its polygon does.
    a, b, point = points[ears[:, 0]], points[ears[:, 1]], points[ears[:, 2]]
    turned = np.cross(b - a, point - a) @ normal < 0
    ears[turned] = ears[turned][:, ::-1]
    return ears

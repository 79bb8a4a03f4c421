"""Vertex normals worked out from faces, smooth but for hard edges."""

from __future__ import annotations

import numpy as np

from ..scene.matrices import UP_NORMAL, unit_vectors
from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F64
from .adjacency import face_of_corner, next_corner
from .components import components
from .sums import sums_by
from .topology import surface
from .triangles import newell_normals


def corner_angles(mesh: Mesh) -> F64:
    """(C,) float64 inner angle of each face at each of its corners, in radians; 0 where a side has no length."""
    starts = mesh.starts
    corner = np.arange(len(mesh.corners))
    face = face_of_corner(mesh)
    last = starts[1:][face] - 1
    after = np.where(corner == last, starts[:-1][face], corner + 1)
    before = np.where(corner == starts[:-1][face], last, corner - 1)
    position = mesh.positions[mesh.corners]
    with np.errstate(all="ignore"):
        u, v = position[after] - position, position[before] - position
        angle = np.arctan2(np.linalg.norm(np.cross(u, v), axis=1), np.einsum("ij,ij->i", u, v))
    answer: F64 = np.nan_to_num(angle)
    return answer


def smooth_normals(mesh: Mesh, angle: float) -> tuple[Layer, int]:
    """A normal layer, and how many edges stay hard.

    Faces of one fan, joined over edges at which they meet at no more than `angle` degrees, share a normal: the sum of their
    own, weighted by their angle there (Thürmer and Wüthrich 1998). Points are joined by exactly equal positions.
    """
    top = surface(mesh, corners=True)
    newell = newell_normals(mesh)
    unit = unit_vectors(newell)
    face, after = face_of_corner(mesh), next_corner(mesh)
    _, a, b, against = top.edges.shared  # wound against each other: their normals are no measure of a bend
    with np.errstate(all="ignore"):
        soft = (np.einsum("ij,ij->i", unit[face[a]], unit[face[b]]) >= np.cos(np.radians(angle)) - 1e-9) & ~against
    a, b = a[soft], b[soft]
    total = len(mesh.corners)
    one, other = np.concatenate([a, after[a]]), np.concatenate([after[b], b])
    label = components(total, one, other)
    weight = corner_angles(mesh)[:, None] * unit[face]
    count = int(label.max(initial=-1)) + 1
    summed = sums_by(label, weight, count)
    # Fans that cancel out, and faces without area, take an upright normal: one that is unit beats one that is none.
    values = unit_vectors(summed, UP_NORMAL, above=1e-12)
    return Layer(frozen(values.astype(np.float32)), frozen(label.astype(np.int32))), int((~soft).sum())

"""Points that lie close together, made one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from .model import Array, Mesh, frozen
from .recut import only_used_values, only_vertices, recut


def close_groups(points: Array, distance: float) -> Array:
    """(V,) int64 the first point of each point's group: points that a chain of steps no longer than `distance` joins.

    Points that are no numbers stay by themselves.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    finite = np.flatnonzero(np.isfinite(points).all(axis=1))
    near = finite[cKDTree(points[finite]).query_pairs(distance, output_type="ndarray")] if len(finite) else np.zeros((0, 2), int)
    total = len(points)
    graph = coo_array((np.ones(len(near), np.int8), (near[:, 0], near[:, 1])), shape=(total, total))
    label = connected_components(graph.tocsr(), directed=False)[1]
    first = np.full(int(label.max(initial=-1)) + 1, total)
    np.minimum.at(first, label, np.arange(total))
    return first[label]


def welded(mesh: Mesh, distance: float) -> Mesh:
    """The mesh with close points made one: the first of each group stays where it is, with its weights and morph offsets.

    A corner that comes to lie on the one before it goes; a face of fewer than three corners goes; a line of no length goes.
    """
    first = close_groups(mesh.positions, distance)
    if (first == np.arange(len(first))).all():
        return mesh
    at = first[mesh.corners]
    face = np.repeat(np.arange(mesh.face_count), mesh.corner_counts)
    start = mesh.starts[:-1][face] if len(face) else face
    corner = np.arange(len(at))
    before = np.where(corner == start, mesh.starts[1:][face] - 1, corner - 1) if len(face) else corner
    collapsed = (at == at[before]) & (first[mesh.corners] != mesh.corners) | (at == at[before]) & (
        mesh.corners[before] != mesh.corners
    )
    counts = np.bincount(face[~collapsed], minlength=mesh.face_count)
    # A face that was thin before is not this mend's business.
    keep_face = (counts >= 3) | (counts == mesh.corner_counts)
    order = np.flatnonzero(~collapsed & keep_face[face])
    moved = replace(mesh, corners=frozen(at.astype(np.int32)))
    made = recut(moved, order, np.concatenate([[0], np.cumsum(counts[keep_face])]), np.flatnonzero(keep_face))
    lines = first[mesh.lines].astype(np.int32).reshape(-1, 2)
    real = (lines[:, 0] != lines[:, 1]) | (mesh.lines.reshape(-1, 2)[:, 0] == mesh.lines.reshape(-1, 2)[:, 1])
    made = replace(made, lines=frozen(lines[real]), points=frozen(first[mesh.points].astype(np.int32)))
    return only_used_values(only_vertices(made, first == np.arange(len(first))))

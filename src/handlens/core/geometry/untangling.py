"""A surface taken apart where more than two faces share an edge, and where fans of faces only touch in a point."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene.matrices import unit_vectors
from ..scene.model import Mesh, frozen
from ..words.arrays import F64, I32, I64
from .adjacency import Edges, face_of_corner, next_corner
from .components import lowest_nodes
from .recut import more_vertices, only_vertices, used_vertices
from .triangles import newell_normals


def untangled(mesh: Mesh, ids: I32, edges: Edges, gap: float) -> Mesh:
    """The mesh with a point of its own for each fan of faces that meets at a point.

    ids: (V,) welded number of each vertex. edges: of all faces that have an area. gap: how far a fan's new point is moved
    towards the middle of its faces, in mesh units; the fan that comes first stays where it is. Faces, corners and everything
    that hangs on them keep their order; new vertices come last, with the weights and morph offsets of those they stood for.

    At a crowded edge two faces stay joined where they belong to one sheet (faces joined over ordinary edges), else the two
    that bend least, if they are wound alike.
    """
    assert edges.corner is not None
    joins = _joined_corners(mesh, edges)
    fan = lowest_nodes(len(mesh.corners), *joins.T)
    counted = np.zeros(mesh.face_count, bool)
    counted[face_of_corner(mesh)[edges.corner]] = True
    corner = np.flatnonzero(np.repeat(counted, mesh.corner_counts))
    # One row for each vertex and fan that meet; the first fan of a welded point stays.
    at, fans = mesh.corners[corner], fan[corner]
    first = np.full(int(ids.max(initial=-1)) + 1, len(mesh.corners))
    np.minimum.at(first, ids[at], fans)
    moving = fans != first[ids[at]]
    if not moving.any():
        return mesh
    pair, row = np.unique(np.stack([at[moving], fans[moving]], axis=1), axis=0, return_inverse=True)
    toward = _towards(mesh, corner[moving], row.reshape(-1), pair)
    made = more_vertices(mesh, pair[:, 0], mesh.positions[pair[:, 0]] + gap * toward)
    corners = made.corners.copy()
    corners[corner[moving]] = len(mesh.positions) + row.reshape(-1)
    moved = replace(made, corners=frozen(corners))
    # A vertex all of whose corners were moved draws nothing any more.
    spare = np.zeros(len(made.positions), bool)
    spare[: len(mesh.positions)] = used_vertices(mesh)
    spare &= ~used_vertices(moved)
    return only_vertices(moved, ~spare) if spare.any() else moved


def _joined_corners(mesh: Mesh, edges: Edges) -> I64:
    """(n, 2) corners that stay one point: both ends of each edge that stays joined."""
    begins, uses = edges.begins, edges.uses
    two = begins[:-1][uses == 2]
    pairs = [np.stack([two, two + 1], axis=1)]
    crowded = np.flatnonzero(uses > 2)
    if len(crowded):
        owner = face_of_corner(mesh)
        assert edges.corner is not None
        sheet = lowest_nodes(mesh.face_count, *owner[edges.corner[pairs[0]]].T)
        normal = newell_normals(mesh)
        normal = unit_vectors(normal)
        found = [_joined_pairs(edges, owner, sheet, normal, range(begins[e], begins[e + 1])) for e in crowded.tolist()]
        pairs.append(np.array([p for several in found for p in several], np.int64).reshape(-1, 2))
    side = np.concatenate(pairs)
    return _ends(mesh, edges, side)


def _joined_pairs(edges: Edges, owner: I32, sheet: I32, normal: F64, sides: range) -> list[tuple[int, int]]:
    """Pairs of the sides of one crowded edge that stay joined."""
    assert edges.corner is not None
    face = {side: int(owner[edges.corner[side]]) for side in sides}
    groups: dict[int, list[int]] = {}
    for side in sides:
        groups.setdefault(int(sheet[face[side]]), []).append(side)
    out = [(group[0], group[1]) for group in groups.values() if len(group) == 2 and edges.key[group[0]] != edges.key[group[1]]]
    free = [side for side in sides if not any(side in p for p in out)]
    pairs = [(a, b) for k, a in enumerate(free) for b in free[k + 1 :] if edges.key[a] != edges.key[b]]
    best = sorted(pairs, key=lambda p: -float(normal[face[p[0]]] @ normal[face[p[1]]]))
    # Faces that fold back on each other are left apart.
    return out + [p for p in best[:1] if float(normal[face[p[0]]] @ normal[face[p[1]]]) > 0.0]


def _ends(mesh: Mesh, edges: Edges, side: I64) -> I64:
    """(n, 2) corners: for pairs of sides (m, 2), those that lie on the same end of the edge."""
    assert edges.corner is not None
    following = next_corner(mesh)
    one, other = edges.corner[side[:, 0]], edges.corner[side[:, 1]]
    alike = edges.key[side[:, 0]] == edges.key[side[:, 1]]
    start, end = np.where(alike, other, following[other]), np.where(alike, following[other], other)
    return np.concatenate([np.stack([one, start], axis=1), np.stack([following[one], end], axis=1)])


def _towards(mesh: Mesh, corner: I64, row: I64, pair: I32) -> F64:
    """(n, 3) unit vectors from the point of each row to the mean of the middles of its faces; zero where that is the point."""
    face = face_of_corner(mesh)[corner]
    count = np.maximum(mesh.corner_counts, 1)[:, None]
    middle = np.add.reduceat(mesh.positions[mesh.corners], mesh.starts[:-1][mesh.corner_counts > 0])
    whole = np.zeros((mesh.face_count, 3))
    whole[mesh.corner_counts > 0] = middle
    away = np.zeros((len(pair), 3))
    np.add.at(away, row, (whole / count)[face] - mesh.positions[pair[row, 0]])
    return unit_vectors(away)

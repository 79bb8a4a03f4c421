"""Points of a reduced surface moved along its normals to where the surface of before lies about them.

Collapsing edges leaves points where they were; that alone makes every round thing smaller. The offsets are those of least squares
over samples of the surface of before (Hoppe et al. 1993, section 4.1, with the connection of the mesh held): one sparse system.
Moving along normals alone lets no picture slide.
"""

from __future__ import annotations

import numpy as np

from ..geometry.distinct import used_indices
from ..geometry.sums import sums_by
from ..scene.matrices import unit_vectors
from ..words.arrays import F64, I64, Array, Bool
from .nearest import PROBES, Spread, Tree

#: Samples for each triangle of the reduced surface, and at most.
_EACH, MOST = 6, 250_000
#: Triangles up to which points are placed again, how often at most, and by how much of what was left that has to help.
_FEW, _ROUNDS, _HELPS = 2_000, 3, 0.8
#: How much points are held where they are, beside what samples say.
_HOLD = 0.01
#: Sides that look away from each other by more than this (cosine) are not each other's surface.
_SIDE = 0.3


def fitted(before: Spread, positions: F64, triangles: I64, fixed: Bool, most: int = MOST) -> F64:
    """(V, 3) positions of the reduced surface, better placed: once, and of few triangles as often as it helps much. before: the surface
    of before. fixed: (V,) bool points that stay. most: samples. No triangle is turned over: points at which one would be stay where they
    were.

    positions: (V, 3) float64.
    triangles: (n, 3) int.
    """
    if fixed.all() or not len(triangles):
        return positions
    placed, _ = _fitted_once(before, positions, triangles, fixed, most)
    if len(triangles) > _FEW:
        return placed
    tried, was = _fitted_once(before, placed, triangles, fixed, most)
    for _ in range(_ROUNDS):
        more, now = _fitted_once(before, tried, triangles, fixed, most)
        if not now < _HELPS * was:
            break
        placed, tried, was = tried, more, now
    return placed


def _fitted_once(before: Spread, positions: F64, triangles: I64, fixed: Bool, most: int) -> tuple[Array, float]:
    """Positions better placed, and the mean distance of samples of the surface of before from where they stood."""
    from scipy.sparse import coo_array, eye_array
    from scipy.sparse.linalg import cg

    tree = Tree(positions, triangles)
    samples = before.samples(min(_EACH * len(triangles), most, tree.affords(before.samples(PROBES).points)))
    position = before.positions[before.triangles[samples.triangle]]
    facing = unit_vectors(np.cross(position[:, 1] - position[:, 0], position[:, 2] - position[:, 0]))
    count = len(positions)
    flat, normal = _normals(positions, triangles, count)
    found = tree.nearest(samples.points)
    corners = triangles[found.triangle]
    there = np.einsum("ij,ijk->ik", found.weight, positions[corners])
    side = flat[found.triangle]
    usable = np.einsum("ij,ij->i", side, facing) > _SIDE
    offset = np.where(usable, np.einsum("ij,ij->i", samples.points - there, side), 0.0)
    moves = np.einsum("ijk,ik->ij", normal[corners], side) * found.weight * (~fixed)[corners] * usable[:, None]
    row = np.repeat(np.arange(len(corners)), 3)
    matrix = coo_array((moves.reshape(-1), (row, corners.reshape(-1))), shape=(len(corners), count)).tocsr()
    square = matrix.T @ matrix
    mean = float(square.diagonal().sum()) / max(int((~fixed).sum()), 1)
    away = float(found.distance.mean()) if len(found.distance) else 0.0
    if not mean > 0:
        return positions, away
    along, _ = cg(square + _HOLD * mean * eye_array(count), matrix.T @ offset, rtol=1e-4, maxiter=80)
    return _without_turning(positions, positions + along[:, None] * normal, triangles, flat), away


def values_fitted(before: Spread, positions: F64, triangles: I64, values: Array, vertices: Bool, island: I64) -> Array:
    """(W, k) values of a reduced surface's points, such as UVs, that give what was there before as nearly as can be.

    before: the surface of before, in wedges; values: (W, k) of all wedges. positions: (W, 3) of wedges now;
    triangles: of the reduced surface, in wedges. vertices: (W,) bool wedges whose values stay. island: (W,) samples and what is nearest
    to them must lie in the same.
    """
    from scipy.sparse import coo_array, eye_array
    from scipy.sparse.linalg import cg

    used = used_indices(triangles, len(positions))
    free = ~vertices[used]
    if not free.any():
        return values
    number = np.zeros(len(positions), np.int64)
    number[used] = np.arange(len(used))
    tree = Tree(positions, triangles)
    samples = before.samples(min(_EACH * len(triangles), MOST, tree.affords(before.samples(PROBES).points)))
    found = tree.nearest(samples.points)
    corners = triangles[found.triangle]
    source = before.triangles[samples.triangle]
    usable = (island[source[:, 0]] == island[corners[:, 0]]) & (found.weight.max(axis=1) <= 1)
    was = np.einsum("ij,ijk->ik", samples.weight, values[source])
    off = (was - np.einsum("ij,ijk->ik", found.weight, values[corners])) * usable[:, None]
    at = number[corners]
    moves = found.weight * free[at] * usable[:, None]
    row = np.repeat(np.arange(len(corners)), 3)
    matrix = coo_array((moves.reshape(-1), (row, at.reshape(-1))), shape=(len(corners), len(used))).tocsr()
    square = matrix.T @ matrix
    mean = float(square.diagonal().sum()) / int(free.sum())
    out = values.astype(np.float64).copy()
    if mean > 0:
        system = square + _HOLD * mean * eye_array(len(used))
        for k in range(values.shape[1]):
            out[used, k] += cg(system, matrix.T @ off[:, k], rtol=1e-4, maxiter=80)[0]
    return out


def _without_turning(before: F64, after: F64, triangles: I64, flat: F64) -> F64:
    """Moved points but for those at which a triangle would turn over."""
    moved = after.copy()
    for _ in range(8):
        corners = moved[triangles]
        now = unit_vectors(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
        turned = np.einsum("ij,ij->i", now, flat) < _SIDE
        if not turned.any():
            return moved
        back = triangles[turned].reshape(-1)
        moved[back] = before[back]
    return before


def _normals(positions: F64, triangles: I64, count: int) -> tuple[F64, F64]:
    """Unit normals of triangles, and of points: those of their triangles, summed by area."""
    position = positions[triangles]
    area = np.cross(position[:, 1] - position[:, 0], position[:, 2] - position[:, 0])
    summed = np.stack([sum(sums_by(triangles[:, k], area[:, x], count) for k in range(3)) for x in range(3)], axis=1)
    return unit_vectors(area), unit_vectors(summed)

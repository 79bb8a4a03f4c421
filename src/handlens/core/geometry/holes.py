"""Open edges, gathered into holes, and points at which a surface is pinched together."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import Edges, face_of_corner, next_corner
from .components import components
from .patches import Patches
from .sums import sums_by

#: Degrees by which a rectangle is turned: first all round, then about the best so far.
_STEPS = (np.arange(0, 90, 5.0), np.arange(-4, 5, 1.0), np.arange(-0.9, 1, 0.1))
#: Points times angles that are turned in one go.
_AT_ONCE = 1_000_000


class Holes(NamedTuple):
    """Open edges in groups that hang together. pairs: (n, 2) welded vertices of open edges. hole: (n,) group of each.

    across: (H,) width of each group along its longest way, mesh units. middles: (H, 3) mesh space. Largest first.
    """

    pairs: Array
    hole: Array
    across: Array
    middles: Array


def holes(mesh: Mesh, edges: Edges, ids: I32) -> Holes:
    """The rims of a surface: edges with one face only.

    ids: (V,) int, the welded number of each vertex.
    """
    pairs = edges.pairs(np.flatnonzero(edges.uses == 1))
    if not len(pairs):
        return Holes(pairs, np.zeros(0, np.int32), np.zeros(0), np.zeros((0, 3)))
    points = welded_positions(mesh, ids)
    used, local = np.unique(pairs, return_inverse=True)
    local = local.reshape(-1, 2)
    label = components(len(used), local[:, 0], local[:, 1])
    count = int(label.max()) + 1
    point = points[used]
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, label, point)
    np.maximum.at(high, label, point)
    across = widths(point, label, count)
    order = np.argsort(-across, kind="stable")
    rank = np.empty(count, np.int32)
    rank[order] = np.arange(count)
    return Holes(pairs, rank[label[local[:, 0]]], across[order], ((low + high) / 2)[order])


def widths(points: F64, group: Array, count: int) -> F64:
    """(count,) longer side of the least rectangle about groups of points, each seen along the way that it is thinnest.

    points: (n, 3). group: (n,) number of each. The rectangle is turned as the points lie, not as the world's axes are: by 5°
    first, then finer about the best, to a tenth of a degree.
    """
    if count == 1:
        return _width(points)
    with np.errstate(all="ignore"):
        number = np.maximum(np.bincount(group, minlength=count), 1)[:, None]
        mean = sums_by(group, points, count) / number
        off = np.nan_to_num(points - mean[group], posinf=0.0, neginf=0.0)
        spread = np.stack([sums_by(group, off[:, i] * off[:, j], count) for i in range(3) for j in range(3)], axis=1)
        spread = np.nan_to_num(spread.reshape(count, 3, 3), posinf=0.0, neginf=0.0)
        size = np.abs(spread).max(axis=(1, 2), keepdims=True)
        axes = np.linalg.eigh(np.divide(spread, size, out=np.zeros_like(spread), where=size > 0))[1]
    flat = np.stack([(off * axes[group, :, k]).sum(axis=1) for k in (2, 1)], axis=1)
    order = np.argsort(group, kind="stable")
    begins = np.searchsorted(group[order], np.arange(count))
    there = np.bincount(group, minlength=count) > 0
    x, y, owner = flat[order, 0], flat[order, 1], group[order]
    best, least, across = np.zeros(count), np.full(count, np.inf), np.zeros(count)
    for steps in _STEPS:
        middle = best.copy()
        for some in np.array_split(steps, min(max(len(points) * len(steps) // _AT_ONCE, 1), len(steps))):
            angle = np.radians(middle[:, None] + some)
            cosine, sine = np.cos(angle)[owner], np.sin(angle)[owner]
            u = _extents(x[:, None] * cosine + y[:, None] * sine, begins, there)
            v = _extents(y[:, None] * cosine - x[:, None] * sine, begins, there)
            size = u * v + 1e-3 * (u + v) ** 2
            # The first angle of those that are alike but for rounding, as at a square's four.
            k = (size <= size.min(axis=1, keepdims=True) * (1 + 1e-9)).argmax(axis=1)
            here = np.arange(count), k
            better = size[here] < least * (1 - 1e-9)
            least, best = np.where(better, size[here], least), np.where(better, middle + some[k], best)
            across = np.where(better, np.maximum(u[here], v[here]), across)
    return across


def _width(points: F64) -> F64:
    """(1,) `widths` of one group, with fewer calls: most parts have one opening or none."""
    with np.errstate(all="ignore"):
        off = np.nan_to_num(points - points.sum(axis=0) / len(points), posinf=0.0, neginf=0.0)
        spread = np.nan_to_num(off.T @ off, posinf=0.0, neginf=0.0)
        size = float(np.abs(spread).max())
        flat = off @ np.linalg.eigh(spread / size if size > 0 else spread)[1][:, [2, 1]]
    best, least, across = 0.0, np.inf, 0.0
    for steps in _STEPS:
        for some in np.array_split(steps, min(max(len(points) * len(steps) // _AT_ONCE, 1), len(steps))):
            angle = np.radians(best + some)
            turn = np.stack([np.cos(angle), np.sin(angle)])
            both = np.concatenate([flat @ turn, flat @ np.stack([-turn[1], turn[0]])], axis=1)
            reach = both.max(axis=0) - both.min(axis=0)
            u, v = reach[: len(some)], reach[len(some) :]
            around = u * v + 1e-3 * (u + v) ** 2
            k = int((around <= around.min() * (1 + 1e-9)).argmax())
            if around[k] < least * (1 - 1e-9):
                least, across, turned = float(around[k]), float(max(u[k], v[k])), best + float(some[k])
        best = turned if np.isfinite(least) else best
    return np.array([across])


def _extents(along: F64, begins: I64, there: Bool) -> F64:
    """(count, S) how far groups of rows reach. along: (n, S), group after group. there: (count,) bool groups that have rows."""
    out = np.zeros((len(begins), along.shape[1]))
    if there.any():
        at = begins[there]
        with np.errstate(all="ignore"):
            reach = np.maximum.reduceat(along, at, axis=0) - np.minimum.reduceat(along, at, axis=0)
        reach[~np.isfinite(reach)] = 0.0
        out[there] = reach
    return out


def welded_positions(mesh: Mesh, ids: I32) -> F64:
    """(W, 3) one position for each welded number.

    ids: (V,) int, the welded number of each vertex.
    """
    out = np.zeros((int(ids.max(initial=-1)) + 1, 3))
    out[ids] = mesh.positions
    return out


def pinched(mesh: Mesh, edges: Edges, patches: Patches, ids: I32) -> I64:
    """(n,) int64 welded vertices at which more than one fan of faces meets.

    Round a vertex one goes from side to side across the edges that two faces share; every walk that closes, and every one that
    begins at an open edge, is a fan. All vertices' walks take their steps together.

    ids: (V,) int, the welded number of each vertex.
    """
    assert edges.corner is not None
    total = len(mesh.corners)
    if not total:
        return np.zeros(0, np.int64)
    at = ids[mesh.corners]
    if _like_spheres(at, mesh.face_count, edges, patches):
        return np.zeros(0, np.int64)
    after = next_corner(mesh).astype(np.int32)
    a, b = edges.shared.one.astype(np.int32), edges.shared.other.astype(np.int32)
    turned = patches.turned[face_of_corner(mesh)] if patches.turned.any() else None
    following = np.full(total, -1, np.int32)
    for one, other in ((a, b), (b, a)):
        # The corner that a side comes into, and the one that the neighbour's side along the same edge goes out from.
        head, tail = after[one], other
        if turned is not None:
            head, tail = np.where(turned[one], one, head), np.where(turned[other], after[other], tail)
            fits = at[head] == at[tail]
            head, tail = head[fits], tail[fits]
        following[head] = tail
    real = np.zeros(total, bool)
    real[edges.corner] = True
    real[after[edges.corner]] = True
    vertices = int(at.max()) + 1
    begins = real.copy()
    begins[following[following >= 0]] = False
    there = np.bincount(at[real], minlength=vertices)
    several = np.bincount(at[begins], minlength=vertices) > 1
    # One walk a vertex, from where a walk begins if one does: if it misses a corner there is another fan.
    start = np.full(vertices, -1, np.int64)
    every = np.flatnonzero(real)
    start[at[every]] = every
    opened = np.flatnonzero(begins)
    start[at[opened]] = opened
    vertex = np.flatnonzero((start >= 0) & ~several)
    visited = _walked(following, start[vertex])
    several[vertex[visited < there[vertex]]] = True
    return np.flatnonzero(several)


def _walked(following: I32, start: I64) -> I64:
    """(n,) how many corners a walk visits until it ends or comes back to where it began."""
    visited = np.ones(len(start), np.int64)
    alive, place = np.arange(len(start)), following[start]
    for _ in range(64):
        on = (place >= 0) & (place != start[alive])
        alive, place = alive[on], place[on]
        if not len(alive):
            return visited
        visited[alive] += 1
        place = following[place]
    # The few vertices with more faces than that, one by one.
    for k, at in zip(alive.tolist(), place.tolist(), strict=True):
        first, count, onward = int(start[k]), int(visited[k]), at
        while onward >= 0 and onward != first:
            count += 1
            onward = int(following[onward])
        visited[k] = count
    return visited


def _like_spheres(at: I32, faces: int, edges: Edges, patches: Patches) -> bool:
    """Whether every patch is closed and has the Euler characteristic of a sphere, 2, the greatest there is.

    Every pinched point would be missing from the count of vertices, so where V - E + F is twice the patches there is none.
    """
    if not patches.closed.all():
        return False
    used = np.zeros(int(at.max()) + 1, bool)
    used[at] = True
    return int(np.count_nonzero(used)) - len(edges.uses) + faces == 2 * patches.number

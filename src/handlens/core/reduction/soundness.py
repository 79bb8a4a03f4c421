"""Places where a reduced surface is no surface any more: edges of three faces, faces folded onto each other, fans that only touch,
needles."""

from __future__ import annotations

import numpy as np

from ..geometry.components import components
from ..geometry.distinct import distinct_rows
from ..words.arrays import F64, I64, U8, Array, Bool
from .wedges import Wedges

#: Cosine between two neighbours from which on one is folded onto the other.
_FOLDED = -0.94
#: Height over the longest side below which a face has no area.
_FLAT = 1e-9
#: Rounds in which faces without area are cut the other way.
_TURNS = 8


def unsound(wedges: Wedges, triangles: I64, normals: F64 | None, about: Bool | None = None) -> U8:
    """(P,) uint8: in what welded points are not as those of a surface are, bit by bit, where triangles (n, 3) of wedges meet at them:
    a face on two points, an edge of three faces, a face without height, a fold, a face that looks away, several fans. normals: (W, 3)
    what stood at wedges, which a face must not look away from; None without. about: (P,) bool the points that are asked for; all
    where it is None.

    triangles: (n, 3) int.
    """
    points = int(wedges.point.max(initial=-1)) + 1
    bad = np.zeros(points, np.uint8)
    if about is not None:
        triangles = triangles[about[wedges.point[triangles]].any(axis=1)]
    if not len(triangles):
        return bad
    corners = wedges.point[triangles]
    flat = (corners[:, 0] == corners[:, 1]) | (corners[:, 1] == corners[:, 2]) | (corners[:, 2] == corners[:, 0])
    _mark(bad, corners[flat], 1)
    a, b = corners.reshape(-1), np.roll(corners, -1, axis=1).reshape(-1)
    key = np.minimum(a, b).astype(np.int64) * points + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.concatenate([[True], key[order][1:] != key[order][:-1]]))
    count = np.diff(np.append(first, len(order)))
    crowded = key[order][first[count > 2]]
    _mark(bad, np.concatenate([crowded // points, crowded % points]), 2)
    position = wedges.positions[triangles]
    area = np.cross(position[:, 1] - position[:, 0], position[:, 2] - position[:, 0])
    size = np.linalg.norm(area, axis=1, keepdims=True)
    unit = np.divide(area, size, out=np.zeros_like(area), where=size > 0)
    sides = np.roll(position, -1, axis=1) - position
    longest = np.einsum("ijk,ijk->ij", sides, sides).max(axis=1)
    # What has no height has no direction either. Mere needles are taken out when all is done.
    _mark(bad, corners[size[:, 0] < _FLAT * longest], 4)
    one, other = order[first[count == 2]], order[first[count == 2] + 1]
    folded = np.einsum("ij,ij->i", unit[one // 3], unit[other // 3]) < _FOLDED
    _mark(bad, np.concatenate([a[one[folded]], b[one[folded]]]), 8)
    if normals is not None:
        away = np.einsum("ij,ij->i", normals[triangles].sum(axis=1), unit) < 0
        _mark(bad, corners[away], 16)
    _mark(bad, np.flatnonzero(_fans(corners, one, other, points) > 1), 32)
    return bad if about is None else np.where(about, bad, np.uint8(0))


def _mark(bad: U8, points: I64, bit: int) -> None:
    where = np.zeros(len(bad), bool)
    where[points.reshape(-1)] = True
    bad[where] |= np.uint8(bit)


def lost(wedges: Wedges, triangles: I64) -> Bool:
    """(W,) bool: wedges of islands of which no triangle is left.

    triangles: (n, 3) int, of wedges.
    """
    kept = np.zeros(int(wedges.chart.max(initial=-1)) + 1, bool)
    kept[wedges.chart[triangles]] = True
    had = np.zeros(len(kept), bool)
    had[wedges.chart[wedges.triangles]] = True
    out: Array = (had & ~kept)[wedges.chart]
    return out


def _fans(triangles: I64, one: I64, other: I64, points: int) -> I64:
    """(points,) how many fans of triangles meet at each point. one, other: (n,) sides that two triangles share, as 3 times the triangle
    and the corner that each begins at."""
    at = triangles.reshape(-1)
    after = lambda c: c - c % 3 + (c + 1) % 3
    # The two ends of a shared side, each in both triangles; which end is which depends on how they are wound.
    same = at[one] == at[other]
    ends = np.where(same, other, after(other)), np.where(same, after(other), other)
    a, b = np.concatenate([one, after(one)]), np.concatenate(ends)
    total = len(at)
    label = components(total, a, b)
    # Each fan is about one point.
    owner = np.zeros(int(label.max(initial=-1)) + 1, np.int64)
    owner[label] = at
    return np.bincount(owner, minlength=points)


def ring(triangles: I64, points: Bool, rings: int) -> Bool:
    """(P,) bool: points (P,) bool and those within so many edges of them. triangles: (n, 3) points.

    points: (P,) bool.
    rings: how many edges away.
    """
    out = points.copy()
    for _ in range(rings):
        out[triangles[out[triangles].any(axis=1)].reshape(-1)] = True
    return out


def without_collapsed_walls(wedges: Wedges, triangles: I64) -> I64:
    """Triangles (n, 3) of wedges without pairs that lie back to back on three points, have an edge that more than two triangles share, and
    whose points others have too: what became of two sides that met. Pairs that lay so before stay, and so do fins, which are all that
    is left of something.
    triangles: (n, 3) int.
    """
    corners = np.sort(wedges.point[triangles], axis=1)
    ids, count = distinct_rows([corners])
    twin = (np.bincount(ids, minlength=count) == 2)[ids]
    if not twin.any():
        return triangles
    about = np.zeros(int(wedges.point.max(initial=-1)) + 1, bool)
    about[corners[twin]] = True
    before = np.sort(wedges.point[wedges.triangles[about[wedges.point[wedges.triangles]].all(axis=1)]], axis=1)
    both, count = distinct_rows([np.concatenate([corners[twin], before])])
    twin[np.flatnonzero(twin)] = (np.bincount(both[twin.sum() :], minlength=count) < 2)[both[: twin.sum()]]
    sides, edges = distinct_rows([corners[:, [0, 1, 0, 2, 1, 2]].reshape(-1, 2)])
    crowded = (np.bincount(sides, minlength=edges) > 2)[sides].reshape(-1, 3).any(axis=1)
    others = np.zeros(len(about), bool)
    others[corners[~twin]] = True
    answer: Array = triangles[~(twin & crowded & others[corners].all(axis=1))]
    return answer


def without_flat(positions: F64, triangles: I64) -> I64:
    """Triangles (n, 3) of wedges, those without area gone: where one lies along a side of its neighbour, both are cut the other way.

    positions: (W, 3). What has a seam along its longest side stays as it is.
    triangles: (n, 3) int.
    """
    out = triangles.copy()
    for _ in range(_TURNS):
        sides = np.roll(positions[out], -1, axis=1) - positions[out]
        squares = np.einsum("ijk,ijk->ij", sides, sides)
        area = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
        flat = np.flatnonzero(area < _FLAT * squares.max(axis=1))
        if not len(flat):
            break
        count = int(out.max()) + 1
        a, b = out.reshape(-1), np.roll(out, -1, axis=1).reshape(-1)
        key = a.astype(np.int64) * count + b
        order = np.argsort(key, kind="stable")
        taken = np.zeros(len(out), bool)
        for face in flat.tolist():
            k = int(squares[face].argmax())
            one, two, three = (int(out[face, (k + x) % 3]) for x in range(3))
            at = int(np.searchsorted(key, two * count + one, sorter=order))
            side = int(order[at]) if at < len(order) else -1
            if side < 0 or key[side] != two * count + one or taken[face] or taken[side // 3] or side // 3 == face:
                continue
            beyond = int(out[side // 3, (side % 3 + 2) % 3])
            if beyond != three:
                out[face], out[side // 3] = (one, beyond, three), (beyond, two, three)
                taken[face] = taken[side // 3] = True
        if not taken.any():
            break
    return out

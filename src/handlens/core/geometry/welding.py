"""Points that lie close together, made one."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..scene.model import Mesh, frozen
from ..words.arrays import F64, I64, Array, Bool
from .adjacency import face_of_corner
from .nearest_points import nearest_points
from .recut import only_used_values, only_vertices, recut

#: Neighbours of a point that are looked at in one round; what is left comes in the next.
_NEIGHBOURS = 4
#: Points up to which each is held against each: less work than loading the library that has trees.
_BY_HAND = 2_000
#: Points in reach along one axis up to which all of them are looked at: of one point, for each point, and in all where there are few.
_ROW, _IN_REACH, _IN_ALL = 2_000, 8, 4_000_000
#: Pairs up to which groups of more than two are looked for; of more, only mutual nearest neighbours are joined.
_PAIRS = 4_000


class Slow(Exception):
    """Points were not joined within so many rounds."""


def close_groups(points: F64, distance: float, at: Array, face: Array, collapse: bool = False, rounds: float = math.inf) -> I64:
    """(V,) int64 the first point of each point's group. No point lies further than `distance` from the first of its group.

    points: (V, 3). at, face: (n,) vertex and face of each corner. Points of one face are joined only where they are in one place
    already, so that no face of any area goes; with `collapse` they are joined like any others. Nearest pairs come first. Points
    that are no numbers stay by themselves. Raises Slow where more rounds are needed than were given.
    """
    first = _in_one_place(points)
    finite = np.isfinite(points).all(axis=1)
    incidence = (
        np.unique(first[at].astype(np.int64) * (int(face.max(initial=0)) + 1) + face) if len(at) else np.zeros(0, np.int64)
    )
    faces = int(face.max(initial=0)) + 1
    begun = False
    while True:
        rounds -= 1
        if rounds < 0:
            raise Slow
        heads = np.flatnonzero(finite & (first == np.arange(len(points))))
        pairs, every = _near_pairs(points, heads, distance)
        if not collapse:
            apart = ~_share_face(pairs, incidence, faces)
            pairs = pairs[apart]
        if not begun and len(np.unique(pairs)) == pairs.size:
            # What lies in one place goes along, no nearer and no farther.
            joined = pairs.tolist()
        else:
            joined = _joined(points, first, pairs, distance, None if collapse else (incidence, faces))
        if not joined:
            return first
        for head, other in joined:
            first[other] = head
        first = first[first]
        # What was not joined in view of all that is near shares a face or lies too far: neither changes when others are joined.
        if every and len(pairs) <= _PAIRS:
            return first
        begun = True
        if len(at):
            incidence = np.unique(first[at].astype(np.int64) * faces + face)


def _in_one_place(points: F64) -> I64:
    """(V,) int64 the first of the points in each point's very place."""
    if not len(points):
        return np.zeros(0, np.int64)
    order = np.lexsort((points[:, 2], points[:, 1], points[:, 0]))
    sorted_points = points[order]
    new = np.ones(len(points), bool)
    new[1:] = (sorted_points[1:] != sorted_points[:-1]).any(axis=1)
    group = np.empty(len(points), np.int64)
    group[order] = np.cumsum(new) - 1
    first = np.full(int(group.max()) + 1, len(points))
    np.minimum.at(first, group, np.arange(len(points)))
    return first[group]


def _near_pairs(points: F64, heads: I64, distance: float) -> tuple[Array, bool]:
    """(n, 2) pairs of points no further apart than a distance, nearest first, and whether those are all that there are."""
    swept = _swept(points[heads], distance)
    if swept is not None:
        one, two, gap = swept
        near = _nearest_of(one, two, gap)
        return _by_gap(np.stack([heads[one], heads[two]], axis=1)[near], gap[near], len(points)), bool(near.all())
    heads = heads[_crowded(points[heads], distance)]
    if len(heads) < 2:
        return np.zeros((0, 2), np.int64), True
    gaps, other = _nearest(points[heads], min(_NEIGHBOURS + 1, len(heads)), distance)
    one = np.repeat(np.arange(len(heads)), gaps.shape[1])
    gap, two = gaps.reshape(-1), other.reshape(-1)
    kept = np.isfinite(gap) & (gap <= distance) & (one != np.minimum(two, len(heads) - 1))
    return _by_gap(np.stack([heads[one[kept]], heads[two[kept]]], axis=1), gap[kept], len(points)), False


def _by_gap(pairs: I64, gap: F64, count: int) -> I64:
    """Pairs of `count` points, each once and the lower first, nearest first and then by number."""
    pairs = np.sort(pairs, axis=1)
    _, where = np.unique(pairs[:, 0] * count + pairs[:, 1], return_index=True)
    return pairs[where][np.argsort(gap[where], kind="stable")]


def _swept(points: F64, distance: float) -> tuple[I64, I64, F64] | None:
    """Pairs of finite points (n, 3) within a distance and how far apart each is, each pair once; None where too many lie in reach.

    Points are held against those that follow along the axis on which they spread most, until none follows within the distance.
    """
    if len(points) < 2:
        return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0)
    with np.errstate(all="ignore"):
        axis = int(np.argmax(points.max(axis=0) - points.min(axis=0)))
        order = np.argsort(points[:, axis], kind="stable")
        point = points[order]
        reach = np.searchsorted(point[:, axis], point[:, axis] + distance, side="right") - np.arange(1, len(points) + 1)
        if reach.max() > _ROW or reach.sum() > max(_IN_REACH * len(points), _IN_ALL):
            return None
        found: list[tuple[Array, Array, Array]] = []
        near = np.arange(len(points) - 1)
        for step in range(1, len(points)):
            near = near[: np.searchsorted(near, len(points) - step)]
            near = near[point[near + step, axis] - point[near, axis] <= distance]
            if not len(near):
                break
            gap = np.sqrt(sum((point[near, k] - point[near + step, k]) ** 2 for k in range(3)))
            close = gap <= distance
            if close.any():
                found.append((order[near[close]], order[near[close] + step], gap[close]))
    if not found:
        return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0)
    one, two, gap = (np.concatenate(column) for column in zip(*found, strict=True))
    return one, two, gap


def _nearest_of(one: I64, two: I64, gap: F64) -> Bool:
    """(n,) bool: pairs that are among the few nearest of either of their points."""
    point, pair = np.concatenate([one, two]), np.tile(np.arange(len(one)), 2)
    order = np.lexsort((gap[pair], point))
    count = np.bincount(point)
    rank = np.arange(len(point)) - np.repeat(np.cumsum(count) - count, count)
    out = np.zeros(len(one), bool)
    out[pair[order[rank < _NEIGHBOURS]]] = True
    return out


def _nearest(points: Array, many: int, distance: float) -> tuple[Array, Array]:
    """(n, many) distances to the nearest points and their numbers, nearest first, a point itself among them; inf where none is near."""
    if len(points) > _BY_HAND:
        return nearest_points(points, points, many, float(np.nextafter(distance, np.inf)))
    gaps = np.empty((len(points), many))
    other = np.empty((len(points), many), np.int64)
    for at in range(0, len(points), 256):
        some = slice(at, at + 256)
        away = np.sqrt(sum((points[some, None, k] - points[None, :, k]) ** 2 for k in range(3)))
        if many < len(points):
            nearest = np.argpartition(away, many - 1, axis=1)[:, :many]
            nearest = np.take_along_axis(
                nearest, np.argsort(np.take_along_axis(away, nearest, axis=1), axis=1, kind="stable"), axis=1
            )
        else:
            nearest = np.argsort(away, axis=1, kind="stable")
        other[some], gaps[some] = nearest, np.take_along_axis(away, nearest, axis=1)
    gaps[gaps > distance] = np.inf
    return gaps, other


def _crowded(points: Array, distance: float) -> Bool:
    """(n,) bool: points that may have another within a distance, and all that have. points: (n, 3), finite.

    Two points as close as that share a cell of a little over twice the size in one of eight grids, each set off by half a cell along some axes.
    """
    if not distance > 0 or not len(points):
        return np.ones(len(points), bool)
    with np.errstate(all="ignore"):
        at = (points - points.min(axis=0)) / (2.001 * distance)
    if not (at.max() < 2**40):
        return np.ones(len(points), bool)
    out = np.zeros(len(points), bool)
    for half in np.ndindex(2, 2, 2):
        cell = np.floor(at + 0.5 * np.array(half)).astype(np.uint64)
        # Cells that fall on one number by chance only make more points candidates.
        key = (
            (cell[:, 0] * np.uint64(0x9E3779B97F4A7C15))
            ^ (cell[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F))
            ^ (cell[:, 2] * np.uint64(0x165667B19E3779F9))
        )
        order = np.argsort(key)
        same = key[order][1:] == key[order][:-1]
        out[order[1:][same]] = True
        out[order[:-1][same]] = True
    return out


def _share_face(pairs: I64, incidence: I64, faces: int) -> Bool:
    """(n,) bool: pairs of points of which some face has both. incidence: sorted keys, point times faces plus face."""
    shared = np.zeros(len(pairs), bool)
    if not len(pairs) or not len(incidence):
        return shared
    begin = np.searchsorted(incidence, pairs[:, 0] * faces)
    count = np.searchsorted(incidence, (pairs[:, 0] + 1) * faces) - begin
    row = np.repeat(np.arange(len(pairs)), count)
    within = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    key = incidence[begin[row] + within] % faces + pairs[row, 1] * faces
    place = np.minimum(np.searchsorted(incidence, key), len(incidence) - 1)
    shared[row[incidence[place] == key]] = True
    return shared


def _joined(points: F64, first: I64, pairs: I64, distance: float, limits: tuple[Array, int] | None) -> list[tuple[int, int]]:
    """Heads that become one in this round: (the head that stays, the one that goes). limits: which faces points belong to."""
    if len(pairs) > _PAIRS:
        return _mutual(points, first, pairs, distance)
    members: dict[int, list[int]] = {}
    if len(pairs):
        # Points that were joined in an earlier round have to stay within reach of the new head as well.
        involved = np.unique(pairs)
        everyone = np.flatnonzero(np.isin(first, involved))
        for point in everyone.tolist():
            members.setdefault(int(first[point]), []).append(point)
    faces_of: dict[int, set[int]] = {}

    def faces(head: int) -> set[int]:
        assert limits is not None
        if head not in faces_of:
            keys, many = limits
            faces_of[head] = set(
                (keys[np.searchsorted(keys, head * many) : np.searchsorted(keys, (head + 1) * many)] % many).tolist()
            )
        return faces_of[head]

    parent: dict[int, int] = {}

    def top(head: int) -> int:
        while head in parent:
            head = parent[head]
        return head

    out = []
    for one, other in pairs.tolist():
        a, b = sorted((top(one), top(other)))
        if a == b or (limits is not None and faces(a) & faces(b)):
            continue
        if max(float(np.linalg.norm(points[p] - points[a])) for p in members[b]) > distance:
            continue
        parent[b] = a
        members[a] += members.pop(b)
        if limits is not None:
            faces_of[a] = faces(a) | faces(b)
        out.append((a, b))
    # Chains within a round are followed to their ends.
    return [(top(b), b) for _, b in out]


def _mutual(points: F64, first: I64, pairs: I64, distance: float) -> list[tuple[int, int]]:
    """Pairs of heads each of which is the other's nearest, where all that was joined to the one stays in reach of the other."""
    best = np.full(len(points), len(pairs), np.int64)
    np.minimum.at(best, pairs[:, 0], np.arange(len(pairs)))
    np.minimum.at(best, pairs[:, 1], np.arange(len(pairs)))
    number = np.arange(len(pairs))
    both = (best[pairs[:, 0]] == number) & (best[pairs[:, 1]] == number)
    head = np.arange(len(points))
    head[pairs[both, 1]] = pairs[both, 0]
    far = np.linalg.norm(points - points[head[first]], axis=1) > distance
    bad = np.unique(first[far])
    good = both & ~np.isin(pairs[:, 1], bad)
    return [(int(a), int(b)) for a, b in pairs[good].tolist()]


def welded(mesh: Mesh, distance: float, collapse: bool = False) -> Mesh:
    """The mesh with close points made one: the first of each group stays where it is, with its weights and morph offsets.

    Points of one face are left apart unless they are in one place, or `collapse` says so. A corner that comes to lie on the one
    before it goes; a face of fewer than three corners goes; a line of no length goes.
    """
    owner = face_of_corner(mesh)
    first = close_groups(mesh.positions, distance, mesh.corners, owner, collapse)
    return mesh if (first == np.arange(len(first))).all() else merged_points(mesh, first)


def merged_points(mesh: Mesh, first: I64) -> Mesh:
    """The mesh with points made one: each group's point stays where it is, with its weights and morph offsets, and the others go.

    first: (V,) int64 the point that stays of each point's group. A corner that comes to lie on the one before it goes; a face of fewer
    than three corners goes; a line of no length goes.
    """
    at = first[mesh.corners]
    face = face_of_corner(mesh)
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

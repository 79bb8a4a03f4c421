"""Which face and corner of one mesh stands for which of another, whatever the order of faces, corners and vertices.

A face is known by the places of its corners, in the order in which they run. What cannot be found that way is looked for the
other way round (a turned face), then near by (a corner that moved); the rest is gone, or new.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..geometry.distinct import distinct_rows
from ..geometry.nearest_points import nearest_points
from ..scene import Mesh
from ..words.arrays import F64, I64, Array, Bool

#: Corners up to which every rotation of a face is compared, so that one that touches a place twice is still known.
_TURNS = 6


@dataclass(frozen=True)
class Faces:
    """corner: (C,) int64 corner of the second mesh for each of the first, -1 for none. face: (F,) int64 likewise.

    turned, moved: faces of the first that run the other way there, or that have a corner elsewhere. gone: faces of the first
    without a counterpart; new: of the second. shift: (C,) how far each corner has moved, in units, 0 where it has none.
    """

    corner: I64
    face: I64
    turned: I64
    moved: I64
    gone: I64
    new: I64
    shift: F64

    @cached_property
    def straight(self) -> bool:
        """Whether each corner stands for the one of the same number."""
        return bool((self.corner == np.arange(len(self.corner))).all())

    @property
    def unchanged(self) -> bool:
        """Whether each face stands where it stood, and runs as it ran."""
        return not (len(self.turned) or len(self.moved) or len(self.gone) or len(self.new))


def match_faces(a: Mesh, b: Mesh, tolerance: float) -> Faces:
    """Faces and corners of a mesh found in another. tolerance: units by which a coordinate may differ."""
    work = _Work(a, b, tolerance)
    work.as_they_stand()
    if work.waiting():
        work.by_place(reverse=False)
    if work.waiting():
        work.by_place(reverse=True)
    if work.waiting():
        work.near_by()
    return work.result()


class _Work:
    def __init__(self, a: Mesh, b: Mesh, tolerance: float) -> None:
        self.a, self.b, self.tolerance = a, b, tolerance
        self.corner = np.full(len(a.corners), -1, np.int64)
        self.face = np.full(a.face_count, -1, np.int64)
        self.free = np.ones(b.face_count, bool)
        self.turned: list[Array] = []
        self.moved: list[Array] = []
        self.ids: tuple[Array, Array] | None = None

    def waiting(self) -> bool:
        return bool((self.face < 0).any()) and bool(self.free.any())

    def result(self) -> Faces:
        join = lambda some: np.concatenate([np.zeros(0, np.int64), *some])
        shift = np.zeros(len(self.a.corners))
        moved = np.sort(join(self.moved))
        if len(moved):
            corners = _corners_of(self.a, moved)
            corners = corners[self.corner[corners] >= 0]
            position, other = self.a.positions[self.a.corners[corners]], self.b.positions[self.b.corners[self.corner[corners]]]
            with np.errstate(all="ignore"):
                shift[corners] = np.nan_to_num(np.linalg.norm(position - other, axis=1), nan=np.inf)
        return Faces(
            self.corner,
            self.face,
            np.sort(join(self.turned)),
            moved,
            np.flatnonzero(self.face < 0),
            np.flatnonzero(self.free),
            shift,
        )

    def take(self, fa: I64, fb: I64, corners: I64) -> None:
        """Faces of the first mesh and theirs of the second; corners: (sum of corners,) in the order of the first's."""
        self.face[fa] = fb
        self.free[fb] = False
        self.corner[_corners_of(self.a, fa)] = corners

    # --- as they stand -----------------------------------------------------------------------

    def as_they_stand(self) -> None:
        """Faces that have the same number in both and the same corners in the same order."""
        a, b = self.a, self.b
        if a.face_count != b.face_count or not np.array_equal(a.starts, b.starts):
            return
        alike = _alike(a, b, self.tolerance)
        if alike.all():
            self.corner, self.face = np.arange(len(a.corners), dtype=np.int64), np.arange(a.face_count, dtype=np.int64)
            self.free[:] = False
            return
        if not len(a.corners):
            return
        good = np.flatnonzero(np.logical_and.reduceat(alike, a.starts[:-1]) & (a.corner_counts > 0))
        self.take(good, good, _corners_of(a, good))

    # --- by place ----------------------------------------------------------------------------

    def places(self) -> tuple[I64, I64]:
        """(C,) number of the place of each corner of both meshes; places within the tolerance of each other share it."""
        if self.ids is None:
            self.ids = place_numbers(self.a.positions, self.b.positions, self.tolerance)
        return self.ids[0][self.a.corners], self.ids[1][self.b.corners]

    def by_place(self, reverse: bool) -> None:
        ids_a, ids_b = self.places()
        for n, fa, fb, ca, cb in self._left_over():
            if reverse:
                cb = cb[:, ::-1]
            ca, cb = _first_first(ca, ids_a), _first_first(cb, ids_b)
            rows = np.concatenate([ids_a[ca], ids_b[cb]])
            key, _ = distinct_rows([rows[:, k] for k in range(n)])
            ia, ib = _paired(key[: len(fa)], key[len(fa) :])
            if not len(ia):
                continue
            self._take_square(fa[ia], fb[ib], ca[ia], cb[ib])
            if reverse:
                self.turned.append(fa[ia])

    def _left_over(self) -> Iterator[tuple[int, Array, Array, Array, Array]]:
        """Faces of both meshes that have no partner yet, by their number of corners: that, the faces, and the corners of each."""
        left, right = np.flatnonzero(self.face < 0), np.flatnonzero(self.free)
        counts_a, counts_b = self.a.corner_counts[left], self.b.corner_counts[right]
        for n in np.intersect1d(np.unique(counts_a), np.unique(counts_b)).tolist():
            if n:
                fa, fb = left[counts_a == n], right[counts_b == n]
                yield n, fa, fb, _square(self.a, fa, n), _square(self.b, fb, n)

    def _take_square(self, fa: I64, fb: I64, ca: I64, cb: I64) -> None:
        self.face[fa] = fb
        self.free[fb] = False
        self.corner[ca.reshape(-1)] = cb.reshape(-1)

    # --- near by -----------------------------------------------------------------------------

    def near_by(self) -> None:
        """Faces of as many corners whose middles lie nearest to each other, or that have the same place in the file."""
        for n, fa, fb, ca, cb in self._left_over():
            pa, pb = self.a.positions[self.a.corners[ca]], self.b.positions[self.b.corners[cb]]
            ia, ib = _nearest(pa.mean(axis=1), pb.mean(axis=1))
            pairs = [(ia, ib)]
            if len(fa) == len(fb):
                pairs.append((np.arange(len(fa)), np.arange(len(fb))))
            best = min(
                ((*_turned_to(pa[i], pb[j]), i, j) for i, j in pairs if len(i)),
                key=lambda x: (-len(x[2]), x[0].sum()),
                default=None,
            )
            if best is None:
                continue
            _, turn, i, j = best
            order = (np.arange(n) + turn[:, None]) % n
            self._take_square(fa[i], fb[j], ca[i], np.take_along_axis(cb[j], order, axis=1))
            self.moved.append(fa[i])


def refined(faces: Faces, a: Mesh, b: Mesh, wrong: I64, tolerance: float, told_a: F64, told_b: F64) -> Faces:
    """The same faces, where some of one place were given to each other crosswise: doubled faces, as cards often have.

    wrong: faces of the first that differ from their counterparts in what hangs on them. told_a, told_b: (C, k) what hangs on each
    corner of both meshes, NaN for nothing.
    """
    wrong = wrong[faces.face[wrong] >= 0]
    ids_a, ids_b = place_numbers(a.positions, b.positions, tolerance)
    ids_a, ids_b = ids_a[a.corners], ids_b[b.corners]
    corner, face = faces.corner.copy(), faces.face.copy()
    for n in np.unique(a.corner_counts[wrong]).tolist():
        fa = wrong[a.corner_counts[wrong] == n]
        fb = faces.face[fa]
        keep = b.corner_counts[fb] == n
        fa, fb = fa[keep], fb[keep]
        if len(fa) < 2:
            continue
        ca, cb = _first_first(_square(a, fa, n), ids_a), _first_first(_square(b, fb, n), ids_b)
        rows = np.concatenate([ids_a[ca], ids_b[cb]])
        key, _ = distinct_rows([rows[:, k] for k in range(n)])
        # Of faces in one place, those go together that say the same.
        rounded = lambda told, c: np.round(np.nan_to_num(told[c].reshape(len(c), -1), nan=-9e9), 5)
        ra, rb = rounded(told_a, ca), rounded(told_b, cb)
        oa, ob = np.lexsort([*ra.T[::-1], key[: len(fa)]]), np.lexsort([*rb.T[::-1], key[len(fa) :]])
        if not np.array_equal(key[: len(fa)][oa], key[len(fa) :][ob]):
            continue
        face[fa[oa]] = fb[ob]
        corner[ca[oa].reshape(-1)] = cb[ob].reshape(-1)
    return replace(faces, corner=corner, face=face)


def match_loose(a: Mesh, b: Mesh, tolerance: float) -> tuple[I64, I64]:
    """Vertices of lines and points of both meshes that stand for each other: the first at a place for the first there."""
    loose = [np.unique(np.concatenate([m.lines.reshape(-1), m.points])) for m in (a, b)]
    if not len(loose[0]) or not len(loose[1]):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    ids = place_numbers(a.positions, b.positions, tolerance)
    x, y = _paired(ids[0][loose[0]], ids[1][loose[1]])
    return loose[0][x].astype(np.int64), loose[1][y].astype(np.int64)


def place_numbers(a: F64, b: F64, tolerance: float) -> tuple[I64, I64]:
    """Numbers of the places of points (V, 3) of two meshes: the same for points that are equal, or that lie within a tolerance.

    a, b: (V, 3) float, in one frame and unit.
    tolerance: in that unit.
    """
    ids, count = distinct_rows([np.concatenate([a[:, k], b[:, k]]) for k in range(3)])
    ids = ids.astype(np.int64)
    na, nb = ids[: len(a)], ids[len(a) :]
    there = np.zeros(count, bool)
    there[na] = True
    lost = np.flatnonzero(~there[nb])
    finite = np.flatnonzero(np.isfinite(a).all(axis=1))
    lost = lost[np.isfinite(b[lost]).all(axis=1)]
    if not len(lost) or not len(finite) or not tolerance > 0:
        return na, nb
    distance, nearest = nearest_points(a[finite], b[lost], within=2 * tolerance)
    near = np.isfinite(distance)
    nb = nb.copy()
    nb[lost[near]] = na[finite[nearest[near]]]
    return na, nb


def same_array(a: Array, b: Array) -> bool:
    """Whether two arrays hold the same bytes of the same type; what is not a number is the same as itself.

    a, b: of any shape and type.
    """
    if a is b:
        return True
    if a.dtype != b.dtype or a.shape != b.shape:
        return False
    if not (a.flags.c_contiguous and b.flags.c_contiguous):
        return np.array_equal(a, b)
    # Whole numbers compare faster than floats, and a NaN is itself.
    wide = np.int64 if a.nbytes % 8 == 0 else np.uint8
    return bool((a.reshape(-1).view(wide) == b.reshape(-1).view(wide)).all())


def _alike(a: Mesh, b: Mesh, tolerance: float) -> Bool:
    """(C,) bool: corners of the same number in the same place."""
    out = np.ones(len(a.corners), bool)
    if same_array(a.positions, b.positions) and same_array(a.corners, b.corners):
        return out
    # Mostly each vertex stands for one of the other, so that vertices can be compared, of which there are fewer than corners.
    vertex = np.full(len(a.positions), -1, np.int64)
    vertex[a.corners] = b.corners
    with np.errstate(all="ignore"):
        if (vertex[a.corners] == b.corners).all():
            used = np.flatnonzero(vertex >= 0)
            fine = np.ones(len(vertex), bool)
            fine[used] = _near(a.positions[used], b.positions[vertex[used]], tolerance)
            return out if fine.all() else fine[a.corners]
        return _near(a.positions[a.corners], b.positions[b.corners], tolerance)


def _near(points: F64, others: F64, tolerance: float) -> Bool:
    """(n,) bool: rows (n, 3) that are the same within a tolerance; what is not a number, or without end, is so in both."""
    if same_array(points, others):
        return np.ones(len(points), bool)
    answer: Bool = ((np.abs(points - others) <= tolerance) | (points == others) | (np.isnan(points) & np.isnan(others))).all(
        axis=1
    )
    return answer


def _corners_of(mesh: Mesh, faces: I64) -> I64:
    """Corners of some faces, one face behind the other."""
    counts = mesh.corner_counts[faces]
    ends = np.cumsum(counts)
    answer: Array = np.arange(int(counts.sum()), dtype=np.int64) + np.repeat(mesh.starts[faces] - (ends - counts), counts)
    return answer


def _square(mesh: Mesh, faces: I64, n: int) -> I64:
    """(F, n) corners of faces that all have n."""
    return mesh.starts[faces][:, None] + np.arange(n)


def _first_first(corners: I64, ids: I64) -> I64:
    """(F, n) the corners of each face, from the one on at which the places read lowest."""
    n = corners.shape[1]
    rows = ids[corners]
    start = rows.argmin(axis=1)
    if n <= _TURNS:
        for turn in range(n):
            other = np.full(len(rows), turn)
            start = np.where(_lower(rows, other, start), other, start)
    order = (start[:, None] + np.arange(n)) % n
    return np.take_along_axis(corners, order, axis=1)


def _lower(rows: I64, first: I64, second: I64) -> Bool:
    """Whether rows read from one place on come before the same rows read from another."""
    n = rows.shape[1]
    out, decided = np.zeros(len(rows), bool), np.zeros(len(rows), bool)
    every = np.arange(len(rows))
    for k in range(n):
        x, y = rows[every, (first + k) % n], rows[every, (second + k) % n]
        out |= ~decided & (x < y)
        decided |= x != y
    return out


def _paired(a: Array, b: Array) -> tuple[I64, I64]:
    """Positions of equal keys on both sides, each once, in order."""
    oa, ob = np.argsort(a, kind="stable"), np.argsort(b, kind="stable")
    sa, sb = a[oa], b[ob]
    # How many equal ones stand before each: the third of a key goes with the third.
    rank = lambda s: np.arange(len(s)) - np.searchsorted(s, s, side="left")
    top = max(int(rank(sa).max(initial=0)), int(rank(sb).max(initial=0))) + 1
    ka, kb = sa.astype(np.int64) * top + rank(sa), sb.astype(np.int64) * top + rank(sb)
    _, ia, ib = np.intersect1d(ka, kb, assume_unique=True, return_indices=True)
    return oa[ia], ob[ib]


def _nearest(a: F64, b: F64) -> tuple[I64, I64]:
    """Pairs of points that are each other's nearest."""
    fa, fb = np.flatnonzero(np.isfinite(a).all(axis=1)), np.flatnonzero(np.isfinite(b).all(axis=1))
    if not len(fa) or not len(fb):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    there, back = nearest_points(b[fb], a[fa])[1], nearest_points(a[fa], b[fb])[1]
    mutual = np.flatnonzero(back[there] == np.arange(len(fa)))
    return fa[mutual], fb[there[mutual]]


def _turned_to(a: F64, b: F64) -> tuple[F64, I64]:
    """Greatest distance of a corner (F,) of faces (F, n, 3), with the second begun at the corner where that is least, and which."""
    n = a.shape[1]
    turns = range(n) if n <= 16 else range(1)
    with np.errstate(all="ignore"):
        off = np.stack(
            [np.nan_to_num(np.linalg.norm(a - np.roll(b, -turn, axis=1), axis=2).max(axis=1), nan=np.inf) for turn in turns]
        )
    best = off.argmin(axis=0)
    return off.min(axis=0), best

"""Flat neighbouring faces merged and cut anew: fewer triangles, and not one point of the surface elsewhere.

Faces hang together in a region where they lie in one plane and where everything that is interpolated over them (UVs, normals,
colours, morph offsets) runs on as one affine map, so that no pixel of any destination can tell. Slots, smoothing groups and
sets of faces are borders, and so is every change of the rows of weights: between moving joints a blend is not affine.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from ..geometry.adjacency import Edges, edges, face_of_corner, next_corner
from ..geometry.components import components
from ..geometry.distinct import distinct_rows
from ..geometry.flips import less_thin
from ..geometry.normals import Bends
from ..geometry.recut import only_used_values, only_vertices, recut, used_vertices
from ..geometry.sums import sums_by
from ..geometry.topology import zero_area_faces
from ..geometry.triangles import triangulate
from ..machine.blocks import each_block
from ..scene.matrices import unit_vectors
from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Array, Bool

#: What counts as lying in a plane: so many steps of a 32-bit float at the largest coordinate of the mesh.
STEPS = 4
#: What counts as running on in one map, by what is interpolated: parts of a texel of 4,096, of a degree, of an 8-bit colour.
_UV, _DIRECTION, _COLOUR = 1 / 16_384, 1e-3, 1 / 1024
#: Cosine of the angle up to which polygons are looked at more closely: about two degrees.
_ALMOST = 0.9994
#: How often regions that could not be cut anew are set aside and the rest is tried again.
_ROUNDS = 12


class Merged(NamedTuple):
    """mesh: with fewer triangles. freed: how many. faces: (n,) int32 faces of the old mesh that were merged."""

    mesh: Mesh
    freed: int
    faces: I32


def merged_flat(mesh: Mesh) -> Merged:
    """Merge what lies flat beside each other and needs fewer triangles. Points that lines, point elements or faces without area
    use stay, and so does every corner of every outline; where a region touches itself in a point it is left as it is.
    """
    nothing = Merged(mesh, 0, np.zeros(0, np.int32))
    if mesh.face_count < 2 or not np.isfinite(mesh.positions).all():
        return nothing
    work = _Work.of(mesh)
    if work is None:
        return nothing
    aside = np.zeros(work.regions, bool)
    for _ in range(_ROUNDS):
        gone = work.needless(aside)
        cut = [_cut(work, r, loops) for r, loops in work.outlines(gone, aside)]
        failed = [c.region for c in cut if c.triangles is None]
        if not failed:
            return _assembled(work, cut) if cut else nothing
        aside[failed] = True
    return nothing


def freed_by_merging(mesh: Mesh) -> tuple[int, Array]:
    """How many triangles `merged_flat` would free, and the faces that it would merge, without cutting anything: an outline of n corners in
    m loops needs n + 2 m - 4 triangles (Euler's formula)."""
    none = np.zeros(0, np.int32)
    if mesh.face_count < 2 or not np.isfinite(mesh.positions).all():
        return 0, none
    work = _Work.of(mesh)
    if work is None:
        return 0, none
    aside = np.zeros(work.regions, bool)
    for _ in range(_ROUNDS):
        found = list(work.outlines(work.needless(aside), aside))
        failed = [r for r, loops in found if loops is None]
        if not failed:
            break
        aside[failed] = True
    else:
        return 0, none
    merged = np.zeros(work.regions, bool)
    merged[[r for r, _ in found]] = True
    needed = sum(sum(map(len, loops)) + 2 * len(loops) - 4 for _, loops in found if loops is not None)
    mine = merged[work.region]
    return int(mine.sum()) - needed, np.unique(work.face[mine]).astype(np.int32)


def most_that_lies_flat(mesh: Mesh, edges: Edges, bent: Bends) -> int:
    """A bound on what `freed_by_merging` can find, from one look at each edge: merging frees at most two triangles for each point
    that goes, and one goes only where the surface is bent or ends along two of its edges at most.

    edges: of the faces that have an area, with corners. bent: how they bend.
    """
    assert edges.corner is not None
    if mesh.face_count < 2 or not len(edges.key):
        return 0
    corner, face, normal, after = edges.corner, bent.face, bent.normal, next_corner(mesh)
    # Twice what merging allows, for what 32-bit normals of 32-bit lengths lose.
    tolerance = 2 * flatness(mesh)
    # The halves of a bent polygon may lie flat where it as a whole does not: by its angle alone then.
    level = bent.cosine > (0.5 if mesh.only_triangles else _ALMOST)

    def work(some: slice) -> None:
        one, other = corner[bent.first[some]], corner[bent.first[some] + 1]
        with np.errstate(all="ignore"):
            away = mesh.positions[mesh.corners[after[after[other]]]] - mesh.positions[mesh.corners[one]]
            off = np.abs(np.einsum("ij,ij->i", away, normal[face[one]]))
            level[some] &= off <= tolerance + 1e-6 * np.abs(away).max(axis=1, initial=0.0)

    if mesh.only_triangles:
        each_block(len(level), work)
    uneven = np.ones(len(edges.uses), bool)
    uneven[np.flatnonzero(edges.uses == 2)[~edges.shared.alike][level]] = False
    key = edges.key[edges.begins[:-1]]
    low, high = key >> np.uint64(32), (key & np.uint64(0xFFFFFFFF)) >> np.uint64(1)
    count = np.zeros(int(high.max()) + 1, np.int64)
    for end in (low, high):
        count += np.bincount(end[uneven].astype(np.int64), minlength=len(count))
    there = np.zeros(len(count), bool)
    there[low], there[high] = True, True
    return 2 * int(np.count_nonzero(there & (count <= 2)))


def flatness(mesh: Mesh) -> float:
    """How far points may lie off a plane and still count as in it."""
    reach = float(np.abs(mesh.positions).max(initial=0.0))
    return STEPS * float(np.spacing(np.float32(reach))) if reach else 0.0


class _Cut(NamedTuple):
    region: int
    triangles: Array | None


@dataclass
class _Work:
    """A mesh as triangles in regions. corners: (T, 3) positions in mesh.corners; face: (T,); region: (T,); at: (C,) welded point of
    each corner; the border's half-edges by region: corner they begin at, points from and to."""

    mesh: Mesh
    corners: I64
    face: I32
    region: I64
    regions: int
    at: I32
    area: F64
    tolerance: float
    border: I64
    begins: I32
    ends: I32
    region_of: I64
    held: Bool

    @staticmethod
    def of(mesh: Mesh) -> _Work | None:
        corners, face = triangulate(mesh)
        cut = recut(mesh, corners.reshape(-1), np.arange(len(corners) + 1) * 3, face)
        ids, _ = distinct_rows([mesh.positions])
        flat, _ = zero_area_faces(cut, ids)
        tolerance = flatness(mesh)
        places = cut.positions[cut.corners].reshape(-1, 3, 3)
        area = np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
        normal = unit_vectors(area)
        shared = edges(cut, ids, flat).shared
        one, other = shared.one[~shared.alike], shared.other[~shared.alike]
        runs_on = _runs_on(cut, one, other, normal, tolerance)
        if not runs_on.any():
            return None
        region = components(len(corners), one[runs_on] // 3, other[runs_on] // 3).astype(np.int64)
        region = _without(region, _bent(cut, region, area, tolerance))
        count = int(region.max()) + 1
        twin = np.full(len(cut.corners), -1, np.int64)
        twin[one], twin[other] = other, one
        owner = np.repeat(np.arange(len(corners)), 3)
        inside = (twin >= 0) & (region[owner] == region[owner[twin]])
        at = ids[cut.corners]
        border = np.flatnonzero(~inside & ~flat[owner])
        border = border[np.argsort(region[owner[border]], kind="stable")]
        held = np.zeros(int(ids.max()) + 1, bool)
        for used in (mesh.lines.reshape(-1), mesh.points, cut.corners[flat[owner]]):
            held[ids[used]] = True
        ends = at[next_corner(cut)]
        made = _Work(
            mesh,
            corners,
            face,
            region,
            count,
            at,
            area,
            tolerance,
            border,
            at[border],
            ends[border],
            region[owner[border]],
            held,
        )
        made.held[made._pinched()] = True
        return made

    @cached_property
    def _by_region(self) -> tuple[Array, Array]:
        order = np.argsort(self.region, kind="stable")
        return order, np.searchsorted(self.region[order], np.arange(self.regions + 1))

    def triangles_of(self, region: int) -> I64:
        """(n,) triangles of a region."""
        order, first = self._by_region
        mine: Array = order[first[region] : first[region + 1]]
        return mine

    def _pinched(self) -> I32:
        """Points from which the border of one region goes on in two ways."""
        key = self.region_of.astype(np.int64) * len(self.held) + self.begins
        _, inverse, count = np.unique(key, return_inverse=True, return_counts=True)
        pinched: Array = self.begins[count[inverse.reshape(-1)] > 1]
        return pinched

    def needless(self, aside: Bool) -> Bool:
        """(P,) bool: welded points that no outline needs, those of regions that are set aside excepted.

        aside: (R,) bool, regions.
        """
        total = len(self.held)
        owner = np.repeat(self.region, 3)
        pairs = np.unique(self.at.astype(np.int64) * self.regions + owner)
        regions_at = np.bincount(pairs // self.regions, minlength=total)
        on_border = np.zeros(total, bool)
        on_border[self.begins], on_border[self.ends] = True, True
        gone = (regions_at == 1) & ~on_border
        gone |= self._straight(regions_at)
        held = self.held.copy()
        held[self.at[aside[owner]]] = True
        answer: Bool = gone & ~held
        return answer

    def _straight(self, regions_at: I64) -> Bool:
        """(P,) bool: points in the middle of a straight piece that at most two regions have in common."""
        total = len(regions_at)
        out = np.zeros(total, bool)
        key = self.region_of.astype(np.int64) * total
        by_end = np.argsort(key + self.ends, kind="stable")
        found = np.searchsorted((key + self.ends)[by_end], key + self.begins)
        found = np.minimum(found, len(by_end) - 1)
        coming = by_end[found]
        whole = (key + self.ends)[coming] == key + self.begins
        before, here, after = self.begins[coming], self.begins, self.ends
        first = np.zeros(total, np.int64)
        first[self.at] = self.mesh.corners[self.corners.reshape(-1)]
        position = self.mesh.positions[first]
        a, b = position[here] - position[before], position[after] - position[before]
        length = np.linalg.norm(b, axis=1)
        with np.errstate(all="ignore"):
            off = np.linalg.norm(np.cross(a, b), axis=1) / length
            share = np.einsum("ij,ij->i", a, b) / length**2
        straight = whole & (off <= self.tolerance) & (share > 0) & (share < 1)
        uses = np.bincount(here, minlength=total)
        good = np.bincount(here[straight], minlength=total)
        # The two neighbours are the same seen from both regions: their numbers, in order, agree.
        low, high = np.full(total, total), np.full(total, -1)
        np.minimum.at(low, here, np.minimum(before, after))
        np.maximum.at(high, here, np.minimum(before, after))
        same = low == high
        low, high = np.full(total, total), np.full(total, -1)
        np.minimum.at(low, here, np.maximum(before, after))
        np.maximum.at(high, here, np.maximum(before, after))
        same &= low == high
        out = (uses == good) & (uses > 0) & (uses <= 2) & (uses == regions_at) & same
        answer: Bool = out
        return answer

    def outlines(self, gone: Bool, aside: Bool) -> Iterator[tuple[int, list[list[int]] | None]]:
        """Regions that lose points, each with its loops of corners; None for one whose border does not close.

        gone: (P,) bool, welded points.
        aside: (R,) bool, regions.
        """
        touched = np.zeros(self.regions, bool)
        touched[np.repeat(self.region, 3)[gone[self.at]]] = True
        touched &= ~aside
        wanted = np.flatnonzero(touched)
        low, high = np.searchsorted(self.region_of, wanted), np.searchsorted(self.region_of, wanted, side="right")
        begins, ends, border = self.begins.tolist(), self.ends.tolist(), self.border.tolist()
        dropped = gone.tolist()
        for number, a, b in zip(wanted.tolist(), low.tolist(), high.tolist(), strict=True):
            yield number, _loops({begins[k]: (ends[k], border[k]) for k in range(a, b)}, b - a, dropped)


def _loops(step: dict[int, tuple[int, int]], sides: int, gone: list[bool]) -> list[list[int]] | None:
    """Closed loops of corners from half-edges, without points that are gone; None where they do not close."""
    if len(step) < sides:
        return None
    loops = []
    while step:
        start = at = next(iter(step))
        loop = []
        while True:
            found = step.pop(at, None)
            if found is None:
                return None
            if not gone[at]:
                loop.append(found[1])
            at = found[0]
            if at == start:
                break
        if len(loop) < 3:
            return None
        loops.append(loop)
    return loops


def _runs_on(cut: Mesh, one: I64, other: I64, normal: F64, tolerance: float) -> Bool:
    """(n,) bool: pairs of triangles over an edge that lie in one plane and carry one map of everything. one, other: (n,) corners
    that the two sides of the edge begin at."""
    a, b = one // 3, other // 3
    good = np.einsum("ij,ij->i", normal[a], normal[b]) > 0.5
    for of_face in (cut.slots if len(cut.slots) else None, cut.smooth, cut.groups):
        if of_face is not None:
            good &= of_face[a] == of_face[b]
    after = lambda c: c - c % 3 + (c + 1) % 3
    # Corners of the first triangle, and of the second the one that lies beyond the edge.
    i, j, k, beyond = one, after(one), after(after(one)), after(after(other))
    if cut.weights is not None:
        # Numbers of rows, which nothing runs between: all corners have one and the same.
        row = weight_rows(cut)[cut.corners]
        good &= (
            (row[i] == row[j])
            & (row[i] == row[k])
            & (row[i] == row[beyond])
            & (row[i] == row[after(other)])
            & (row[j] == row[other])
        )
    position = cut.positions[cut.corners]
    u, v, w = position[j] - position[i], position[k] - position[i], position[beyond] - position[i]
    good &= np.abs(np.einsum("ij,ij->i", w, normal[a])) <= tolerance
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    uw, vw = np.einsum("ij,ij->i", u, w), np.einsum("ij,ij->i", v, w)
    with np.errstate(all="ignore"):
        area = uu * vv - uv * uv
        along, across = (vv * uw - uv * vw) / area, (uu * vw - uv * uw) / area
        reach = 1 + np.abs(along) + np.abs(across) + np.abs(1 - along - across)
    good &= np.isfinite(reach)
    for values, step in _carried(cut):
        here = np.flatnonzero(good)
        x = lambda c, here=here, values=values: values[c[here]]
        said = x(i) * (1 - along - across)[here, None] + x(j) * along[here, None] + x(k) * across[here, None]
        with np.errstate(invalid="ignore"):
            same = (np.abs(x(beyond) - said) <= step * reach[here, None]).all(axis=1)
            same &= (np.abs(x(i) - x(after(other))) <= step).all(axis=1) & (np.abs(x(j) - x(other)) <= step).all(axis=1)
        good[here[~same]] = False
    answer: Bool = good
    return answer


def _carried(cut: Mesh) -> Iterator[tuple[Array, float]]:
    """What hangs on corners, (C, k) float64 each, and how far it may be off. Where a corner has none it is -1e9, which is none of
    anything's values and the same for all."""
    corner = lambda layer: np.nan_to_num(layer.at_corners().astype(np.float64), nan=-1e9)
    for layers, step in ((cut.uvs, _UV), (cut.colours, _COLOUR)):
        for layer in layers:
            yield corner(layer), step
    for directions in (cut.normals, cut.tangents):
        if directions is not None:
            yield corner(directions), _DIRECTION
    for morph in cut.morphs:
        largest = float(np.abs(morph.positions).max(initial=0.0))
        yield morph.positions[cut.corners], STEPS * float(np.spacing(np.float32(largest)))
        if morph.normals is not None and cut.normals is not None:
            yield np.nan_to_num(np.where(cut.normals.index[:, None] >= 0, morph.normals[cut.normals.index], -1e9)), _DIRECTION


def weight_rows(mesh: Mesh) -> I64:
    """(V,) int64 the same number for vertices of equal rows of weights."""
    weights = mesh.weights
    assert weights is not None
    numbers: dict[bytes, int] = {}
    joints, shares = np.ascontiguousarray(weights.joints), np.ascontiguousarray(weights.weights)
    starts = weights.starts.tolist()
    return np.array(
        [numbers.setdefault(joints[a:b].tobytes() + shares[a:b].tobytes(), len(numbers)) for a, b in pairwise(starts)],
        np.int64,
    )


def _bent(cut: Mesh, region: I64, area: F64, tolerance: float) -> Bool:
    """(R,) bool: regions that neighbour by neighbour lie flat and as a whole do not: one plane and one map must hold for all of them."""
    count = int(region.max()) + 1
    owner = np.repeat(region, 3)
    position = cut.positions[cut.corners]
    size = np.bincount(owner, minlength=count)
    middle: Array = np.stack([sums_by(owner, position[:, k], count) / size for k in range(3)], axis=1)
    # A single triangle's normal is too rough beside a region a thousand times its size; that of all together is not.
    n: Array = sums_by(region, area, count)
    n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-300)
    away = position - middle[owner]
    out = np.zeros(count, bool)
    axis = np.eye(3)[np.abs(n).argmin(axis=1)]
    u = np.cross(n, axis)
    u = unit_vectors(u)
    v = np.cross(n, u)
    # Each region at size 1, so that the equations are well-posed for all.
    x, y = np.einsum("ij,ij->i", away, u[owner]), np.einsum("ij,ij->i", away, v[owner])
    wide = np.zeros(count)
    np.maximum.at(wide, owner, np.maximum(np.abs(x), np.abs(y)))
    wide[wide == 0] = 1.0
    basis = np.stack([x / wide[owner], y / wide[owner], np.ones(len(x))], axis=1)
    gram = np.stack([sums_by(owner, basis[:, r] * basis[:, c], count) for r in range(3) for c in range(3)], axis=1).reshape(
        -1, 3, 3
    )
    inverse = np.linalg.pinv(gram, hermitian=True)
    height = np.einsum("ij,ij->i", away, n[owner])[:, None]
    for values, step in ((height, tolerance), *_carried(cut)):
        for k in range(values.shape[1]):
            against = np.stack([sums_by(owner, basis[:, r] * values[:, k], count) for r in range(3)], axis=1)
            said = np.einsum("ij,ij->i", basis, np.einsum("nij,nj->ni", inverse, against)[owner])
            np.logical_or.at(out, owner, np.abs(values[:, k] - said) > 2 * step)
    return out


def _without(region: I64, bent: Bool) -> I64:
    """Regions numbered anew, each triangle of a bent one a region of its own."""
    alone = bent[region]
    label = np.where(alone, len(bent) + np.arange(len(region)), region)
    return np.unique(label, return_inverse=True)[1].reshape(-1).astype(np.int64)


def _cut(work: _Work, region: int, loops: list[list[int]] | None) -> _Cut:
    """A region's outline cut into triangles, corners of the triangles' mesh; none where that does not give the very same surface."""
    import mapbox_earcut

    if loops is None:
        return _Cut(region, None)
    mine = work.triangles_of(region)
    n = work.area[mine].sum(axis=0)
    n /= np.linalg.norm(n)
    axis = np.eye(3)[int(np.abs(n).argmin())]
    u = np.cross(n, axis)
    u /= np.linalg.norm(u)
    plane = np.stack([u, np.cross(n, u)], axis=1)
    source = work.corners.reshape(-1)
    ring = np.array([c for loop in loops for c in loop])
    position = work.mesh.positions[work.mesh.corners[source[ring]]]
    flat = np.ascontiguousarray((position - position[0]) @ plane)
    bounds = np.cumsum([len(loop) for loop in loops])
    turned = [_area(flat[b - len(loop) : b]) for b, loop in zip(bounds, loops, strict=True)]
    # One outline runs round the region, all others round its holes.
    outer = int(np.argmax(turned))
    if sum(t > 0 for t in turned) != 1:
        return _Cut(region, None)
    order = [outer, *(k for k in range(len(loops)) if k != outer)]
    index = np.concatenate([np.arange(bounds[k] - len(loops[k]), bounds[k]) for k in order])
    cut = mapbox_earcut.triangulate_float64(flat[index], np.cumsum([len(loops[k]) for k in order]).astype(np.uint32))
    triangles = index[np.asarray(cut, np.int64).reshape(-1, 3)]
    corners = flat[triangles]
    areas = _cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    triangles[areas < 0] = triangles[areas < 0][:, ::-1]
    was = work.mesh.positions[work.mesh.corners[work.corners[mine]]]
    wanted = float(np.linalg.norm(np.cross(was[:, 1] - was[:, 0], was[:, 2] - was[:, 0]), axis=1).sum())
    around = float(np.linalg.norm(np.roll(flat, 1, axis=0) - flat, axis=1).sum())
    if len(triangles) != len(ring) + 2 * len(loops) - 4 or abs(np.abs(areas).sum() - wanted) > 4 * work.tolerance * around:
        return _Cut(region, None)
    if len(loops) == 1 and len(ring) <= 256:
        triangles = less_thin(position, triangles)
    return _Cut(region, ring[triangles])


def _cross(a: F64, b: F64) -> F64:
    out: Array = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    return out


def _area(loop: F64) -> float:
    return float(_cross(loop, np.roll(loop, -1, axis=0)).sum())


def _assembled(work: _Work, cut: list[_Cut]) -> Merged:
    mesh = work.mesh
    changed = np.zeros(work.regions, bool)
    changed[[c.region for c in cut]] = True
    touched = np.zeros(mesh.face_count, bool)
    touched[work.face[changed[work.region]]] = True
    # A polygon of which one triangle goes elsewhere is cut whole.
    left = np.flatnonzero(touched[work.face] & ~changed[work.region])
    first = np.full(work.regions, len(work.face), np.int64)
    np.minimum.at(first, work.region, np.arange(len(work.region)))
    made = [c.triangles for c in cut if c.triangles is not None]
    source = work.corners.reshape(-1)
    new = np.concatenate([source[np.concatenate(made).reshape(-1)].reshape(-1, 3), work.corners[left]])
    new_face = np.concatenate(
        [*(np.full(len(t), work.face[first[c.region]]) for t, c in zip(made, cut, strict=True)), work.face[left]]
    )
    kept = np.flatnonzero(~touched)
    corner_counts = mesh.corner_counts
    face = np.concatenate([kept, new_face])
    counts = np.concatenate([corner_counts[kept], np.full(len(new), 3)])
    corners = np.concatenate([np.flatnonzero(~touched[face_of_corner(mesh)]), new.reshape(-1)])
    begin = np.cumsum(counts) - counts
    order = np.argsort(face, kind="stable")
    counts = counts[order]
    at = np.repeat(begin[order] - (np.cumsum(counts) - counts), counts) + np.arange(int(counts.sum()))
    after = recut(mesh, corners[at], np.concatenate([[0], np.cumsum(counts)]), face[order])
    after = only_used_values(only_vertices(after, used_vertices(after) | ~used_vertices(mesh)))
    return Merged(after, mesh.triangle_count - after.triangle_count, np.flatnonzero(touched).astype(np.int32))

"""The walk-round test: what share of the rays from all round meets the back of a face first, and from where the most do."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..geometry.rays import RayScene, sphere_directions
from ..geometry.sums import sums_by
from ..words.arrays import F32, F64, I32, I64, Array, Bool
from .facing import Placed

#: Directions from which parallel rays come, and rays along each side of their square.
DIRECTIONS, ACROSS = 42, 40
#: Loose pieces from which on half as many rays are cast along each side: they lie through each other, and each ray costs many times more.
PIECES = 5_000
#: A front that lies this near behind a back, as a share of the model's size, is what is seen in its place: sheets stood back to back.
BEHIND = 2e-3
#: Triangles up to which it is looked for those that lie in the very place of another, and how finely their middles are told apart.
_TWINS, _FINE = 60_000, 1e6
#: Holes that rays are aimed at, and rays for each.
HOLES, RAYS_A_HOLE = 2_000, 16


@dataclass(frozen=True, eq=False)
class WalkRound:
    """rays: those that met the model. backs: of these, met the back of a face that is drawn from one side only.

    worst: unit vector from the model towards the place where the most backs are met, None where none is; worst_share: there.
    open_holes: (n,) positions in the holes given through which a back is met. backs_of: backs by the position of their part.
    """

    rays: int
    backs: int
    worst: F64 | None
    worst_share: float
    open_holes: I64
    backs_of: dict[int, int]


def walk_round(parts: list[Placed], rays: RayScene, double_sided: list[Bool], holes: F64) -> WalkRound:
    """Look at the model from all round.

    double_sided: (F,) bool for each part, faces that are drawn from both sides. holes: (n, 3) world middles of open edges.
    A hole that is smaller than the gaps between the rays is met by rays that are aimed at it.
    """
    fronts = _Fronts(rays, parts, double_sided)
    met, backs = np.zeros(DIRECTIONS, np.int64), np.zeros(DIRECTIONS, np.int64)
    of_parts = np.zeros(len(parts), np.int64)
    views = sphere_directions(DIRECTIONS)
    loose = sum(part.patches.number for part in parts) > PIECES
    across, holes = (ACROSS // 2, holes[: HOLES // 4]) if loose else (ACROSS, holes)
    for k, view in enumerate(views):
        hit, back, part, _ = _look(rays, _screen(view, across), np.tile(-view, (across * across, 1)), fronts)
        met[k], backs[k] = hit.sum(), back.sum()
        of_parts += np.bincount(part[back], minlength=len(parts))
    share = backs / np.maximum(met, 1)
    worst = int(share.argmax())
    found, towards = _seen_from_outside(rays, holes[:HOLES], fronts)
    direction = views[worst] if backs.sum() else towards
    return WalkRound(
        int(met.sum()),
        int(backs.sum()),
        direction,
        float(share[worst]),
        found,
        {k: n for k, n in enumerate(of_parts.tolist()) if n},
    )


class _Fronts:
    """Which way triangles are drawn: normals by winding, turned under a mirror, and whether one side only is drawn."""

    def __init__(self, rays: RayScene, parts: list[Placed], double_sided: list[Bool]) -> None:
        self.rays, self.parts = rays, parts
        counts = [len(part.triangles) for part in parts]
        self.begins = np.cumsum([0, *counts])
        self.mirrored = np.array([part.mirrored for part in parts])
        self.single = np.concatenate([~both[part.face] for part, both in zip(parts, double_sided, strict=True)])

    def back(self, triangles: I32, directions: F64) -> Bool:
        """(n,) bool: whether rays that meet triangles meet a back that is not drawn.

        triangles: (n,) int.
        directions: (n, 3) float64.
        """
        normals = self.rays.normals(triangles)
        lean = np.einsum("ij,ij->i", normals, directions)
        lean[self.mirrored[np.searchsorted(self.begins, triangles, side="right") - 1]] *= -1
        answer: Bool = (lean > 1e-4 * np.abs(normals).max(axis=1, initial=0.0)) & self.single[triangles]
        return answer

    def uncovered(self, origins: F64, directions: F64, triangles: I32, distances: F32) -> Bool:
        """(n,) bool: of rays that met a back, those in whose place no front is drawn, be it behind it or in the very same one.

        origins, directions: (n, 3) float64, in the unit frame.
        triangles: (n,) int, what was met.
        distances: (n,) float, in lengths of the direction.
        """
        behind = origins + directions * (distances[:, None] + 1e-6)
        hit = self.rays.first(behind, directions)
        near = (hit.triangle >= 0) & (hit.distance < BEHIND)
        near[near] = ~self.back(hit.triangle[near], directions[near])
        return ~near & ~self._twofold[triangles]

    @cached_property
    def _twofold(self) -> Bool:
        """(T,) bool: triangles of faces with another over the same corners that is wound against them."""
        out = np.zeros(len(self.single), bool)
        if len(out) > _TWINS or any((part.mesh.corner_counts == 0).any() or not len(part.face) for part in self.parts):
            return out
        keys, normals = [], []
        for k, part in enumerate(self.parts):
            with np.errstate(all="ignore"):
                corners = np.rint(np.nan_to_num(self.rays.to_unit(part.points)[part.mesh.corners]) * _FINE)
            # Sums of corners and of their squares: the same wherever a face begins.
            begins = part.mesh.starts[:-1]
            keys.append(np.concatenate([np.add.reduceat(corners, begins), np.add.reduceat(corners**2, begins)], axis=1))
            own = self.rays.normals(np.arange(self.begins[k], self.begins[k + 1])) * (-1 if part.mirrored else 1)
            normals.append(sums_by(part.face, own, part.mesh.face_count))
        key, normal = np.concatenate(keys), np.concatenate(normals)
        order = np.lexsort(key.T)
        same = (key[order][1:] == key[order][:-1]).all(axis=1)
        a, b = order[:-1][same], order[1:][same]
        against = np.einsum("ij,ij->i", normal[a], normal[b]) < 0
        twins = np.zeros(len(key), bool)
        twins[a[against]] = twins[b[against]] = True
        first = np.cumsum([0, *(part.mesh.face_count for part in self.parts)])
        return np.concatenate([twins[first[k] + part.face] for k, part in enumerate(self.parts)])


def _screen(view: F64, count: int) -> F64:
    """(n, 3) starts of parallel rays, so many along each side, on a square that covers the unit ball, seen from a direction."""
    across = np.cross(view, [0.0, 1.0, 0.0] if abs(view[1]) < 0.9 else [1.0, 0.0, 0.0])
    across /= np.linalg.norm(across)
    along = np.cross(across, view)
    steps = (np.arange(count) + 0.5) / count - 0.5
    u, v = np.meshgrid(steps, steps)
    answer: Array = view + u.reshape(-1, 1) * across + v.reshape(-1, 1) * along
    return answer


def _look(rays: RayScene, starts: F64, directions: F64, fronts: _Fronts) -> tuple[Bool, Bool, I64, F32]:
    """(n,) whether each ray meets anything, whether that is a back that is not drawn, the part that it is of, and how far off."""
    hit = rays.first(starts, directions)
    met = hit.triangle >= 0
    back = np.zeros(len(met), bool)
    back[met] = fronts.back(hit.triangle[met], directions[met])
    if back.any():
        back[back] = fronts.uncovered(starts[back], directions[back], hit.triangle[back], hit.distance[back])
    part = np.searchsorted(fronts.begins, hit.triangle, side="right") - 1
    return met, back, part, hit.distance


def _seen_from_outside(rays: RayScene, holes: F64, fronts: _Fronts) -> tuple[Array, Array | None]:
    """Holes through which rays from outside meet a back, and the direction from which one does."""
    if not len(holes):
        return np.zeros(0, np.int64), None
    views = sphere_directions(RAYS_A_HOLE)
    middles = np.repeat(rays.to_unit(holes), RAYS_A_HOLE, axis=0)
    from_ = np.tile(views, (len(holes), 1))
    # Past the hole's own middle: what lies before it would hide it.
    met, back, _, distance = _look(rays, middles + 2 * from_, -from_, fronts)
    beyond = distance > 2 - 1e-4
    seen = (met & back & beyond).reshape(len(holes), RAYS_A_HOLE)
    found = np.flatnonzero(seen.any(axis=1))
    return found, views[int(seen[found[0]].argmax())] if len(found) else None

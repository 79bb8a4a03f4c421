"""What a changed surface costs, measured on the result: distance both ways, shading, outline, UVs and weights."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..geometry.distinct import used_indices
from ..geometry.triangles import triangulate
from ..geometry.uv_islands import NO_AREA
from ..scene.matrices import unit_vectors
from ..scene.model import Mesh
from ..words.arrays import F64, I64, Array, Bool
from .nearest import PROBES, Nearest, Samples, Spread, Tree
from .silhouette import outline_change

#: Samples of each surface; the points of both are looked at besides.
SAMPLES, POINTS = 60_000, 60_000
#: Islands of UVs that are followed one by one, the largest first.
_ISLANDS = 128


class Price(NamedTuple):
    """greatest, mean: distance between the surfaces, the larger of both ways, in the unit of positions. diagonal: of the surface before.
    turn: mean angle between normals in degrees. outline: pixels of a picture 256 high. drifts: (n,) shifts of UVs at samples
    of the surface, in UV units; None without UVs. weights: greatest change of a weight; None without skin."""

    greatest: float
    mean: float
    diagonal: float
    turn: float
    outline: float
    drifts: Array | None
    weights: float | None

    @property
    def drift(self) -> float | None:
        """Of all but one in a thousand."""
        return None if self.drifts is None else float(np.quantile(self.drifts, 0.999))

    @property
    def drift_mean(self) -> float | None:
        return None if self.drifts is None else float(self.drifts.mean())


@dataclass(frozen=True, eq=False)
class Surface:
    """positions: (V, 3). triangles: (T, 3). uv: (T, 3, 2) at corners, or None. island: (T,) which island of UVs each lies in, numbered
    alike before and after. weights: (V, J) or None."""

    positions: F64
    triangles: I64
    uv: F64 | None = None
    island: I64 | None = None
    weights: Array | None = None

    @cached_property
    def tree(self) -> Tree:
        return Tree(self.positions, self.triangles)

    @cached_property
    def spread(self) -> Spread:
        return Spread(self.positions, self.triangles)

    @cached_property
    def used(self) -> Array:
        """(n,) points that triangles have."""
        return used_indices(self.triangles, len(self.positions))


def surface_of(mesh: Mesh, uv_set: int = 0) -> Surface:
    """A mesh as its price is taken from it; islands are told apart by how triangles hang together in the UV set."""
    corners, _ = triangulate(mesh)
    triangles = mesh.corners[corners].astype(np.int64)
    if uv_set >= len(mesh.uvs) or not len(mesh.uvs[uv_set].values):
        return Surface(mesh.positions, triangles)
    return Surface(mesh.positions, triangles, np.nan_to_num(mesh.uvs[uv_set].at_corners().astype(np.float64))[corners])


def distances(before: Surface, after: Surface, samples: int = SAMPLES, points: int = POINTS) -> tuple[float, float]:
    """Greatest and mean distance between two surfaces, the larger of both ways; the diagonal of the first where the other is empty."""
    if not len(before.triangles) or not len(after.triangles):
        size = _diagonal(before)
        return size, size
    there = [_way(a, b, samples, points)[2] for a, b in ((before, after), (after, before))]
    return max(g for g, _ in there), max(m for _, m in there)


def price(before: Surface, after: Surface, count: int = SAMPLES, points: int = POINTS, outline: bool = True) -> Price:
    """Measure what it costs to have `after` where `before` was. count, points: samples, and points of each surface that are looked at
    besides. outline: whether the outline is looked at too, which takes longest."""
    diagonal = _diagonal(before)
    if not len(after.triangles):
        return Price(diagonal, diagonal, diagonal, 90.0, 256.0, None, None)
    samples, found, forth = _way(before, after, count, points)
    back = _way(after, before, count, points)[2]
    spread_only = Nearest(*(x[: len(samples.triangle)] for x in found))
    cosine = _cosine(before, after, samples, spread_only)
    # Of walls without thickness the nearest is either side: what looks the other way is not what was there.
    alike = cosine > 0
    shifts = _drift(before, after, samples, spread_only, alike)
    weights = _weights(before, after, samples, spread_only)
    moved = outline_change((before.positions, before.triangles), (after.positions, after.triangles)) if outline else 0.0
    turn = float(np.degrees(np.arccos(cosine[alike])).mean()) if alike.any() else 0.0
    return Price(max(forth[0], back[0]), max(forth[1], back[1]), diagonal, turn, moved, shifts, weights)


def _diagonal(surface: Surface) -> float:
    if not len(surface.triangles):
        return 0.0
    position = surface.positions[surface.triangles]
    return float(np.linalg.norm(position.max(axis=(0, 1)) - position.min(axis=(0, 1))))


def _way(one: Surface, other: Surface, count: int, points: int) -> tuple[Samples, Nearest, tuple[float, float]]:
    """Samples of one surface, the nearest to them and to its points on the other, and greatest and mean distance."""
    used = one.used
    # What lies amid large faces costs more to ask for than what lies at their corners, as a rule.
    probes = np.concatenate([one.spread.samples(PROBES).points, one.positions[used[:: max(1, len(used) // PROBES)]]])
    afforded = other.tree.affords(probes)
    count, points = min(count, afforded // 2), min(points, max(afforded // 2, 1))
    samples = one.spread.samples(count)
    used = used[:: max(1, len(used) // points)]
    found = other.tree.nearest(np.concatenate([samples.points, one.positions[used]]))
    if not len(samples.points):
        return samples, found, (float(found.distance.max(initial=0.0)), 0.0)
    # A surface's farthest point is at a point of its own or inside a face over an edge of the other: samples find those.
    return samples, found, (float(found.distance.max()), float(found.distance[: len(samples.points)].mean()))


def _cosine(before: Surface, after: Surface, samples: Samples, found: Nearest) -> F64:
    """(n,) of the angle between the faces that samples lie in and those that are nearest to them."""
    unit = [_unit_normals(s.positions, s.triangles) for s in (before, after)]
    out: Array = np.clip(np.einsum("ij,ij->i", unit[0][samples.triangle], unit[1][found.triangle]), -1, 1)
    return out


def _unit_normals(positions: F64, triangles: I64) -> F64:
    position = positions[triangles]
    area = np.cross(position[:, 1] - position[:, 0], position[:, 2] - position[:, 0])
    return unit_vectors(area)


def drift(before: Surface, after: Surface, count: int) -> F64 | None:
    """The shifts of UVs alone, as in a price. count: samples."""
    samples, found, _ = _way(before, after, count, 1)
    spread_only = Nearest(*(x[: len(samples.triangle)] for x in found))
    return _drift(before, after, samples, spread_only, _cosine(before, after, samples, spread_only) > 0)


def _drift(before: Surface, after: Surface, samples: Samples, found: Nearest, alike: Bool) -> F64 | None:
    """(n,) shifts of UVs, in UV units, where islands are known alike; None without UVs. Faces without an area in the UVs are left out: they
    show a smear, which has no place that it could slide from."""
    if before.uv is None or after.uv is None or not len(samples.triangle):
        return None
    was = np.einsum("ij,ijk->ik", samples.weight, before.uv[samples.triangle])
    at, weight = found.triangle.copy(), found.weight.copy()
    known = np.ones(len(at), bool)
    if before.island is not None and after.island is not None:
        mine = before.island[samples.triangle]
        strayed = after.island[at] != mine
        known = ~strayed
        # Near a seam the nearest point may lie in the next island: those are looked for in their own.
        islands, count = np.unique(mine[strayed], return_counts=True)
        for island in islands[np.argsort(-count)][:_ISLANDS].tolist():
            rows = np.flatnonzero(strayed & (mine == island))
            own = np.flatnonzero(after.island == island)
            if len(own):
                again = Tree(after.positions, after.triangles[own]).nearest(samples.points[rows])
                at[rows], weight[rows] = own[again.triangle], again.weight
                known[rows] = True
    area = _uv_areas(before.uv)
    known &= alike & (area > NO_AREA)[samples.triangle]
    if not known.any():
        return None
    now = np.einsum("ij,ijk->ik", weight, after.uv[at])
    shifts: Array = np.linalg.norm(now - was, axis=1)[known]
    return shifts


def _uv_areas(uv: F64) -> F64:
    """(T,) doubled areas of triangles in the UVs."""
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    out: Array = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return out


def _weights(before: Surface, after: Surface, samples: Samples, found: Nearest) -> float | None:
    if before.weights is None or after.weights is None:
        return None
    was = np.einsum("ij,ijk->ik", samples.weight, before.weights[before.triangles[samples.triangle]])
    now = np.einsum("ij,ijk->ik", found.weight, after.weights[after.triangles[found.triangle]])
    return float(np.abs(now - was).max(initial=0.0))

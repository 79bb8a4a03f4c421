"""A mesh with fewer triangles, by collapsing edges in the order of their quadric error, seams and borders kept.

The error is that of Garland and Heckbert (1997), worked out by the library; what a result costs is measured on it (`price`) and never
taken from there.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..geometry.distinct import used_indices
from ..geometry.flips import thinness
from ..geometry.needles import without_needles
from ..geometry.recut import only_used_values, only_vertices, recut, used_vertices
from ..geometry.smoothing import smooth_normals
from ..geometry.sums import sums_by
from ..geometry.topology import NEEDLE
from ..machine.meshopt import simplified
from ..scene.matrices import UP_NORMAL, unit_vectors
from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F64, I64, Array, Bool
from .fitting import MOST, fitted, values_fitted
from .flipping import MOST as MOST_SWAPPED
from .flipping import swap_edges
from .price import Surface, distances
from .soundness import lost, ring, unsound, without_collapsed_walls, without_flat
from .wedges import HARD, MANY, Wedges, wedges

#: The greatest error, as a share of the largest extent, at which edges are still collapsed: past it small pieces are torn from what
#: they were, and nobody would call it the same thing.
TORN = 0.1
#: A part never goes as a whole: so many triangles stay.
_LEAST = 4
#: How often what became no surface is held back, or collapsed further.
_ROUNDS = 9
#: How often lost islands are held back in a large mesh, where a round takes a second or more and what became no surface is not.
_AGAIN = 2
#: How many points may be held back at most, for each triangle that is left, and what share of the triangles is left at least where
#: more are collapsed to mend what is folded.
_HELD, _SPENT = 1 / 8, 0.97
#: Triangles up to which a result is measured with its sides turned and without, and the samples for that.
_HANDFUL, _PROBED = 500, 10_000
#: How far fans that only touch are drawn apart, as a share of the largest extent.
_HAIR = 2e-6
#: By what that has to lower the cost, or what is left, to be worth it.
_MUCH_LESS = 0.75
#: Share of needles from which on a mesh is one of needles, such as a fan: looking at each of them would only cost time.
_SLENDER = 0.2


@dataclass(frozen=True, eq=False)
class Reduced:
    """mesh: as it became. triangles: (T', 3) wedges of before that its triangles have."""

    mesh: Mesh
    triangles: I64


class Reducer:
    """One mesh, taken apart once, to be reduced to several counts."""

    def __init__(self, mesh: Mesh, level: int = 0) -> None:
        """level: of what is kept, as `wedges` has it."""
        self.mesh = mesh
        self.wedges: Wedges = wedges(mesh, level)
        positions = self.wedges.positions
        finite = np.isfinite(positions).all()
        low, high = (positions.min(axis=0), positions.max(axis=0)) if len(positions) and finite else (np.zeros(3), np.ones(3))
        #: The largest extent, which the library's errors are shares of.
        self.extent = float((high - low).max()) or 1.0
        self.able = bool(finite) and len(self.wedges.triangles) > 1
        self._unit = (positions - (low + high) / 2) / self.extent
        points = int(self.wedges.point.max(initial=-1)) + 1
        #: In what points were no surface's before, and of which of them that is known: few are ever asked for.
        self._wrong_before, self._known_before = np.zeros(points, np.uint8), np.zeros(points, bool)

    @cached_property
    def count(self) -> int:
        return len(self.wedges.triangles)

    def triangles(self, target: int, error: float = np.inf) -> I64:
        """(n, 3) wedges of the triangles that are left at a count, or before an error (in the mesh's unit) is passed; more where the rest cannot go
        without tearing."""
        return self._left(target, error)

    def sound(self, left: I64) -> I64:
        """Triangles (n, 3) of wedges, a surface wherever there was one: what became none is held back and reduced elsewhere instead;
        what is folded still, or where the mesh is large, has edges about it collapsed, for a few triangles fewer.

        left: (n, 3) int.
        """
        if not self.able or len(left) >= self.count:
            return left
        wedges = self.wedges
        out = without_collapsed_walls(wedges, self._collapsed_further(self._collapse_with_pins(left)))
        if len(out) > MOST_SWAPPED:
            return out
        turned = swap_edges(self._before.tree, wedges.positions, out, wedges.point)
        # Where a handful stands for many pieces a side that lies nearer can still cut off what stood out: there it is measured.
        return turned if len(out) > _HANDFUL else min((turned, out), key=self._mean_distance)

    def _mean_distance(self, triangles: I64) -> float:
        """Mean distance of triangles of wedges, their points fitted, from the surface of before."""
        return distances(self._before, Surface(self.placed(triangles), triangles), _PROBED, _PROBED)[1]

    def _collapse_with_pins(self, left: I64) -> I64:
        """As many triangles, with what became no surface held back, further round each time; in a large mesh islands of UVs that have
        gone alone, since each time costs as much as the first."""
        wedges, large = self.wedges, self.count >= MANY
        held = np.zeros(int(wedges.point.max(initial=-1)) + 1, bool)
        best, fewest, most = left, len(held) + 1, 1.02 * len(left)
        for n in range(_AGAIN if large else _ROUNDS):
            wrong = np.zeros(len(held), bool) if large else self._wrong(left, None)
            # An island of UVs that has gone whole: its picture is nowhere any more.
            wrong[wedges.point[lost(wedges, left)]] = True
            if len(left) <= most and wrong.sum() < fewest:
                best, fewest = left, int(wrong.sum())
            if not wrong.any() or len(left) > most:
                break
            held |= ring(wedges.point[wedges.triangles], wrong, n // 3)
            if held.sum() > _HELD * len(left):
                break  # so many are held that all else would pay for it
            left = self._left(len(best), np.inf, held)
        return best

    def _collapsed_further(self, left: I64) -> I64:
        """Fewer triangles, by some per cent at most, with edges collapsed about what is no surface, as often as helps."""
        best, wrong, least = left, self._wrong(left, None), _SPENT * len(left)
        fewest = int(wrong.sum())
        for _ in range(_ROUNDS):
            if not wrong.any() or len(left) < least:
                break
            left, about = self._collapsed_about(left, wrong)
            wrong = self._wrong(left, about | wrong)
            if wrong.sum() < fewest and len(left) >= least:
                best, fewest = left, int(wrong.sum())
        return best

    def _wrong(self, triangles: I64, about: Array | None) -> Bool:
        """(P,) bool: points, of those about (P,) or of all, that are as no surface's are in a way in which they were not before."""
        wrong = unsound(self.wedges, triangles, self._normals, about)
        unasked = (wrong != 0) & ~self._known_before
        if unasked.any():
            self._known_before |= unasked
            self._wrong_before |= unsound(self.wedges, self.wedges.triangles, self._normals, unasked)
        return np.asarray((wrong & ~self._wrong_before) != 0)

    def _collapsed_about(self, triangles: Array, wrong: Array) -> tuple[Array, Array]:
        """Triangles with edges about some points (P,) bool collapsed, and (P,) bool the points that this may have changed."""
        wedges = self.wedges
        near = ring(wedges.point[triangles], wrong, 1)
        touched = near[wedges.point[triangles]].any(axis=1)
        used, local = np.unique(triangles[touched], return_inverse=True)
        points = self._with_pins(self._unit[used], ~near[wedges.point[used]])
        wanted = max(int(touched.sum()) - max(int(wrong.sum()) // 2, 2), 0)
        made = simplified(points, local.reshape(-1, 3), wanted, TORN)[0]
        out = np.concatenate([triangles[~touched], without_flat(self._unit, used[made])])
        about = np.zeros(len(near), bool)
        about[wedges.point[used]] = True
        return out, about

    def _left(self, target: int, error: float, pinned: Bool | None = None) -> I64:
        wanted = max(target, _LEAST)
        if not self.able or wanted >= self.count:
            return self.wedges.triangles
        most = min(error / self.extent, TORN)
        ways = [self._unit] if self._separated is None else [self._unit, self._separated]
        points = [way if pinned is None else self._with_pins(way, pinned[self.wedges.point]) for way in ways]
        found = [simplified(point, self.wedges.triangles, wanted, most) for point in points]
        (left, cost), (apart, less) = found[0], found[-1]
        # Where little goes, fans that touch are best held: what is about them is spared.
        better = less < _MUCH_LESS * cost or len(apart) < _MUCH_LESS * len(left)
        return without_flat(self._unit, apart if better else left)

    @cached_property
    def _separated(self) -> Array | None:
        """Positions (W, 3) of wedges with those of fans that only touch drawn apart; None where none do."""
        return _with_fans_separated(self.wedges, self._unit) if self.wedges.touching.any() else None

    @staticmethod
    def _with_pins(points: Array, pinned: Array) -> Array:
        """Points (n, 3), and behind them what holds some: a place that three share is one that the library moves nothing away from."""
        return np.concatenate([points, points[pinned], points[pinned]])

    @cached_property
    def _normals(self) -> Array | None:
        """(W, 3) unit normals that stood at wedges, each the mean of its fan; None without."""
        wedges = self.wedges
        if wedges.cut.normals is None or wedges.faceted or wedges.level > 1:
            return None
        stored = np.nan_to_num(wedges.cut.normals.at_corners().astype(np.float64)).reshape(-1, 3, 3)[wedges.of]
        count = len(wedges.corner)
        return _unit(
            np.stack([sums_by(wedges.triangles.reshape(-1), stored[:, :, x].reshape(-1), count) for x in range(3)], axis=1)
        )

    def placed(self, triangles: I64, most: int = MOST) -> F64:
        """(W, 3) positions of wedges: those of kept ones fitted to the surface of before, where they are free to move. most: samples
        that they are fitted by.

        triangles: (n, 3) int, of wedges.
        """
        wedges = self.wedges
        used = used_indices(triangles, len(wedges.corner))
        points, local = np.unique(wedges.point[used], return_inverse=True)
        number = np.zeros(len(wedges.corner), np.int64)
        number[used] = local.reshape(-1)
        start = np.zeros((len(points), 3))
        start[number[used]] = wedges.positions[used]
        fixed = np.zeros(len(points), bool)
        fixed[number[used]] = wedges.fixed[used]
        fixed |= self._bound[points]
        moved = fitted(self._before.spread, start, number[triangles], fixed, most)
        out = wedges.positions.copy()
        out[used] = moved[number[used]]
        return out

    @cached_property
    def _before(self) -> Surface:
        return Surface(self.wedges.positions, self.wedges.triangles)

    @cached_property
    def _bound(self) -> Bool:
        """(P,) bool: welded points that lines and point elements use."""
        mesh, at = self.wedges.cut, self.wedges
        out = np.zeros(int(at.point.max(initial=-1)) + 1, bool)
        bound = np.zeros(len(mesh.positions), bool)
        bound[mesh.lines.reshape(-1)] = True
        bound[mesh.points] = True
        out[at.point[bound[mesh.corners[at.corner]]]] = True
        return out

    def reduced(self, triangles: I64) -> Reduced:
        """The mesh of triangles of wedges: points fitted, needles taken out, UVs laid to show what they showed, normals as they were shaded.

        triangles: (n, 3) int, of wedges.
        """
        wedges = self.wedges
        placed = self.placed(triangles)
        cut = wedges.cut
        order = wedges.corner[triangles.reshape(-1)]
        made = recut(cut, order, np.arange(len(triangles) + 1) * 3, _face_of(wedges, triangles))
        positions = cut.positions.copy()
        # Vertices in one place are one point: each of them moves along.
        positions[cut.corners[wedges.corner]] = placed
        positions[cut.corners[order]] = placed[triangles.reshape(-1)]
        made = replace(made, positions=frozen(positions))
        # What no face used before stays; what needles leave without a face goes with them.
        made = only_vertices(made, used_vertices(made) | ~used_vertices(cut))
        made, triangles = _without_needles(made, triangles)
        made = replace(made, uvs=tuple(self._reduced_uvs(layer, triangles, placed) for layer in cut.uvs))
        if cut.normals is not None:
            made = self._shaded(made, triangles)
        return Reduced(only_used_values(made), triangles)

    def _shaded(self, mesh: Mesh, triangles: I64) -> Mesh:
        """The reduced mesh with normals: those of its wedges; each face's own where they were that; made anew where no hard edge was kept."""
        assert mesh.normals is not None
        normals, index = self._normals, triangles.reshape(-1)
        if normals is None and not self.wedges.faceted:
            return replace(mesh, normals=smooth_normals(mesh, HARD)[0])
        if normals is None:
            places = mesh.positions[mesh.corners].reshape(-1, 3, 3)
            normals = _unit(np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]))
            index = np.repeat(np.arange(len(normals)), 3)
        else:
            normals, index = _along(mesh, normals, index)
        return replace(mesh, normals=Layer(frozen(normals.astype(mesh.normals.values.dtype)), frozen(index.astype(np.int32))))

    def _reduced_uvs(self, layer: Layer, triangles: I64, placed: F64) -> Layer:
        """A UV set on the reduced surface: at seams as it was, elsewhere as it shows each place nearest to where it showed it."""
        wedges = self.wedges
        index = layer.index[wedges.corner]
        if not len(layer.values) or (index < 0).any():
            return Layer(layer.values, frozen(layer.index[wedges.corner[triangles.reshape(-1)]]))
        values = values_fitted(self._before.spread, placed, triangles, layer.values[index], wedges.fixed, wedges.chart)
        return Layer(frozen(values.astype(layer.values.dtype)), frozen(triangles.reshape(-1).astype(np.int32)))


def _with_fans_separated(wedges: Wedges, unit: Array) -> Array:
    """Positions (W, 3), those of fans that only touch in a point drawn apart by a hair: to the library they would else be one tangle, of which
    nothing may move, and all that is left to collapse would pay for it."""
    more = np.flatnonzero(wedges.touching > 0)
    triangles = wedges.triangles
    middle = unit[triangles].mean(axis=1)
    count = np.maximum(np.bincount(triangles.reshape(-1), minlength=len(unit)), 1)[:, None]
    about = sums_by(triangles.reshape(-1), np.repeat(middle, 3, axis=0), len(unit)) / count
    # All wedges of one fan go the same way.
    key = wedges.point[more] * (int(wedges.touching.max()) + 1) + wedges.touching[more]
    _, fan = np.unique(key, return_inverse=True)
    way = sums_by(fan, (about - unit)[more], int(fan.max(initial=-1)) + 1)
    out = unit.copy()
    out[more] += _HAIR * _unit(way)[fan]
    return out


def _without_needles(mesh: Mesh, triangles: I64) -> tuple[Mesh, Array]:
    """The mesh with fewer needles, and the wedges of its triangles. triangles: (T, 3) wedges."""
    if (thinness(*mesh.positions[mesh.corners].reshape(-1, 3, 3).swapaxes(0, 1)) < NEEDLE).mean() > _SLENDER:
        return mesh, triangles
    numbers = Layer(
        np.arange(int(triangles.max(initial=-1)) + 1, dtype=np.float64)[:, None], triangles.reshape(-1).astype(np.int32)
    )
    made = without_needles(replace(mesh, colours=(*mesh.colours, numbers)))
    kept = made.colours[-1]
    return replace(made, colours=made.colours[:-1]), np.rint(kept.values[kept.index, 0]).astype(np.int64).reshape(-1, 3)


def _along(mesh: Mesh, normals: F64, index: I64) -> tuple[F64, I64]:
    """Normals and the index of each corner's, those that look away from their face replaced by the face's own."""
    places = mesh.positions[mesh.corners].reshape(-1, 3, 3)
    own = _unit(np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]))
    face = np.repeat(np.arange(len(own)), 3)
    away = np.einsum("ij,ij->i", normals[index], own[face]) <= 0.02
    needed, local = np.unique(face[away], return_inverse=True)
    out = index.copy()
    out[away] = len(normals) + local.reshape(-1)
    return np.concatenate([normals, own[needed]]), out


def _face_of(wedges: Wedges, triangles: I64) -> I64:
    """(n,) for each triangle the cut's face whose slot and groups it has: that of its first wedge's corner."""
    face: Array = wedges.corner[triangles[:, 0]] // 3
    return face


def _unit(vectors: F64) -> F64:
    return unit_vectors(vectors, UP_NORMAL, above=1e-300)

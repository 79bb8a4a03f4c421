"""Parts that are reduced together: one by one, all to one error, or as far as a distance allows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

import numpy as np

from ...limits import MendError
from ...reduction.collapse import Reduced, Reducer
from ...reduction.halves import Halves, halves
from ...reduction.price import Surface, distances, drift
from ...reduction.soundness import lost
from ...reduction.wedges import LEVELS
from ...scene import Mesh, Scene
from ...scene.placed import mesh_units
from ...scene.weighing import vertex_of_weight
from ...words.arrays import F64, I64, Array
from .messages import say

#: Rounds of looking for the error, or the count, at which a wish is met.
_ROUNDS = 14
#: Triangles up to which it is looked for how many would hold pictures in their place, in how many steps, with how many samples each, and
#: what share of all is looked at first.
_SEARCHED, _STEPS, _LOOKS, _MOST = 60_000, 3, 20_000, 0.9
#: How often a few more triangles are left where the finished surface lies farther off than it may.
_MORE = 12


class Part:
    """A mesh to be reduced. unit: metres in its unit; times: how often it is shown; level: of what is kept of it."""

    def __init__(self, mesh: Mesh, unit: float, times: int, symmetric: str = "no", level: int = 0) -> None:
        self.mesh, self.unit, self.times = mesh, unit, times
        self.halves: Halves | None = None
        if symmetric != "no":
            self.halves = halves(mesh, "xyz".index(symmetric))
            if self.halves is None:
                raise MendError(say("budget.reduce.not-symmetric", mesh=mesh.name or "A part", axis=symmetric))
        self.reducer = Reducer(mesh if self.halves is None else self.halves.half, level)
        self.factor = 1 if self.halves is None else 2

    @property
    def count(self) -> int:
        return self.reducer.count * self.factor

    def to(self, count: int, error: float = np.inf) -> I64:
        """Triangles that are left; error: in metres."""
        return self.reducer.triangles(max(count // self.factor, 0), error / self.unit)

    def sound(self, left: I64) -> I64:
        """`left`, a surface wherever there was one, a few triangles fewer.

        left: (n, 3) int, of wedges.
        """
        return self.reducer.sound(left)

    def islands_lost(self, left: I64) -> int:
        """How many islands between seams have no triangle left; 0 without UVs.

        left: (n, 3) int, of wedges.
        """
        wedges = self.reducer.wedges
        return len(np.unique(wedges.chart[lost(wedges, left)])) * self.factor if wedges.cut.uvs else 0

    def result(self, left: I64) -> tuple[Mesh, Reduced]:
        reduced = self.reducer.reduced(left)
        return reduced.mesh if self.halves is None else self.halves.mirrored(reduced.mesh), reduced

    def holding(self, shift: float) -> int | None:
        """About the fewest triangles, a quarter of all or more, at which UVs shift by no more than this (in UV units, in all but one place of a
        thousand); None where there are none, or where looking for them would take long."""

        def holds(count: float) -> bool:
            found = drift(*self.surfaces(self.result(self.to(int(count)))[1]), _LOOKS)
            return found is None or float(np.quantile(found, 0.999)) <= shift

        if self.count > _SEARCHED or not holds(_MOST * self.count):
            return None
        return int(_bisect(holds, self.count / 4, _MOST * self.count, _STEPS))

    def surfaces(self, reduced: Reduced) -> tuple[Surface, Surface]:
        """What is compared: before and after, with islands and joints numbered alike."""
        wedges, after = self.reducer.wedges, reduced.mesh
        joints = np.unique(wedges.cut.weights.joints) if wedges.cut.weights is not None else None
        return (
            Surface(
                wedges.positions,
                wedges.triangles,
                _uv(wedges.cut, wedges.corner[wedges.triangles]),
                wedges.chart[wedges.triangles[:, 0]],
                _dense(wedges.cut, joints, wedges.corner),
            ),
            Surface(
                after.positions,
                after.corners.reshape(-1, 3).astype(np.int64),
                _uv(after, np.arange(len(after.corners)).reshape(-1, 3)),
                wedges.chart[reduced.triangles[:, 0]],
                _dense(after, joints, None),
            ),
        )


def _uv(mesh: Mesh, corners: I64) -> F64 | None:
    """(T, 3, 2) of the first UV set at corners (T, 3); None without."""
    if not mesh.uvs or not len(mesh.uvs[0].values):
        return None
    uv: Array = np.nan_to_num(mesh.uvs[0].at_corners().astype(np.float64))[corners]
    return uv


def _dense(mesh: Mesh, joints: Array | None, corner: I64 | None) -> Array | None:
    """(n, J) weights by joints, of corners' vertices or of all; None without skin, or where there are too many to lay out."""
    weights = mesh.weights
    if weights is None or joints is None or len(joints) * len(mesh.positions) > 40_000_000:
        return None
    out = np.zeros((len(mesh.positions), len(joints)), np.float32)
    out[vertex_of_weight(weights), np.searchsorted(joints, weights.joints)] = weights.weights
    return out if corner is None else out[mesh.corners[corner]]


def parts_of(scene: Scene, chosen: Sequence[int], symmetric: str = "no", level: int = 0) -> dict[int, Part]:
    """The meshes of a scene that can be reduced, by their number. Raises MendError where one is not symmetric though it is to be."""
    units = mesh_units(scene)
    times = Counter(n.mesh for n in scene.nodes)
    made = {k: Part(scene.meshes[k], units[k], max(times[k], 1), symmetric, level) for k in chosen}
    return {k: part for k, part in made.items() if part.reducer.able}


def _bisect(meets: Callable[[float], bool], low: float, high: float, rounds: int = _ROUNDS) -> float:
    """The smallest of what meets, between two bounds, by halving their ratio."""
    for _ in range(rounds):
        middle = float(np.sqrt(low * high))
        low, high = (low, middle) if meets(middle) else (middle, high)
    return high


Cut = tuple[dict[int, Part], dict[int, Array]]


def first_level(levels: Callable[[int], dict[int, Part]], target: int) -> Cut:
    """Parts and what is left of them at the first level of what is kept at which they come down to a count; else at that which comes
    nearest. levels: the parts at each level."""
    tried: list[Cut] = []
    for level in LEVELS:
        work = levels(level)
        tried.append((work, all_to(work, target)))
        if left_of(*tried[-1]) <= 1.02 * target + 2:
            return tried[-1]
    return min(tried, key=lambda t: left_of(*t))


def left_of(work: dict[int, Part], cut: dict[int, Array]) -> int:
    """Triangles that are left, over all times that meshes are shown.

    cut: (n, 3) int triangles of wedges, by mesh.
    """
    return sum(len(cut[k]) * w.factor * w.times for k, w in work.items())


def all_to(work: dict[int, Part], target: int) -> dict[int, Array]:
    """Triangles of parts that together come to a count."""
    if len(work) == 1:
        ((k, only),) = work.items()
        return {k: only.to(target // only.times)}
    return shared(work, target)


def shared(work: dict[int, Part], target: int) -> dict[int, Array]:
    """Triangles of each part at the one error at which all together come to a count: none gives up more than another."""
    total = lambda error: sum(len(w.to(0, error)) * w.factor * w.times for w in work.values())
    if target >= sum(w.count * w.times for w in work.values()):
        return {k: w.reducer.wedges.triangles for k, w in work.items()}
    top = max(w.reducer.extent * w.unit for w in work.values())
    error = _bisect(lambda e: total(e) <= target, top * 1e-7, top)
    out = {k: w.to(0, error) for k, w in work.items()}
    # Edges go in batches, so that a little is left over: the part that lost most has it back.
    k, largest = max(work.items(), key=lambda x: x[1].count - len(out[x[0]]) * x[1].factor)
    spare = target - sum(len(out[i]) * w.factor * w.times for i, w in work.items())
    if spare > 0:
        out[k] = largest.to(len(out[k]) * largest.factor + spare // largest.times)
    return out


def within(part: Part, distance: float) -> I64:
    """The fewest triangles of a sound surface that lie no farther off than a distance, in metres, as measured on the result."""
    reducer, wedges = part.reducer, part.reducer.wedges

    before = Surface(wedges.positions, wedges.triangles)

    def good(count: float) -> bool:
        left = part.sound(part.to(int(count)))
        after = Surface(reducer.placed(left), left)
        return distances(before, after, samples=20_000, points=20_000)[0] * part.unit <= distance

    if not good(part.count):
        return reducer.wedges.triangles
    count = _bisect(good, 4.0, float(part.count), 10)
    # What is taken out when all is done, such as needles, moves a little too.
    for _ in range(_MORE):
        left = part.sound(part.to(int(count)))
        if distances(*part.surfaces(part.result(left)[1]))[0] * part.unit <= distance:
            return left
        count *= 1.08
    return reducer.wedges.triangles

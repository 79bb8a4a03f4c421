"""Budget: fewer triangles at a price, which is measured on what came of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from ...kit.choice import PARTS, chosen_meshes
from ...kit.mend import Figure, Outcome, Parameter, mend
from ...limits import MendError
from ...machine.meshopt import library
from ...reduction.collapse import Reduced, Reducer
from ...reduction.halves import Halves, halves
from ...reduction.price import POINTS, SAMPLES, Price, Surface, distances, price
from ...scene import Mesh, Scene
from ...scene.model import Array
from ...scene.placed import mesh_units
from ...surface.decoded import opened
from ...words.figures import about, percent, plain, turn
from .mends import triangle_count

#: Pixels of a picture's side that drifts are told in where no picture is laid on.
TEXELS = 1024
#: Rounds of looking for the error, or the count, at which a wish is met.
_ROUNDS = 14


@mend(
    "budget.reduce",
    title="Reduce triangles",
    keeps="borders, seams of UVs, slots, hard edges, groups, and the borders between what different joints move",
    costs="shape, shading and the place of pictures, measured on the result",
    safe=False,
    parameters=[
        Parameter("triangles", "number", "to so many triangles; 0 where another wish says how far", default=0),
        Parameter("share", "number", "to so many per cent of the triangles; 0 where another wish says how far", default=0),
        Parameter(
            "deviation_mm",
            "number",
            "as far as no point lies farther off than this, in millimetres; 0 for no such wish",
            default=0,
        ),
        Parameter(
            "each", "flag", "whether each part gets that count, or all together, taken where it hurts least", default=False
        ),
        Parameter(
            "symmetric", "choice", "across which plane of their own both halves of parts stay alike", ("no", "x", "y", "z"), "no"
        ),
        PARTS,
    ],
    after=("surface.weld", "surface.clean", "budget.take-back", "budget.merge-flat"),
)
def reduce(
    scene: Scene,
    triangles: float = 0,
    share: float = 0,
    deviation_mm: float = 0,
    each: bool = False,
    symmetric: str = "no",
    parts: Sequence[str] = (),
) -> Outcome:
    """Collapse edges, the cheapest first, and move what is left to where the surface was; then measure what that costs."""
    if library() is None:
        raise MendError("The library that reduces (Debian's libmeshoptimizer2d) is not installed.")
    if sum(x > 0 for x in (triangles, share, deviation_mm)) != 1:
        raise MendError("Say one of: to how many triangles, to what share of them, or how far off it may lie.")
    chosen = chosen_meshes(scene, parts)
    units = mesh_units(scene)
    work = {k: _Part(scene.meshes[k], units[k], _shown(scene, k), symmetric) for k in chosen}
    work = {k: w for k, w in work.items() if w.reducer.able}
    before = sum(w.count * w.times for w in work.values())
    target = int(triangles) if triangles else int(before * share / 100)
    if deviation_mm:
        cut = {k: _within(w, deviation_mm / 1000) for k, w in work.items()}
    elif each:
        cut = {k: w.to(int(triangles) if triangles else int(w.count * share / 100)) for k, w in work.items()}
    elif len(work) == 1:
        cut = {k: w.to(max(target // w.times, 0)) for k, w in work.items()}
    else:
        cut = _shared(work, target)
    return _outcome(scene, work, cut, target if not each and not deviation_mm else None)


class _Part:
    """A mesh to be reduced. unit: metres in its unit; times: how often it is shown."""

    def __init__(self, mesh: Mesh, unit: float, times: int, symmetric: str) -> None:
        self.mesh, self.unit, self.times = mesh, unit, times
        self.halves: Halves | None = None
        if symmetric != "no":
            self.halves = halves(mesh, "xyz".index(symmetric))
            if self.halves is None:
                raise MendError(
                    f"{mesh.name or 'A part'} is not the same on both sides of its {symmetric} = 0, or faces run across it."
                )
        self.reducer = Reducer(mesh if self.halves is None else self.halves.half)
        self.factor = 1 if self.halves is None else 2

    @property
    def count(self) -> int:
        return self.reducer.count * self.factor

    def to(self, count: int, error: float = np.inf) -> Array:
        """Triangles that are left; error: in metres."""
        return self.reducer.triangles(max(count // self.factor, 0), error / self.unit)

    def made(self, left: Array) -> tuple[Mesh, Reduced]:
        reduced = self.reducer.reduced(left)
        return reduced.mesh if self.halves is None else self.halves.whole(reduced.mesh), reduced

    def surfaces(self, reduced: Reduced) -> tuple[Surface, Surface]:
        """What is compared: before and after, in wedges of before, so that islands and weights are known alike."""
        w = self.reducer.wedges
        weights = _dense(w.cut, w.corner)
        uv = w.cut.uvs[0].at_corners()[w.corner] if w.cut.uvs and len(w.cut.uvs[0].values) else None
        now = reduced.mesh.uvs[0].at_corners() if uv is not None else None
        island = lambda t: None if uv is None else w.chart[t[:, 0]]
        return (
            Surface(
                w.positions, w.triangles, None if uv is None else np.nan_to_num(uv[w.triangles]), island(w.triangles), weights
            ),
            Surface(
                reduced.positions,
                reduced.triangles,
                None if now is None else np.nan_to_num(now.reshape(-1, 3, 2)),
                island(reduced.triangles),
                weights,
            ),
        )


def _dense(mesh: Mesh, corner: Array) -> Array | None:
    """(W, J) weights of wedges, by the joints that are used; None without skin, or where there are too many to lay out."""
    w = mesh.weights
    if w is None:
        return None
    joints, column = np.unique(w.joints, return_inverse=True)
    if len(joints) * len(mesh.positions) > 40_000_000:
        return None
    out = np.zeros((len(mesh.positions), len(joints)), np.float32)
    out[np.repeat(np.arange(len(out)), np.diff(w.starts)), column.reshape(-1)] = w.weights
    return out[mesh.corners[corner]]


def _shown(scene: Scene, mesh: int) -> int:
    return max(sum(n.mesh == mesh for n in scene.nodes), 1)


def _bisect(meets: Callable[[float], bool], low: float, high: float, rounds: int = _ROUNDS) -> float:
    """The smallest of what meets, between two bounds, by halving their ratio."""
    for _ in range(rounds):
        middle = float(np.sqrt(low * high))
        low, high = (low, middle) if meets(middle) else (middle, high)
    return high


def _shared(work: dict[int, _Part], target: int) -> dict[int, Array]:
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


def _within(part: _Part, distance: float) -> Array:
    """The fewest triangles that lie no farther off than a distance, in metres, as measured on the result."""
    reducer, w = part.reducer, part.reducer.wedges

    def good(count: float) -> bool:
        left = part.to(int(count))
        before, after = Surface(w.positions, w.triangles), Surface(reducer.placed(left), left)
        return distances(before, after, samples=20_000, points=20_000)[0] * part.unit <= distance

    if not good(part.count):
        return reducer.wedges.triangles
    return part.to(int(_bisect(good, 4.0, float(part.count), 10)))


def _outcome(scene: Scene, work: dict[int, _Part], cut: dict[int, Array], target: int | None) -> Outcome:
    meshes = list(scene.meshes)
    told: list[tuple[_Part, Price, int]] = []
    changed = {k for k, left in cut.items() if len(left) < work[k].reducer.count}
    each = max(1, len(changed) // 8)
    for k in sorted(changed):
        part = work[k]
        meshes[k], reduced = part.made(cut[k])
        told.append((part, price(*part.surfaces(reduced), SAMPLES // each, POINTS // each, outline=len(told) < 16), k))
    after = scene.with_(meshes=tuple(meshes))
    if not told or triangle_count(after) >= triangle_count(scene):
        raise MendError("There is nothing to reduce: it is as small as that already, or seams and borders hold every edge.")
    figures = [Figure("triangles", f"{triangle_count(scene):,}", f"{triangle_count(after):,}"), *price_figures(scene, told)]
    remarks = list[str]()
    left = sum(len(cut[k]) * w.factor * w.times for k, w in work.items())
    if target is not None and left > 1.02 * target + 2:
        remarks.append(
            f"It does not come down to {target:,} triangles without tearing: borders, seams and hard edges hold the rest; {left:,} is the best."
        )
    return Outcome(after, tuple(figures), tuple(remarks))


def price_figures(scene: Scene, told: Sequence[tuple[_Part, Price, int]]) -> list[Figure]:
    """What reducing costs, the worst part's figure of each kind. told: part, price and mesh number."""
    greatest = max(told, key=lambda t: t[1].greatest * t[0].unit)
    mean = max(told, key=lambda t: t[1].mean * t[0].unit)
    length = lambda part, amount: about(amount * part.unit) if amount * part.unit > 1e-9 else "0"
    figures = [
        Figure(
            "greatest distance from the surface before",
            "0",
            f"{length(greatest[0], greatest[1].greatest)} ({percent(greatest[1].greatest / greatest[1].diagonal)} of its size)",
        ),
        Figure("mean distance", "0", length(mean[0], mean[1].mean)),
        Figure("outline, in pixels of a picture 256 high", "0", plain(max(p.outline for _, p, _ in told))),
        Figure("faces turn by, in the mean", "0°", turn(max(p.turn for _, p, _ in told))),
    ]
    drifts = [
        (p.drift_mean * t, p.drift * t)
        for _, p, k in told
        if p.drift is not None and p.drift_mean is not None
        for t in [texels(scene, k)]
    ]
    if drifts:
        mean_px, most_px = max(d[0] for d in drifts), max(d[1] for d in drifts)
        figures.append(Figure("pictures slide by, in the mean and at most", "0 px", f"{plain(mean_px)} px, {plain(most_px)} px"))
    weights = [p.weights for _, p, _ in told if p.weights is not None]
    if weights:
        figures.append(Figure("a weight changes by at most", "0", plain(max(weights))))
    return figures


def texels(scene: Scene, mesh: int) -> int:
    """Pixels along the longer side of the largest picture that a mesh shows, `TEXELS` where it shows none that can be read."""
    used = {m for m in scene.meshes[mesh].slot_materials if m >= 0}
    images = {i.image for m in used for i in scene.materials[m].inputs if i.image is not None}
    sizes = [max(picture.size) for k in images if (picture := opened(scene.images[k], whole=False)) is not None]
    return max(sizes, default=TEXELS)

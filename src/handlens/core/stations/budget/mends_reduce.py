"""Budget: fewer triangles at a price, which is measured on what came of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...kit.choice import PARTS, chosen_meshes
from ...limits import MendError, plural
from ...machine.meshopt import library
from ...reduction.collapse import Reduced
from ...reduction.newly_wrong import newly_wrong, wrong_with
from ...reduction.price import POINTS, SAMPLES, Price, distances, price
from ...scene import Scene
from ...surface.decoded import opened
from ...words.arrays import Array
from ...words.figures import about, percent, plain, turn
from ...words.lengths import metres
from .mends import triangle_count
from .messages import say
from .pictures import MOST, with_pictures
from .price_posed import posed_price
from .reducing import Part, first_level, left_of, parts_of, within

#: Pixels of a picture's side that drifts are told in where no picture is laid on.
TEXELS = 1024


@mend(
    "budget.reduce",
    title="Reduce triangles",
    keeps="borders, seams of UVs, slots, hard edges, groups, and the borders between what different joints move",
    costs="shape, shading and the place of pictures, measured on the result",
    safe=False,
    parameters=[
        Parameter("triangles", "number", "to so many triangles; 0 where another wish says how far", default=0),
        Parameter(
            "share", "share", "to such a share of the triangles, as 50% or 0.5; 0 where another wish says how far", default=0
        ),
        Parameter(
            "deviation_mm",
            "number",
            "as far as no point lies farther off than this, in millimetres; 0 for no such wish",
            default=0,
        ),
        Parameter(
            "each", "flag", "whether each part gets that count, or all together, taken where it hurts least", default=False
        ),
        Parameter("picture_px", "number", "detail is kept as pictures of so many pixels a side; 0 for none", default=0),
        Parameter(
            "symmetric", "choice", "across which plane of their own both halves of parts stay alike", ("no", "x", "y", "z"), "no"
        ),
        PARTS,
    ],
    after=("surface.weld", "surface.clean", "budget.take-back", "budget.merge-flat"),
    work_per_triangle=10,
)
def reduce(
    scene: Scene,
    triangles: float = 0,
    share: float = 0,
    deviation_mm: float = 0,
    each: bool = False,
    picture_px: float = 0,
    symmetric: str = "no",
    parts: Sequence[str] = (),
) -> Outcome:
    """Collapse edges, the cheapest first, and move what is left to where the surface was; then measure what that costs."""
    if library() is None:
        raise MendError(say("budget.no-library"))
    if sum(x > 0 for x in (triangles, share, deviation_mm)) != 1:
        raise MendError(say("budget.reduce.choose"))
    chosen = chosen_meshes(scene, parts)
    levels = cache(lambda level: parts_of(scene, chosen, symmetric, level))
    before = sum(level.count * level.times for level in levels(0).values())
    target = int(triangles) if triangles else int(before * share)
    if deviation_mm:
        work, cut = levels(0), {k: within(level, deviation_mm / 1000) for k, level in levels(0).items()}
        target = before
    elif each:
        work, cut = {}, {}
        for k, mesh_work in levels(0).items():
            one = int(triangles) if triangles else int(mesh_work.count * share)
            found, left = first_level(_only(levels, k), one * mesh_work.times)
            work, cut = work | found, cut | left
        target = max(target, sum(min(target, w.count) * w.times for w in work.values())) if triangles else target
    else:
        work, cut = first_level(levels, target)
    if not deviation_mm:
        cut = {k: work[k].sound(left) for k, left in cut.items()}
    size = min(int(picture_px), MOST) if picture_px > 0 else 0
    return _outcome(scene, work, cut, target, size)


def _only(levels: Callable[[int], dict[int, Part]], k: int) -> Callable[[int], dict[int, Part]]:
    """One of the parts at each level."""
    return lambda level: {k: levels(level)[k]}


def _outcome(scene: Scene, work: dict[int, Part], cut: dict[int, Array], target: int, size: int) -> Outcome:
    meshes = list(scene.meshes)
    made: dict[int, Reduced] = {}
    for k, left in cut.items():
        if len(left) < work[k].reducer.count:
            meshes[k], made[k] = work[k].result(left)
    after = scene.with_(meshes=tuple(meshes))
    if not made or triangle_count(after) >= triangle_count(scene):
        raise MendError(say("budget.reduce.nothing"))

    def measured() -> tuple[Figure, ...]:
        share = max(1, len(made) // 8)
        told = [
            (work[k], price(*work[k].surfaces(reduced), SAMPLES // share, POINTS // share, n < _OUTLINES), k)
            for n, (k, reduced) in enumerate(sorted(made.items()))
        ]
        return (*price_figures(scene, told), *posed_price(scene, reduced_scene, set(made)))

    reduced_scene = after
    gone = {k: n for k in made if (n := work[k].islands_lost(cut[k]))}
    remarks = _remarks({k: work[k] for k in made}, left_of(work, cut), target)
    if gone:
        whose = ", ".join(scene.meshes[k].name or "a part" for k in list(gone)[:3])
        many = plural(sum(gone.values()), "island of UVs has gone", "islands of UVs have gone")
        remarks = (*remarks, say("budget.reduce.removed", what=many, parts=whose))
    for k, reduced in sorted(made.items()):
        first, last = wrong_with(scene.meshes[k]), wrong_with(reduced.mesh)
        rim = " → ".join(metres(x.rim * work[k].unit) for x in (first, last))
        remarks = (*remarks, *newly_wrong(first, last, scene.meshes[k].name or "a part", rim))
    pictures = list[Figure]()
    for k, reduced in sorted(made.items()) if size else ():
        before, now = work[k].surfaces(reduced)
        kept = with_pictures(after, k, scene.meshes[k], 1.5 * max(distances(before, now)[0], 1e-4 * work[k].reducer.extent), size)
        after = kept.scene
        pictures += kept.told
        remarks = (*remarks, *((kept.remark,) if kept.remark else ()))
    counts = Figure("triangles", f"{triangle_count(scene):,}", f"{triangle_count(after):,}")
    return Outcome(after, (counts, *pictures), remarks, measured)


def _remarks(work: dict[int, Part], left: int, target: int) -> tuple[str, ...]:
    """What had to be given up, and what could not be."""
    out = []
    for level, given in (
        (1, "places at which UVs change their scale were closed up, where pictures slide"),
        (2, "hard edges were given up and normals made anew"),
    ):
        names = [w.mesh.name or "a part" for w in work.values() if w.reducer.wedges.level >= level]
        if names:
            more = f" and {plural(len(names) - 3, 'other')}" if len(names) > 3 else ""
            out.append(f"To come so far, {given}, in {', '.join(names[:3])}{more}.")
    if left > 1.02 * target + 2:
        out.append(
            f"It does not come down to {target:,} triangles without tearing: borders and seams hold the rest; {left:,} is the best."
        )
    return tuple(out)


#: Parts whose outline is looked at, which takes longest of all.
_OUTLINES = 16


def price_figures(scene: Scene, prices: Sequence[tuple[Part, Price, int]], searched: bool = True) -> list[Figure]:
    """What reducing costs, the worst part's figure of each kind. prices: part, price and mesh number. searched: whether it is looked for
    how many triangles would hold pictures in their place."""
    greatest = max(prices, key=lambda t: t[1].greatest * t[0].unit)
    mean = max(prices, key=lambda t: t[1].mean * t[0].unit)
    length = lambda part, amount: about(amount * part.unit) if amount * part.unit > 1e-9 else "0"
    figures = [
        Figure(
            "greatest distance from the surface before",
            "0",
            f"{length(greatest[0], greatest[1].greatest)} ({percent(greatest[1].greatest / greatest[1].diagonal)} of its size)",
        ),
        Figure("mean distance", "0", length(mean[0], mean[1].mean)),
        Figure("outline, in pixels of a picture 256 high", "0", plain(max(p.outline for _, p, _ in prices))),
        Figure("normals turn by, on average", "0°", turn(max(p.turn for _, p, _ in prices))),
    ]
    figures += _slides(scene, [(part, p.drifts * texels(scene, k)) for part, p, k in prices if p.drifts is not None], searched)
    weights = [p.weights for _, p, _ in prices if p.weights is not None]
    if weights:
        figures.append(Figure("a weight changes by at most", "0", plain(max(weights))))
    return figures


def _slides(scene: Scene, shifts: Sequence[tuple[Part, Array]], searched: bool) -> list[Figure]:
    """How far pictures slide, in pixels; where it is more than one, over how much of the part that suffers most, and how many of its
    triangles would hold them. shifts: of each part, in pixels."""
    if not shifts:
        return []
    greatest = lambda shift: float(np.quantile(shift, 0.999))
    worst, shift = max(shifts, key=lambda s: greatest(s[1]))
    mean = max(float(s.mean()) for _, s in shifts)
    figures = [Figure("images shift by, on average and at most", "0 px", f"{plain(mean)} px, {plain(greatest(shift))} px")]
    if greatest(shift) <= 1 or not searched:
        return figures
    name = worst.mesh.name or "a part"
    figures.append(Figure("they shift by more than 1 px on", "0 %", f"{percent(float((shift > 1).mean()))} of {name}"))
    pixels = texels(scene, next(k for k, mesh in enumerate(scene.meshes) if mesh is worst.mesh))
    count = worst.holding(1 / pixels)
    figures.append(
        Figure(
            f"triangles of {name} that would avoid it",
            f"{worst.count:,}",
            "all, or nearly" if count is None else f"about {float(f'{count:.2g}'):,.0f}",
        )
    )
    return figures


def texels(scene: Scene, mesh: int) -> int:
    """Pixels along the longer side of the largest picture that a mesh shows, `TEXELS` where it shows none that can be read."""
    used = {slot_material for slot_material in scene.meshes[mesh].slot_materials if 0 <= slot_material < len(scene.materials)}
    images = {i.image for m in used for i in scene.materials[m].inputs if i.image is not None}
    sizes = [max(picture.size) for k in images if (picture := opened(scene.images[k], pixels=False)) is not None]
    return max(sizes, default=TEXELS)

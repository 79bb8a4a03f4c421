"""Budget: coarser levels of parts, and from which distance each is as good as the part itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cache

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, as_share, mend
from ...kit.choice import PARTS
from ...limits import MendError
from ...reduction.price import POINTS, SAMPLES, Price, price
from ...scene import Scene
from ...scene.axes import AXIS_INDEX
from ...scene.generated import name_suffix, with_generated
from ...scene.matrices import apply
from ...scene.transforms import world_matrices
from ...words.figures import about
from .beside import cleared
from .checks_redundant import pixel_size
from .mends_reduce import price_figures
from .messages import say
from .reducing import Part, first_level, left_of, parts_of, within


@mend(
    "budget.levels",
    title="Add levels of detail",
    menu=("station", "Add levels of detail …"),
    keeps="everything that is there, as the finest level",
    costs="coarser parts beside each; what they show less of is measured",
    safe=False,
    parameters=[
        Parameter(
            "shares",
            "text",
            "the share of the triangles that each level keeps, as 50% or 0.5, from the finest on, with semicolons between",
            default="50%;25%;10%",
        ),
        Parameter(
            "heights_px",
            "text",
            "instead of shares: from which height on the screen on each level is shown, in pixels, the tallest first",
            default="",
        ),
        Parameter(
            "screen_px",
            "number",
            "pixels of the screen's height, for the distance from which a level is off by one of them",
            default=1080,
        ),
        PARTS,
    ],
    after=("budget.reduce", "budget.merge-flat"),
)
def levels(
    scene: Scene, shares: str = "50%;25%;10%", heights_px: str = "", screen_px: float = 1080, parts: Sequence[str] = ()
) -> Outcome:
    """Make up to three coarser levels of the parts, to shares of the triangles taken where it hurts least, or as coarse as no point is off by
    more than a pixel where the whole is so high on the screen; and work out from which distance on each is off by no more than a pixel.
    """
    kept = _shares(shares) if not heights_px.strip() else _heights(heights_px)
    scene, nodes = cleared(scene, parts, "level")
    numbers = sorted({mesh_number for i in nodes if (mesh_number := scene.nodes[i].mesh) is not None})
    after, figures, remarks = scene, list[Figure](), list[str]()
    parts_at = cache(lambda level: parts_of(scene, numbers, level=level))
    whole = sum(w.count * w.times for w in parts_at(0).values())
    finer, high = whole, _height(scene, nodes)
    for n, share in enumerate(kept, 1):
        if heights_px.strip():
            # What is a pixel of so many that the whole is high.
            work = parts_at(0)
            cut = {k: within(w, high / share) for k, w in work.items()}
        else:
            work, cut = first_level(parts_at, int(whole * share))
            cut = {k: work[k].sound(left) for k, left in cut.items()}
        if left_of(work, cut) > _COARSER * finer:
            remarks.append(say("budget.levels.left-out", level=n))
            continue
        finer = left_of(work, cut)
        told: list[tuple[Part, Price, int]] = []
        for k, left in cut.items():
            part = work[k]
            if len(left) >= part.reducer.count:
                continue
            mesh, reduced = part.result(left)
            told.append((part, price(*part.surfaces(reduced), SAMPLES // len(cut), POINTS // len(cut), False), k))
            number: int | None = None
            for i in nodes:
                if scene.nodes[i].mesh == k:
                    after = with_generated(
                        after,
                        i,
                        f"level-{n}",
                        [(scene.part_name(i) + name_suffix(f"level-{n}"), mesh if number is None else number)],
                    )
                    number = len(after.meshes) - 1 if number is None else number
        if not told:
            continue
        figures.append(Figure(f"level {n}: triangles", f"{whole:,}", f"{left_of(work, cut):,}"))
        figures += [
            replace(price_figure, what=f"level {n}: {price_figure.what}")
            for price_figure in price_figures(scene, told, False)
            if price_figure.what in _TOLD
        ]
        far = max(p.greatest * part.unit for part, p, _ in told)
        figures.append(Figure(f"level {n}: off by a pixel from", "–", switch_words(far, int(screen_px) or 1080)))
    if after is scene:
        raise MendError(say("budget.levels.too-few"))
    return Outcome(after, tuple(figures), tuple(remarks))


#: Share of the triangles of the level before from which on a level is worth having.
_COARSER = 0.9
#: What is told of each level.
_TOLD = ("greatest distance from the surface before", "mean distance", "images shift by, on average and at most")


def switch_distance(deviation: float, pixels: int) -> float:
    """Metres from which on a deviation in metres covers no more than a pixel of a screen so many pixels high that shows 60°."""
    return deviation / pixel_size(1.0, pixels)


def switch_words(deviation: float, pixels: int) -> str:
    """The distance of `switch_distance` in words."""
    return about(switch_distance(deviation, pixels))


def _height(scene: Scene, nodes: Sequence[int]) -> float:
    """Metres from the lowest point of some parts to the highest."""
    world, up = world_matrices(scene), AXIS_INDEX[scene.up_axis or "Y"]
    unit = 1.0 if scene.unit_metres is None else scene.unit_metres
    heights = [
        apply(world[i], scene.meshes[number].positions)[:, up] for i in nodes if (number := scene.nodes[i].mesh) is not None
    ]
    return (
        float(max((height.max() for height in heights), default=0) - min((height.min() for height in heights), default=0)) * unit
    )


def _numbers(text: str, what: str, example: str) -> list[float]:
    try:
        return [float(x) for x in text.replace(",", ";").split(";") if x.strip()]
    except ValueError:
        raise MendError(say("budget.levels.numbers", what=what, example=example, text=text)) from None


def _heights(text: str) -> list[float]:
    kept = _numbers(text, "heights", "400;150;50")
    if not 1 <= len(kept) <= 3 or any(not 0 < x < np.inf for x in kept) or sorted(kept, reverse=True) != kept:
        raise MendError(say("budget.levels.heights"))
    return kept


def _shares(text: str) -> list[float]:
    read = [as_share(x) for x in text.replace(",", ";").split(";") if x.strip()]
    kept = [x for x in read if x is not None and 0 < x < 1]
    if not kept or len(kept) > 3 or len(kept) != len(read) or sorted(kept, reverse=True) != kept:
        raise MendError(say("budget.levels.shares", text=text))
    return kept

"""How far off a model lies at each count of triangles, measured: so that a slider answers at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache

import msgspec

from ...kit.choice import chosen_meshes
from ...limits import MendError
from ...machine.meshopt import library
from ...reduction.price import Surface, distances
from ...scene import Scene
from ...words.arrays import Array
from .messages import say
from .reducing import Part, first_level, left_of, parts_of

#: Shares of the triangles at which it is measured.
SHARES = (0.75, 0.5, 0.35, 0.25, 0.18, 0.125, 0.09, 0.06, 0.04, 0.025)
#: Samples of all parts together, each way, at one count.
_SAMPLES = 12_000


class CurvePoint(msgspec.Struct, frozen=True):
    """What is left at one count, over all times that meshes are shown. greatest, mean: distance from the surface before, in metres, of
    the part that lies farthest off."""

    triangles: int
    greatest: float
    mean: float


def curve(scene: Scene, parts: Sequence[str] = (), step: Callable[[float], None] = lambda _: None) -> list[CurvePoint]:
    """Counts from all triangles down, each with its measured distance; it ends where nothing more can go without tearing.

    parts: keys as mends take them, none for all. step: told the share that is done. Raises MendError where nothing can be reduced.
    """
    if library() is None:
        raise MendError(say("budget.no-library"))
    chosen = chosen_meshes(scene, parts)
    levels = cache(lambda level: parts_of(scene, chosen, level=level))
    whole = sum(level.count * level.times for level in levels(0).values())
    if whole < 8:
        raise MendError(say("budget.curve.too-few"))
    before = {k: Surface(level.reducer.wedges.positions, level.reducer.wedges.triangles) for k, level in levels(0).items()}
    points = [CurvePoint(whole, 0.0, 0.0)]
    for n, share in enumerate(SHARES):
        target = int(whole * share)
        work, cut = first_level(levels, target)
        left = left_of(work, cut)
        if left >= points[-1].triangles:
            break
        points.append(CurvePoint(left, *_distance(work, before, cut)))
        step((n + 1) / len(SHARES))
    return points


def _distance(work: dict[int, Part], before: dict[int, Surface], cut: dict[int, Array]) -> tuple[float, float]:
    found = [(0.0, 0.0)]
    changed = [k for k, w in work.items() if len(cut[k]) < w.reducer.count]
    each = max(_SAMPLES // max(len(changed), 1), 200)
    for k in changed:
        after = Surface(work[k].reducer.placed(cut[k], 3 * _SAMPLES), cut[k])
        greatest, mean = distances(before[k], after, each, each)
        found.append((greatest * work[k].unit, mean * work[k].unit))
    return max(g for g, _ in found), max(m for _, m in found)

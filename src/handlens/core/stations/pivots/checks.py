"""Pivots: the point that a part turns about and is placed by."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import unit_of
from ...measures import Measures
from ...measures.records import PartFigures
from ...rules import Intent, RuleSheet
from ...scene.axes import AXIS_INDEX
from ...words.anchors import ANCHORS, anchor
from ...words.calls import Call
from .messages import say

Found = Iterator[Finding | Skipped]

#: A pivot stands where it is wanted within this share of the part's diagonal.
NEAR = 0.02
#: Up to this many times it is awkward; past it a part swings out of sight.
WILD = 10.0
#: A pivot is far off where turning about it sweeps this many times the circle that is needed.
FAR = 4.0


def free_parts(measures: Measures) -> list[PartFigures]:
    """Parts that are placed by their own node: skinned ones go where their joints are, and flat points have no size."""
    joints = {n.index for n in measures.nodes if n.is_joint}
    return [
        part
        for part in measures.parts
        if not part.skinned
        and part.node not in joints
        and part.bounds_min is not None
        and part.needed > 0
        and np.isfinite(part.pivot).all()
    ]


def spin(part: PartFigures) -> float:
    """The circle that a part sweeps when turned about its pivot, over the least that it could."""
    return part.sweep / part.needed if part.needed > 0 else 1.0


def wanted_pivots(measures: Measures, intent: Intent, up: str) -> Iterator[tuple[int, str, str, np.ndarray, np.ndarray, float]]:
    """Pivots that the intent speaks of: node, name, anchor, where it is, where it ought to be, diagonal of the box."""
    for free_part in free_parts(measures):
        named = intent.of_part(free_part.name).pivot or (intent.pivot if len(measures.parts) == 1 else None)
        if named in ANCHORS and free_part.bounds_min is not None and free_part.bounds_max is not None:
            low, high = np.array(free_part.bounds_min), np.array(free_part.bounds_max)
            yield (
                free_part.node,
                free_part.name,
                named,
                np.array(free_part.pivot),
                anchor(low, high, named, up),
                float(np.linalg.norm(high - low)),
            )
    roots = [n for n in measures.nodes if n.parent < 0]
    if (
        len(measures.parts) > 1
        and intent.pivot in ANCHORS
        and len(roots) == 1
        and measures.bounds_min is not None
        and measures.bounds_max is not None
    ):
        low, high = np.array(measures.bounds_min), np.array(measures.bounds_max)
        at = np.array(roots[0].place)
        yield (
            roots[0].index,
            roots[0].name,
            intent.pivot,
            at,
            anchor(low, high, intent.pivot, up),
            float(np.linalg.norm(high - low)),
        )


@check(
    "pivots.anchor",
    title="Pivot not where it is wanted",
    result="caution",
    mends=("pivots.set",),
    explains={"jumps": BY_ITSELF, "beside": SELDOM},
)
def off_anchor(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """A pivot that does not stand at the point that the intent names.

    Why: a thing that stands on a surface is placed by its base, and one that hinges by its hinge; with the pivot elsewhere it
    sinks in, floats, or swings about nothing.
    Measured: distance from the node's origin to the named point of its box in the world, over 2 % of the box's diagonal; for several parts under one root, the root's origin and the box of the whole.
    Source: common practice, no published source.
    """
    for node, name, named, at, ought, size in wanted_pivots(measures, intent, measures.up_axis or sheet.up_axis):
        away = float(np.linalg.norm(at - ought))
        if NEAR * size < away < np.inf:
            unit = unit_of(measures)
            yield Finding(
                say("pivots.anchor", part=name, away=away * unit, anchor=named.replace("-", " ")),
                value(away * unit, "m"),
                value(0.0, "m"),
                1,
                name,
                node,
                nodes([node]),
                (Call("pivots.set", {"anchor": named, "parts": [node_key(measures, node)]}),),
                key=node_key(measures, node),
            )


@check(
    "pivots.far",
    title="Pivot far from its part",
    result="caution",
    mends=("pivots.set",),
    asks=("pivot",),
    follows=("placement.far",),
    explains={"jumps": BY_ITSELF, "beside": OFTEN},
)
def far(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that swing far out when they are turned about their pivot.

    Why: such a part is awkward to place, rotate and scale: it swings away instead of turning in place.
    Measured: radius swept about the upright through the pivot over the radius needed about the box's middle, over 4; a note up to 10. Where all pivots lie in one point, as when everything was left at the origin, that is told.
    Source: common practice, no published source.
    """
    free = free_parts(measures)
    found = [part for part in free if spin(part) > FAR]
    if not found:
        return
    worst = max(found, key=spin)
    places = np.array([part.pivot for part in free])
    together = len(free) > 2 and float(np.ptp(places, axis=0).max()) <= 1e-6 * max(part.sweep for part in free)
    title = "pivots.far.together" if together else "pivots.far"
    yield Finding(
        say(title, parts=len(found), part=worst.name, factor=spin(worst)),
        value(spin(worst), "factor"),
        value(1.0, "factor"),
        len(found),
        worst.name,
        worst.node,
        nodes([p.node for p in found]),
        (
            Call(
                "pivots.set",
                {
                    "anchor": intent.pivot if intent.pivot in ANCHORS else "base-centre",
                    "parts": ";".join(node_key(measures, p.node) for p in found),
                },
            ),
        ),
        result="note" if spin(worst) <= WILD else "",
    )


@check(
    "pivots.height",
    title="Pivot above or below its part",
    result="note",
    mends=("pivots.set",),
    asks=("pivot",),
    explains={"jumps": BY_ITSELF},
)
def height(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts whose pivot lies above or below the whole model, by more than their own size.

    Why: placed on a floor by its pivot, such a part floats or sinks out of sight, although it turns in place.
    Measured: height of the pivot over the model's top or under its base, over the part's own greatest side; a pivot at the foot of the whole is where it belongs. Where all pivots lie in one point, as when everything was left at the origin, that is told by pivots.far or by Placement.
    Source: common practice, no published source.
    """
    up = AXIS_INDEX[measures.up_axis or sheet.up_axis]
    free = free_parts(measures)
    places = np.array([part.pivot for part in free])
    if len(free) > 2 and float(np.ptp(places, axis=0).max()) <= 1e-6 * max(part.sweep for part in free):
        return
    lowest = min((part.bounds_min[up] for part in free if part.bounds_min is not None), default=0.0)
    highest = max((part.bounds_max[up] for part in free if part.bounds_max is not None), default=0.0)
    for part in free:
        assert part.bounds_min is not None
        assert part.bounds_max is not None
        low, high, at = lowest, highest, part.pivot[up]
        off = max(at - high, low - at)
        size = max(b - a for a, b in zip(part.bounds_min, part.bounds_max, strict=True))
        if size > 0 and off > size and spin(part) <= FAR:
            unit = unit_of(measures)
            anchor_name = intent.of_part(part.name).pivot
            named = anchor_name if anchor_name in ANCHORS else "base-centre"
            yield Finding(
                say("pivots.height", part=part.name, distance=off * unit, above=at > high),
                value(off * unit, "m"),
                value(0.0, "m"),
                1,
                part.name,
                part.node,
                nodes([part.node]),
                (Call("pivots.set", {"anchor": named, "parts": [node_key(measures, part.node)]}),),
                key=node_key(measures, part.node),
            )

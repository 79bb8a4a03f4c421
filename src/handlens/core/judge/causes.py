"""One cause is one finding: what follows from another is kept, under the one that it follows from, and counts as a note."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..kit.check import RESULTS, Finding

#: What follows from what on the same part: (the finding that follows, its causes in the order in which they are looked for).
ON_A_PART = (
    ("surface.holes", ("surface.doubles",)),
    ("surface.pinched", ("surface.doubles", "surface.crowded-edges")),
    ("surface.crowded-edges", ("surface.duplicates", "facing.back-to-back")),
    ("surface.needles", ("surface.zero-area",)),
    ("facing.winding", ("facing.inward", "facing.double-sided")),
    ("facing.normals-broken", ("surface.zero-area",)),
    ("facing.normals-opposed", ("facing.inward",)),
    ("pivots.far", ("placement.far",)),
    ("slots.two-faced", ("facing.back-to-back",)),
    ("skin.sides", ("skin.bare",)),
)
#: What follows from what in the whole model.
ON_THE_WHOLE = (
    ("slots.undefined", ("slots.library",)),
    ("placement.ground", ("placement.far",)),
    ("size.expected", ("size.undeclared-unit",)),
    ("surface.holes", ("facing.walk-round",)),
    ("motion.aimless", ("motion.broken",)),
    ("placement.double-move", ("skin.rig",)),
    ("skin.own-transform", ("skin.rig", "skin.inverse")),
    ("skin.inverse", ("skin.rig",)),
)


def folded(findings: Sequence[Finding]) -> list[Finding]:
    """The findings with `under` set on those that follow from another, which are notes then.

    A finding stands under its first cause only; a cause that follows from another itself passes it on. What weighs more than its
    cause stands by itself: no stop is hidden under a caution.
    """
    by_part: dict[tuple[str, int], Finding] = {}
    by_check: dict[str, Finding] = {}
    for f in findings:
        if f.node is not None:
            by_part.setdefault((f.check, f.node), f)
        by_check.setdefault(f.check, f)
    part_causes, whole_causes = dict(ON_A_PART), dict(ON_THE_WHOLE)
    under: dict[str, str] = {}
    for f in findings:
        causes = [by_part.get((c, f.node)) for c in part_causes.get(f.check, ())] if f.node is not None else []
        causes += [by_check.get(c) for c in whole_causes.get(f.check, ())]
        weight = RESULTS.index(f.result)
        cause = next((c for c in causes if c is not None and c.id != f.id and RESULTS.index(c.result) <= weight), None)
        if cause is not None:
            under[f.id] = cause.id
    return [replace(f, under=_first(under, f.id), result="note") if f.id in under else f for f in findings]


def _first(under: dict[str, str], id: str) -> str:
    while id in under:
        id = under[id]
    return id

"""What only a person knows of a model, each with what the model itself suggests: asked before anything that hangs on it is done."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from ...declare.check import Finding
from ...kit.roles import in_intended_unit
from ...measures import Measures
from ...route.stations import checks_by_id
from ...rules import Intent, RuleSheet
from ...rules.export import UNIT_WORDS
from ...rules.sheet import UNITS
from ...scene.axes import AXIS_INDEX
from ...stations.size.services import likely_factor, size_metres
from ...words.anchors import ANCHORS, anchor
from ...words.lengths import metres
from .records import Question

#: How near a pivot must lie to a named point of the box to be meant for it, as a share of the box's diagonal.
_NEAR = 0.05
#: The share of what can be told from inside that must look inward for a part to be meant to be seen from there.
_MOSTLY = 0.8
#: What hangs on each thing that may be said, in words.
ASKED = {
    "unit": "What one unit of the file is",
    "expected": "How tall it should be",
    "seen_from": "From where its faces are looked at",
    "pivot": "What it is placed and turned by",
    "copies": "How many stand in the scene",
}


_NOTHING = Intent()


def questions(measures: Measures, sheet: RuleSheet, intent: Intent, answered: Collection[str] = ()) -> list[Question]:
    """What the intent leaves open, each with what the model suggests and by what.

    answered: keys that somebody has said, though it be what is taken where nothing is said.
    """
    out = []
    for key, ask in (("unit", _unit), ("expected", _height), ("seen_from", _side), ("pivot", _pivot), ("copies", _copies)):
        if key not in answered and getattr(intent, key) == getattr(_NOTHING, key):
            out += [
                Question(key if key != "expected" else "expected.height_m", ASKED[key], *x) for x in ask(measures, sheet, intent)
            ]
    return out


def unsaid(finding: Finding, intent: Intent, asked: Sequence[Question]) -> tuple[str, ...]:
    """Keys of which somebody must say one before a finding's mends go on a tape by themselves; none where nothing is wanted, where one is said of
    its part, or where what the model suggests is what is taken anyway."""
    wanted = checks_by_id()[finding.check].asks
    still = {question.key.partition(".")[0]: question.suggestion for question in asked}
    own = intent.of_part(finding.part) if finding.part is not None else None
    for key in wanted:
        if (
            key not in still
            or still[key] == getattr(_NOTHING, key)
            or (own is not None and getattr(own, key, None) not in (None, _NOTHING.expected))
        ):
            return ()
    return wanted


def as_suggested(intent: Intent, asked: list[Question]) -> Intent:
    """The intent with what is suggested where it says nothing."""
    for question in asked:
        if question.suggestion is None:
            continue
        head, _, tail = question.key.partition(".")
        value = replace(getattr(intent, head), **{tail: question.suggestion}) if tail else question.suggestion
        intent = replace(intent, **{head: value})
    return intent


_Suggested = Iterator[tuple[Any, str, str]]


def _unit(measures: Measures, sheet: RuleSheet, intent: Intent) -> _Suggested:
    if measures.unit_metres is not None or measures.bounds_min is None:
        return
    factor = likely_factor(measures, sheet, intent)
    unit = next((name for name, length in UNITS.items() if abs(length / factor - 1) < 0.02), None)
    tall = _tall(measures, sheet)
    if unit is None:
        yield None, "nothing", f"read in metres it is {metres(tall)} tall, and no unit makes that likely"
    else:
        yield unit, UNIT_WORDS[unit], f"so it is {metres(tall * UNITS[unit])} tall; read in metres, {metres(tall)}"


def _height(measures: Measures, sheet: RuleSheet, intent: Intent) -> _Suggested:
    if measures.bounds_min is None:
        return
    # Said of the file's own numbers, whatever the intent calls their unit.
    known = in_intended_unit(measures, intent)
    now, factor = _tall(known, sheet), likely_factor(known, sheet, intent)
    tall = now * factor
    if not 0 < tall < np.inf:
        return
    why = "that is its size now" if factor == 1.0 else f"it is {metres(now)} now, which nothing of its kind is"
    yield float(f"{tall:.4g}"), metres(tall), why


def _side(measures: Measures, sheet: RuleSheet, intent: Intent) -> _Suggested:
    judged = sum(f.inside.judged for f in measures.facing)
    inward = 1 - sum(f.inside.wrong for f in measures.facing) / judged if judged > 0 else 0.0
    outward_wrong = sum(f.outside.wrong for f in measures.facing)
    outward = sum(f.outside.judged for f in measures.facing)
    if intent.kind == "room":
        yield "inside", "from inside, as a room", "it is a room"
    elif intent.kind == "building":
        yield "both", "from both sides", "a building is walked into"
    elif outward > 0 and inward > _MOSTLY and outward_wrong > _MOSTLY * outward:
        yield "inside", "from inside, as a room", "nearly all faces look inward"
    else:
        yield "outside", "from outside", "most of its faces look outward" if outward > 0 else "that is so of most things"


def _pivot(measures: Measures, sheet: RuleSheet, intent: Intent) -> _Suggested:
    if measures.bounds_min is None or measures.bounds_max is None:
        return
    low, high = np.array(measures.bounds_min), np.array(measures.bounds_max)
    up = measures.up_axis or sheet.up_axis
    size = float(np.linalg.norm(high - low))
    if not 0 < size < np.inf:
        return
    far = {name: float(np.linalg.norm(anchor(low, high, name, up))) / size for name in ANCHORS}
    # Of points that lie in one place, as in flat things, the plain ones first.
    nearest = min(far, key=lambda name: (round(far[name], 6), name.count("-"), name != "base-centre"))
    if far[nearest] <= _NEAR:
        yield nearest, nearest.replace("-", " "), "its origin lies there"
    else:
        yield "base-centre", "base centre", "its origin lies at no side of it, and what stands on a floor is placed by its foot"


def _copies(measures: Measures, sheet: RuleSheet, intent: Intent) -> _Suggested:
    yield 1, "1", "nothing says that there are more"


def _tall(measures: Measures, sheet: RuleSheet) -> float:
    size = size_metres(measures) or [0.0, 0.0, 0.0]
    return size[AXIS_INDEX[measures.up_axis or sheet.up_axis]]

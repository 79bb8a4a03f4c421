"""Size: how big it will stand, and which way up."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, Skipped, check, node_key, nodes, value
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...rules.export import UNIT_WORDS
from ...rules.sheet import UNITS
from ...scene.axes import AXIS_INDEX
from ...words.calls import Call
from ...words.figures import plain
from ...words.lengths import metres
from .messages import say

Found = Iterator[Finding | Skipped]

#: Metres in an inch and a foot: exact by definition (international yard and pound agreement, 1959; NIST SP 811 app. B.8).
INCH, FOOT = 0.0254, 0.3048
#: Factors that people meet, with the words for what would explain each.
CLASSIC = (
    (1.0, "it truly is this size"),
    (0.01, "centimetres read as metres"),
    (100.0, "metres read as centimetres"),
    (0.001, "millimetres read as metres"),
    (1000.0, "metres read as millimetres"),
    (INCH, "inches read as metres"),
    (1 / INCH, "metres read as inches"),
    (FOOT, "feet read as metres"),
    (1 / FOOT, "metres read as feet"),
    (2.54, "inches written as centimetres"),
    (1 / 2.54, "centimetres written as inches"),
    (0.1, "decimetres read as metres"),
    (10.0, "metres read as decimetres"),
)
#: Heights within which a thing of a kind is plausible, in metres. Common practice, no published source.
PLAUSIBLE = {
    "character": (0.2, 3.0),
    "room": (1.8, 60.0),
    "building": (2.0, 600.0),
    "foliage": (0.05, 40.0),
    "prop": (0.01, 30.0),
    "effect": (0.02, 50.0),
}
#: Sizes that most things are of: what an undeclared unit is guessed by. Common practice, no published source.
USUAL = (0.02, 60.0)
#: Sizes that nothing is known against where no kind is given: from a button to the longest halls. Common practice, no published source.
ORDINARY = (0.01, 200.0)


class Explanation(NamedTuple):
    """A factor to multiply by, what would explain it, the sizes it gives in metres, and how far off it still is."""

    factor: float
    words: str
    gives: list[float]
    off: float
    fits: bool


def size_metres(measures: Measures) -> list[float] | None:
    """World size in metres, an undeclared unit read as metres; None without bounds."""
    if measures.bounds_min is None or measures.bounds_max is None:
        return None
    unit = 1.0 if measures.unit_metres is None else measures.unit_metres
    return [(b - a) * unit for a, b in zip(measures.bounds_min, measures.bounds_max, strict=True)]


def wanted_ratio(measures: Measures, sheet: RuleSheet, intent: Intent) -> tuple[float, float] | None:
    """(wanted ÷ measured, worst disagreement between the given dimensions as a factor), None where nothing is expected."""
    size = size_metres(measures)
    if size is None or not intent.expected.given():
        return None
    up = AXIS_INDEX[measures.up_axis or sheet.up_axis]
    depth = 3 - up if up else 2
    pairs = [(intent.expected.height_m, size[up]), (intent.expected.width_m, size[0]), (intent.expected.depth_m, size[depth])]
    logs = [np.log(w / s) for w, s in pairs if w is not None and s > 0]
    if not logs:
        return None
    middle = float(np.mean(logs))
    return float(np.exp(middle)), float(np.exp(max(abs(v - middle) for v in logs)))


def explanations(measures: Measures, sheet: RuleSheet, intent: Intent) -> list[Explanation]:
    """The classic factors, the likeliest first, with what the model would measure under each.

    With an expected size, ranked by how near each comes to it; without one, by whether the largest side then falls in
    what is plausible for the kind, plain reading first. Where neither is given nothing is judged: see `can_judge`.
    """
    size = size_metres(measures)
    if size is None:
        return []
    wanted = wanted_ratio(measures, sheet, intent)
    low, high = PLAUSIBLE.get(intent.kind or "", USUAL)
    largest = max(size)
    out = []
    for factor, words in CLASSIC:
        gives = [s * factor for s in size]
        if wanted is not None:
            off = float(abs(np.log(wanted[0] / factor)))
            fits = off <= np.log1p(sheet.size_tolerance)
        else:
            value_now = max(largest * factor, 1e-300)
            off = 0.0 if low <= value_now <= high else float(min(abs(np.log(value_now / low)), abs(np.log(value_now / high))))
            fits = off == 0.0
        out.append(Explanation(factor, words, gives, off, fits))
    return sorted(out, key=lambda e: e.off)


def can_judge(intent: Intent) -> bool:
    """Whether the intent says anything by which a size fits or does not."""
    return intent.expected.given() or intent.kind is not None


def likely_factor(measures: Measures, sheet: RuleSheet, intent: Intent) -> float:
    """The classic factor that explains the size, else exactly wanted ÷ measured, else 1."""
    ranked = explanations(measures, sheet, intent)
    if ranked and ranked[0].fits:
        return ranked[0].factor
    wanted = wanted_ratio(measures, sheet, intent)
    return wanted[0] if wanted else (ranked[0].factor if ranked else 1.0)


def _height(measures: Measures, sheet: RuleSheet) -> float:
    size = size_metres(measures) or [0.0, 0.0, 0.0]
    return size[AXIS_INDEX[measures.up_axis or sheet.up_axis]]


@check(
    "size.undeclared-unit",
    title="The unit is not stated",
    result="caution",
    mends=("size.scale",),
    asks=("unit", "expected"),
    explains={"gone": SELDOM, "size": BY_ITSELF},
)
def undeclared_unit(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The file's format does not say what one unit is.

    Why: the destination takes its own unit, and a model made in another comes in a hundred or a thousand times off.
    Measured: the size read in metres against the expected size; the likeliest classic factor is named.
    Source: unit factors from the SI definitions of inch and foot (NIST SP 811); the rest common practice, no published source.
    """
    if measures.unit_metres is not None or measures.bounds_min is None:
        return
    wanted = wanted_ratio(measures, sheet, intent)
    tall = metres(_height(measures, sheet))
    if wanted is not None and abs(np.log(wanted[0])) <= np.log1p(sheet.size_tolerance):
        yield Finding(
            say("size.undeclared-unit.fits", height=tall),
            value(1.0, "factor"),
            value(1.0, "factor"),
            mends=(Call("size.scale", {"factor": 1.0 / sheet.unit_metres, "unit": sheet.unit}),),
            result="note",
        )
        return
    factor = likely_factor(measures, sheet, intent)
    factors = _factors(measures, intent, factor, wanted)
    # In the destination's own unit, so that nothing is left to be converted on the way.
    mends = tuple(Call("size.scale", {"factor": x / sheet.unit_metres, "unit": sheet.unit}) for x in factors)
    says = (
        f"× {plain(factor)} would make it {metres(_height(measures, sheet) * factor)}"
        if factor != 1.0
        else "check that against what it should be"
    )
    yield Finding(
        say("size.undeclared-unit", height=tall, meaning=says),
        value(factor, "factor"),
        value(1.0, "factor"),
        mends=mends,
    )


def _factors(measures: Measures, intent: Intent, likely: float, wanted: tuple[float, float] | None) -> list[float]:
    """What an undeclared unit may be, as factors to metres. With an expected size the likely one, and the very one where that is another;
    else metres, centimetres and millimetres, whichever give a size that things have: what it reads as comes first, since a hall is no toy.
    """
    if wanted is not None:
        return _likely_and_exact(likely, wanted[0])
    size = max(size_metres(measures) or [0.0])
    low, high = PLAUSIBLE.get(intent.kind or "", ORDINARY)
    usual = [x for x in UNITS.values() if low <= size * x <= high]
    return list(dict.fromkeys((*((1.0,) if 1.0 in usual else ()), likely, *(() if can_judge(intent) else usual))))


def _likely_and_exact(likely: float, exact: float) -> list[float]:
    """The factor of a likely unit and the very one, each once; the unit first where it is near enough to be meant."""
    off = abs(exact / likely - 1)
    very = float(f"{exact:.5g}")
    return [likely] if off < 0.005 else [likely, very] if off < 0.02 else [very, likely]


@check(
    "size.unit",
    title="The unit differs from the destination's",
    result="note",
    held_to=("unit",),
    explains={"gone": SELDOM, "size": BY_ITSELF},
)
def unit(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The file states a unit other than the one the destination counts in.

    Why: an importer that ignores the stated unit makes it too big or too small by the factor between the two.
    Measured: metres a unit as the file states it, against the rule sheet's.
    Source: glTF 2.0 §3.4: all linear distances are in metres; the destination's unit is common practice, no published source.
    """
    if measures.unit_metres is None:
        yield Skipped(say("size.unit.not-stated"))
    elif abs(measures.unit_metres / sheet.unit_metres - 1) > 1e-9:
        factor = measures.unit_metres / sheet.unit_metres
        yield Finding(
            say("size.unit", unit_metres=measures.unit_metres, sheet=sheet.name, wanted=UNIT_WORDS[sheet.unit], factor=factor),
            value(factor, "factor"),
            value(1.0, "factor"),
            why=f"An importer that ignores the stated unit makes it {plain(max(factor, 1 / factor))} times too {'big' if factor < 1 else 'small'}.",
        )


@check(
    "size.undeclared-up-axis",
    title="The up axis is not stated",
    result="note",
    mends=("size.up-axis",),
    explains={"lies": BY_ITSELF},
)
def undeclared_up(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The file's format does not say which way is up.

    Why: the destination takes its own axis, and a model made for another lies on its back or its side.
    Measured: whether the file states an up axis.
    Source: common practice, no published source.
    """
    if measures.up_axis is None and measures.bounds_min is not None:
        yield Finding(
            say("size.undeclared-up-axis", sheet=sheet.name, axis=sheet.up_axis),
            value("not stated", "text"),
            value(sheet.up_axis, "text"),
        )


@check(
    "size.up-axis",
    title="Up axis differs from the destination's",
    result="note",
    held_to=("up_axis",),
    mends=("size.up-axis",),
    explains={"lies": BY_ITSELF},
)
def up_axis(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The file states another up axis than the destination's.

    Why: an importer that does not convert lays the model on its back; one that converts by a rotation leaves a quarter turn on the root.
    Measured: the stated up axis against the rule sheet's.
    Source: glTF 2.0 §3.4: +Y is up; the destination's axis is common practice, no published source.
    """
    if measures.up_axis is None:
        yield Skipped(say("size.up-axis.not-stated"))
    elif measures.up_axis != sheet.up_axis:
        yield Finding(
            say("size.up-axis", axis=measures.up_axis, wanted=sheet.up_axis, sheet=sheet.name),
            value(measures.up_axis, "text"),
            value(sheet.up_axis, "text"),
            mends=(Call("size.up-axis", {"to": sheet.up_axis}),),
        )


@check(
    "size.expected",
    title="Not the expected size",
    result="stop",
    held_to=("size_tolerance",),
    mends=("size.scale",),
    follows_in_model=("size.undeclared-unit",),
    explains={"size": BY_ITSELF},
)
def expected(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The model measures otherwise than the intent says it should.

    Why: next to everything else there it is a giant or a speck; physics and animation are tuned to true size.
    Measured: world size in metres against the expected dimensions, within the rule sheet's tolerance; within twice it is a caution.
    Source: common practice, no published source.
    """
    yield from _expected_parts(measures, sheet, intent)
    wanted = wanted_ratio(measures, sheet, intent)
    if wanted is None:
        yield Skipped(say("size.expected.none"))
        return
    factor, disagreement = wanted
    if max(factor, 1 / factor) <= 1 + sheet.size_tolerance:
        return
    if measures.unit_metres is None and explanations(measures, sheet, intent)[0].fits:
        yield Skipped(say("size.expected.unit-first"))
        return
    ranked = explanations(measures, sheet, intent)
    best = ranked[0].factor if ranked and ranked[0].fits else factor
    height = _height(measures, sheet)
    words = f", as if {ranked[0].words}" if ranked and ranked[0].fits else ""
    disagrees = disagreement > 1.25
    yield Finding(
        say("size.expected", height=height, wanted=height * factor, as_if=words, disagrees=disagrees),
        value(height, "m"),
        value(height * factor, "m"),
        mends=tuple(Call("size.scale", {"factor": x}) for x in _likely_and_exact(best, factor)),
        result="caution" if max(factor, 1 / factor) <= 2 and sheet.results.get("size.expected") is None else "",
    )


def _expected_parts(measures: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding]:
    """Parts of which the intent says how large they are."""
    for part in measures.parts:
        own = intent.of_part(part.name).expected
        if not own.given() or part.bounds_min is None or part.bounds_max is None:
            continue
        alone = replace(measures, bounds_min=part.bounds_min, bounds_max=part.bounds_max)
        found = wanted_ratio(alone, sheet, Intent(expected=own))
        if found is None or max(found[0], 1 / found[0]) <= 1 + sheet.size_tolerance:
            continue
        height = _height(alone, sheet)
        yield Finding(
            say("size.expected-parts", part=part.name, height=height, wanted=height * found[0]),
            value(height, "m"),
            value(height * found[0], "m"),
            1,
            part.name,
            part.node,
            nodes([part.node]),
            key=node_key(measures, part.node),
            result="caution" if max(found[0], 1 / found[0]) <= 2 and sheet.results.get("size.expected") is None else "",
        )


@check(
    "size.character",
    title="Taller than people are",
    result="caution",
    mends=("size.scale",),
    asks=("expected",),
    explains={"size": BY_ITSELF},
)
def character(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """A character of more than two metres for which no size is expected.

    Why: doors, seats and cameras there are made for people.
    Measured: world height in metres.
    Source: an adult stands under 2 measures: common practice, no published source.
    """
    if intent.kind != "character" or intent.expected.given():
        yield Skipped(say("size.character.not-asked"))
        return
    height = _height(measures, sheet)
    if height > 2.0:
        factor = likely_factor(measures, sheet, intent)
        yield Finding(
            say("size.character", height=height),
            value(height, "m"),
            value(2.0, "m"),
            mends=(Call("size.scale", {"factor": factor}),) if factor != 1.0 else (),
        )


@check(
    "size.extreme",
    title="Implausible size",
    result="caution",
    mends=("size.scale",),
    asks=("expected",),
    explains={"gone": OFTEN, "size": BY_ITSELF},
)
def extreme(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The unit is stated, no size is expected, and the largest side is far from that of anything of its kind.

    Why: at such sizes cameras clip it, and shadows and physics break; another unit was probably meant.
    Measured: the largest world side in metres, against what is known of the intent's kind, or from a centimetre to 200 metres where none is given; factors that would explain it are told.
    Source: common practice, no published source.
    """
    size = size_metres(measures)
    if size is None or measures.unit_metres is None or intent.expected.given() or intent.kind == "character":
        yield Skipped(say("size.extreme.not-asked"))
        return
    largest = max(size)
    low, high = PLAUSIBLE.get(intent.kind or "", ORDINARY)
    if not largest or low <= largest <= high:
        return
    fitting = [
        explanation for explanation in explanations(measures, sheet, intent) if explanation.fits and explanation.factor != 1.0
    ][:2]
    words = " or ".join(f"{metres(max(e.gives))} as {e.words}" for e in fitting)
    yield Finding(
        say("size.extreme", largest=largest, more=f"; it would be {words}" if words else ""),
        value(largest, "m"),
        value(low if largest < low else high, "m"),
        mends=tuple(Call("size.scale", {"factor": e.factor}) for e in fitting),
    )

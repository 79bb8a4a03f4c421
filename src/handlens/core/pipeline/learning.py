"""A sheet from examples: what models that were accepted, and some that were refused, imply of a destination's limits.

A limit is learnt through the check that is held to it: asked with a limit that everything is over, it tells what it measures. So what is
learnt of a model is what it will be judged by, and a check that is added is learnt from without a word here.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple

import msgspec

from ..declare.check import Check, Finding
from ..judge import Judgement, judge
from ..limits import InputError, plural
from ..measures import Measures
from ..route.stations import all_checks
from ..rules import Intent, RuleSheet
from ..rules.inherited import with_changes
from ..rules.sheet import PICTURES, UNITS, Limits
from ..words.figures import plain
from ..words.json_tree import Json
from .messages import say

#: How sure a line is: two examples hold it between them, one side alone is known, or several readings are possible.
Sure = Literal["bounded", "seen", "guess"]
SURE: dict[Sure, str] = {
    "bounded": "held between an accepted and a refused model",
    "seen": "as far as the accepted models go; more may be taken",
    "guess": "one of several readings",
}
#: A limit that everything is over.
_LEAST = {"float_spacing_mm": 1e-12}
#: Classes of characters in names, as they stand between brackets.
_CLASSES = (("a-z", "[a-z]"), ("A-Z", "[A-Z]"), ("0-9", "[0-9]"), ("_", "_"), (" ", " "), (".", r"\."), ("-", "-"))


class Example(NamedTuple):
    """One model, by the name that people know it by, as it was measured. ending: of its file."""

    name: str
    measures: Measures
    intent: Intent
    ending: str


class Line(msgspec.Struct, frozen=True):
    """One value that the examples imply. before: what the sheet beside says, None where it says nothing. models: those that set it.
    says: the evidence, in a sentence."""

    path: str
    value: Any
    before: Any
    models: list[str]
    says: str
    sure: Sure


class Lesson(msgspec.Struct, frozen=True):
    """Lines, and what the examples do not tell, in sentences."""

    lines: list[Line]
    untold: list[str]


def learn(fit: Sequence[Example], unfit: Sequence[Example], beside: RuleSheet) -> Lesson:
    """What examples imply. beside: the sheet that the draft is laid beside. Raises InputError where no accepted model is named.

    fit: accepted models. unfit: refused ones.
    """
    if not fit:
        raise InputError(say("pipeline.nothing-to-learn-from"))
    untold: list[str] = []
    amounts = _amounts(fit, unfit, beside)
    lines = [*_formats(fit, beside), *_unit_and_axis(fit, beside, untold), *_wider(amounts, beside, untold)]
    lines += [*_names(fit, beside), *_textures(fit, beside), *_choices(fit, unfit, beside), *_skeleton(fit, beside, untold)]
    lines = [line for line in lines if line.value != line.before]
    lines += _blamed(fit, unfit, amounts, _with(beside, lines), untold)
    return Lesson(lines, untold)


def draft(lesson: Lesson, beside: RuleSheet, name: str, slug: str, code: str) -> RuleSheet:
    """The sheet that a lesson makes of the one beside it, with the evidence as the source of each value. Raises InputError."""
    return _with(
        beside,
        lesson.lines,
        {"name": name, "slug": slug, "code": code, "version": 1, "basis": "Learnt from examples; beside each value."},
    )


def as_changes(lines: Iterable[Line]) -> Json:
    """Lines as the merge patch of a sheet (RFC 7396), their evidence as sources."""
    out: dict[str, Any] = {}
    for line in lines:
        place, _, name = line.path.partition(".")
        if name:
            out.setdefault(place, {})[name] = line.value
        else:
            out[place] = line.value
        if place != "results":
            out.setdefault("sources", {})[line.path] = line.says[:400]
    return out


def _with(beside: RuleSheet, lines: Iterable[Line], more: dict[str, Any] | None = None) -> RuleSheet:
    return with_changes(beside, {**as_changes(lines), **(more or {})}, "The draft")


# --- what a model is in ----------------------------------------------------------------------------------


def _formats(fit: Sequence[Example], beside: RuleSheet) -> Iterable[Line]:
    seen = Counter(example.ending for example in fit)
    first = seen.most_common(1)[0][0]
    words = ", ".join(f"{count:,} × .{ending}" for ending, count in seen.most_common())
    yield Line("formats", sorted(seen), beside.formats, [], f"Accepted came {words}", "seen")
    if beside.format not in seen:
        yield Line("format", first, beside.format, [], f"Most accepted models are .{first}", "seen")


def _unit_and_axis(fit: Sequence[Example], beside: RuleSheet, untold: list[str]) -> Iterable[Line]:
    stated = {example.name: example.measures.unit_metres for example in fit if example.measures.unit_metres is not None}
    units = {next((name for name, metres in UNITS.items() if math.isclose(metres, unit)), "") for unit in stated.values()}
    if len(units) == 1 and (unit := units.pop()):
        yield Line("unit", unit, beside.unit, list(stated)[:3], f"{plural(len(stated), 'accepted model')} state it", "seen")
    else:
        untold.append("The unit: " + ("accepted models state several" if stated else "no accepted model states one") + ".")
    axes = {example.name: example.measures.up_axis for example in fit if example.measures.up_axis in ("Y", "Z")}
    if len(set(axes.values())) == 1:
        axis = next(iter(axes.values()))
        yield Line("up_axis", axis, beside.up_axis, list(axes)[:3], f"{plural(len(axes), 'accepted model')} state it", "seen")
    else:
        untold.append("The up axis: " + ("accepted models state several" if axes else "no accepted model states one") + ".")


# --- limits ----------------------------------------------------------------------------------------------


class _Amounts(NamedTuple):
    """What one limit counts in each model, by name; models that have nothing of it are left out."""

    declared: Check
    taken: dict[str, float]
    refused: dict[str, float]


def _amounts(fit: Sequence[Example], unfit: Sequence[Example], beside: RuleSheet) -> dict[str, _Amounts]:
    """What each limit counts, by the limit's name."""
    held = {path.removeprefix("limits."): declared for declared in all_checks() for path in declared.held_to}
    return {
        name: _Amounts(held[name], _measured(fit, held[name], name, beside), _measured(unfit, held[name], name, beside))
        for name in Limits.__struct_fields__
        if name in held
    }


def _wider(amounts: dict[str, _Amounts], beside: RuleSheet, untold: list[str]) -> Iterable[Line]:
    """Limits that an accepted model is over. Below that, accepted models alone tell of no limit that none of them meets."""
    bare = [name for name, found in amounts.items() if not found.taken]
    if bare:
        untold.append(f"Limits of which no accepted model has anything: {', '.join(bare)}.")
    for name, found in amounts.items():
        now = getattr(beside.limits, name)
        most = max(found.taken.values(), default=0)
        if now is not None and most > now:
            first = next(model for model, amount in found.taken.items() if amount == most)
            says = f"{first} has {_words(most)} and was accepted"
            yield Line(f"limits.{name}", _typed(name, most), now, [first], says, "seen")


def _narrower(model: str, amounts: dict[str, _Amounts], beside: RuleSheet) -> list[Line]:
    """Limits that a refused model may have been over: it has more of it than any accepted one."""
    out = []
    for name, found in amounts.items():
        most, least = max(found.taken.values(), default=0), found.refused.get(model, 0)
        now = getattr(beside.limits, name)
        if least <= most or (now is not None and now < least):
            continue
        value = now if now is not None and most <= now < least else _round_below(least, most, name)
        first = next((other for other, amount in found.taken.items() if amount == most), "")
        had = f"{first} has {_words(most)} and was accepted" if first else "No accepted model has any"
        says = f"{had}, {model} has {_words(least)} and was refused"
        out.append(Line(f"limits.{name}", _typed(name, value), now, [x for x in (first, model) if x], says, "guess"))
    return out


def _measured(examples: Sequence[Example], declared: Check, name: str, beside: RuleSheet) -> dict[str, float]:
    """The most that a check measures in each model for one limit, by the model's name; those that have nothing of it are left out."""
    limits: Any = {name: _LEAST.get(name, 1)}
    alone = msgspec.structs.replace(beside, limits=Limits(**limits))
    out: dict[str, float] = {}
    for example in examples:
        found = declared.run(example.measures, alone, example.intent)
        amounts = [
            x.measured["value"]
            for x in found
            if isinstance(x, Finding) and isinstance(x.measured, dict) and isinstance(x.measured["value"], int | float)
        ]
        if amounts:
            out[example.name] = max(amounts)
    return out


def _words(amount: float) -> str:
    """An amount in full: who sets a limit by it must see the last digit."""
    return f"{int(amount):,}" if float(amount).is_integer() else plain(amount)


def _typed(name: str, amount: float) -> float | int:
    return amount if name == "float_spacing_mm" else int(amount)


def _round_below(above: float, least: float, name: str) -> float:
    """The greatest round number below one that was refused and not below one that was accepted: between the two nothing is known, and a
    limit that is too wide refuses nobody wrongly. Powers of two of pixels and bytes, else as few leading digits as will do."""
    if name.endswith(("pixels", "bytes")):
        power = float(2 ** (math.ceil(math.log2(above)) - 1))
        if power >= least:
            return power
    for digits in range(1, 16):
        step = 10.0 ** (math.floor(math.log10(above)) - digits + 1)
        rounded = (math.ceil(above / step - 1e-9) - 1) * step
        if rounded >= least:
            return float(f"{rounded:.12g}")
    return least


# --- names, textures, nodes ---------------------------------------------------------------------------------


def _names(fit: Sequence[Example], beside: RuleSheet) -> Iterable[Line]:
    names = {name: example.name for example in fit for name in _all_names(example)}
    if not names:
        return
    if beside.names.allowed is not None:
        letters = {letter for name in names for letter in name}
        outside = {letter for letter in letters if not re.fullmatch(f"[{beside.names.allowed}]", letter)}
        if outside:
            first = next(name for name in names if outside & set(name))
            says = f"{first} in {names[first]} was accepted"
            yield Line("names.allowed", _characters(letters), beside.names.allowed, [names[first]], says, "seen")
    longest = max(names, key=len)
    if beside.names.longest is not None and len(longest) > beside.names.longest:
        says = f"{longest} in {names[longest]} has {len(longest):,} characters and was accepted"
        yield Line("names.longest", len(longest), beside.names.longest, [names[longest]], says, "seen")


def _all_names(example: Example) -> list[str]:
    measures = example.measures
    return [*(part.name for part in measures.parts), *(material.name for material in measures.materials)]


def _characters(letters: set[str]) -> str:
    """Characters as they stand between the brackets of a regular expression."""
    met = [text for text, pattern in _CLASSES if any(re.fullmatch(pattern, letter) for letter in letters)]
    rest = {letter for letter in letters if not any(re.fullmatch(pattern, letter) for _, pattern in _CLASSES)}
    others = "".join(re.escape(letter) if letter in "\\]^[" else letter for letter in sorted(rest))
    # A hyphen last is one; between two others it would be a range.
    return "".join(text for text in met if text != "-") + others + ("-" if "-" in met else "")


def _textures(fit: Sequence[Example], beside: RuleSheet) -> Iterable[Line]:
    for example in fit:
        kinds = [str(x.measured["value"]) for x in _asked("textures.format", example, beside) if isinstance(x.measured, dict)]
        fresh = [kind for kind in dict.fromkeys(kinds) if kind in PICTURES]
        if beside.textures.formats and fresh:
            says = f"{example.name} has one of {fresh[0]} and was accepted"
            yield Line(
                "textures.formats",
                sorted({*beside.textures.formats, *fresh}),
                beside.textures.formats,
                [example.name],
                says,
                "seen",
            )
            break
    odd = next((example.name for example in fit if _asked("textures.power-of-two", example, beside)), None)
    if beside.textures.power_of_two and odd is not None:
        yield Line("textures.power_of_two", False, True, [odd], f"{odd} has an image with another side and was accepted", "seen")


def _choices(fit: Sequence[Example], unfit: Sequence[Example], beside: RuleSheet) -> Iterable[Line]:
    """How nodes may be scaled and turned, where accepted models are otherwise than the sheet beside wants."""
    strictest = msgspec.structs.replace(beside, node_scale="one", node_rotation="zero")
    for path, now, strict, id in (
        ("node_scale", beside.node_scale, "one", "placement.scale"),
        ("node_rotation", beside.node_rotation, "zero", "placement.rotation"),
    ):
        met = [example.name for example in fit if _asked(id, example, strictest)]
        kept_out = [example.name for example in unfit if _asked(id, example, strictest)]
        if met and now == strict:
            yield Line(path, "any", now, met[:1], f"{met[0]} has such nodes and was accepted", "seen")
        elif not met and kept_out and now == "any":
            says = f"No accepted model has such nodes, and {kept_out[0]}, which was refused, has"
            yield Line(path, strict, now, kept_out[:1], says, "guess")


def _asked(id: str, example: Example, sheet: RuleSheet) -> list[Finding]:
    """What one check finds on a model under a sheet."""
    declared = next(x for x in all_checks() if x.id == id)
    return [x for x in declared.run(example.measures, sheet, example.intent) if isinstance(x, Finding)]


def _skeleton(fit: Sequence[Example], beside: RuleSheet, untold: list[str]) -> Iterable[Line]:
    """Joints that all accepted rigs have under the same joint."""
    rigs: dict[str, dict[str, str | None]] = {}
    for example in fit:
        if example.measures.skins:
            rigs[example.name] = _joints(example.measures)
    if len(rigs) < 2:
        if beside.motion.skeleton and rigs:
            name, joints = next(iter(rigs.items()))
            if any(not any(other in joints for other in (joint.name, *joint.also)) for joint in beside.motion.skeleton):
                before = msgspec.to_builtins(beside.motion.skeleton)
                yield Line("motion.skeleton", [], before, [name], f"{name} lacks joints of it and was accepted", "seen")
        untold.append("Joints that must be there: at least two accepted rigs tell them.")
        return
    first, *others = rigs.values()
    common = [joint for joint in first if all(other.get(joint, "") == first[joint] for other in others)]
    kept = set(common)
    value = [{"name": joint, **({"parent": first[joint]} if first[joint] in kept else {})} for joint in common]
    before = msgspec.to_builtins(beside.motion.skeleton)
    if value and value != before:
        says = f"{plural(len(rigs), 'accepted rig')} have these {len(value):,} joints under the same ones"
        yield Line("motion.skeleton", value, before, list(rigs)[:3], says, "guess")


def _joints(measures: Measures) -> dict[str, str | None]:
    """Joints by name, each with the joint above it."""
    joints = {joint for skin in measures.skins for joint in skin.joints}
    names = {node.index: node.name for node in measures.nodes}
    return {node.name: names[node.parent] if node.parent in joints else None for node in measures.nodes if node.index in joints}


# --- how grave a finding is ------------------------------------------------------------------------------


def _blamed(
    fit: Sequence[Example], unfit: Sequence[Example], amounts: dict[str, _Amounts], sheet: RuleSheet, untold: list[str]
) -> list[Line]:
    """Stops that accepted models have are none there. A refused model that no stop explains was over a limit that none of them is over,
    or has what none of them has; each such reading is a line."""
    judged = {example.name: _found(judge(example.measures, sheet, example.intent)) for example in (*fit, *unfit)}
    results = {declared.id: declared.result_on(sheet) for declared in all_checks()}
    taken: dict[str, str] = {}
    for example in fit:
        for check in judged[example.name]:
            taken.setdefault(check, example.name)
    eased = {
        check: name
        for example in fit
        for check, (result, _) in judged[example.name].items()
        if result == "stop"
        for name in [example.name]
    }
    lines = [
        Line(
            f"results.{check}",
            "caution",
            results[check],
            [name],
            f"{name} has it and was accepted: {judged[name][check][1]}",
            "seen",
        )
        for check, name in eased.items()
    ]
    for example in unfit:
        found = judged[example.name]
        if any(result == "stop" and check not in eased for check, (result, _) in found.items()):
            continue
        readings = _narrower(example.name, amounts, sheet)
        checks = [amounts[line.path.removeprefix("limits.")].declared.id for line in readings]
        checks += [
            check for check, (result, _) in found.items() if check not in taken and result != "note" and check not in checks
        ]
        sure: Sure = "bounded" if len(set(checks)) == 1 else "guess"
        if not checks:
            untold.append(f"Why {example.name} was refused: nothing is found on it that no accepted model has.")
        elif sure == "guess":
            untold.append(f"Why {example.name} was refused: any of {len(set(checks)):,} readings, each a line.")
        known = {line.path for line in lines}
        lines += [
            msgspec.structs.replace(line, sure=sure) for line in readings if line.path not in known and line.value != line.before
        ]
        for check in dict.fromkeys(checks):
            if f"results.{check}" not in known and results[check] != "stop":
                says = f"{example.name} was refused, and no accepted model has it"
                lines.append(Line(f"results.{check}", "stop", results[check], [example.name], says, sure))
    return lines


def _found(judgement: Judgement) -> dict[str, tuple[str, str]]:
    """The worst result of each check that found something by itself, and what it found."""
    rank = {"note": 1, "caution": 2, "stop": 3}
    out: dict[str, tuple[str, str]] = {}
    for finding in judgement.findings:
        if not finding.under and rank[finding.result] > rank.get(out.get(finding.check, ("",))[0], 0):
            out[finding.check] = finding.result, finding.title
    return out

"""Arrival: text files beside the model that use its names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from itertools import islice

from ...declare.check import Finding, Skipped, check, value
from ...declare.panel import Result, Row, row
from ...declare.station_measures import reading
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from .measures import OWN
from .messages import say
from .records import ArrivalMeasures, SideUse

Found = Iterator[Finding | Skipped]


def _place(use: SideUse) -> str:
    return f"{use.file}, line {use.line}, column {use.column}"


def _correct(use: SideUse, to: str, places: int = 1) -> Call:
    everywhere = {"everywhere": True} if places > 1 else {}
    return Call("arrival.side-file", {"file": use.file, "line": use.line, "column": use.column, "to": to, **everywhere})


#: A check that reads what was found in side files.
of_side_files = reading(OWN.of, "the side files could not be looked through")


def _none(own: ArrivalMeasures) -> Skipped | None:
    return None if own.side_files else Skipped(say("arrival.side-files.none"))


def _uses_in(own: ArrivalMeasures, states: tuple[str, ...]) -> Iterator[SideUse]:
    return (use for use in own.uses if use.state in states)


@check(
    "arrival.side-near-miss",
    title="Side file misspells a name of the model",
    result="caution",
    mends=("arrival.side-file", "arrival.rename"),
)
@of_side_files
def near_miss(own: ArrivalMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Values in a text file that differ from a name of the model in letter case or by one edit, or are a name that it had before.

    Why: names are compared letter by letter: what this one should bind is not found, and comes in white, does not move, or is
    missing.
    Measured: every value against the names of model file, materials, images, parts, joints and clips; one edit only from five letters on, and under keys under which names stand to the letter elsewhere.
    Source: Damerau 1964 (edit distance); that names are compared to the letter is common practice, no published source.
    """
    if (nothing := _none(own)) is not None:
        yield nothing
        return
    for u in _uses_in(own, ("former",)):
        yield Finding(
            say("arrival.side-near-miss.former", place=_place(u), name=u.text),
            value(u.text, "text"),
            value("a name", "text"),
            1,
            key=f"{u.file}/{u.line}/{u.column}",
        )
    for same in _together(_uses_in(own, ("case", "near"))):
        u = same[0]
        how = "other letter case" if u.state == "case" else "one letter off"
        mends: list[Call] = []
        if u.meant:
            said = u.text.replace("\\", "/").rpartition("/")
            mends.append(_correct(u, u.text[: len(u.text) - len(said[2])] + u.meant if said[1] else u.meant, len(same)))
            if u.kind in ("material", "part", "joint", "clip"):
                mends.append(Call("arrival.rename", {"search": f"^{re.escape(u.meant)}$", "replace": u.text, "pattern": "true"}))
        yield Finding(
            say(
                "arrival.side-near-miss",
                place=_place(u),
                elsewhere=_elsewhere(same),
                name=u.text,
                kind=u.kind,
                meant=u.meant,
                how=how,
            ),
            value(u.text, "text"),
            value(u.meant, "text"),
            len(same),
            key=f"{u.file}/{u.line}/{u.column}",
            mends=tuple(mends),
        )


def _together(uses: Iterator[SideUse]) -> list[list[SideUse]]:
    """Uses of one wrong word for one name in one file."""
    groups: dict[tuple[str, str, str | None], list[SideUse]] = {}
    for u in uses:
        groups.setdefault((u.file, u.text, u.meant), []).append(u)
    return list(groups.values())


def _some(words: Iterable[str]) -> str:
    """The first four, and whether there are more."""
    found = list(islice(words, 5))
    return ", ".join(found[:4]) + (" …" if len(found) > 4 else "")


def _elsewhere(same: list[SideUse]) -> str:
    """ " and lines 12 and 40", of the uses after the first."""
    if len(same) < 2:
        return ""
    lines = list(dict.fromkeys(u.line for u in same[1:]))
    shown = ", ".join(str(x) for x in lines[:3]) + (" …" if len(lines) > 3 else "")
    return f" and {'line' if len(lines) == 1 else 'lines'} {shown}"


@check("arrival.side-broken", title="Side file is not well-formed", result="caution")
@of_side_files
def broken(own: ArrivalMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Text files beside the model that break the grammar of their kind.

    Why: a strict reader stops there and takes nothing from the file; a lenient one may read something else.
    Measured: the whole file against its grammar; the first place at which it breaks.
    Source: XML 1.0 (fifth edition) §2.1 (well-formed documents); RFC 8259 (JSON).
    """
    if (nothing := _none(own)) is not None:
        yield nothing
        return
    for x in own.broken:
        yield Finding(
            say("arrival.side-broken", file=x.file, line=x.line, column=x.column, why=x.why),
            value(x.why, "text"),
            value("well-formed", "text"),
            1,
            key=x.file,
        )


@check("arrival.side-no-file", title="Side file names a missing file", result="caution", mends=("arrival.side-file",))
@of_side_files
def no_file(own: ArrivalMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Values in a text file that read like a model or an image and are none of the files that came along.

    Why: the destination looks for it where the side file says, and finds nothing.
    Measured: the last piece of each value that ends like a model or an image, against the names of all files. What running text names (notes, a log) is one finding a file, and worth knowing.
    Source: common practice, no published source.
    """
    if (nothing := _none(own)) is not None:
        yield nothing
        return
    in_text: dict[str, dict[str, int]] = {}
    for u in _uses_in(own, ("no-file",)):
        if not u.path:
            in_text.setdefault(u.file, {}).setdefault(u.text, u.line)
            continue
        yield Finding(
            say("arrival.side-no-file", place=_place(u), name=u.text),
            value(u.text, "text"),
            value("a file", "text"),
            1,
            key=f"{u.file}/{u.line}/{u.column}",
        )
    for file, names in in_text.items():
        yield Finding(
            say(
                "arrival.side-no-file.text",
                file=file,
                names=len(names),
                listed=_some(f"{name} (line {line:,})" for name, line in names.items()),
            ),
            value(len(names), "names"),
            value(0, "names"),
            len(names),
            key=file,
            result="note",
            why=say("arrival.side-no-file.text.why"),
        )


@check(
    "arrival.side-other-variant",
    title="Name of another variant",
    result="caution",
    mends=("arrival.side-file", "arrival.rename"),
)
@of_side_files
def other_variant(own: ArrivalMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Names of a sibling model where this one's are to be expected: in its own entry of a side file, or in the model itself.

    Why: a variant that was copied from another still uses the other's name; changing one then changes both.
    Measured: words of sibling models' file names that this one's has not (red, where this is the green one), in its images and materials and in every entry that names it.
    Source: common practice, no published source.
    """
    for u in _uses_in(own, ("other-variant",)):
        yield Finding(
            say("arrival.side-other-variant", place=_place(u), name=u.text, variant=u.meant),
            value(u.text, "text"),
            value("its own", "text"),
            1,
            key=f"{u.file}/{u.line}/{u.column}",
        )
    for kind, name, sibling in own.borrowed:
        yield Finding(
            say("arrival.side-other-variant.name", kind=kind, name=name, sibling=sibling),
            value(name, "text"),
            value("its own", "text"),
            1,
            key=f"{kind}/{name}",
        )
    if not own.side_files and not own.borrowed:
        yield Skipped(say("arrival.side-other-variant.nothing-beside"))


@check("arrival.side-unknown", title="Side file names nothing in the model", result="caution", mends=("arrival.side-file",))
@of_side_files
def unknown(own: ArrivalMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Values that are no name of the model, under keys that the intent says matter, or under keys of materials beside others that are.

    Why: what is bound under that key is not found there.
    Measured: values under the keys chosen, against all names; without a choice, those under keys that say material, paint or the like, in entries that name this model.
    Source: common practice, no published source.
    """
    if (nothing := _none(own)) is not None:
        yield nothing
        return
    if not intent.side_keys and not any(u.state == "exact" for u in own.uses):
        yield Skipped(say("arrival.side-unknown.nothing-beside"))
        return
    chosen = set(intent.side_keys or ())
    for u in _uses_in(own, ("other", "lacking", "unbound")):
        by_choice = f"{u.file}:{u.path}" in chosen or u.path in chosen
        if by_choice or (not chosen and u.state == "lacking"):
            what = f"no {u.kind} of the model" if u.kind else "no name of the model"
            yield Finding(
                say("arrival.side-unknown", place=_place(u), name=u.text, what=what),
                value(u.text, "text"),
                value(f"a {u.kind}" if u.kind else "a name", "text"),
                1,
                key=f"{u.file}/{u.line}/{u.column}",
            )


def _result_of(use: SideUse) -> Result | None:
    if use.state == "exact":
        return "clear"
    if use.state == "other":
        return None
    return "note" if use.state == "no-file" and not use.path else "caution"


def used_names(measures: Measures) -> list[Row]:
    """Rows for the ledger: every use, what it resolves to and where it stands, what is wrong first."""
    words = {
        "exact": "to the letter",
        "case": "other letter case",
        "near": "one letter off",
        "no-file": "no such file",
        "former": "a name of before",
        "other-variant": "another's",
        "other": "no name of the model",
    }
    order = ["no-file", "former", "case", "near", "other-variant", "other", "exact"]
    own = OWN.of(measures)
    rows = [
        row(
            {
                "text": u.text,
                "means": f"{u.kind} {u.meant}" if u.state in ("exact", "case", "near") and u.meant else u.meant or "–",
                "how": words[u.state],
                "place": f"{u.file}:{u.line}:{u.column}",
                "key": u.path or "–",
            },
            result=_result_of(u),
            side_key=f"{u.file}:{u.path}" if u.path else None,
        )
        for u in sorted(
            (u for u in (own.uses if own is not None else ()) if u.state in order), key=lambda u: order.index(u.state)
        )
    ]
    return rows

"""What parts may be to the whole, proposed from what is seen of them and never applied: the user says it, or does not."""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from ..measures import Measures
from ..rules import Intent
from ..rules.intent import ROLES, Role
from ..rules.sheet import UNITS

#: Whole words in names, set off by marks, digits or capitals (common practice, no published source).
_WORD = r"(?:^|[^A-Za-z]|(?<=[a-z])(?=[A-Z]))(?:{})(?![a-z])"
_ASIDE = re.compile(
    _WORD.format(
        r"[Ff]igure|[Hh]uman|[Pp]erson|[Mm]annequin|[Ss]cale[ _.-]?[Rr]ef(?:erence)?|[Bb]ackdrop|[Ss]tudio|[Ll]amp[ _.-]?(?:[Kk]ey|[Ff]ill|[Rr]im)"
    )
)
_STAND_IN = re.compile(_WORD.format(r"[Cc]olli(?:der|sion)s?|[Hh]it[ _.-]?[Bb]ox|[Pp]hysics|[Cc]onvex[ _.-]?[Hh]ull"))
_LEVEL = re.compile(r"(?:^|[^A-Za-z])(?:lod|level|detail)[ _.-]?([1-3])(?!\d)", re.IGNORECASE)
#: Share of a part's seen area that looks inward, from which on it is a shell turned inside.
_INWARD = 0.98
#: How many times as large as what it lies round an outline's shell is at most; a room is larger.
_CLOSE = 1.25
#: Such parts that are looked round: each is compared with all others.
_MOST_SHELLS = 200


class Proposal(NamedTuple):
    """One part and what it may be. because: what was seen."""

    node: int
    name: str
    role: Role
    because: str


def with_declared_roles(intent: Intent, measures: Measures) -> Intent:
    """The intent, with what parts' own properties say of them where it says nothing of their role itself: a stand-in or a coarser level
    that a mend made, or that came so in the file."""
    own = {part.name: part.role for part in measures.parts if part.role in ROLES and intent.of_part(part.name).role is None}
    if not own:
        return intent
    parts = {name: replace(intent.of_part(name), role=role) for name, role in own.items()}
    return replace(intent, parts={**intent.parts, **parts})


def in_intended_unit(measures: Measures, intent: Intent) -> Measures:
    """The measures in the unit that the intent says, where the file says none itself."""
    return (
        replace(measures, unit_metres=UNITS[intent.unit])
        if intent.unit is not None and measures.unit_metres is None
        else measures
    )


def proposals(measures: Measures) -> list[Proposal]:
    """A role for each part of which something speaks for one; none where it would be all of them."""
    out = [proposal for part in measures.parts if (proposal := _by_name(part.node, part.name)) is not None]
    named = {p.node for p in out}
    held = [part for part in measures.parts if part.bounds_min is not None and part.bounds_max is not None]
    low, high = (np.array([getattr(p, side) for p in held]) for side in ("bounds_min", "bounds_max"))
    at = {p.node: k for k, p in enumerate(held)}
    # All of it looks inward, and another part lies round it, or it round another, as an outline's shell does.
    inward = [
        figures.node
        for figures in measures.facing
        if figures.outside.judged > 0 and figures.outside.wrong >= _INWARD * figures.outside.judged
    ]
    for node in [n for n in inward if n in at and n not in named][:_MOST_SHELLS]:
        k = at[node]
        for other, where in (
            ((low <= low[k]).all(axis=1) & (high >= high[k]).all(axis=1), "within"),
            (
                (low >= low[k]).all(axis=1)
                & (high <= high[k]).all(axis=1)
                & (high - low > (high[k] - low[k]) / _CLOSE).all(axis=1),
                "around",
            ),
        ):
            other[k] = False
            if other.any():
                out.append(
                    Proposal(node, held[k].name, "inner", f"all of it looks inward, {where} {held[int(other.argmax())].name}")
                )
                break
    return out if len(out) < len(measures.parts) else []


def _by_name(node: int, name: str) -> Proposal | None:
    if _STAND_IN.search(name):
        return Proposal(node, name, "stand-in", "its name says so")
    if _ASIDE.search(name):
        return Proposal(node, name, "aside", "its name says so")
    level = _LEVEL.search(name)
    if level:
        return Proposal(node, name, f"level-{level[1]}", "its name says so")  # type: ignore[arg-type]
    return None

"""Many names made by one pattern, each unlike all others: the same from a scene, as the mend makes them, and from measures, as a form shows them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from ..declare.check import node_key
from ..limits import InputError
from ..measures import Measures
from ..scene.axes import AXIS_INDEX
from ..words.arrays import Array
from ..words.lengths import metres
from ..words.patterns import MOST_LETTERS
from .messages import say

#: What a pattern may hold between braces.
WORDS = ("name", "counter", "slot", "parent", "size", "place", "side")
_HOLES = re.compile(r"\{([a-z]*)(?::(\d{1,2}))?\}")


class NamedThing(NamedTuple):
    """What is named. low, high: (3,) its box in the world, None where it shows nothing. slot: its first material's name."""

    name: str
    slot: str
    parent: str
    low: Array | None
    high: Array | None


def names_by(pattern: str, start: int, named: Sequence[NamedThing], taken: Iterable[str], up: str, unit: float) -> list[str]:
    """A name for each thing, each once among all and none of those that are taken, whatever their case.

    up: "X", "Y" or "Z"; unit: metres. Raises InputError where the pattern is none.
    """
    _check(pattern)
    used = {name.casefold() for name in taken}
    words = _words(named, up, unit)
    again: Counter[str] = Counter()
    out = []
    for k, said in enumerate(words):

        def fill(hole: re.Match[str], k: int = k, properties: Mapping[str, str] = said) -> str:
            return str(start + k).zfill(int(hole[2] or 0)) if hole[1] == "counter" else properties[hole[1]]

        wanted = _HOLES.sub(fill, pattern).strip() or f"part_{start + k}"
        name = wanted
        while name.casefold() in used:
            again[wanted.casefold()] += 1
            name = f"{wanted}_{again[wanted.casefold()] + 1}"
        used.add(name.casefold())
        out.append(name)
    return out


def named_in(measures: Measures, parts: Sequence[str]) -> tuple[list[NamedThing], list[str]]:
    """Things of measures whose keys are named, all parts where none is; and the names of all other nodes."""
    shown = {part.node: part for part in measures.parts}
    names = {n.index: n.name for n in measures.nodes}
    wanted = set(parts)
    chosen = [n for n in measures.nodes if (node_key(measures, n.index) in wanted if wanted else n.index in shown)]
    picked = {n.index for n in chosen}
    things = []
    for n in chosen:
        part = shown.get(n.index)
        slots = [] if part is None else measures.meshes[part.mesh].slot_materials
        slot = next((measures.materials[k].name for k in slots if k >= 0), "")
        low, high = (None, None) if part is None else (part.bounds_min, part.bounds_max)
        box = (None, None) if low is None or high is None else (np.array(low), np.array(high))
        things.append(NamedThing(n.name, slot, names.get(n.parent, ""), *box))
    return things, [n.name for n in measures.nodes if n.index not in picked]


def _check(pattern: str) -> None:
    if not pattern.strip() or len(pattern) > MOST_LETTERS:
        raise InputError(say("mend.pattern-length", most=MOST_LETTERS))
    for hole in _HOLES.finditer(pattern):
        if hole[1] not in WORDS or (hole[2] and hole[1] != "counter"):
            listed = ", ".join("{" + w + "}" for w in WORDS)
            raise InputError(say("mend.unknown-brace", brace=hole[0], listed=listed))
    if set("{}") & set(_HOLES.sub("", pattern)):
        raise InputError(say("mend.lone-brace"))


def _words(named: Sequence[NamedThing], up: str, unit: float) -> list[dict[str, str]]:
    """What stands for each word of a pattern, by thing."""
    low = [t.low for t in named if t.low is not None]
    high = [t.high for t in named if t.high is not None]
    least = np.min(low, axis=0) if low else np.zeros(3)
    most = np.max(high, axis=0) if high else np.zeros(3)
    tall = AXIS_INDEX[up]

    def third(named: NamedThing, axis: int, words: tuple[str, str, str]) -> str:
        if named.low is None or named.high is None or not most[axis] > least[axis]:
            return words[1]
        share = ((named.low + named.high)[axis] / 2 - least[axis]) / (most[axis] - least[axis])
        return words[0] if share < 1 / 3 else words[1] if share <= 2 / 3 else words[2]

    return [
        {
            "name": t.name,
            "slot": t.slot or "bare",
            "parent": t.parent or "top",
            "size": "0" if t.low is None or t.high is None else metres(float((t.high - t.low).max()) * unit).replace(" ", ""),
            "place": third(t, tall, ("low", "middle", "high")),
            # Left and right as somebody says who faces the front: +X is to the right.
            "side": third(t, 1 if tall == 0 else 0, ("left", "middle", "right")),
        }
        for t in named
    ]

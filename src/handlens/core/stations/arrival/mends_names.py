"""Arrival: many names made anew by one pattern."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...kit.choice import PARTS, chosen_nodes
from ...kit.mend import Figure, Outcome, Parameter, mend
from ...limits import InputError, MendError, plural
from ...scene import Scene
from ...scene.model import Array
from ...scene.skinning import standing
from ...scene.transforms import parents, walk, world_matrices
from ...words.lengths import metres
from ...words.patterns import MOST_LETTERS

#: What a pattern may hold between braces.
WORDS = ("name", "counter", "slot", "parent", "size", "place", "side")
_HOLES = re.compile(r"\{([a-z]*)(?::(\d{1,2}))?\}")


@mend(
    "arrival.name-by-pattern",
    title="Name by a pattern",
    keeps="every reference, and everything that is no name",
    costs="side files that use the old names must be changed too",
    safe=False,
    parameters=[
        Parameter("pattern", "text", "such as {parent}_{slot}_{counter:2}; also {name} {size} {place} {side}"),
        Parameter("start", "number", "where the counter begins", default=1),
        PARTS,
    ],
)
def name_by_pattern(scene: Scene, pattern: str, start: float, parts: Sequence[str] = ()) -> Outcome:
    """Name parts by a pattern: {name} what it is called now, {counter} its number in the order of the tree, {slot} its first material,
    {parent} what it hangs on, {size} its longest side, {place} low, middle or high, {side} left, middle or right.

    Names come out unlike each other and unlike all others: where two would be the same, a number is added. Meshes that a part alone
    shows are named with it.
    """
    chosen = chosen_nodes(scene, parts)
    nodes = [i for i in walk(scene) if i in chosen and (parts or scene.nodes[i].mesh is not None)]
    if not nodes:
        raise MendError("There is no part to name.")
    made = _named(scene, nodes, pattern, round(start))
    changed = {i: name for i, name in made.items() if name != scene.nodes[i].name}
    if not changed:
        raise MendError("They are called so already.")
    users = Counter(n.mesh for n in scene.nodes if n.mesh is not None)
    alone = {m: name for i, name in changed.items() if (m := scene.nodes[i].mesh) is not None and users[m] == 1}
    after = scene.with_(
        nodes=tuple(replace(n, name=changed[i]) if i in changed else n for i, n in enumerate(scene.nodes)),
        meshes=tuple(replace(m, name=alone[k]) if k in alone else m for k, m in enumerate(scene.meshes)),
    )
    figures = tuple(Figure("name", scene.nodes[i].name or f"node {i}", name) for i, name in list(changed.items())[:200])
    return Outcome(after, figures, (f"{plural(len(changed), 'name changes', 'names change')}.",))


def _named(scene: Scene, nodes: list[int], pattern: str, start: int) -> dict[int, str]:
    """A name for each node, each once in the whole scene. Raises InputError where the pattern is none."""
    _check(pattern)
    words = _words(scene, nodes, pattern)
    chosen = set(nodes)
    taken = {n.name.casefold() for i, n in enumerate(scene.nodes) if i not in chosen}
    made: dict[int, str] = {}
    again: Counter[str] = Counter()
    for k, i in enumerate(nodes):
        said = words(i)

        def fill(hole: re.Match[str], k: int = k, said: dict[str, str] = said) -> str:
            word, width = hole[1], int(hole[2] or 0)
            return str(start + k).zfill(width) if word == "counter" else said[word]

        wanted = _HOLES.sub(fill, pattern).strip() or f"part_{start + k}"
        name = wanted
        while name.casefold() in taken:
            again[wanted] += 1
            name = f"{wanted}_{again[wanted] + 1}"
        taken.add(name.casefold())
        made[i] = name
    return made


def _check(pattern: str) -> None:
    if not pattern.strip() or len(pattern) > MOST_LETTERS:
        raise InputError(f"arrival.name-by-pattern: the pattern must have 1 to {MOST_LETTERS} letters.")
    for hole in _HOLES.finditer(pattern):
        if hole[1] not in WORDS or (hole[2] and hole[1] != "counter"):
            raise InputError(
                f"arrival.name-by-pattern: {hole[0]} is none of {', '.join('{' + w + '}' for w in WORDS)}; only the counter has a width."
            )
    if "{" in _HOLES.sub("", pattern) or "}" in _HOLES.sub("", pattern):
        raise InputError("arrival.name-by-pattern: a brace stands alone; write {name} whole.")


def _words(scene: Scene, nodes: list[int], pattern: str) -> Callable[[int], dict[str, str]]:
    """What stands for each word of a pattern, by node; places are measured only where the pattern asks for them."""
    up = parents(scene)
    boxes: dict[int, tuple[Array, Array]] = {}
    if any("{" + w + "}" in pattern for w in ("size", "place", "side")):
        world = world_matrices(scene)
        for i in nodes:
            m = scene.nodes[i].mesh
            if m is not None and len(scene.meshes[m].positions):
                p = standing(scene, i, world)
                p = p[np.isfinite(p).all(axis=1)]
                if len(p):
                    boxes[i] = p.min(axis=0), p.max(axis=0)
    low = np.min([b[0] for b in boxes.values()], axis=0) if boxes else np.zeros(3)
    high = np.max([b[1] for b in boxes.values()], axis=0) if boxes else np.ones(3)
    tall = {"X": 0, "Y": 1, "Z": 2}[scene.up_axis or "Y"]
    across = 1 if tall == 0 else 0
    unit = scene.unit_metres or 1.0

    def third(i: int, axis: int, words: tuple[str, str, str]) -> str:
        if i not in boxes or not high[axis] > low[axis]:
            return words[1]
        share = ((boxes[i][0] + boxes[i][1])[axis] / 2 - low[axis]) / (high[axis] - low[axis])
        return words[0] if share < 1 / 3 else words[1] if share <= 2 / 3 else words[2]

    def of(i: int) -> dict[str, str]:
        n = scene.nodes[i]
        slots = () if n.mesh is None else scene.meshes[n.mesh].slot_materials
        slot = next((scene.materials[m].name for m in slots if m >= 0), "")
        size = metres(float((boxes[i][1] - boxes[i][0]).max()) * unit).replace(" ", "") if i in boxes else ""
        return {
            "name": scene.part_name(i),
            "slot": slot or "bare",
            "parent": scene.part_name(up[i]) if up[i] >= 0 else "top",
            "size": size or "0",
            "place": third(i, tall, ("low", "middle", "high")),
            # Left and right as somebody says who faces the front: +X is to the right.
            "side": third(i, across, ("left", "middle", "right")),
        }

    return of

"""Levels of detail as glTF's extension has them: a node names those that stand in its place from afar, finest first, and they stand
outside of the scene. Here they are what they are in every other format, nodes below the one that they belong to, which say so.

Source: MSFT_lod in the Khronos registry of glTF extensions, from memory.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ...scene import Node, Problem
from ...scene.generated import BY_EXTENSION, OF, ROLE, property_text
from ...scene.model import frozen
from ...words.json_tree import Json
from .document import is_integer

EXTENSION = "MSFT_lod"
_LEVELS = ("level-1", "level-2", "level-3")


def with_levels(
    nodes: tuple[Node, ...], roots: tuple[int, ...], problems: list[Problem]
) -> tuple[tuple[Node, ...], tuple[int, ...]]:
    """Nodes and roots with levels that the extension names put below their node, each in the place that it had; what cannot stand
    there is told as a problem and stays where it is."""
    out = list(nodes)
    parent = {child: i for i, n in enumerate(nodes) for child in n.children}
    above = dict(parent)
    claimed = set[int]()
    for i, n in enumerate(nodes):
        extensions = n.extras.get("extensions")
        entry = extensions.get(EXTENSION) if isinstance(extensions, Mapping) else None
        if entry is None:
            continue
        ids = entry.get("ids") if isinstance(entry, Mapping) else None
        good = [k for k in ids if _free(k, parent, len(nodes)) and k != _top(i, above)] if isinstance(ids, list) else []
        good = list(dict.fromkeys(good))
        used = good[: len(_LEVELS)] if np.linalg.det(n.local[:3, :3]) else []
        if not isinstance(ids, list) or len(used) < len(ids):
            text = f"Node {i} names levels of detail that do not exist, stand elsewhere, or are more than {len(_LEVELS)}; they are left out."
            problems.append(Problem("broken-reference", text, f"nodes[{i}]"))
        rest = {k: v for k, v in extensions.items() if k != EXTENSION} if isinstance(extensions, Mapping) else {}
        extras = {k: v for k, v in n.extras.items() if k != "extensions"} | ({"extensions": rest} if rest else {})
        out[i] = replace(out[i], extras=extras, children=(*out[i].children, *used))
        name = n.name or f"node[{i}]"
        for role, k in zip(_LEVELS, used, strict=False):
            parent[k] = above[k] = i
            # What was claimed before has its own level, and is not walked over again.
            for below in _branch(out, k, claimed):
                if below == k or out[below].mesh is not None:
                    out[below] = _as_level(out[below], role, name)
            claimed.add(k)
            out[k] = _seen_from(replace(out[k], extras={**out[k].extras, BY_EXTENSION: True}), n)
    return tuple(out), tuple(root for root in roots if root not in claimed)


def without_levels(nodes: Sequence[Node]) -> tuple[list[Node], dict[int, list[int]]]:
    """Nodes with levels that go by the extension taken out from under theirs, each in its place there, and their numbers by its."""
    out, named = list(nodes), dict[int, list[int]]()
    for i, n in enumerate(nodes):
        own = sorted(
            (child for child in n.children if nodes[child].extras.get(BY_EXTENSION)),
            key=lambda c: (property_text(nodes[c], ROLE), c),
        )
        if own:
            named[i] = own
            out[i] = replace(n, children=tuple(child for child in n.children if child not in own))
    for i, own in named.items():
        for k, level in enumerate(own):
            for below in _branch(out, level) if k < len(_LEVELS) else ():
                out[below] = _unsaid(out[below], _LEVELS[k], nodes[i].name or f"node[{i}]")
            out[level] = _in_place_of(out[level], nodes[i])
    return out, named


def entry_of(levels: Sequence[int]) -> Json:
    """What the extension says at a node."""
    return {EXTENSION: {"ids": list(levels)}}


def _free(k: Any, parent: Mapping[int, int], count: int) -> bool:
    """Whether a number names a node that hangs nowhere."""
    return is_integer(k) and 0 <= k < count and k not in parent


def _top(node: int, above: dict[int, int]) -> int:
    """The topmost node over a node; what lies between is led there at once the next time."""
    way = []
    while node in above:
        way.append(node)
        node = above[node]
    above.update(dict.fromkeys(way, node))
    return node


def _branch(nodes: Sequence[Node], k: int, without: Collection[int] = ()) -> list[int]:
    """A node and all below it, but for some with what is below them."""
    out = [k]
    for i in out:
        out.extend(child for child in nodes[i].children if child not in without)
    return out


def _as_level(n: Node, role: str, of: str) -> Node:
    own = n.extras.get("extras", {})
    if not isinstance(own, Mapping):
        return n  # properties that are no list of names and values leave no place to say it
    told = dict(own)
    told = {**told, ROLE: told.get(ROLE) if told.get(ROLE) in _LEVELS else role, OF: told.get(OF) or of}
    return replace(n, extras={**n.extras, "extras": told})


def _unsaid(n: Node, role: str, of: str) -> Node:
    """A node without saying what the extension says of it."""
    own = n.extras.get("extras")
    if not isinstance(own, Mapping) or own.get(ROLE) != role or own.get(OF) != of:
        return n
    rest = {k: v for k, v in own.items() if k not in (ROLE, OF)}
    extras = {k: v for k, v in n.extras.items() if k != "extras"}
    return replace(n, extras=extras | ({"extras": rest} if rest else {}))


_PLACE = ("translation", "rotation", "scale")


def _seen_from(level: Node, owner: Node) -> Node:
    """A level, which stood in its owner's place, as its child."""
    if all(getattr(level, k) == getattr(owner, k) for k in _PLACE) and level.matrix is None and owner.matrix is None:
        return replace(level, translation=(0.0, 0.0, 0.0), rotation=(0.0, 0.0, 0.0, 1.0), scale=(1.0, 1.0, 1.0))
    return replace(level, matrix=frozen(np.linalg.inv(owner.local) @ level.local))


def _in_place_of(level: Node, owner: Node) -> Node:
    """A child of its owner as what stands in its place."""
    if (level.local == np.eye(4)).all():
        return replace(level, translation=owner.translation, rotation=owner.rotation, scale=owner.scale, matrix=owner.matrix)
    return replace(level, matrix=frozen(owner.local @ level.local))

"""Joints that a destination wants, found among those of a skin."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...measures import Measures
from ...rules.sheet import Joint
from .records import SkinOfModel


@dataclass(frozen=True)
class Place:
    """A wanted joint that is there: its node and name, whether it has the destination's own name, whether it hangs elsewhere."""

    node: int
    name: str
    by_name: bool
    astray: bool


def placed(measures: Measures, skin: SkinOfModel, wanted: Sequence[Joint]) -> list[Place | None]:
    """Where each wanted joint is among a skin's joints and the nodes above them; None where it is missing.

    A name counts after its prefix, whatever its letters' case.
    """
    by_index = {n.index: n for n in measures.nodes}
    nodes = {j.node: j.name for j in skin.joints}
    for j in skin.joints[:1]:
        i = by_index[j.node].parent if j.node in by_index else -1
        while i in by_index:
            nodes.setdefault(i, by_index[i].name)
            i = by_index[i].parent
    exactly: dict[str, int] = {}
    nearly: dict[str, int] = {}
    for node, name in nodes.items():
        exactly.setdefault(name, node)
        nearly.setdefault(name.rpartition(":")[2].casefold(), node)
    out: list[Place | None] = []
    at: dict[str, int] = {}
    for joint in wanted:
        known = exactly.get(joint.name)
        if known is None:
            known = next((nearly[n.casefold()] for n in (joint.name, *joint.also) if n.casefold() in nearly), None)
        if known is None:
            out.append(None)
            continue
        node = at[joint.name] = known
        parent = by_index[node].parent if node in by_index else -1
        astray = joint.parent is not None and joint.parent in at and parent != at[joint.parent]
        out.append(Place(node, nodes[node], nodes[node] == joint.name, astray))
    return out

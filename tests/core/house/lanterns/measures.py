"""Lanterns, counted."""

from __future__ import annotations

import msgspec

from handlens.core.kit.own import Own  # the former name holds for one release
from handlens.core.measures import Measures
from handlens.core.scene import Scene
from handlens.core.scene.model import Array


class Lanterns(msgspec.Struct):
    """Nodes called lantern, and how many of their name go on with a number."""

    nodes: list[int]
    numbered: int


def take(scene: Scene, m: Measures, arrays: dict[str, Array]) -> Lanterns:
    """Count them by their names."""
    if any(n.name == "wreck" for n in scene.nodes):
        raise ValueError("nothing can be counted near a wreck")
    named = [i for i, n in enumerate(scene.nodes) if n.name.split(" ")[0] == "lantern"]
    return Lanterns(named, sum(scene.nodes[i].name != "lantern" for i in named))


OWN = Own("lanterns", Lanterns, take)

"""Which nodes a mend is for: keys as findings name them, turned into node indices."""

from __future__ import annotations

from collections.abc import Sequence

from ..declare.mend import Parameter
from ..edit.tree import below as with_below
from ..limits import MendError
from ..scene import Scene
from ..scene.transforms import walk
from .messages import say

#: The parameter of every mend that can be kept to some parts.
PARTS = Parameter("parts", "parts", "which parts, all where none is named", default=())


def chosen_nodes(scene: Scene, parts: Sequence[str], below: bool = False) -> set[int]:
    """Indices of the nodes that keys name, with everything under them if `below`; all nodes where no key is given.

    A key is a node's name, followed by ~ and its index only where several nodes share the name. Raises MendError where
    none of the keys is on the model any more.
    """
    if not parts:
        return set(range(len(scene.nodes)))
    named: dict[str, list[int]] = {}
    for i in walk(scene):
        named.setdefault(scene.part_name(i), []).append(i)
    keys = {name if len(nodes) == 1 else f"{name}~{i}": i for name, nodes in named.items() for i in nodes}
    # A blank about a name that has none was only typed about the semicolon.
    found = {keys[k] for part in parts for k in (part if part in keys else part.strip(),) if k in keys}
    if not found:
        raise MendError(say("mend.no-such-part", part=parts[0]) if len(parts) == 1 else say("mend.no-such-parts"))
    if below:
        return with_below(scene, found)
    return found


def chosen_meshes(scene: Scene, parts: Sequence[str]) -> list[int]:
    """Numbers of the meshes that named parts show, of all meshes where no part is named. Raises MendError where there is none."""
    nodes = chosen_nodes(scene, parts)
    found = sorted({m for i in nodes if (m := scene.nodes[i].mesh) is not None})
    if not parts:
        found = list(range(len(scene.meshes)))
    if not found:
        raise MendError(say("mend.no-mesh"))
    return found

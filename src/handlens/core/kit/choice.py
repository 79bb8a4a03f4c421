"""Which nodes a mend is for: keys as findings name them, turned into node indices."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from ..declare.mend import Parameter
from ..edit.tree import below as with_below
from ..limits import MendError
from ..scene import Scene
from ..scene.faces import face_mask
from ..scene.transforms import walk
from ..words.arrays import Bool
from .messages import say

#: The parameter of every mend that can be kept to some parts.
PARTS = Parameter("parts", "parts", "which parts, all where none is named", default=())


#: The parameter of every mend that is done to faces that somebody pointed at.
FACES = Parameter("faces", "faces", "which faces of each part, as in 0-11;40, all where empty", default="")


def chosen_faces(scene: Scene, faces: str, parts: Sequence[str]) -> dict[int, Bool]:
    """For each mesh that named parts show, (F,) bool which of its faces are meant; meshes without any are left out.

    Raises InputError where the text names no faces, and MendError where no part has any of them.
    """
    masks = {k: face_mask(faces, scene.meshes[k].face_count) for k in chosen_meshes(scene, parts)}
    found = {k: mask for k, mask in masks.items() if mask.any()}
    if not found:
        raise MendError(say("mend.no-such-faces"))
    return found


def also_shown(scene: Scene, meshes: Collection[int], parts: Sequence[str]) -> tuple[str, ...]:
    """A sentence on parts that show the same meshes as those that were named, and change with them; none where there are none."""
    nodes = chosen_nodes(scene, parts) if parts else set(range(len(scene.nodes)))
    others = sum(n.mesh in meshes and i not in nodes for i, n in enumerate(scene.nodes))
    return (say("mend.also-shown", parts=others),) if others else ()


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
    found = sorted({number for i in nodes if (number := scene.nodes[i].mesh) is not None})
    if not parts:
        found = list(range(len(scene.meshes)))
    if not found:
        raise MendError(say("mend.no-mesh"))
    return found

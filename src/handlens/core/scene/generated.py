"""Parts that stand beside another for a purpose, such as stand-ins and coarser levels: what they are is written into their node."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import chain, count
from typing import Any

from .model import Mesh, Node, Scene

#: Keys among a node's own properties: what it is to the whole, and the name of the part that it belongs to.
ROLE, OF = "role", "of"
#: Key among what a node keeps beside its fields: whether it is a level that the file names by glTF's extension, or is to be.
BY_EXTENSION = "by-extension"
#: Roles of what is never drawn together with the part that it belongs to.
BESIDE = ("stand-in", "level-1", "level-2", "level-3")


def name_suffix(role: str) -> str:
    """What the name of a part that is made for another ends in."""
    return "_stand_in" if role == "stand-in" else f"_level_{role.rpartition('-')[2]}"


def property_text(node: Node, key: str) -> str:
    """What a node's own properties say under a key, "" where they say nothing."""
    own = node.extras.get("extras")
    value = own.get(key) if isinstance(own, Mapping) else None
    return value if isinstance(value, str) else ""


def generated_parts(scene: Scene, node: int, role: str) -> set[int]:
    """Nodes that were made for a node, of a role or of one that begins so."""
    of = scene.part_name(node)
    return {
        child
        for child in scene.nodes[node].children
        if property_text(scene.nodes[child], ROLE).startswith(role) and property_text(scene.nodes[child], OF) == of
    }


def with_generated(scene: Scene, node: int, role: str, parts: Sequence[tuple[str, Mesh | int]]) -> Scene:
    """The scene with parts below a node, in its own frame, each named, as no other is, and said to be of a role. parts: name and mesh of
    each, or the number of one that is there already."""
    of = scene.part_name(node)
    owner = scene.nodes[node]
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    children = list(owner.children)
    taken = {n.name for n in nodes}
    for wanted, mesh in parts:
        # Parts of one name would have what is made for them of one name too.
        name = next(x for x in chain([wanted], (f"{wanted}_{k}" for k in count(2))) if x not in taken)
        taken.add(name)
        children.append(len(nodes))
        extras: dict[str, Any] = {"extras": {ROLE: role, OF: of}}
        number = mesh if isinstance(mesh, int) else len(meshes)
        nodes.append(Node(f"{owner.id}/{role}/{len(nodes)}", name, mesh=number, extras=extras))
        if not isinstance(mesh, int):
            meshes.append(replace(mesh, id=f"{mesh.id}/{role}/{number}", name=name))
    nodes[node] = replace(owner, children=tuple(children))
    return scene.with_(nodes=tuple(nodes), meshes=tuple(meshes))

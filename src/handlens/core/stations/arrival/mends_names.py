"""Arrival: many names made anew by one pattern."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...kit.choice import PARTS, chosen_nodes
from ...kit.naming import NamedThing, names_by
from ...limits import MendError, plural
from ...scene import Scene
from ...scene.bounds import world_bounds
from ...scene.transforms import parents, walk, world_matrices
from .messages import say


@mend(
    "arrival.name-by-pattern",
    title="Name by a pattern",
    menu=("tree", "Name by a pattern …"),
    keeps="every reference, and everything that is no name",
    costs="side files that use the old names must be changed too",
    safe=False,
    parameters=[
        Parameter("pattern", "text", "such as {parent}_{slot}_{counter:2}; also {name} {size} {place} {side}"),
        Parameter("start", "number", "where the counter begins", default=1),
        PARTS,
    ],
    touches="neither",
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
        raise MendError(say("arrival.name-by-pattern.no-part"))
    picked = set(nodes)
    taken = [n.name for i, n in enumerate(scene.nodes) if i not in picked]
    made = names_by(pattern, round(start), _parts_to_name(scene, nodes), taken, scene.up_axis or "Y", scene.unit_metres or 1.0)
    changed = {i: name for i, name in zip(nodes, made, strict=True) if name != scene.nodes[i].name}
    if not changed:
        raise MendError(say("arrival.name-by-pattern.already"))
    users = Counter(n.mesh for n in scene.nodes if n.mesh is not None)
    alone = {number: name for i, name in changed.items() if (number := scene.nodes[i].mesh) is not None and users[number] == 1}
    after = scene.with_(
        nodes=tuple(replace(n, name=changed[i]) if i in changed else n for i, n in enumerate(scene.nodes)),
        meshes=tuple(replace(mesh, name=alone[k]) if k in alone else mesh for k, mesh in enumerate(scene.meshes)),
    )
    figures = tuple(Figure("name", scene.nodes[i].name or f"node {i}", name) for i, name in list(changed.items())[:200])
    return Outcome(after, figures, (f"{plural(len(changed), 'name changes', 'names change')}.",))


def _parts_to_name(scene: Scene, nodes: list[int]) -> list[NamedThing]:
    up, world = parents(scene), world_matrices(scene)
    out = []
    for i in nodes:
        n = scene.nodes[i]
        slots = () if n.mesh is None else scene.meshes[n.mesh].slot_materials
        slot = next((scene.materials[slot].name for slot in slots if slot >= 0), "")
        out.append(
            NamedThing(
                scene.part_name(i),
                slot,
                scene.part_name(up[i]) if up[i] >= 0 else "",
                *(world_bounds(scene, world, [i]) or (None, None)),
            )
        )
    return out

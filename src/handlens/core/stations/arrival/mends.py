"""Arrival: take out what should not travel, rename in bulk."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...edit.lines import without_lines
from ...edit.without import holding, still_bare, without_meshes, without_nodes, without_parts
from ...kit.choice import PARTS, chosen_nodes
from ...limits import InputError, MendError, plural
from ...scene import Scene
from ...scene.transforms import parents
from ...words.anchors import is_place, is_unnamed
from ...words.patterns import MOST_LETTERS, compiled, replaced
from .messages import say

_LEFTOVERS = ("cameras", "lights", "lines", "empties", "unused", "hidden", "groups")


@mend(
    "arrival.remove",
    title="Remove leftovers",
    button="Remove {what}",
    keeps="every face and all that belongs to it",
    costs="what is removed is gone from the export; the original keeps it",
    promise=PLACES,
    safe=True,
    parameters=[Parameter("what", "choice", "which leftovers", _LEFTOVERS)],
    touches="neither",
)
def remove(scene: Scene, what: str) -> Outcome:
    """Take out cameras, lights, line elements, nodes that hold nothing, materials and images that nothing uses, what is hidden, or
    groups of one without a transform of their own.
    """
    return {
        "cameras": _cameras,
        "lights": _lights,
        "lines": _lines,
        "empties": _empties,
        "unused": _unused,
        "hidden": _hidden,
        "groups": _groups,
    }[what](scene)


def _cameras(scene: Scene) -> Outcome:
    if not scene.cameras:
        raise MendError(say("arrival.cameras.none"))
    bare = scene.with_(nodes=tuple(replace(n, camera=None) for n in scene.nodes), cameras=())
    held = [i for i, n in enumerate(scene.nodes) if n.camera is not None]
    return Outcome(without_nodes(bare, still_bare(bare, held)), (Figure("cameras", f"{len(scene.cameras)}", "0"),))


def _lights(scene: Scene) -> Outcome:
    if not scene.lights:
        raise MendError(say("arrival.lights.none"))
    bare = scene.with_(nodes=tuple(replace(n, light=None) for n in scene.nodes), lights=())
    held = [i for i, n in enumerate(scene.nodes) if n.light is not None]
    return Outcome(without_nodes(bare, still_bare(bare, held)), (Figure("lights", f"{len(scene.lights)}", "0"),))


def _lines(scene: Scene) -> Outcome:
    count = sum(len(mesh.lines) for mesh in scene.meshes)
    if not count:
        raise MendError(say("arrival.lines.none"))
    meshes = tuple(without_lines(mesh) for mesh in scene.meshes)
    hollow = {k for k, mesh in enumerate(meshes) if not mesh.face_count and not len(mesh.points) and len(scene.meshes[k].lines)}
    nodes = tuple(replace(n, mesh=None) if n.mesh in hollow else n for n in scene.nodes)
    after = scene.with_(meshes=meshes, nodes=nodes)
    held = [i for i, n in enumerate(scene.nodes) if n.mesh in hollow]
    after = without_nodes(after, still_bare(after, held))
    return Outcome(without_meshes(after, hollow), (Figure("loose edges", f"{count:,}", "0"),))


def _empties(scene: Scene) -> Outcome:
    holds = holding(scene)
    up = parents(scene)
    # A place to put something at is there to be empty; what it hangs on stays with it.
    places = {i for i, n in enumerate(scene.nodes) if i not in holds and (is_place(n.name) or n.extras)}
    for i in list(places):
        while i >= 0 and i not in holds:
            holds.add(i)
            i = up[i]
    gone = {i for i in range(len(scene.nodes)) if i not in holds}
    if not gone:
        raise MendError(say("arrival.empties.none"))
    remarks = (say("arrival.empties.stayed", nodes=len(places)),) if places else ()
    named = [scene.nodes[i].name for i in sorted(gone) if not is_unnamed(scene.nodes[i].name)]
    if named:
        listed = ", ".join(named[:5]) + (" …" if len(named) > 5 else "")
        remarks = (*remarks, say("arrival.empties.looked-up", names=listed))
    return Outcome(without_nodes(scene, gone), (Figure("empty nodes", f"{len(gone):,}", "0"),), remarks)


def _hidden(scene: Scene) -> Outcome:
    """Hidden nodes with all below them; such as a skin or a clip needs stay, without their mesh."""
    hidden = {i for i, n in enumerate(scene.nodes) if n.hidden}
    if not hidden:
        raise MendError(say("arrival.hidden.none"))
    below, stack = set(hidden), list(hidden)
    while stack:
        for child in scene.nodes[stack.pop()].children:
            if child not in below:
                below.add(child)
                stack.append(child)
    bare = scene.with_(
        nodes=tuple(
            replace(n, mesh=None, skin=None, camera=None, light=None, hidden=False) if i in below else n
            for i, n in enumerate(scene.nodes)
        )
    )
    before, used = {n.mesh for n in scene.nodes}, {n.mesh for n in bare.nodes}
    after = without_meshes(bare, {k for k in range(len(scene.meshes)) if k in before and k not in used})
    return Outcome(without_nodes(after, still_bare(after, sorted(below))), (Figure("hidden nodes", f"{len(hidden):,}", "0"),))


def _groups(scene: Scene) -> Outcome:
    """Groups that hold one node and move it nowhere: what they hold takes their place, and their name where it has none."""
    joints = {j for skin in scene.skins for j in (*skin.joints, *([] if skin.skeleton is None else [skin.skeleton]))}
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    plain = lambda n: n.mesh is None and n.camera is None and n.light is None and not n.hidden and not n.extras
    spare = {
        i
        for i, n in enumerate(scene.nodes)
        if plain(n) and len(n.children) == 1 and i not in joints and i not in driven and bool((n.local == np.eye(4)).all())
    }
    if not spare:
        raise MendError(say("arrival.groups.none"))

    def content(i: int) -> int:
        while i in spare:
            i = scene.nodes[i].children[0]
        return i

    names: dict[int, str] = {}
    for i in spare:
        names.setdefault(content(i), scene.nodes[i].name)
    nodes = tuple(
        replace(n, children=() if i in spare else tuple(content(child) for child in n.children), name=n.name or names.get(i, ""))
        for i, n in enumerate(scene.nodes)
    )
    after = scene.with_(nodes=nodes, roots=tuple(content(root) for root in scene.roots))
    return Outcome(without_nodes(after, set(spare)), (Figure("groups of one", f"{len(spare):,}", "0"),))


def _unused(scene: Scene) -> Outcome:
    used: set[int] = set()
    for mesh in scene.meshes:
        counts = np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) if len(mesh.slots) else np.zeros(0, int)
        used |= {slot_material for slot_material, n in zip(mesh.slot_materials, counts, strict=False) if n and slot_material >= 0}
    kept = [k for k in range(len(scene.materials)) if k in used]
    wanted = {texture.image for k in kept for texture in scene.materials[k].inputs if texture.image is not None}
    images = [k for k in range(len(scene.images)) if k in wanted]
    lost = len(scene.materials) - len(kept), len(scene.images) - len(images)
    if not any(lost):
        raise MendError(say("arrival.unused.none"))
    number = {old: new for new, old in enumerate(kept)}
    image_number = {old: new for new, old in enumerate(images)}
    materials = tuple(
        replace(
            m,
            inputs=tuple(
                replace(texture, image=None if texture.image is None else image_number[texture.image]) for texture in m.inputs
            ),
        )
        for m in (scene.materials[k] for k in kept)
    )
    meshes = tuple(replace(mesh, slot_materials=tuple(number.get(x, -1) for x in mesh.slot_materials)) for mesh in scene.meshes)
    after = scene.with_(materials=materials, meshes=meshes, images=tuple(scene.images[k] for k in images))
    return Outcome(
        after,
        (
            Figure("materials", f"{len(scene.materials)}", f"{len(kept)}"),
            Figure("images", f"{len(scene.images)}", f"{len(images)}"),
        ),
    )


@mend(
    "arrival.remove-parts",
    title="Remove parts",
    menu=("tables", "Remove parts"),
    keeps="everything else, with what hangs on the removed parts where it stands",
    costs="what is removed is gone from the export; the original keeps it",
    promise=PLACES,
    safe=False,
    parameters=[Parameter("parts", "parts", "which parts")],
    touches="neither",
)
def remove_parts(scene: Scene, parts: Sequence[str]) -> Outcome:
    """Take the geometry of chosen parts out. Their nodes stay where something hangs on them, drives them or is driven by them."""
    if not parts:
        raise MendError(say("arrival.remove-parts.choose"))
    held = sorted(i for i in chosen_nodes(scene, parts) if scene.nodes[i].mesh is not None)
    if not held:
        raise MendError(say("arrival.remove-parts.no-geometry"))
    before = sum(n.mesh is not None for n in scene.nodes)
    return Outcome(without_parts(scene, held), (Figure("parts", f"{before:,}", f"{before - len(held):,}"),))


@mend(
    "arrival.rename",
    title="Rename by search and replace",
    keeps="every reference: nodes, meshes, materials, skins and clips are renamed with whatever uses them",
    costs="side files that use the old names must be changed too",
    safe=False,
    parameters=[
        Parameter("search", "text", "text to look for in every name"),
        Parameter("replace", "text", "what to put in its place", default=""),
        Parameter("pattern", "flag", "read the search as a regular expression", default=False),
        PARTS,
    ],
    touches="neither",
)
def rename(scene: Scene, search: str, replace: str, pattern: bool, parts: Sequence[str] = ()) -> Outcome:
    """Search and replace in the names of nodes, meshes, materials, skins and clips.

    Of parts that are named, in the names of their nodes and of meshes that no other node uses.
    """
    into = renamer(search, replace, pattern)
    things = _renamed_items(scene, chosen_nodes(scene, parts) if parts else None)
    pairs = changed_names(dict.fromkeys(x.name for chosen in things.values() for x in chosen.values() if x.name), into)
    if not pairs:
        raise MendError(say("arrival.rename.no-such-name", chosen=parts, search=search))
    named = {
        kind: tuple(_with_name(x, into) if k in chosen else x for k, x in enumerate(getattr(scene, kind)))
        for kind, chosen in things.items()
    }
    remarks = [f"{plural(len(pairs), 'name changes', 'names change')}."]
    blank = [old for old, fresh in pairs if not fresh]
    if blank:
        remarks.append(say("arrival.rename.no-name-left", name=blank[0]))
    return Outcome(scene.with_(**named), tuple(Figure("name", old, fresh) for old, fresh in pairs[:200]), tuple(remarks))


def renamer(search: str, into: str, pattern: bool) -> Callable[[str], str]:
    """The function from old name to new. Raises InputError where the search is empty or no valid pattern."""
    if not search:
        raise InputError(say("arrival.empty-search"))
    if len(into) > MOST_LETTERS:
        raise InputError(say("arrival.too-many-letters", most=MOST_LETTERS))
    if not pattern:
        return lambda name: name.replace(search, into)
    expression = compiled(search, "arrival.rename")
    replaced(expression, into, "", "arrival.rename")
    return lambda name: replaced(expression, into, name, "arrival.rename")


def _renamed_items(scene: Scene, nodes: set[int] | None) -> dict[str, dict[int, Any]]:
    """What a rename looks at, by kind and index; of chosen nodes, they and the meshes that are theirs alone."""
    kinds = ("nodes", "meshes", "materials", "skins", "clips")
    if nodes is None:
        return {kind: dict(enumerate(getattr(scene, kind))) for kind in kinds}
    others = {n.mesh for i, n in enumerate(scene.nodes) if i not in nodes}
    own = {number for i in nodes if (number := scene.nodes[i].mesh) is not None and number not in others}
    return {"nodes": {i: scene.nodes[i] for i in nodes}, "meshes": {k: scene.meshes[k] for k in own}}


def changed_names(names: Iterable[str], into: Callable[[str], str]) -> list[tuple[str, str]]:
    """(old, new) for every name that would change."""
    return [(old, new) for old, new in ((n, into(n)) for n in names) if new != old]


def _with_name(item: Any, into: Callable[[str], str]) -> Any:
    return item if not item.name else replace(item, name=into(item.name))

"""Nodes, parts and their names: what a format has no place for in the tree."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ...edit.transform_mesh import transform_mesh
from ...geometry.joining import joined_meshes
from ...limits import plural
from ...scene import Mesh, Node, Scene
from ...scene.model import frozen
from ...scene.placed import placed_only, unplaced
from ...scene.transforms import walk, world_matrices
from ...surface.names import in_a_statement
from ...words.json_tree import Json
from .messages import say
from .steps import ExportLoss, Step, Target

_GROUP = "Parts"


# --- what is left out of the tree ---------------------------------------------------------------------


def _tell_unplaced(scene: Scene, target: Target) -> list[ExportLoss]:
    spare = unplaced(scene) if target.lacks("unplaced meshes") else 0
    text = say("loss.unused-meshes", spare=spare)
    return [ExportLoss(_GROUP, "Meshes that no node places", text, f"{spare:,}", "0")] if spare else []


def _outside(scene: Scene) -> list[int]:
    """Nodes that the default scene does not reach."""
    inside = set(walk(scene))
    return [i for i in range(len(scene.nodes)) if i not in inside]


def _tell_outside(scene: Scene, target: Target) -> list[ExportLoss]:
    count = len(_outside(scene)) if target.lacks("further scenes") else 0
    text = say("loss.outside-scene", count=count)
    return [ExportLoss(_GROUP, "Nodes of other scenes", text, f"{count:,}", "0")] if count else []


def only_nodes(scene: Scene, chosen: list[int]) -> Scene:
    """The scene with some nodes alone, all references following; joints and channels of others go, meshes stay."""
    number = {old: new for new, old in enumerate(chosen)}
    nodes = tuple(
        replace(scene.nodes[i], children=tuple(number[child] for child in scene.nodes[i].children if child in number))
        for i in chosen
    )
    skins = []
    for skin in scene.skins:
        there = [k for k, j in enumerate(skin.joints) if j in number]
        inverse = (
            skin.inverse_bind if skin.inverse_bind is None or len(there) == len(skin.joints) else frozen(skin.inverse_bind[there])
        )
        skeleton = number.get(skin.skeleton) if skin.skeleton is not None else None
        skins.append(replace(skin, joints=tuple(number[skin.joints[k]] for k in there), inverse_bind=inverse, skeleton=skeleton))
    clips = tuple(
        replace(
            clip,
            channels=tuple(
                replace(x, node=None if x.node is None else number[x.node])
                for x in clip.channels
                if x.node is None or x.node in number
            ),
        )
        for clip in scene.clips
    )
    roots = tuple(number[root] for root in scene.roots if root in number)
    return scene.with_(nodes=nodes, roots=roots, skins=tuple(skins), clips=clips)


def _tell_hidden(scene: Scene, target: Target) -> list[ExportLoss]:
    count = sum(n.hidden for n in scene.nodes) if target.lacks("hidden nodes") else 0
    text = say("loss.hidden-nodes", count=count)
    return [ExportLoss(_GROUP, "Hidden nodes", text, f"{count:,}", "0")] if count else []


def _tell_extras(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("custom properties"):
        return []
    own = ({} if own_extras(n.extras) == _layer_property(n.extras, target) else n.extras for n in scene.nodes)
    holders = [*own, *(mesh.extras for mesh in scene.meshes), scene.extras]
    count = sum(bool(own_extras(x)) for x in holders)
    text = say("loss.no-properties", count=count)
    return [ExportLoss(_GROUP, "Custom properties", text, f"{count:,}", "0")] if count else []


#: What a file says of itself, or what fields of the scene are for: no property of the model.
_OF_THE_FILE = ("asset", "extensionsUsed", "extensionsRequired", "groups")
_FIELDS = ("KHR_lights_punctual", "KHR_node_visibility")


def own_extras(extras: Mapping[str, Any]) -> Json:
    """What of a thing's extras is its own: neither about the file nor what a field of the scene is for."""
    out: dict[str, Any] = {}
    for key, value in extras.items():
        if key == "extensions" and isinstance(value, Mapping):
            value = {k: v for k, v in value.items() if k not in _FIELDS}
        if key == "extras" and isinstance(value, Mapping):
            value = {k: v for k, v in value.items() if k != "targetNames"}
        if key not in _OF_THE_FILE and value not in ({}, None, []):
            out[key] = value
    return out


def layer_of(extras: Mapping[str, Any]) -> str:
    """The layers that a node is in, names with blanks between; empty where it is in none."""
    own = extras.get("extras")
    found = own.get("layer") if isinstance(own, Mapping) else None
    return found if isinstance(found, str) else ""


def _layer_property(extras: Mapping[str, Any], target: Target) -> Json:
    """What of a node's properties a format has a place for though it has none for others: COLLADA's layers."""
    layer = layer_of(extras) if target.format.name == "dae" else ""
    return {"extras": {"layer": layer}} if layer else {}


def _without_extras(scene: Scene, target: Target) -> Scene:
    return scene.with_(
        nodes=tuple(replace(n, extras=_layer_property(n.extras, target)) if n.extras else n for n in scene.nodes),
        meshes=tuple(replace(mesh, extras={}) if mesh.extras else mesh for mesh in scene.meshes),
        extras={},
    )


# --- flat formats -------------------------------------------------------------------------------------


def _tell_flat(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("node tree"):
        return []
    said: list[ExportLoss] = []
    placed = [scene.nodes[i] for i in walk(scene) if scene.nodes[i].mesh is not None]
    if any(np.abs(n.local - np.eye(4)).max() > 1e-12 or n.children for n in scene.nodes):
        text = say("loss.flat-tree")
        said.append(ExportLoss(_GROUP, "Node tree", text, plural(len(scene.nodes), "node"), "flat"))
    empty = sum(scene.nodes[i].mesh is None and not scene.nodes[i].children for i in walk(scene))
    if empty:
        text = say("loss.empty-nodes", empty=empty)
        said.append(ExportLoss(_GROUP, "Nodes without a mesh", text, f"{empty:,}", "0"))
    shared = len(placed) - len({n.mesh for n in placed})
    if target.lacks("parts") and (len(placed) > 1 or any(n.name for n in placed)):
        words = "parts are joined into one, and their names are" if len(placed) > 1 else "part's name is"
        said.append(
            ExportLoss(_GROUP, "Parts", say("loss.placed-nothing", count=len(placed), words=words), f"{len(placed):,}", "1")
        )
    elif shared and not target.lacks("parts"):
        text = say("loss.instances", shared=shared)
        said.append(ExportLoss(_GROUP, "Instances", text, f"{shared:,}", "0"))
    if not target.lacks("parts"):
        other = sum(bool(n.name and (name := scene.meshes[n.mesh or 0].name) and name != n.name) for n in placed)
        if other:
            text = say("loss.mesh-names", other=other)
            said.append(ExportLoss(_GROUP, "Names of meshes", text, f"{other:,}", "0"))
    return said


def flat(scene: Scene, target: Target) -> Scene:
    """One node a part, without a transform of its own; mirrored parts are turned so that they face as they are drawn.

    Where the format has no parts either, all are one mesh without a name. What other steps take away is carried along: were it
    not told and taken there, it would be missed.
    """
    if not target.lacks("node tree"):
        return scene
    world = world_matrices(scene)
    order = walk(scene)
    inside = set(order)
    outside = [i for i in range(len(scene.nodes)) if i not in inside]
    meshes: list[Mesh] = []
    nodes: list[Node] = []
    roots: list[int] = []
    for i in [*order, *outside]:
        n = scene.nodes[i]
        if n.mesh is None:
            continue
        moved = transform_mesh(scene.meshes[n.mesh], world[i][:3, :3])
        with np.errstate(invalid="ignore", over="ignore"):
            positions = moved.positions + world[i][:3, 3]
        name = n.name or moved.name
        roots += [len(nodes)] if i not in outside else []
        nodes.append(Node(f"node:{len(nodes)}", name, mesh=len(meshes), hidden=n.hidden, extras=n.extras))
        meshes.append(replace(moved, name=name, positions=frozen(positions)))
    if target.lacks("parts"):
        # A file of such a format is one mesh, if only one of nothing.
        one = joined_meshes(meshes) if len(meshes) > 1 else meshes[0] if meshes else Mesh("mesh:0", "", np.zeros((0, 3)))
        extras = next((n.extras for n in nodes if n.extras), {})
        nodes, roots = [Node("node:0", "", mesh=0, hidden=any(n.hidden for n in nodes), extras=extras)], [0]
        meshes = [replace(one, name="")]
    used = {n.mesh for n in scene.nodes}
    meshes += [mesh for k, mesh in enumerate(scene.meshes) if k not in used]
    return scene.with_(nodes=tuple(nodes), roots=tuple(roots), meshes=tuple(meshes))


# --- meshes that several nodes share ------------------------------------------------------------------


def _copied_meshes(scene: Scene) -> dict[int, int]:
    """Meshes that several nodes use and that a format with one prim for each kind of shape stores once for each, and how often."""
    uses: dict[int, int] = {}
    for n in scene.nodes:
        if n.mesh is not None:
            uses[n.mesh] = uses.get(n.mesh, 0) + 1
    mixed = lambda m: len(m.lines) or len(m.points) or m.weights is not None
    return {k: times for k, times in uses.items() if times > 1 and mixed(scene.meshes[k])}


def _tell_copies(scene: Scene, target: Target) -> list[ExportLoss]:
    shared = _copied_meshes(scene) if target.lacks("mixed instances") and not target.lacks("node tree") else {}
    n = sum(times - 1 for times in shared.values())
    text = say("loss.instances-with-lines", count=n)
    return [ExportLoss(_GROUP, "Instances", text, f"{n:,}", "0")] if n else []


def _copied(scene: Scene, _: Target) -> Scene:
    apart, seen, meshes, nodes = _copied_meshes(scene), set[int](), list(scene.meshes), []
    for n in scene.nodes:
        if n.mesh in seen:
            meshes.append(replace(meshes[n.mesh], id=f"{meshes[n.mesh].id}/{len(meshes)}"))
            n = replace(n, mesh=len(meshes) - 1)
        elif n.mesh in apart:
            seen.add(n.mesh)
        nodes.append(n)
    return scene.with_(nodes=tuple(nodes), meshes=tuple(meshes))


# --- names --------------------------------------------------------------------------------------------


def _plain_names(scene: Scene, target: Target) -> list[str]:
    """Names of parts as an OBJ statement holds them, none empty behind another."""
    out: list[str] = []
    for k, n in enumerate(scene.nodes):
        name = in_a_statement(n.name or (scene.meshes[n.mesh].name if n.mesh is not None else ""))
        out.append(name or (f"part_{k}" if k else ""))
    return out


def _tell_plain_names(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.name != "obj":
        return []
    placed = [scene.nodes[i] for i in walk(scene) if scene.nodes[i].mesh is not None]
    names = [n.name or scene.meshes[n.mesh or 0].name for n in placed]
    changed = [x for k, x in enumerate(names) if (in_a_statement(x) or (f"part_{k}" if k else "")) != x]
    if not changed:
        return []
    text = say("loss.part-names", count=len(changed))
    return [ExportLoss(_GROUP, "Names", text, plural(len(names), "part"), f"{len(changed):,} changed")]


def _plain_groups(mesh: Mesh) -> tuple[str, ...]:
    return tuple(in_a_statement(name) for name in mesh.group_names)


def _tell_plain_groups(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.name != "obj":
        return []
    n = sum(x != y for mesh in scene.meshes for x, y in zip(mesh.group_names, _plain_groups(mesh), strict=True))
    text = say("loss.group-names", count=n)
    return [ExportLoss("Surface", "Names of groups", text, "", f"{n:,} changed")] if n else []


def _with_plain_groups(scene: Scene, _: Target) -> Scene:
    return scene.with_(meshes=tuple(replace(mesh, group_names=_plain_groups(mesh)) for mesh in scene.meshes))


def _with_plain_names(scene: Scene, target: Target) -> Scene:
    names = _plain_names(scene, target)
    nodes = tuple(replace(n, name=name) for n, name in zip(scene.nodes, names, strict=True))
    meshes: list[Mesh] = list(scene.meshes)
    for n, name in zip(scene.nodes, names, strict=True):
        if n.mesh is not None:
            meshes[n.mesh] = replace(meshes[n.mesh], name=name)
    return scene.with_(nodes=nodes, meshes=tuple(meshes))


STEPS = (
    Step("other scenes", _tell_outside, lambda s, _: only_nodes(s, walk(s))),
    Step("unplaced meshes", _tell_unplaced, lambda s, _: placed_only(s)),
    Step("hidden nodes", _tell_hidden, lambda s, _: s.with_(nodes=tuple(replace(n, hidden=False) for n in s.nodes))),
    Step("custom properties", _tell_extras, _without_extras),
)
FLAT = (
    Step("mixed instances", _tell_copies, _copied),
    Step("node tree", _tell_flat, flat, always=True, heavy=True),
    Step("plain names", _tell_plain_names, _with_plain_names),
    Step("plain names of groups", _tell_plain_groups, _with_plain_groups),
)

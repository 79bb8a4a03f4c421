"""Facing: turn faces, draw both sides, and make normals anew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...geometry.distinct import distinct_rows
from ...geometry.patches import patches
from ...geometry.recut import only_used_values, turned_faces
from ...geometry.smoothing import smooth_normals
from ...geometry.topology import surface
from ...kit.choice import FACES, PARTS, also_shown, chosen_faces, chosen_meshes, chosen_nodes
from ...limits import InputError, MendError, plural
from ...measures.facing import facing, placed_parts, plainly_outward, ray_scene
from ...scene import Layer, Mesh, Scene
from ...scene.axes import AXIS_INDEX
from ...scene.faces import face_mask
from ...scene.model import frozen
from ...words.arrays import Array, Bool
from ...words.figures import percent
from .messages import say

_KEEPS = "shape, UVs, colours, weights, slots and element order; normals turn with their faces"


@mend(
    "facing.outward",
    title="Turn faces outward",
    keeps=_KEEPS,
    costs="nothing",
    promise=PLACES,
    safe=False,
    parameters=[PARTS],
)
def outward(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Turn every face whose front cannot be seen from outside, decided patch by patch by what can be seen.

    Faces that no ray reaches, and patches that look the same from both sides, stay as they are.
    """
    return _faced(scene, parts, "outside")


@mend("facing.inward", title="Turn faces inward", keeps=_KEEPS, costs="nothing", promise=PLACES, safe=False, parameters=[PARTS])
def inward(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Turn every face whose front cannot be seen from within: for rooms, and whatever else is looked at from inside."""
    return _faced(scene, parts, "inside")


@mend(
    "facing.turn",
    title="Turn faces",
    menu=("faces", "turn"),
    keeps=_KEEPS,
    costs="nothing",
    promise=PLACES,
    safe=False,
    parameters=[FACES, PARTS],
)
def turn(scene: Scene, faces: str, parts: Sequence[str] = ()) -> Outcome:
    """Turn the faces that are named, or all faces of the parts that are named, whichever way they look."""
    meshes = list(scene.meshes)
    count = covered = 0
    chosen = chosen_faces(scene, faces, parts)
    for k, mask in chosen.items():
        count += int(mask.sum())
        covered += _on_another_paint(meshes[k], mask)
        meshes[k] = turned_faces(meshes[k], mask)
    remarks = also_shown(scene, chosen, parts)
    if covered:
        remarks += (say("facing.turn.other-paint", faces=covered),)
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces turned", "0", f"{count:,}"),), remarks)


def _on_another_paint(mesh: Mesh, mask: Bool) -> int:
    """Of some faces how many lie on another face of the same corners that has another slot. mask: (F,) bool."""
    if not len(mesh.slots) or len(mesh.slot_materials) < 2 or not mesh.face_count or (mesh.corner_counts == 0).any():
        return 0
    at = surface(mesh).ids[mesh.corners].astype(np.int64)
    first = mesh.starts[:-1]
    rows = [np.minimum.reduceat(at, first), np.maximum.reduceat(at, first), np.add.reduceat(at, first), mesh.corner_counts]
    group, total = distinct_rows(rows)
    low = np.full(total, np.iinfo(np.int64).max)
    high = np.full(total, -1, np.int64)
    np.minimum.at(low, group, mesh.slots)
    np.maximum.at(high, group, mesh.slots)
    return int((mask & (low != high)[group]).sum())


@mend(
    "facing.double-sided",
    title="Draw both sides",
    keeps="every face as it is",
    costs="every pixel there is shaded from both sides; a last resort where faces merely look the wrong way",
    safe=False,
    parameters=[PARTS],
)
def double_sided(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Mark the materials of the parts as double-sided."""
    used = {
        slot_material
        for k in chosen_meshes(scene, parts)
        for slot_material in scene.meshes[k].slot_materials
        if slot_material >= 0
    }
    change = {m for m in used if not scene.materials[m].double_sided}
    if not change:
        raise MendError(say("facing.double-sided.already"))
    materials = tuple(
        replace(material, double_sided=True) if k in change else material for k, material in enumerate(scene.materials)
    )
    chosen = set(chosen_meshes(scene, parts))
    others = {slot_material for k, mesh in enumerate(scene.meshes) if k not in chosen for slot_material in mesh.slot_materials}
    remark = (f"{plural(len(change & others), 'of these materials is', 'of these materials are')} used by other parts too.",)
    figure = Figure("materials drawn from both sides", f"{len(used) - len(change):,}", f"{len(used):,}")
    return Outcome(scene.with_(materials=materials), (figure,), remark if change & others else ())


@mend(
    "facing.normals",
    title="Compute normals",
    keeps="shape, UVs, colours, weights, slots and element order",
    costs="hand-made normals of these parts are lost",
    safe=False,
    parameters=[Parameter("angle", "number", "faces that meet at more degrees than this keep a hard edge"), PARTS],
    after=("surface.weld",),
)
def normals(scene: Scene, angle: float, parts: Sequence[str] = ()) -> Outcome:
    """Compute normals anew: smooth, weighted by the angle of each face at the point, and hard where faces meet at more than the angle.

    Weighting: by corner angle (Thürmer and Wüthrich 1998), which does not depend on how a surface is cut into faces.
    """
    if not 0 < angle <= 180:
        raise InputError(say("facing.angle"))
    meshes = list(scene.meshes)
    chosen = [k for k in chosen_meshes(scene, parts) if meshes[k].face_count]
    if not chosen:
        raise MendError(say("facing.normals.none"))
    hard = 0
    for k in chosen:
        layer, sharp = smooth_normals(meshes[k], angle)
        # Tangents and morphed normals belong to the normals that are gone; formats that need them have them worked out again.
        morphs = tuple(replace(morph, normals=None) for morph in meshes[k].morphs)
        meshes[k] = replace(meshes[k], normals=layer, tangents=None, morphs=morphs)
        hard += sharp
    without = sum(scene.meshes[k].normals is None for k in chosen)
    figures = (
        Figure("meshes without normals", f"{without:,}", "0"),
        Figure("hard edges", "as stored", f"{hard:,}"),
    )
    lost = any(scene.meshes[k].tangents is not None for k in chosen)
    return Outcome(scene.with_(meshes=tuple(meshes)), figures, (say("facing.normals.tangents"),) if lost else ())


@mend(
    "facing.turn-normals",
    title="Turn normals",
    keeps="shape, winding, UVs, colours, weights, slots and all other normals",
    costs="nothing",
    safe=False,
    parameters=[Parameter("faces", "faces", "of which faces of each part, as in 0-11;40, all where empty", default=""), PARTS],
)
def turn_normals(scene: Scene, faces: str, parts: Sequence[str] = ()) -> Outcome:
    """Point the stored normals of faces to their other side, and leave the faces as they are."""
    meshes = list(scene.meshes)
    count = 0
    for k in chosen_meshes(scene, parts):
        mesh = meshes[k]
        mask = face_mask(faces, mesh.face_count)
        if mesh.normals is None or not mask.any():
            continue
        corner = np.repeat(mask, mesh.corner_counts) & (mesh.normals.index >= 0)
        count += int(mask.sum())
        # Values that other faces share stay what they are: the turned ones come behind them.
        used, place = np.unique(mesh.normals.index[corner], return_inverse=True)
        index = mesh.normals.index.copy()
        index[corner] = len(mesh.normals.values) + place.reshape(-1)
        values = np.concatenate([mesh.normals.values, -mesh.normals.values[used]])
        made = replace(mesh, normals=Layer(frozen(values), frozen(index.astype(np.int32))), tangents=None)
        meshes[k] = only_used_values(replace(made, morphs=tuple(replace(morph, normals=None) for morph in mesh.morphs)))
    if not count:
        raise MendError(say("facing.turn-normals.none"))
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces with turned normals", "0", f"{count:,}"),))


def _faced(scene: Scene, parts: Sequence[str], side: str) -> Outcome:
    chosen = chosen_nodes(scene, parts)
    found = {k: patches(mesh, surface(mesh, corners=True).edges) for k, mesh in enumerate(scene.meshes)}
    placed = placed_parts(scene, found)
    if not placed:
        raise MendError(say("facing.turn.no-faces"))
    area = plainly_outward(placed)
    rays = ray_scene(placed) if area is None else None
    votes: dict[int, Array] = {}
    areas = {"before": 0.0, "unsure": 0.0, "judged": 0.0, "hidden": 0.0}
    for part, sides in zip(placed, facing(placed, rays, area, AXIS_INDEX[scene.up_axis or "Y"]), strict=True):
        number = scene.nodes[part.node].mesh
        if part.node not in chosen or number is None:
            continue
        says = sides.outside if side == "outside" else sides.inside
        # A mesh that several parts show is turned as most of them want it, by the area that each could judge.
        vote = votes.setdefault(number, np.zeros(part.mesh.face_count))
        wants = np.full(part.mesh.face_count, -says.judged)
        wants[says.turned] = says.judged
        vote += wants
        areas["before"] += says.wrong
        areas["unsure"] += says.undecided
        areas["hidden"] += says.hidden
        areas["judged"] += says.judged
    meshes = list(scene.meshes)
    count = 0
    for number, vote in votes.items():
        mask = vote > 0
        count += int(mask.sum())
        meshes[number] = turned_faces(meshes[number], mask) if mask.any() else meshes[number]
    if not count:
        raise MendError(say("facing.turn.none-away", from_outside=side == "outside"))
    whole = areas["judged"] + areas["unsure"] + areas["hidden"]
    share = areas["before"] / whole if whole else 0.0
    remarks = []
    if areas["unsure"] > 0:
        remarks.append(say("facing.turn.undecided"))
    return Outcome(
        scene.with_(meshes=tuple(meshes)),
        (Figure("area that looks away", f"{percent(share)}", "0 %"), Figure("faces turned", "0", f"{count:,}")),
        tuple(remarks),
    )

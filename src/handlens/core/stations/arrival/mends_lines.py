"""Arrival: lines made into thin bodies, which every destination draws."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...edit.lines import without_lines
from ...edit.splitting import without_unplaced
from ...geometry.recut import used_materials
from ...geometry.swept import chains, swept
from ...kit.choice import PARTS, also_shown, chosen_nodes
from ...kit.slots import plain_material
from ...limits import MendError
from ...scene import Mesh, Node, Scene
from ...scene.model import frozen
from ...scene.placed import mesh_units
from ...words.lengths import metres
from .messages import say

#: What lines are drawn in that have no material.
_INK = "#4A443C"


@mend(
    "arrival.thicken-lines",
    title="Make lines into thin shapes",
    button="Make them {width_mm} mm wide shapes",
    keeps="every face that is there, and where the lines ran",
    costs="four faces for each line; the lines themselves",
    safe=False,
    parameters=[
        Parameter("width_mm", "number", "how wide, in millimetres", zero=False),
        Parameter("height_mm", "number", "how high; as wide as it is where 0", default=0.0),
        PARTS,
    ],
)
def thicken(scene: Scene, width_mm: float, height_mm: float = 0.0, parts: Sequence[str] = ()) -> Outcome:
    """Sweep each chain of lines by a rectangle. A part of lines alone becomes that body; beside faces it is a part that hangs on theirs."""
    units = mesh_units(scene)
    nodes, meshes, materials = list(scene.nodes), list(scene.meshes), list(scene.materials)
    chosen = {
        number
        for i in chosen_nodes(scene, parts)
        if (number := scene.nodes[i].mesh) is not None and len(scene.meshes[number].lines)
    }
    shown = [i for i, n in enumerate(scene.nodes) if n.mesh in chosen]
    # Lines go for all parts that show a mesh or for none of them.
    carried = {
        number: i
        for i in shown
        if (number := scene.nodes[i].mesh) is not None and (scene.nodes[i].skin is not None or scene.meshes[number].morphs)
    }
    made: dict[int, int] = {}
    count = 0
    for i in shown:
        n = scene.nodes[i]
        if n.mesh is None or n.mesh in carried:
            continue
        mesh, unit = scene.meshes[n.mesh], 1000 * units[n.mesh]
        if n.mesh not in made:
            used = used_materials(mesh)
            paint = used[0] if used else len(scene.materials)
            body = _body(mesh, abs(width_mm) / unit, abs(height_mm or width_mm) / unit, paint)
            if not body.face_count:
                continue
            if paint == len(scene.materials) == len(materials):
                materials.append(plain_material(scene, "lines", _INK))
            count += len(mesh.lines)
            made[n.mesh] = len(meshes)
            meshes.append(body)
            meshes[n.mesh] = without_lines(mesh)
        if mesh.face_count or len(mesh.points):
            nodes[i] = replace(nodes[i], children=(*nodes[i].children, len(nodes)))
            nodes.append(Node(f"{n.id}/lines", f"{scene.part_name(i)}_lines", mesh=made[n.mesh]))
        else:
            nodes[i] = replace(nodes[i], mesh=made[n.mesh])
    left = scene.part_name(next(iter(carried.values()))) if carried else ""
    if not made:
        raise MendError(say("arrival.thicken-lines.skinned", part=left) if left else say("arrival.lines.none"))
    after = without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), materials=tuple(materials)))
    wide = metres(abs(width_mm) / 1000)
    remarks = also_shown(scene, made, parts)
    if left:
        remarks += (say("arrival.thicken-lines.left", part=left),)
    return Outcome(after, (Figure("lines", f"{count:,}", "0"), Figure("width of a line", "0 m", wide)), remarks)


def _body(mesh: Mesh, width: float, height: float, material: int) -> Mesh:
    points, corners, starts = [np.zeros((0, 3))], [np.zeros(0, np.int64)], [np.zeros(1, np.int64)]
    total = ends = 0
    for chain in chains(mesh.lines, mesh.positions):
        places, body_corners, body_starts = swept(mesh.positions[chain], width, height)
        points.append(places)
        corners.append(body_corners + total)
        starts.append(body_starts[1:] + ends)
        total, ends = total + len(places), ends + len(body_corners)
    first = np.concatenate(starts)
    return Mesh(
        f"{mesh.id}/lines",
        f"{mesh.name}_lines" if mesh.name else "",
        frozen(np.concatenate(points)),
        frozen(np.concatenate(corners).astype(np.int32)),
        frozen(first),
        frozen(np.zeros(len(first) - 1, np.int32)),
        (material,),
    )

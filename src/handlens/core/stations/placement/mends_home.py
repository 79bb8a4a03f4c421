"""Placement: bring a model home from far out, its parts' pivots with it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import FORM
from ...edit.moved import placed_within, translated_before
from ...limits import MendError, plural
from ...scene import Channel, Node, Scene
from ...scene.axes import AXIS_INDEX
from ...scene.bounds import world_bounds
from ...scene.model import frozen
from ...scene.skinning import world_positions
from ...scene.transforms import parents, walk, world_matrices
from ...words.arrays import F64, Array
from ...words.lengths import metres
from .messages import say

#: Key in the file's extras under which the removed offset is remembered, in file units.
REMEMBERED = "removed_offset"
#: A pivot is out there too when its geometry lies this many times its own size away from it.
_FAR = 20.0


@mend(
    "placement.home",
    title="Bring the model home",
    keeps="shape, scale, turns, facing, UVs, weights, poses and clips; every part moves by the same offset",
    costs="its place in the survey, which the file's extras remember, so that it can be put back",
    promise=FORM,
    safe=False,
    parameters=[Parameter("back", "flag", "put it back where it was before it was brought home", default=False)],
)
def home(scene: Scene, back: bool) -> Outcome:
    """Move the whole model rigidly so that the middle of its base is at the origin, and pull pivots that were left far out to
    their geometry, those of groups too, so that no number on the way to a part is larger than it has to be.

    The offset is computed and removed in 64-bit floats. Pivots of skinned or animated parts stay where they are in the model.
    """
    if back:
        return _restore_offset(scene)
    box = world_bounds(scene)
    if box is None:
        raise MendError(say("placement.home.nothing"))
    up = AXIS_INDEX[scene.up_axis or "Y"]
    offset = (box[0] + box[1]) / 2
    offset[up] = box[0][up]
    size = float(np.linalg.norm(box[1] - box[0])) or 1.0
    moved = shifted(scene, -offset) if np.abs(offset).max() > 1e-9 * size else scene
    pulled, count = _pull_pivots(moved)
    if moved is scene and not count:
        raise MendError(say("placement.home.already"))
    remembered = np.array(_remembered(scene) or (0.0, 0.0, 0.0)) + offset
    after = _remember(pulled, remembered.tolist())
    unit = scene.unit_metres or 1.0
    figures = (
        Figure("middle of the base to origin", metres(float(np.linalg.norm(offset)) * unit), metres(0.0)),
        Figure("pivots left far out", plural(count, "node"), plural(0, "node")),
    )
    return Outcome(after, figures)


def shifted(scene: Scene, by: F64) -> Scene:
    """The scene with every world position moved by (3,): roots take it, and the keys that drive a root's translation.

    Roots outside the default scene move too, so that a skin whose joints hang elsewhere stays whole.

    by: (3,) float64, in the file's unit.
    """
    up = parents(scene)
    roots = {i for i in range(len(scene.nodes)) if up[i] < 0}

    def node(i: int, n: Node) -> Node:
        if i not in roots:
            return n
        if n.matrix is not None:
            matrix = n.matrix.copy()
            matrix[:3, 3] += by
            return replace(n, matrix=frozen(matrix))
        return replace(n, translation=tuple((np.array(n.translation) + by).tolist()))

    def channel(source: Channel) -> Channel:
        if source.node not in roots or source.path != "translation":
            return source
        values = source.values.astype(np.float64)
        # Of a cubic spline's three rows a key only the middle one is a place; the others are tangents.
        if source.interpolation == "CUBICSPLINE":
            values[1::3] += by
        else:
            values += by
        return replace(source, values=frozen(values.astype(np.float32)))

    return scene.with_(
        nodes=tuple(node(i, n) for i, n in enumerate(scene.nodes)),
        clips=tuple(replace(clip, channels=tuple(channel(c) for c in clip.channels)) for clip in scene.clips),
    )


def _pull_pivots(scene: Scene) -> tuple[Scene, int]:
    """Move the pivots of nodes that stand far from what they show, or what hangs on them, to the middle of its box; how many.

    With c the middle in the node's own frame, its local matrix L becomes L T(c), its mesh positions p - c, and the local matrices
    of its children T(-c) L: all of it stays where it is, and the numbers on the way there become small.
    """
    world = world_matrices(scene)
    moves = _moves(scene, world)
    meshes, nodes = list(scene.meshes), list(scene.nodes)
    made: dict[tuple[int, bytes], int] = {}
    users: dict[int, list[int]] = {}
    for i, n in enumerate(scene.nodes):
        if n.mesh is not None:
            users.setdefault(n.mesh, []).append(i)
    for i, by in moves.items():
        nodes[i] = placed_within(nodes[i], by)
        number = scene.nodes[i].mesh
        if number is None:
            continue
        key = (number, by.tobytes())
        if key not in made:
            mesh = replace(scene.meshes[number], positions=frozen(scene.meshes[number].positions - by))
            alone = all(k in moves and moves[k].tobytes() == key[1] for k in users[number])
            made[key] = number if alone else len(meshes)
            if alone:
                meshes[number] = mesh
            else:
                meshes.append(replace(mesh, id=f"{mesh.id}/{scene.nodes[i].id}"))
        nodes[i] = replace(nodes[i], mesh=made[key])
    for i, by in moves.items():
        for child in scene.nodes[i].children:
            nodes[child] = translated_before(nodes[child], -by)
    return scene.with_(meshes=tuple(meshes), nodes=tuple(nodes)), len(moves)


def _moves(scene: Scene, world: F64) -> dict[int, Array]:
    """For each node whose pivot is far out, (3,) how far it is moved in its own frame."""
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    joints = {j for skin in scene.skins for j in skin.joints}
    boxes = _boxes(scene, world)
    held = {
        n.mesh for i, n in enumerate(scene.nodes) if n.mesh is not None and (n.skin is not None or i in driven or i in joints)
    }
    out: dict[int, Array] = {}
    own: dict[int, Array | None] = {}
    for i in walk(scene):
        n = scene.nodes[i]
        if i not in boxes or i in driven or i in joints or n.mesh in held:
            continue
        if n.mesh is not None:
            # Parts of one mesh go on sharing it where what is far is its own vertices.
            if n.mesh not in own:
                own[n.mesh] = _middle_if_far(scene.meshes[n.mesh].positions)
            by = own[n.mesh]
            if by is not None:
                out[i] = by
            continue
        low, high = boxes[i]
        origin = world[i][:3, 3]
        middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
        linear = world[i][:3, :3]
        if float(np.linalg.norm(middle - origin)) > _FAR * max(size, 1e-12) and abs(np.linalg.det(linear)) > 1e-300:
            out[i] = np.linalg.solve(linear, middle - origin)
    return out


def _middle_if_far(points: F64) -> F64 | None:
    """(3,) the middle of the box of vertices, where it is far from their origin for their size."""
    finite = points[np.isfinite(points).all(axis=1)]
    if not len(finite):
        return None
    low, high = finite.min(axis=0), finite.max(axis=0)
    middle: Array = (low + high) / 2
    return middle if float(np.linalg.norm(middle)) > _FAR * max(float(np.linalg.norm(high - low)), 1e-12) else None


def _boxes(scene: Scene, world: F64) -> dict[int, tuple[Array, Array]]:
    """The world box of what each node and all below it show; nodes above nothing have none."""
    up = parents(scene)
    out: dict[int, tuple[Array, Array]] = {}
    for i in reversed(walk(scene)):
        if scene.nodes[i].mesh is not None:
            points = world_positions(scene, i, world)
            points = points[np.isfinite(points).all(axis=1)]
            if len(points):
                _widen(out, i, points.min(axis=0), points.max(axis=0))
        if i in out and up[i] >= 0:
            _widen(out, up[i], *out[i])
    return out


def _widen(boxes: dict[int, tuple[Array, Array]], node: int, low: F64, high: F64) -> None:
    if node in boxes:
        low, high = np.minimum(low, boxes[node][0]), np.maximum(high, boxes[node][1])
    boxes[node] = (low, high)


def _remembered(scene: Scene) -> list[float] | None:
    extras = scene.extras.get("extras")
    kept = extras.get(REMEMBERED) if isinstance(extras, dict) else None
    good = isinstance(kept, list) and len(kept) == 3 and all(isinstance(v, (int, float)) for v in kept)
    return [float(v) for v in kept] if good and kept is not None else None


def _remember(scene: Scene, offset: list[float] | None) -> Scene:
    old = scene.extras.get("extras")
    extras: dict[str, Any] = {k: v for k, v in (old.items() if isinstance(old, dict) else ()) if k != REMEMBERED}
    if offset is not None:
        extras[REMEMBERED] = offset
    whole = {k: v for k, v in scene.extras.items() if k != "extras"}
    return scene.with_(extras={**whole, "extras": extras} if extras else whole)


def _restore_offset(scene: Scene) -> Outcome:
    offset = _remembered(scene)
    if offset is None:
        raise MendError(say("placement.restore-offset.none"))
    after = _remember(shifted(scene, np.array(offset)), None)
    away = float(np.linalg.norm(offset)) * (scene.unit_metres or 1.0)
    return Outcome(after, (Figure("moved back by", metres(0.0), metres(away)),))

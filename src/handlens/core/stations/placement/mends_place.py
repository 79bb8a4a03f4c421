"""Placement: parts turned, moved, put down and set in a row, as somebody says it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import FORM
from ...edit.tree import below, driven, topmost
from ...geometry.rays import RayScene
from ...geometry.triangles import triangulate
from ...kit.choice import PARTS, chosen_nodes
from ...limits import MendError
from ...scene import Scene
from ...scene.skinning import world_positions
from ...scene.transforms import parents, world_matrices
from ...words.anchors import anchor as anchor_of
from ...words.arrays import F64, I64, Array
from ...words.lengths import metres
from .messages import say
from .placing import movable, moved_by, moved_each

_KEEPS = "shape, scale, pivots, and how what is moved stands to each other"
#: Vertices of a part that are let fall on another one at most: those that lie lowest.
_FALLING = 200_000
#: Copies in a row and nodes that they add at most, and the farthest that a part is moved in one go, in metres.
_ROW, _ADDED, _FAR = 200, 50_000, 1e9
_AXES = ("X", "Y", "Z")


def _axis(scene: Scene, name: str) -> int:
    """The file's axis that is meant: by its letter, or the one that is up, to the right or to the front of a model as it is seen."""
    return _AXES.index((scene.up_axis or "Y") if name == "up" else name)


@mend(
    "placement.turn",
    title="Turn by an angle",
    menu=("tree", "Turn by an angle …"),
    keeps=_KEEPS,
    costs="where it looked",
    promise=FORM,
    safe=False,
    parameters=[
        Parameter("degrees", "number", "by how much, counter-clockwise seen along the axis towards you", zero=False),
        Parameter("axis", "choice", "about which axis of the file; up is the one that it calls up", ("up", *_AXES), "up"),
        Parameter("about", "choice", "about which point", ("pivot", "middle", "base", "origin"), "pivot"),
        PARTS,
    ],
    touches="neither",
)
def turn(scene: Scene, degrees: float, axis: str = "up", about: str = "pivot", parts: Sequence[str] = ()) -> Outcome:
    """Turn nodes, with all that hangs on them, about an axis through their pivot, a point of their common box, or the origin.

    Of several nodes each turns about its own pivot; about the other points all turn together.
    """
    if abs(degrees) > 3600:
        raise MendError(say("placement.turn.far"))
    world = world_matrices(scene)
    chosen, box = movable(scene, parts, world)
    point = {
        "pivot": lambda i: world[i][:3, 3],
        "middle": lambda i: (box[0] + box[1]) / 2,
        "base": lambda i: anchor_of(*box, "base-centre", scene.up_axis or "Y"),
        "origin": lambda i: np.zeros(3),
    }[about]
    ways = {i: _turn(_axis(scene, axis), degrees, point(i)) for i in topmost(scene, chosen)}
    after = moved_each(scene, ways, world)
    return Outcome(after, (Figure(f"turned about {axis}", "0°", f"{degrees:g}°"),))


def _turn(axis: int, degrees: float, point: F64) -> F64:
    """(4, 4) turn about an axis through a point; quarters are exact."""
    cosine, sine = (round(x, 15) for x in (np.cos(np.radians(degrees)), np.sin(np.radians(degrees))))
    one, two = (axis + 1) % 3, (axis + 2) % 3
    out = np.eye(4)
    out[one, one] = out[two, two] = cosine
    out[one, two], out[two, one] = -sine, sine
    out[:3, 3] = point - out[:3, :3] @ point
    return out


@mend(
    "placement.move",
    title="Move by a distance",
    menu=("tree", "Move by a distance …"),
    keeps=_KEEPS,
    costs="where it stood",
    promise=FORM,
    safe=False,
    parameters=[
        Parameter("x", "number", "along the file's X, in metres", default=0.0),
        Parameter("y", "number", "along Y, in metres", default=0.0),
        Parameter("z", "number", "along Z, in metres", default=0.0),
        PARTS,
    ],
    touches="neither",
)
def move(scene: Scene, x: float = 0.0, y: float = 0.0, z: float = 0.0, parts: Sequence[str] = ()) -> Outcome:
    """Move nodes, with all that hangs on them, in the world."""
    way = np.array([x, y, z])
    if not way.any():
        raise MendError(say("placement.move.nowhere"))
    if np.abs(way).max() > _FAR:
        raise MendError(say("placement.move.far"))
    world = world_matrices(scene)
    chosen, _ = movable(scene, parts, world)
    after = moved_by(scene, chosen, world, _way(way / (scene.unit_metres or 1.0)))
    return Outcome(after, (Figure("moved", metres(0.0), metres(float(np.linalg.norm(way)))),))


def _way(offset: F64) -> F64:
    out = np.eye(4)
    out[:3, 3] = offset
    return out


@mend(
    "placement.stand",
    title="Stand on the floor",
    menu=("tree", "Stand on the floor or on a part …"),
    button="Stand on {on}",
    keeps=f"{_KEEPS}; where it stands seen from above",
    costs="the height at which it stood",
    promise=FORM,
    safe=False,
    parameters=[Parameter("on", "text", "a part by its name, the floor at height 0 where empty", default=""), PARTS],
    touches="neither",
)
def stand(scene: Scene, on: str = "", parts: Sequence[str] = ()) -> Outcome:
    """Move nodes up or down, with all that hangs on them, until they touch the floor, or what of another part is below them."""
    world = world_matrices(scene)
    chosen, box = movable(scene, parts, world)
    up = _axis(scene, "up")
    fall = float(box[0][up])
    if on:
        under = below(scene, chosen_nodes(scene, [on]))
        if under & chosen:
            raise MendError(say("placement.stand.on-itself", part=on))
        fall = _gap(scene, chosen, under, world, up)
        if not np.isfinite(fall):
            raise MendError(say("placement.stand.beside", part=on))
    unit = scene.unit_metres or 1.0
    if abs(fall) * unit < 1e-9:
        raise MendError(say("placement.stand.already"))
    offset = np.zeros(3)
    offset[up] = -fall
    after = moved_by(scene, chosen, world, _way(offset))
    return Outcome(after, (Figure(f"above {on or 'the floor'}", metres(fall * unit), metres(0.0)),))


def _gap(scene: Scene, chosen: set[int], under: set[int], world: F64, up: int) -> float:
    """How far nodes may fall along an axis until they touch others, negative where they stick in them; inf where those are not below.

    Vertices of the one are cast on the triangles of the other, and the other way round: of two flat-sided bodies one touches the other first
    with a vertex, or edge on edge, where the gap is told up to a little too wide (Ericson 2005, Real-Time Collision Detection, section 5.5).
    """
    (one, one_faces), (two, two_faces) = _soup(scene, chosen, world), _soup(scene, under, world)
    if not len(one_faces) or not len(two_faces):
        return float("inf")
    high = max(float(one[:, up].max()), float(two[:, up].max())) + 1.0
    low = min(float(one[:, up].min()), float(two[:, up].min())) - 1.0
    # From far above down on the lower one, and from far below up to the upper one.
    on_top = _met(RayScene(two, two_faces), one[np.argsort(one[:, up])[:_FALLING]], up, high, -1)
    from_below = _met(RayScene(one, one_faces), two[np.argsort(-two[:, up])[:_FALLING]], up, low, 1)
    return float(min(on_top.min(initial=np.inf), from_below.min(initial=np.inf)))


def _soup(scene: Scene, nodes: set[int], world: F64) -> tuple[F64, I64]:
    """World points and triangles of all parts among some nodes."""
    points, faces, start = [np.zeros((0, 3))], [np.zeros((0, 3), np.int64)], 0
    for i in sorted(nodes):
        number = scene.nodes[i].mesh
        if number is None or not scene.meshes[number].face_count:
            continue
        own = world_positions(scene, i, world)
        mesh = scene.meshes[number]
        points.append(own)
        faces.append(mesh.corners[triangulate(mesh)[0]].astype(np.int64) + start)
        start += len(own)
    return np.concatenate(points), np.concatenate(faces)


def _met(rays: RayScene, points: F64, up: int, start: float, sign: int) -> Array:
    """(n,) how far each point lies from what a ray along an axis meets first in its column; inf where it meets nothing."""
    origins = points.copy()
    origins[:, up] = start
    direction = np.zeros(3)
    direction[up] = sign
    hits = rays.first(rays.to_unit(origins), np.broadcast_to(direction, origins.shape))
    met = start + sign * hits.distance.astype(np.float64) * rays.size
    return np.where(hits.triangle >= 0, (points[:, up] - met) * -sign, np.inf)


@mend(
    "placement.row",
    title="Set copies in a row",
    menu=("tree", "Set copies in a row …"),
    keeps="what is there, where it stands; copies show the same meshes",
    costs="parts, and so draw calls, for each copy",
    safe=False,
    parameters=[
        Parameter("copies", "number", "how many beside the one that is there", default=1.0, zero=False),
        Parameter("gap_m", "number", "room between two, in metres", default=0.0),
        Parameter("axis", "choice", "along which axis of the file", _AXES, "X"),
        PARTS,
    ],
    touches="neither",
)
def row(scene: Scene, copies: float = 1.0, gap_m: float = 0.0, axis: str = "X", parts: Sequence[str] = ()) -> Outcome:
    """Put copies of nodes, with all that hangs on them, beside them, each the size of their common box and a gap farther on."""
    count = round(copies)
    if count != copies or not 1 <= count <= _ROW:
        raise MendError(say("placement.row.copies", most=_ROW))
    world = world_matrices(scene)
    chosen, box = movable(scene, parts, world)
    if count * len(chosen) > _ADDED:
        raise MendError(say("placement.row.many", nodes=count * len(chosen), most=_ADDED))
    tops, moved = topmost(scene, chosen), driven(scene)
    for i in sorted(chosen):
        if i in moved or scene.nodes[i].skin is not None:
            raise MendError(say("placement.row.moved", part=scene.part_name(i)))
    k = _axis(scene, axis)
    step = float(box[1][k] - box[0][k]) + gap_m / (scene.unit_metres or 1.0)
    after, copied = _copied(scene, tops, count)
    offset = np.zeros(3)
    offset[k] = step
    ways = {i: _way(offset * number) for number, row in enumerate(copied, 1) for i in row}
    after = moved_each(after, ways, world_matrices(after))
    return Outcome(after, (Figure("nodes", f"{len(scene.nodes):,}", f"{len(after.nodes):,}"),))


def _copied(scene: Scene, tops: Sequence[int], count: int) -> tuple[Scene, list[list[int]]]:
    """The scene with copies of nodes, and all that hangs on them, beside them; the topmost of each copy."""
    order = sorted(below(scene, tops))
    nodes, roots, out = list(scene.nodes), list(scene.roots), list[list[int]]()
    up = parents(scene)
    names = _Names(scene)
    beside: dict[int, list[int]] = {}
    for _ in range(count):
        new = {old: len(nodes) + k for k, old in enumerate(order)}
        nodes += [
            replace(
                (n := scene.nodes[old]),
                id=f"{n.id}/copy{new[old]}",
                name=names.free(n.name),
                children=tuple(new[c] for c in n.children),
            )
            for old in order
        ]
        out.append([new[i] for i in tops])
        for i in tops:
            beside.setdefault(up[i], []).append(new[i])
    roots += beside.pop(-1, [])
    for parent, more in beside.items():
        nodes[parent] = replace(nodes[parent], children=(*nodes[parent].children, *more))
    return scene.with_(nodes=tuple(nodes), roots=tuple(roots)), out


class _Names:
    """Names that no node of a scene has: a node's own, counted on."""

    def __init__(self, scene: Scene) -> None:
        self.taken = {n.name for n in scene.nodes}
        self.last: dict[str, int] = {}

    def free(self, name: str) -> str:
        """A name from another one; none for a node that has none. Each number is tried once."""
        if not name:
            return ""
        number = self.last.get(name, 1) + 1
        while f"{name}_{number}" in self.taken:
            number += 1
        self.last[name] = number
        self.taken.add(f"{name}_{number}")
        return f"{name}_{number}"

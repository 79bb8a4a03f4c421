"""Pivots: set the point that parts turn about, while nothing moves."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import POSES
from ...edit.moved import placed_within, translated_before
from ...kit.choice import PARTS, chosen_nodes
from ...limits import InputError, MendError
from ...scene import Channel, Node, Scene, Skin
from ...scene.model import frozen
from ...scene.skinning import world_positions
from ...scene.transforms import parents, walk, world_matrices
from ...words.anchors import ANCHORS, anchor
from ...words.arrays import F64, Array
from ...words.lengths import metres
from .messages import say


@mend(
    "pivots.set",
    title="Set pivots",
    keeps="every world position, shape, UVs, weights, poses and clips",
    costs="a mesh that several nodes show turned differently is stored once for each",
    promise=POSES,
    safe=True,
    parameters=[
        Parameter("anchor", "choice", "a point of each part's box", (*ANCHORS, "origin", "point"), "base-centre"),
        Parameter("at", "text", "with anchor=point: x;y;z in the file's units", default=""),
        PARTS,
    ],
    after=("placement.home", "placement.to-origin", "size.up-axis"),
)
def set_pivots(scene: Scene, anchor: str, at: str, parts: Sequence[str] = ()) -> Outcome:
    """Move the origin of each part to a point of its own box in the world, to the world's origin, or to a given point.

    With d the way from the old origin to the new one in the part's own frame: its matrix L becomes L T(d), its mesh p - d, its
    children's T(-d) L, and a bind matrix B of its skin B T(d). A group's box is that of all below it.
    """
    named = bool(parts)
    chosen = [i for i in walk(scene) if i in chosen_nodes(scene, parts)]
    joints = {j for skin in scene.skins for j in skin.joints}
    turned = {channel.node for clip in scene.clips for channel in clip.channels if channel.path in ("rotation", "scale")}
    candidates = [i for i in chosen if scene.nodes[i].mesh is not None or (named and scene.nodes[i].children)]
    free = [i for i in candidates if i not in joints and i not in turned]
    if not free:
        raise MendError(say("pivots.set.moved") if candidates else say("pivots.set.none"))
    world = world_matrices(scene)
    ways: dict[int, Array] = {}
    farthest = 0.0
    for i in free:
        point = _point(scene, i, world, anchor, at)
        if point is None:
            continue
        away = point - world[i][:3, 3]
        with np.errstate(all="ignore"):
            way = np.linalg.pinv(world[i][:3, :3]) @ away
        if np.isfinite(way).all() and np.abs(away).max() > 1e-9 * max(np.abs(point).max(), 1e-3):
            ways[i] = way
            farthest = max(farthest, float(np.linalg.norm(away)))
    if not ways:
        raise MendError(say("pivots.set.already"))
    made = _shifted(scene, ways)
    unit = scene.unit_metres or 1.0
    held = len(candidates) - len(free)
    remarks = (say("pivots.set.left", parts=held),) if held else ()
    figures = [
        Figure("pivots elsewhere", f"{len(ways):,}", "0"),
        Figure("farthest from where it is wanted", metres(farthest * unit), metres(0.0)),
    ]
    if len(made.meshes) > len(scene.meshes):
        figures.append(Figure("meshes stored", f"{len(scene.meshes):,}", f"{len(made.meshes):,}"))
    return Outcome(made, tuple(figures), remarks)


def _point(scene: Scene, node: int, world: F64, name: str, at: str) -> F64 | None:
    if name == "origin":
        return np.zeros(3)
    if name == "point":
        try:
            point = np.array([float(x) for x in at.split(";")])
        except ValueError:
            point = np.zeros(0)
        if point.shape != (3,) or not np.isfinite(point).all():
            raise InputError(say("pivots.no-point"))
        return point
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    stack = [node]
    own = scene.nodes[node].mesh is not None
    while stack:
        i = stack.pop()
        number = scene.nodes[i].mesh
        if number is not None and len(scene.meshes[number].positions):
            points = world_positions(scene, i, world)
            points = points[np.isfinite(points).all(axis=1)]
            if len(points):
                low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
        stack.extend(() if own else scene.nodes[i].children)
    return None if np.isinf(low).any() else anchor(low, high, name, scene.up_axis or "Y")


def _shifted(scene: Scene, ways: dict[int, Array]) -> Scene:
    """The scene with the origins of nodes moved, each by its way in its own frame, all that they carry left where it is."""
    still = np.zeros(3)
    way = lambda i: ways.get(i, still)
    up = parents(scene)
    nodes = []
    for i, n in enumerate(scene.nodes):
        moved = placed_within(n, ways[i]) if i in ways else n
        nodes.append(translated_before(moved, -ways[up[i]]) if up[i] in ways else moved)
    meshes, skins = list(scene.meshes), list(scene.skins)
    copies: dict[tuple[str, int, bytes], int] = {}
    for i, n in enumerate(scene.nodes):
        if n.mesh is None:
            continue
        mesh = scene.meshes[n.mesh]
        size = float(np.abs(mesh.positions).max(initial=0.0)) or 1.0
        key = np.rint(way(i) / (size * 1e-9)).tobytes() if np.isfinite(size) else way(i).tobytes()
        shifted = lambda m=mesh, i=i: replace(m, positions=frozen(m.positions - way(i))) if i in ways else m
        nodes[i] = replace(nodes[i], mesh=_copy("mesh", meshes, n.mesh, key, copies, shifted, n))
        if n.skin is not None:
            bound = lambda k=n.skin, i=i: _skin(scene.skins[k], way(i)) if i in ways else scene.skins[k]
            nodes[i] = replace(nodes[i], skin=_copy("skin", skins, n.skin, key, copies, bound, n))

    def channel(source: Channel) -> Channel:
        # A clip that moves the node says where its origin is, and one that moves a child says it from there.
        if source.path != "translation" or source.node is None:
            return source
        by = scene.nodes[source.node].local[:3, :3] @ way(source.node) - way(up[source.node])
        return replace(source, values=_keys(source.values, source.interpolation, by)) if by.any() else source

    clips = tuple(replace(clip, channels=tuple(channel(c) for c in clip.channels)) for clip in scene.clips)
    return scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), skins=tuple(skins), clips=clips)


def _copy(
    kind: str,
    items: list[Any],
    number: int,
    key: bytes,
    copies: dict[tuple[str, int, bytes], int],
    make: Callable[[], Any],
    node: Node,
) -> int:
    """Number of the item as a node needs it: the first need takes the item's own place, each other one gets a copy."""
    own = (kind, number, key)
    if own not in copies:
        first = not any(k[:2] == own[:2] for k in copies)
        made = make()
        copies[own] = number if first else len(items)
        if first:
            items[number] = made
        else:
            items.append(replace(made, id=f"{made.id}/{node.id}"))
    return copies[own]


def _keys(values: Array, interpolation: str, by: Array) -> Array:
    out = values.astype(np.float64)
    if interpolation == "CUBICSPLINE":
        out[1::3] += by
    else:
        out += by
    return frozen(out.astype(np.float32))


def _skin(skin: Skin, offset: F64) -> Skin:
    inverse = np.tile(np.eye(4), (len(skin.joints), 1, 1)) if skin.inverse_bind is None else skin.inverse_bind.copy()
    inverse[:, :3, 3] += inverse[:, :3, :3] @ offset
    return replace(skin, inverse_bind=frozen(inverse))

"""What the stage needs to move a model: the tree that moves, skins, clips, and vertices as they were before any pose."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..geometry.sums import sums_by
from ..machine.sections import Sections
from ..scene import Channel, Scene
from ..scene.skinning import joint_matrices
from ..scene.transforms import parents, walk
from ..scene.weighing import vertex_of_weight
from ..words.arrays import F64
from ..words.json_tree import Json

#: Keys of all clips together up to which they travel along, and nodes that may move.
MOST_KEYS, MOST_NODES = 2_000_000, 20_000
_WIDE = {"translation": 3, "rotation": 4, "scale": 3}


def rig(scene: Scene, root: F64, origin: F64, out: Sections) -> Json | None:
    """The header's block on motion; None where nothing can move, or too much.

    root: (4, 4) from the scene's units and axes to the stage's; origin: (3,) what the stage's numbers are taken from. nodes: those that
    move and those above them, parents first, with their matrices as triples or whole (by columns).
    """
    driven = {channel.node for clip in scene.clips for channel in clip.channels if channel.node is not None}
    joints = {j for skin in scene.skins for j in skin.joints}
    if not driven and not joints:
        return None
    up = parents(scene)
    wanted: set[int] = set()
    for i in {*driven, *joints, *(k for k, n in enumerate(scene.nodes) if n.mesh is not None)}:
        while i >= 0 and i not in wanted:
            wanted.add(i)
            i = up[i]
    order = [i for i in walk(scene) if i in wanted]
    if len(order) > MOST_NODES:
        return None
    there = set(order)
    place = root.copy()
    place[:3, 3] -= origin
    keys = sum(len(channel.times) for clip in scene.clips for channel in clip.channels)
    return {
        "root": place.T.reshape(-1).tolist(),
        "nodes": [_node(scene, i, up[i] if up[i] in there else -1, i in joints) for i in order],
        "skins": [
            {
                "joints": list(skin.joints),
                "inverse": out.array(
                    (
                        np.tile(np.eye(4), (len(skin.joints), 1, 1)) if skin.inverse_bind is None else _sound(skin.inverse_bind)
                    ).transpose(0, 2, 1),
                    np.float64,
                ),
            }
            for skin in scene.skins
        ],
        "clips": [
            {
                "name": clip.name or f"clip {k}",
                "seconds": clip.seconds if np.isfinite(clip.seconds) else 0.0,
                "channels": [
                    {
                        "node": channel.node,
                        "path": channel.path,
                        "way": channel.interpolation,
                        "times": out.array(channel.times, np.float32),
                        "values": out.array(channel.values, np.float32),
                    }
                    for channel in clip.channels
                    if channel.node in there and _plays(scene, channel)
                ],
            }
            for k, clip in enumerate(scene.clips)
        ]
        if keys <= MOST_KEYS
        else [],
    }


def _sound(matrices: F64) -> F64:
    finite: Any = np.isfinite(matrices).all(axis=(1, 2))
    return np.where(finite[:, None, None], matrices, np.eye(4))


def _node(scene: Scene, i: int, up: int, joint: bool) -> Json:
    n = scene.nodes[i]
    made: Json = {"node": i, "up": up, "name": scene.part_name(i), "joint": joint}
    if n.matrix is not None:
        return {**made, "m": np.nan_to_num(n.matrix).T.reshape(-1).tolist()}
    finite = lambda v: [float(x) if np.isfinite(x) else 0.0 for x in v]
    return {**made, "t": finite(n.translation), "q": finite(n.rotation), "s": finite(n.scale)}


def _plays(scene: Scene, channel: Channel) -> bool:
    """Whether a channel can be sampled: keys in order, numbers alone, as many values as it needs."""
    times, rows = channel.times, len(channel.times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
    if not len(times) or len(channel.values) != rows or channel.values.ndim != 2 or channel.node is None:
        return False
    mesh = scene.nodes[channel.node].mesh
    wide = _WIDE.get(channel.path, len(scene.meshes[mesh].morphs) if channel.path == "weights" and mesh is not None else 0)
    in_order = bool((np.diff(times.astype(np.float64)) > 0).all())
    return (
        wide > 0
        and channel.values.shape[1] == wide
        and in_order
        and bool(np.isfinite(channel.values).all() and np.isfinite(times).all())
    )


def blended(scene: Scene, node: int, world: F64) -> F64:
    """(V, 3, 3) linear part by which each vertex of a skinned mesh goes: its joints' blend, its own node's where it has none.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    n = scene.nodes[node]
    assert n.mesh is not None
    assert n.skin is not None
    mesh = scene.meshes[n.mesh]
    weights, matrices = mesh.weights, joint_matrices(scene.skins[n.skin], world)
    assert weights is not None
    count, owner = len(mesh.positions), vertex_of_weight(weights)
    known = (weights.joints >= 0) & (weights.joints < len(matrices)) & np.isfinite(weights.weights)
    out = np.empty((count, 3, 3))
    for a in range(3):
        for b in range(3):
            entry = matrices[weights.joints[known], a, b] * weights.weights[known]
            out[:, a, b] = sums_by(owner[known], entry, count)
    free = sums_by(owner[known], np.abs(weights.weights[known]), count) == 0
    out[free] = world[node][:3, :3]
    return out

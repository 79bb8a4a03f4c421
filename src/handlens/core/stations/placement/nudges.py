"""The nudge test: a group is moved by one unit, and each skinned part below it is followed.

A part that only hangs on a node travels with it by exactly one unit. A skinned part is carried by its joints instead
(glTF 2.0 §3.7.3.3: its own node's transform is ignored), so it stays behind where they hang elsewhere; and a receiver that
lets its node carry it as well moves it twice.
"""

from __future__ import annotations

import numpy as np

from ...geometry.sums import sums_by
from ...scene import Scene
from ...scene.transforms import parents, walk
from ...scene.weighing import vertex_of_weight
from ...words.arrays import F64, Bool
from .records import NudgeFigures

_STILL = 1e-6


def nudges(scene: Scene, world: F64) -> list[NudgeFigures]:
    """One entry for each skinned part and each group above it; the roots of its joints are among the groups tried.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    up = parents(scene)
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    out: list[NudgeFigures] = []
    shown = set(walk(scene))
    for i in walk(scene):
        n = scene.nodes[i]
        if n.mesh is None or n.skin is None or scene.meshes[n.mesh].weights is None:
            continue
        joints = scene.skins[n.skin].joints
        above = _chain(up, i)
        off = any(k in driven or np.abs(scene.nodes[k].local - np.eye(4)).max() > _STILL for k in above)
        # A joint may hang outside the scene that is shown: nothing there is moved by anyone.
        groups = dict.fromkeys(g for g in [*above[1:], *(_chain(up, j)[-1] for j in joints)] if g in shown)
        for group in groups:
            below = _below(scene, group)
            within = np.array([j in below for j in joints])
            low, high = _carried(scene, i, within)
            own = 1.0 if i in below else 0.0
            out.append(NudgeFigures(group, i, low, high, _applied(world[i], high, own), int(within.sum()), len(joints), off))
    return out


def _chain(up: list[int], node: int) -> list[int]:
    out = [node]
    while up[out[-1]] >= 0:
        out.append(up[out[-1]])
    return out


def _below(scene: Scene, group: int) -> set[int]:
    found, stack = {group}, [group]
    while stack:
        for child in scene.nodes[stack.pop()].children:
            found.add(child)
            stack.append(child)
    return found


def _carried(scene: Scene, node: int, within: Bool) -> tuple[float, float]:
    """Least and most, over the vertices that have weights, of the weight on joints that move."""
    n = scene.nodes[node]
    assert n.mesh is not None
    weights = scene.meshes[n.mesh].weights
    assert weights is not None
    owner = vertex_of_weight(weights)
    good = (weights.joints >= 0) & (weights.joints < len(within))
    moves = np.zeros(len(weights.joints))
    moves[good] = within[weights.joints[good]]
    # Weights that do not sum to 1 are another matter, told where weights are.
    total = sums_by(owner, weights.weights, len(weights.starts) - 1)
    with np.errstate(all="ignore"):
        share = (sums_by(owner, weights.weights * moves, len(weights.starts) - 1) / total)[
            (np.diff(weights.starts) > 0) & (total > 0)
        ]
    finite = share[np.isfinite(share)]
    return (float(finite.min()), float(finite.max())) if len(finite) else (0.0, 0.0)


def _applied(world: F64, carried: float, share: float) -> float:
    """Most that the part travels along any axis where its own node carries it too: the node's move, and its matrix on the skin's."""
    with np.errstate(all="ignore"):
        moves = np.eye(3) * share + world[:3, :3] * carried
        length = np.linalg.norm(moves, axis=0).max()
    return float(length) if np.isfinite(length) else 0.0

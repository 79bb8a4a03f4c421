"""The box around a scene or a part, in world space."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..words.arrays import F64
from .model import Scene
from .skinning import world_positions
from .transforms import walk, world_matrices


def world_bounds(scene: Scene, world: F64 | None = None, nodes: Iterable[int] | None = None) -> tuple[F64, F64] | None:
    """((3,), (3,)) lowest and highest finite world coordinate over every mesh instance, or those of some nodes, skins evaluated
    (glTF 2.0 §3.7.3.3); None if empty.

    world: (N, 4, 4) float64 world matrices of all nodes; worked out where None.
    nodes: all where None.
    """
    world = world_matrices(scene) if world is None else world
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for i in walk(scene) if nodes is None else nodes:
        mesh = scene.nodes[i].mesh
        if mesh is None or not len(scene.meshes[mesh].positions):
            continue
        points = world_positions(scene, i, world)
        points = points[np.isfinite(points).all(axis=1)]
        if len(points):
            low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
    return None if np.isinf(low).any() else (low, high)

"""A scene with a sample of its vertices."""

from __future__ import annotations

import numpy as np

from .model import Mesh, Scene, frozen
from .weighing import vertex_of_weight, with_rows


def fewer_vertices(scene: Scene, most: int) -> Scene:
    """The scene with about so many vertices in all, so that many moments can be looked at: every so many, and those at the ends of
    each box. Its meshes have positions and weights alone.
    """
    total = sum(len(mesh.positions) for mesh in scene.meshes)
    if total <= most:
        return scene
    meshes = []
    for mesh in scene.meshes:
        step = max(total // most, 1)
        ends = [mesh.positions.argmin(axis=0), mesh.positions.argmax(axis=0)] if len(mesh.positions) else []
        stay = np.unique(np.concatenate([np.arange(0, len(mesh.positions), step), *ends]))
        weights = None
        if mesh.weights is not None:
            number = np.full(len(mesh.positions), -1, np.int64)
            number[stay] = np.arange(len(stay))
            owner = number[vertex_of_weight(mesh.weights)]
            use = owner >= 0
            weights = with_rows(len(stay), owner[use], mesh.weights.joints[use], mesh.weights.weights[use])
        meshes.append(Mesh(mesh.id, mesh.name, frozen(mesh.positions[stay]), weights=weights))
    return scene.with_(meshes=tuple(meshes))

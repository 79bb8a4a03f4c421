"""Meshes that a node places, and those that none does."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from .model import Scene
from .transforms import world_matrices


def unplaced(scene: Scene) -> int:
    """How many meshes no node places."""
    return len(scene.meshes) - len({n.mesh for n in scene.nodes if n.mesh is not None})


def placed_only(scene: Scene) -> Scene:
    """The scene without meshes that no node places."""
    kept = sorted({n.mesh for n in scene.nodes if n.mesh is not None})
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(n if n.mesh is None else replace(n, mesh=number[n.mesh]) for n in scene.nodes)
    return scene.with_(nodes=nodes, meshes=tuple(scene.meshes[k] for k in kept))


def mesh_units(scene: Scene) -> list[float]:
    """Metres in a unit of each mesh, where it is shown largest."""
    world = world_matrices(scene)
    out = [0.0] * len(scene.meshes)
    for i, n in enumerate(scene.nodes):
        if n.mesh is not None:
            with np.errstate(all="ignore"):
                size = float(np.linalg.norm(world[i][:3, :3], axis=0).max())
            out[n.mesh] = max(out[n.mesh], size if np.isfinite(size) else 0.0)
    unit = 1.0 if scene.unit_metres is None else scene.unit_metres
    return [(x or 1.0) * unit for x in out]

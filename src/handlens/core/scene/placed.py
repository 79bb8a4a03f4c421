"""Meshes that a node places, and those that none does."""

from __future__ import annotations

from dataclasses import replace

from .model import Scene


def unplaced(scene: Scene) -> int:
    """How many meshes no node places."""
    return len(scene.meshes) - len({n.mesh for n in scene.nodes if n.mesh is not None})


def placed_only(scene: Scene) -> Scene:
    """The scene without meshes that no node places."""
    kept = sorted({n.mesh for n in scene.nodes if n.mesh is not None})
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(n if n.mesh is None else replace(n, mesh=number[n.mesh]) for n in scene.nodes)
    return scene.with_(nodes=nodes, meshes=tuple(scene.meshes[k] for k in kept))

"""Parts with their transforms written into the positions, for formats that have no tree of nodes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ..scene import Mesh, Scene
from ..scene.model import frozen
from ..scene.transforms import walk, world_matrices


def flat_parts(scene: Scene) -> Iterator[tuple[str, Mesh]]:
    """Name and world-space mesh of each part in file order; mirrored ones are turned so that they face as they are drawn."""
    from ..mends.placement import through

    world = world_matrices(scene)
    for i in walk(scene):
        n = scene.nodes[i]
        if n.mesh is None:
            continue
        moved = through(scene.meshes[n.mesh], world[i][:3, :3])
        with np.errstate(invalid="ignore", over="ignore"):
            positions = moved.positions + world[i][:3, 3]
        yield n.name or moved.name, replace(moved, positions=frozen(positions))


def holds_no_tree(scene: Scene, joined: bool) -> list[str]:
    """What a format without a tree loses of a scene, a sentence each. joined: its parts become one as well."""
    lost = []
    placed = [n for n in scene.nodes if n.mesh is not None]
    if any(np.abs(n.local - np.eye(4)).max() > 1e-12 or n.children for n in scene.nodes):
        lost.append("The node tree is written flat: transforms and pivots go into the positions.")
    shared = len(placed) - len({n.mesh for n in placed})
    if joined and len(placed) > 1:
        lost.append(f"{len(placed):,} parts are joined into one, and their names are left out.")
    elif shared:
        lost.append(f"{shared:,} instances are written out as copies.")
    return lost

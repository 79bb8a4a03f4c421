"""Nodes moved and turned as wholes, with all that hangs on them and all that their joints carry."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..scene import Scene
from ..scene.transforms import parents
from ..words.arrays import F64
from .moved import with_local
from .tree import can_be_undone, driven


class CannotPlace(Exception):
    """Why nodes cannot be moved: a word, and the node that it is about."""

    def __init__(self, why: str, node: int) -> None:
        super().__init__(why)
        self.why, self.node = why, node


def refuse_torn(scene: Scene, chosen: set[int]) -> None:
    """Raises CannotPlace where a skinned part would move without its joints, or joints without what they carry.

    chosen: nodes with all that hangs on them.
    """
    for i, n in enumerate(scene.nodes):
        if n.skin is None or n.mesh is None:
            continue
        joints = set(scene.skins[n.skin].joints)
        if i in chosen and not joints <= chosen:
            raise CannotPlace("joints-too", i)
        if i not in chosen and joints & chosen:
            raise CannotPlace("part-too", i)


def moved_nodes(scene: Scene, ways: Mapping[int, F64], world: F64) -> Scene:
    """The scene with some nodes moved in the world. Raises CannotPlace where a clip moves one itself, or its parent has no inverse.

    ways: by nodes none of which hangs on another, (4, 4) float64, applied in the world. world: (N, 4, 4) float64 world matrices of all nodes.
    """
    up = parents(scene)
    moved = driven(scene)
    nodes = list(scene.nodes)
    for i, way in ways.items():
        if i in moved:
            raise CannotPlace("moved", i)
        frame = world[up[i]] if up[i] >= 0 else np.eye(4)
        if not can_be_undone(frame):
            raise CannotPlace("collapsed", i)
        nodes[i] = with_local(scene.nodes[i], np.linalg.solve(frame, way @ world[i]))
    return scene.with_(nodes=tuple(nodes))

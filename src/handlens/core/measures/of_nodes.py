"""Figures of the node tree: transforms as the file stores them, and as they stand in the world."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from ..scene import Scene
from ..scene.matrices import Polar, quaternion_matrix
from ..scene.model import HELD
from ..scene.transforms import parents
from ..words.arrays import F64, Array
from .records import NodeFigures


def node_figures(scene: Scene, order: list[int], world: F64) -> list[NodeFigures]:
    """Figures of every node, in the order of a walk. order: positions in the scene. world: (N, 4, 4) world matrices."""
    up = parents(scene)
    joints = {j for skin in scene.skins for j in skin.joints}
    driven = {channel.node for clip in scene.clips for channel in clip.channels if channel.node is not None}
    apart: dict[bytes, Polar] = {}

    def decomposed(linear: Array) -> Polar:
        """Most nodes of a large scene are turned and scaled like another."""
        key = linear.tobytes()
        return apart.get(key) or apart.setdefault(key, Polar(linear))

    out = []
    for i in order:
        n = scene.nodes[i]
        whole = decomposed(world[i][:3, :3])
        # Where the file stores a triple, its own numbers are what counts: 1, -1, -1 is a scale, not a half turn.
        local = decomposed(n.local[:3, :3] if n.matrix is not None else quaternion_matrix(n.rotation))
        scale = local.scale.tolist() if n.matrix is not None else [float(s) for s in n.scale]
        kind = (
            "mesh"
            if n.mesh is not None
            else "camera"
            if n.camera is not None
            else "light"
            if n.light is not None
            else "joint"
            if i in joints
            else "group"
            if n.children
            else "empty"
        )
        out.append(
            NodeFigures(
                index=i,
                name=scene.part_name(i),
                parent=up[i],
                kind=kind,
                scale=scale,
                angle=local.angle_degrees,
                quarter_turn=local.is_quarter_turn(),
                mirrored=float(np.prod(scale)) < 0,
                shear=local.shear,
                world_shear=whole.shear,
                is_joint=i in joints,
                hidden=n.hidden,
                named=bool(n.name),
                driven=i in driven,
                held=n.id.endswith(HELD),
                tags=_tags(n.extras),
                place=[float(v) if np.isfinite(v) else 0.0 for v in world[i][:3, 3]],
            )
        )
    return out


#: Properties that modelling tools put layers and tags into (common practice, no published source; COLLADA 1.4.1 has `layer`).
_TAGS = ("layer", "layers", "tag", "tags")
#: Tags of one node that are taken, and letters of each.
_MOST_TAGS, _TAG_LETTERS = 20, 80


def _tags(extras: Mapping[str, Any]) -> list[str]:
    """Layers and tags among a node's properties: names with blanks between, or lists of names."""
    properties = extras.get("extras")
    found = [v for k, v in (properties if isinstance(properties, Mapping) else {}).items() if str(k).lower() in _TAGS]
    names = [
        n for v in found for n in (v.split() if isinstance(v, str) else v if isinstance(v, list) else ()) if isinstance(n, str)
    ]
    return [name[:_TAG_LETTERS] for name in dict.fromkeys(names)][:_MOST_TAGS]

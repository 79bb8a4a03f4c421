"""Parts that something is put beside."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...edit.without import without_parts
from ...kit.choice import chosen_nodes
from ...scene import Scene
from ...scene.generated import BESIDE, ROLE, generated_parts, property_text


def cleared(scene: Scene, parts: Sequence[str], role: str) -> tuple[Scene, list[int]]:
    """The scene without what was made of a role for the chosen parts before, and those parts."""
    old = set[int]().union(*(generated_parts(scene, i, role) for i in drawn(scene, parts)))
    scene = without_parts(scene, sorted(old)) if old else scene
    return scene, drawn(scene, parts)


def drawn(scene: Scene, parts: Sequence[str]) -> list[int]:
    """Chosen nodes with a mesh of their own that holds still, without what stands beside others."""
    return [
        i
        for i in sorted(chosen_nodes(scene, parts))
        if (n := scene.nodes[i]).mesh is not None
        and n.skin is None
        and scene.meshes[n.mesh].face_count
        and np.isfinite(scene.meshes[n.mesh].positions).all()
        and property_text(n, ROLE) not in BESIDE
    ]

"""Faces that draw nothing taken out: without area, there twice, or where nobody can see them."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

import numpy as np

from ..edit.without import without_parts
from ..geometry.patches import patches
from ..geometry.polygons import doubled
from ..geometry.recut import only_faces, only_used_values, only_vertices, used_vertices
from ..geometry.topology import surface
from ..limits import MendError
from ..measures.facing import facing, placed_parts, plainly_outward, ray_scene
from ..scene import Mesh, Scene
from ..scene.axes import AXIS_INDEX
from ..words.arrays import Array, Bool
from .messages import say


class Cleared(NamedTuple):
    """mesh: without faces that draw nothing, its points as they were. kept: (F,) bool of the faces of before. flat, twice: faces without
    area, and such as were there twice."""

    mesh: Mesh
    kept: Bool
    flat: int
    twice: int


def cleared(mesh: Mesh) -> Cleared:
    """A mesh without faces that have no area, and without the second of two over the same points, wound alike."""
    top = surface(mesh)
    twice = doubled(mesh, top.ids, top.flat).alike
    keep = ~top.flat
    keep[twice] = False
    return Cleared(
        mesh if keep.all() else only_used_values(only_faces(mesh, keep)), keep, int(np.count_nonzero(top.flat)), len(twice)
    )


def without_unseen(scene: Scene, chosen: Collection[int]) -> tuple[Scene, int]:
    """The scene without patches of chosen nodes from which no ray gets out of the model, where no part that shows the same mesh has
    them in sight, and how many triangles those were. Raises MendError where what lies behind is seen through parts.
    """
    used = {k for mesh in scene.meshes for k in mesh.slot_materials if k >= 0}
    if any(scene.materials[k].alpha_mode in ("mask", "blend") for k in used):
        raise MendError(say("mend.see-through"))
    found = {k: patches(mesh, surface(mesh, corners=True).edges) for k, mesh in enumerate(scene.meshes)}
    placed = placed_parts(scene, found)
    seen: dict[int, Array] = {}
    if placed and plainly_outward(placed) is None:
        for part, sides in zip(placed, facing(placed, ray_scene(placed), None, AXIS_INDEX[scene.up_axis or "Y"]), strict=True):
            number = scene.nodes[part.node].mesh
            assert number is not None
            mask = np.ones(part.mesh.face_count, bool)
            if part.node in chosen:
                mask[sides.hidden] = False
            seen[number] = seen.get(number, np.zeros(part.mesh.face_count, bool)) | mask
    meshes = list(scene.meshes)
    gone = 0
    for number, keep in seen.items():
        gone += int((np.maximum(meshes[number].corner_counts - 2, 0))[~keep].sum())
        if not keep.all():
            made = only_used_values(only_faces(meshes[number], keep))
            meshes[number] = only_vertices(made, used_vertices(made) | ~used_vertices(scene.meshes[number]))
    # A part of which nothing is left goes; what hangs on its node stays where it is.
    hollow = {
        k
        for k, mesh in enumerate(meshes)
        if not mesh.face_count and scene.meshes[k].face_count and not len(mesh.lines) + len(mesh.points)
    }
    after = without_parts(scene.with_(meshes=tuple(meshes)), [i for i, n in enumerate(scene.nodes) if n.mesh in hollow])
    return after, gone

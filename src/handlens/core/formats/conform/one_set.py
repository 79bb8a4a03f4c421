"""The UV set that is drawn, for formats that hold one alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...scene import Mesh, Scene


def drawn_set(scene: Scene, mesh: Mesh) -> int:
    """The UV set by which the pictures of a mesh are laid on: that of the base colour of most of its faces, else the first."""
    faces = np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) if len(mesh.slots) else [mesh.face_count]
    votes: dict[int, int] = {}
    for count, material in zip(faces, mesh.slot_materials, strict=False):
        inputs = scene.materials[material].inputs if 0 <= material < len(scene.materials) else ()
        named = next((texture.uv_set for texture in inputs if texture.role == "base-colour" and texture.image is not None), None)
        if named is not None and named < len(mesh.uvs):
            votes[named] = votes.get(named, 0) + int(count)
    return max(votes, key=lambda k: (votes[k], -k), default=0)


def drawn_set_first(scene: Scene) -> Scene:
    """The scene whose meshes have the set that is drawn before the others, which is the one that such formats take."""
    meshes = []
    for mesh in scene.meshes:
        k = drawn_set(scene, mesh) if len(mesh.uvs) > 1 else 0
        meshes.append(replace(mesh, uvs=(mesh.uvs[k], *mesh.uvs[:k], *mesh.uvs[k + 1 :])) if k else mesh)
    return scene if all(a is b for a, b in zip(meshes, scene.meshes, strict=True)) else scene.with_(meshes=tuple(meshes))


def on_another_uv_set(scene: Scene) -> int:
    """Inputs of materials that are laid on by another set than the one that is drawn on a mesh of theirs."""
    found = set()
    for mesh in scene.meshes:
        k = drawn_set(scene, mesh)
        for material in mesh.slot_materials:
            inputs = scene.materials[material].inputs if 0 <= material < len(scene.materials) else ()
            found |= {
                (material, n)
                for n, texture in enumerate(inputs)
                if texture.image is not None and texture.uv_set != k and len(mesh.uvs) > 1
            }
    return len(found)

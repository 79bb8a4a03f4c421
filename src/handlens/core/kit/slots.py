"""Slots of meshes and the materials behind them, thinned out, every index that points at one renumbered."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene import Material, Mesh, Scene
from ..scene.model import frozen
from ..surface.colour import converted

#: A plain material is half rough and no metal (common practice, no published source).
_ROUGH = 0.5


def plain_material(scene: Scene, name: str, colour: str) -> Material:
    """A new material for a scene, of one colour as it is shown. colour: six digits behind a #, as in #B8A88A."""
    shown = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    return Material(
        f"plain:{len(scene.materials)}",
        name,
        (*converted(shown, False, scene.linear), 1.0),  # type: ignore[arg-type]
        metallic=0.0,
        roughness=_ROUGH,
        alpha_mode="opaque",
    )


def one_slot_each(mesh: Mesh) -> Mesh:
    """The mesh with one slot a material, in the order in which they are first met."""
    order = list(dict.fromkeys(mesh.slot_materials))
    if len(order) == len(mesh.slot_materials):
        return mesh
    into = np.array([order.index(slot_material) for slot_material in mesh.slot_materials], np.int32)
    return replace(mesh, slots=frozen(into[mesh.slots]) if len(mesh.slots) else mesh.slots, slot_materials=tuple(order))


def without_materials(scene: Scene, gone: set[int]) -> Scene:
    """The scene without some materials, all references following; nothing may use them any more."""
    kept = [k for k in range(len(scene.materials)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)} | {-1: -1}
    meshes = tuple(replace(mesh, slot_materials=tuple(number[k] for k in mesh.slot_materials)) for mesh in scene.meshes)
    return scene.with_(materials=tuple(scene.materials[k] for k in kept), meshes=meshes)


def without_images(scene: Scene, gone: set[int]) -> Scene:
    """The scene without images that no material uses."""
    kept = [k for k in range(len(scene.images)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    plugged = lambda m: replace(
        m, inputs=tuple(replace(texture, image=None if texture.image is None else number[texture.image]) for texture in m.inputs)
    )
    return scene.with_(
        images=tuple(scene.images[k] for k in kept), materials=tuple(plugged(material) for material in scene.materials)
    )


def without_unused_surfaces(scene: Scene) -> Scene:
    """The scene without materials that no mesh names and images that only they used."""
    used = {k for mesh in scene.meshes for k in mesh.slot_materials}
    after = without_materials(scene, {k for k in range(len(scene.materials)) if k not in used})
    drawn = {texture.image for material in after.materials for texture in material.inputs}
    return without_images(after, {k for k in range(len(after.images)) if k not in drawn})

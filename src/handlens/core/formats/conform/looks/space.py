"""Colours as linear light or as they are shown, and the direction of v."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ....scene import Layer, Scene
from ....scene.model import frozen
from ....surface.colour import converted, to_linear, to_shown
from ....surface.uv_transform import turned_over
from ..steps import Target
from .common import with_inputs


def in_space(scene: Scene, target: Target) -> Scene:
    """Colours as linear light or as they are shown, as the format has them."""
    wanted = target.format.linear
    if scene.linear == wanted:
        return scene
    in_other: Any = lambda c: converted(c, scene.linear, wanted)
    materials = tuple(
        replace(material, base_colour=in_other(material.base_colour), emissive=in_other(material.emissive))
        for material in scene.materials
    )

    def shown(layer: Layer) -> Layer:
        """Linear light in glTF 2.0 §3.7.2.1 and in UsdGeom's displayColor; as they are shown elsewhere (common practice)."""
        values = layer.values.astype(float)
        values[:, :3] = (to_linear if wanted else to_shown)(values[:, :3])
        return Layer(frozen(values.astype("float32")), layer.index)

    meshes = tuple(
        replace(mesh, colours=tuple(shown(colour) for colour in mesh.colours)) if mesh.colours else mesh for mesh in scene.meshes
    )
    return scene.with_(materials=materials, meshes=meshes, linear=wanted)


def v_direction(scene: Scene, target: Target) -> Scene:
    """v counted as the format counts it: downwards from the image's top (glTF 2.0 §3.8.1), or upwards from its bottom."""
    if scene.v_down == target.format.v_down:
        return scene

    def over(layer: Layer) -> Layer:
        values = layer.values.astype(float)
        values[:, 1] = 1 - values[:, 1]
        return Layer(frozen(values), layer.index)

    turned = lambda t: replace(t, transform=turned_over(t.transform, scene.v_down)) if t.transform else t
    materials = tuple(
        with_inputs(material, tuple(turned(texture) for texture in material.inputs)) for material in scene.materials
    )
    meshes = tuple(replace(mesh, uvs=tuple(over(layer) for layer in mesh.uvs)) if mesh.uvs else mesh for mesh in scene.meshes)
    return scene.with_(meshes=meshes, materials=materials, v_down=target.format.v_down)

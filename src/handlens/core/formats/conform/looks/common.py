"""What all steps on materials ask: places and roles of inputs, whose words a material is in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ....scene import Material, Scene, TextureInput
from ...table import BY_NAME
from ..steps import Target

GROUP = "Materials"

#: Where an input of another format has its place in a material of glTF 2.0 (§3.9).
PLACES: dict[str, tuple[str, ...]] = {
    "base-colour": ("pbrMetallicRoughness", "baseColorTexture"),
    "normal": ("normalTexture",),
    "emissive": ("emissiveTexture",),
    "metallic-roughness": ("pbrMetallicRoughness", "metallicRoughnessTexture"),
    "occlusion": ("occlusionTexture",),
}

#: Roles of inputs that each format has a place for, where the scene is not in its own words.
ROLES: dict[str, frozenset[str]] = {
    "glb": frozenset({"base-colour", "normal", "emissive", "metallic-roughness", "occlusion"}),
    "obj": frozenset(
        {
            "base-colour",
            "ambient",
            "specular",
            "gloss",
            "alpha",
            "emissive",
            "roughness",
            "metallic",
            "bump",
            "normal",
            "displacement",
            "decal",
            "reflection",
        }
    ),
    "dae": frozenset({"base-colour", "emissive", "specular", "ambient", "alpha", "reflection", "normal", "bump"}),
    "usda": frozenset(
        {
            "base-colour",
            "emissive",
            "roughness",
            "metallic",
            "normal",
            "occlusion",
            "alpha",
            "specular",
            "displacement",
            "clearcoat",
            "clearcoat-roughness",
        }
    ),
    "3mf": frozenset({"base-colour"}),
}

ROLES["gltf"], ROLES["usdz"] = ROLES["glb"], ROLES["usda"]


def native(scene: Scene, target: Target) -> bool:
    """Whether what materials say beside their fields is in this format's own words."""
    return BY_NAME[scene.format].family == target.format.family


def changed(change: Callable[[Material], Material]) -> Callable[[Scene, Target], Scene]:
    """A step that changes each material by itself, and leaves the scene as it is where none changes."""

    def apply(scene: Scene, _: Target) -> Scene:
        made = tuple(change(material) for material in scene.materials)
        return scene if all(a is b for a, b in zip(made, scene.materials, strict=True)) else scene.with_(materials=made)

    return apply


def with_inputs(material: Material, inputs: tuple[TextureInput, ...]) -> Material:
    """A material with other inputs; the very same one where they are the same."""
    same = len(inputs) == len(material.inputs) and all(a is b for a, b in zip(inputs, material.inputs, strict=True))
    return material if same else replace(material, inputs=inputs)

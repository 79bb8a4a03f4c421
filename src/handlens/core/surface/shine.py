"""Roughness and metalness: two channels of one picture, or a picture each.

Sources: glTF 2.0 §3.9.2 (roughness in green, metalness in blue, both multiplied by their factors); Wavefront MTL, option
-imfchan, and the statements map_Pr and map_Pm of its extension for physically based materials; UsdPreviewSurface specification.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene import Material, Scene, TextureInput
from ..scene.memo import once_a_scene
from .channels import channel, larger, painted
from .decoded import eight_bits, opened

_ROLES = ("roughness", "metallic")
_STATEMENTS = {"roughness": "map_Pr", "metallic": "map_Pm"}


def named_each(scene: Scene) -> Scene:
    """The scene in which roughness and metalness have an input each, which names its channel."""
    named = lambda t, role, name: replace(t, role=role, path=(_STATEMENTS[role],), channel=name)
    materials = []
    for material in scene.materials:
        inputs: list[TextureInput] = []
        for texture in material.inputs:
            if texture.role == "metallic-roughness":
                inputs += [named(texture, "roughness", "g"), named(texture, "metallic", "b")]
            else:
                inputs.append(texture)
        materials.append(replace(material, inputs=tuple(inputs)))
    return scene.with_(materials=tuple(materials))


@once_a_scene
def in_one(scene: Scene) -> tuple[Scene, list[str]]:
    """The scene in which roughness and metalness are channels of one picture, and a sentence for each that is made or cannot be."""
    if not any(
        texture.role in _ROLES and texture.image is not None for material in scene.materials for texture in material.inputs
    ):
        return scene, []
    packer = _Packer(scene)
    materials = tuple(packer.material(material) for material in scene.materials)
    return scene.with_(materials=materials, images=tuple(packer.images)), packer.said


class _Packer:
    def __init__(self, scene: Scene) -> None:
        self.images, self.came, self.said = list(scene.images), len(scene.images), list[str]()
        self.made: dict[tuple[object, ...], int | None] = {}

    def material(self, source: Material) -> Material:
        rough, metal = (
            next((texture for texture in source.inputs if texture.role == r and texture.image is not None), None) for r in _ROLES
        )
        first = rough or metal
        if first is None:
            return source
        name = source.name or "a material"
        rest = tuple(texture for texture in source.inputs if texture.role not in _ROLES)
        if rough is not None and metal is not None and (rough.uv_set, rough.transform) != (metal.uv_set, metal.transform):
            self.said.append(f"The metalness of {name} is laid on in another way than its roughness, so its picture is left out.")
            metal = None
        key = tuple((t.image, t.channel) if t else None for t in (rough, metal))
        if key not in self.made:
            self.made[key] = self.packed(rough, metal)
        image = self.made[key]
        if image is None:
            self.said.append(f"The pictures for roughness and metalness of {name} cannot be opened, so they are left out.")
            return replace(source, inputs=rest)
        if image >= self.came:
            self.said.append(f"Roughness and metalness of {name} are painted into one picture: {self.images[image].reference}.")
        one = replace(first, role="metallic-roughness", image=image, channel="", options={})
        return replace(
            source, inputs=(*rest, one), metallic=1.0 if metal is not None and source.metallic is None else source.metallic
        )

    def packed(self, rough: TextureInput | None, metal: TextureInput | None) -> int | None:
        """Number of a picture with roughness in green and metalness in blue; None where one of the two cannot be opened."""
        from PIL import Image as Pillow

        if rough and metal and rough.image == metal.image and (rough.channel, metal.channel) == ("g", "b"):
            return rough.image
        there = [t for t in (rough, metal) if t is not None and t.image is not None]
        pictures = {t.role: opened(self.images[t.image]) for t in there if t.image is not None}
        if any(picture is None for picture in pictures.values()):
            return None
        size = larger(pictures.get("roughness"), pictures.get("metallic"))
        out = np.full((size[1], size[0], 3), 255, np.uint8)
        for texture, place in ((rough, 1), (metal, 2)):
            if texture is not None:
                values = channel(eight_bits(pictures[texture.role]), texture.channel or "l")
                out[:, :, place] = np.asarray(Pillow.fromarray(values).resize(size, Pillow.Resampling.BILINEAR))
        first = there[0].image
        assert first is not None
        self.images.append(painted(self.images[first], "roughness_metalness", Pillow.fromarray(out)))
        return len(self.images) - 1

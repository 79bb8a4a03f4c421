"""Where materials have their alpha from: the alpha of their own picture, or a picture that says nothing else.

Sources: glTF 2.0 §3.9.4 (alpha of the base colour); Wavefront MTL, statement map_d and option -imfchan; COLLADA 1.4.1 and 1.5,
chapter 4, "Determining Transparency (Opacity)"; UsdPreviewSurface specification, opacity.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..scene import Material, Scene, TextureInput
from ..scene.memo import once_a_scene
from .channels import channel, larger, painted
from .decoded import eight_bits, opened


def mode_of(material: Material) -> str:
    """How a material is drawn: as it says, else blended where it has an opacity or a picture of it, else opaque."""
    if material.alpha_mode is not None:
        return material.alpha_mode
    return "blend" if material.base_colour[3] < 1 or alpha_input(material) is not None else "opaque"


def alpha_input(material: Material) -> TextureInput | None:
    """The input for alpha alone, None where there is none."""
    return next((texture for texture in material.inputs if texture.role == "alpha" and texture.image is not None), None)


def with_alpha_input(scene: Scene, path: tuple[str, ...]) -> Scene:
    """The scene in which what is cut out or blended names the picture of its base colour as that of its alpha too.

    For formats without modes.
    """
    changed = []
    for material in scene.materials:
        colour = next(
            (texture for texture in material.inputs if texture.role == "base-colour" and texture.image is not None), None
        )
        if material.alpha_mode in ("mask", "blend") and colour is not None and alpha_input(material) is None:
            material = replace(material, inputs=(*material.inputs, replace(colour, role="alpha", path=path, channel="a")))
        changed.append(material)
    return scene.with_(materials=tuple(changed))


@once_a_scene
def in_colour(scene: Scene) -> tuple[Scene, list[str]]:
    """The scene in which materials have their alpha in the picture of their base colour, and a sentence for each picture that is
    made for it or cannot be.

    Where alpha has a picture of its own, the two are painted into a new one, as large as the larger. A material whose
    format has no modes is blended then, or opaque where all of its alpha is solid.
    """
    if not any(alpha_input(material) for material in scene.materials):
        return scene, []
    painter = _Painter(scene)
    materials = tuple(painter.material(material) if alpha_input(material) else material for material in scene.materials)
    return scene.with_(materials=materials, images=tuple(painter.images)), painter.lost


class _Painter:
    def __init__(self, scene: Scene) -> None:
        self.scene, self.images, self.lost = scene, list(scene.images), list[str]()
        self.made: dict[Any, tuple[int | None, bool]] = {}

    def material(self, source: Material) -> Material:
        alpha = alpha_input(source)
        assert alpha is not None
        rest = tuple(texture for texture in source.inputs if texture.role != "alpha")
        colour = next((t for t in rest if t.role == "base-colour" and t.image is not None), None)
        unsaid = source.alpha_mode or ("blend" if source.base_colour[3] < 1 else "opaque")
        if colour is not None and (colour.uv_set, colour.transform) != (alpha.uv_set, alpha.transform):
            self.lost.append(
                f"The alpha of {source.name or 'a material'} is laid on in another way than its colour, so it is left out."
            )
            return replace(source, inputs=rest, alpha_mode=unsaid)
        key = (alpha.image, None if colour is None else colour.image, alpha.channel)
        if key not in self.made:
            self.made[key] = self.painted(alpha, colour)
        image, solid = self.made[key]
        if image is None:
            self.lost.append(f"The image of the alpha of {source.name or 'a material'} cannot be opened, so it is left out.")
            return replace(source, inputs=rest, alpha_mode=unsaid)
        if image >= len(self.scene.images):
            words = f"The picture for the alpha of {source.name or 'a material'} is painted into its colour's: {self.images[image].reference}."
            self.lost.append(words)
        laid = replace(colour or alpha, role="base-colour", image=image, channel="")
        rest = (laid, *(t for t in rest if t is not colour))
        return replace(source, inputs=rest, alpha_mode=source.alpha_mode or (unsaid if solid else "blend"))

    def painted(self, alpha: TextureInput, colour: TextureInput | None) -> tuple[int | None, bool]:
        """Number of the picture that holds colour and alpha, None where one cannot be opened; and whether all of it is solid."""
        from PIL import Image as Pillow

        assert alpha.image is not None
        given = opened(self.images[alpha.image])
        same = colour is not None and colour.image == alpha.image
        below = given if same else opened(self.images[colour.image]) if colour is not None and colour.image is not None else None
        if given is None or (colour is not None and below is None):
            return None, True
        name = alpha.channel
        own = "A" in given.getbands() or "transparency" in given.info
        pixels = eight_bits(given)
        if same and name in ("", "a"):
            # The same picture without any alpha says nothing (common practice, no published source).
            return alpha.image, not own or bool((pixels[:, :, 3] == 255).all())
        share = channel(pixels, name.removeprefix("-") or ("a" if own else "l"))
        share = 255 - share if name.startswith("-") else share
        size = larger(given, below)
        rgb = (
            Pillow.new("RGB", size, (255, 255, 255))
            if below is None
            else Pillow.fromarray(eight_bits(below)[:, :, :3]).resize(size, Pillow.Resampling.BICUBIC)
        )
        rgb.putalpha(Pillow.fromarray(share).resize(size, Pillow.Resampling.BILINEAR))
        beside = colour.image if colour is not None and colour.image is not None else alpha.image
        self.images.append(painted(self.images[beside], "alpha", rgb))
        return len(self.images) - 1, bool((share == 255).all())

"""The pictures of an atlas: what each material shows, cut out, multiplied by its own values where these differ, laid side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ...formats.conform.looks.common import PLACES
from ...kit.repaint import encoded
from ...limits import MendError
from ...scene import Image, Material, Scene, TextureInput
from ...surface.atlas import GRID, Atlas, cut
from ...surface.channels import unit_directions
from ...surface.colour import to_linear, to_shown
from ...surface.decoded import eight_bits, opened
from ...words.arrays import U8, Array
from .going_together import NEUTRAL, Group, Piece, bakes
from .messages import say


class Cells(NamedTuple):
    """Where the pieces of a group lie. atlas: their places with the padding; sizes: (n, 2) int64 pixels of each without it."""

    atlas: Atlas
    sizes: Array
    padding: int


class Painted(NamedTuple):
    """The pictures of an atlas with the material that shows them; in it, inputs count from the first of `images`."""

    images: list[Image]
    material: Material


def painted(scene: Scene, group: Group, cells: Cells, name: str) -> Painted:
    """Paint the pictures of a group. name: of its material. Raises MendError where a picture cannot be opened."""
    materials = [scene.materials[piece.material] for piece in group.pieces]
    values = _Values(scene, materials)
    first = {texture.role: texture for material in reversed(materials) for texture in material.inputs}
    inputs, images = list[TextureInput](), list[Image]()
    packs = bakes(scene) and "occlusion" in first and ("metallic-roughness" in first or "metallic-roughness" in values.painted)
    # glTF 2.0 §3.9.2 and §3.9.3: occlusion is read from red, roughness from green, metalness from blue, so one picture holds all.
    roles = [r for r in NEUTRAL if (r in first or r in values.painted) and not (packs and r == "occlusion")]
    masked = materials[0].alpha_mode == "mask"
    for role in roles:
        both = (role, "occlusion") if packs and role == "metallic-roughness" else (role,)
        coarser = max(_step(scene, group, r) for r in both)
        pixels = _canvas(scene, group, cells, role, values, coarser)
        if len(both) == 2:
            pixels[:, :, 0] = _canvas(scene, group, cells, "occlusion", values, coarser)[:, :, 0]
        image = _image(name, role if len(both) == 1 else "occlusion-roughness-metallic", pixels, masked and role == "base-colour")
        for channel in both:
            made = _input(channel, first.get(channel), len(images), group.uv_set)
            inputs.append(replace(made, scale=1.0) if made.scale is not None and values.bakes else made)
        images.append(image)
    shown = values.with_remaining_factors(materials[0])
    return Painted(images, replace(shown, id=f"{shown.id}/atlas", name=name, inputs=tuple(inputs)))


def _input(role: str, of: TextureInput | None, image: int, uv_set: int) -> TextureInput:
    of = of or TextureInput(role, PLACES[role], None)
    # Nothing reaches beyond the rim any more: how pictures go on there is left to what a standard takes by itself.
    sampler = {k: v for k, v in of.sampler.items() if k not in ("wrapS", "wrapT")}
    return replace(of, image=image, uv_set=uv_set, sampler=sampler, transform=None)


def _step(scene: Scene, group: Group, role: str) -> float:
    """What share of the atlas's sides the picture of a role needs: 1, a half, a quarter or an eighth."""
    share = 1 / GRID
    for piece in group.pieces:
        for texture in scene.materials[piece.material].inputs:
            picture = (
                opened(scene.images[texture.image], pixels=False) if texture.role == role and texture.image is not None else None
            )
            if picture is not None:
                share = max(share, *(n / of for n, of in zip(picture.size, piece.size, strict=True)))
    return next(s for s in (1 / 8, 1 / 4, 1 / 2, 1.0) if s >= min(share, 1.0) - 1e-9)


def _canvas(scene: Scene, group: Group, cells: Cells, role: str, values: _Values, step: float) -> U8:
    """(H, W, 4) uint8 of one role's pictures, at a share of the atlas's sides."""
    width, height = (round(n * step) for n in cells.atlas.size)
    out = np.empty((height, width, 4), np.uint8)
    out[:] = NEUTRAL[role]
    padding = round(cells.padding * step)
    for piece, place, size in zip(group.pieces, cells.atlas.places, cells.sizes, strict=True):
        wide, high = (round(n * step) for n in size.tolist())
        x, y = (round(n * step) for n in place.tolist())
        drawn = _drawn(scene, piece, role, (wide, high), padding)
        changed = values.into(role, scene.materials[piece.material], drawn)
        out[y : y + changed.shape[0], x : x + changed.shape[1]] = changed
    return out


def _drawn(scene: Scene, piece: Piece, role: str, size: tuple[int, int], padding: int) -> U8:
    """What a material shows of a role, with its padding, before its own values."""
    material = scene.materials[piece.material]
    source = next((texture for texture in material.inputs if texture.role == role), None)
    if source is None or source.image is None:
        plain = np.empty((size[1] + 2 * padding, size[0] + 2 * padding, 4), np.uint8)
        plain[:] = NEUTRAL[role]
        return plain
    picture = opened(scene.images[source.image])
    if picture is None:
        raise MendError(say("budget.atlas.unreadable", image=scene.images[source.image].reference))
    pixels = eight_bits(picture)
    if role != "base-colour" or material.alpha_mode != "mask":
        # What is not seen by is no weight for colours.
        pixels = pixels.copy()
        pixels[:, :, 3] = 255
    window = piece.window / piece.size
    made = cut(pixels, window, size, padding, piece.wraps)
    resampled = np.abs((window[1] - window[0]) * picture.size - size).max() > 1e-6
    return unit_directions(made) if role == "normal" and resampled else made


class _Values:
    """Values that materials multiply their pictures by: kept where all say the same, else painted into the pictures."""

    def __init__(self, scene: Scene, materials: list[Material]) -> None:
        self.linear, self.bakes = scene.linear, bakes(scene)
        told: dict[str, set[tuple[float | None, ...]]] = {
            "base-colour": {material.base_colour for material in materials},
            "metallic-roughness": {(material.metallic, material.roughness) for material in materials},
            "emissive": {material.emissive for material in materials},
        }
        self.painted = {role for role, said in told.items() if len(said) > 1}

    def into(self, role: str, material: Material, pixels: U8) -> U8:
        """Pixels of a role multiplied by the values of a material, where values go into pictures.

        pixels: (H, W, 4) uint8.
        """
        if role in ("normal", "occlusion"):
            strength = next(
                (texture.scale for texture in material.inputs if texture.role == role and texture.scale is not None), 1.0
            )
            if strength == 1 or not self.bakes:
                return pixels
            # glTF 2.0 §3.9.3: `scale` makes slopes steeper.
            return unit_directions(pixels, strength) if role == "normal" else _lightened(pixels, strength)
        if role not in self.painted:
            return pixels
        if role == "metallic-roughness":
            factor = [
                1.0,
                1.0 if material.roughness is None else material.roughness,
                1.0 if material.metallic is None else material.metallic,
                1.0,
            ]
            answer: Array = np.rint(pixels * factor).astype(np.uint8)
            return answer
        colour = np.array(material.base_colour if role == "base-colour" else (*material.emissive, 1.0))
        if (colour == 1).all():
            return pixels
        light: Callable[[Array], Array] = to_linear if self.linear else np.asarray
        seen: Callable[[Array], Array] = to_shown if self.linear else np.asarray
        out = pixels.copy()
        # One value a byte: what every pixel becomes is worked out 256 times.
        byte = np.arange(256) / 255
        for channel in range(3):
            out[:, :, channel] = (
                np.rint(255 * seen(light(byte) * colour[channel])).clip(0, 255).astype(np.uint8)[pixels[:, :, channel]]
            )
        out[:, :, 3] = np.rint(pixels[:, :, 3] * colour[3]).astype(np.uint8)
        return out

    def with_remaining_factors(self, material: Material) -> Material:
        """A material with the values that are left to multiply by."""
        if "base-colour" in self.painted:
            material = replace(material, base_colour=(1.0, 1.0, 1.0, 1.0))
        if "metallic-roughness" in self.painted:
            material = replace(material, metallic=1.0, roughness=1.0)
        return replace(material, emissive=(1.0, 1.0, 1.0)) if "emissive" in self.painted else material


def _lightened(pixels: U8, strength: float) -> U8:
    """Occlusion at another strength (glTF 2.0 §3.9.3: 1 + strength × (value − 1))."""
    return np.rint(255 + strength * (pixels.astype(np.float64) - 255)).clip(0, 255).astype(np.uint8)


def _image(name: str, role: str, pixels: U8, alpha: bool) -> Image:
    from PIL import Image as Pillow

    data = encoded(Pillow.fromarray(pixels if alpha else np.ascontiguousarray(pixels[:, :, :3])), "png")
    file = f"{name}_{role}.png"
    return Image(f"atlas:{file}", file, file, "embedded", media_type="image/png", load=lambda: data)

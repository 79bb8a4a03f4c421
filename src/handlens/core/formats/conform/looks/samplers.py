"""How images are laid on and sampled: UV sets, transforms, wrapping, filters, strengths."""

from __future__ import annotations

from dataclasses import replace

from ....limits import plural
from ....scene import Scene, TextureInput
from ....scene.wrapping import CLAMP, REPEAT
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, with_inputs
from .inputs import unplaced


def tell_samplers(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: UV sets, transforms, wrapping, filters and strengths of inputs that the format has
    no place for.
    """
    if target.lacks("images"):
        return []
    inputs = [texture for material in scene.materials for texture in material.inputs if not unplaced(scene, target)(texture)]
    said = []

    def tell(feature: str, what: str, n: int, one: str, many: str) -> None:
        if n and target.lacks(feature):
            said.append(ExportLoss(GROUP, what, say("loss.no-such-thing", counted=plural(n, one, many)), f"{n:,}", "0"))

    tell(
        "texture transforms",
        "Texture transforms",
        sum(texture.transform is not None for texture in inputs),
        "texture transform",
        "texture transforms",
    )
    wrapped = sum(_wrap(texture, target) != _wrap(texture, None) for texture in inputs)
    tell(
        "wrapping",
        "Wrapping",
        wrapped,
        "way in which an image goes on past its edges",
        "ways in which images go on past their edges",
    )
    tell(
        "filters",
        "Filters",
        sum(any(k in texture.sampler for k in _FILTERS) for texture in inputs),
        "filter of an image",
        "filters of images",
    )
    strong = sum(texture.scale is not None and texture.scale != 1.0 and not _strength(texture, target) for texture in inputs)
    tell("all strengths", "Strengths", strong, "strength of an input", "strengths of inputs")
    return said


_FILTERS = ("magFilter", "minFilter")


def _wrap(texture: TextureInput, target: Target | None) -> tuple[int, int]:
    """How an image goes on in both directions; a material library knows repeated, and held at all four edges."""
    own = (texture.sampler.get("wrapS", REPEAT), texture.sampler.get("wrapT", REPEAT))
    if target is None or not target.lacks("wrapping"):
        return own
    return own if target.format.name == "obj" and own == (CLAMP, CLAMP) else (REPEAT, REPEAT)


def _strength(texture: TextureInput, target: Target) -> bool:
    """Whether a format has a place for the strength of an input."""
    name = target.format.name
    return (name.startswith("usd") and texture.role == "normal") or (name == "obj" and texture.role in ("bump", "normal"))


def with_samplers(scene: Scene, target: Target) -> Scene:
    """Inputs sampled and transformed as far as the format can say it."""

    def change(texture: TextureInput) -> TextureInput:
        wrap = _wrap(texture, target)
        sampler = {k: v for k, v in texture.sampler.items() if not target.lacks("filters") or k not in _FILTERS}
        sampler |= {"wrapS": wrap[0], "wrapT": wrap[1]}
        return replace(
            texture,
            sampler=sampler,
            transform=None if target.lacks("texture transforms") else texture.transform,
            scale=texture.scale if not target.lacks("all strengths") or _strength(texture, target) else None,
        )

    return scene.with_(
        materials=tuple(
            with_inputs(material, tuple(change(texture) for texture in material.inputs)) for material in scene.materials
        )
    )

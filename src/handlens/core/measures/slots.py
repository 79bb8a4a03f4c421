"""Materials as records: who uses them, what is plugged in, which are the same but for their name."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from ..scene import Image, Material, Scene, TextureInput
from ..scene.model import readable
from ..scene.wrapping import REPEAT
from ..surface.opacity import mode_of
from ..words.arrays import I32, Array
from .alpha_pictures import AlphaApart
from .records import InputFigures, MaterialFigures, Measures, ShownFigures

#: Ratified extensions of materials in the standard's registry, and what is lost where only the core model is known.
MODELS = {
    "KHR_materials_transmission": "light through it",
    "KHR_materials_volume": "colour of its depth",
    "KHR_materials_clearcoat": "its clear coat",
    "KHR_materials_sheen": "sheen of its cloth",
    "KHR_materials_specular": "strength and colour of its highlight",
    "KHR_materials_ior": "how far it bends light",
    "KHR_materials_iridescence": "its thin film",
    "KHR_materials_anisotropy": "direction of its highlight",
    "KHR_materials_dispersion": "its rainbow",
    "KHR_materials_unlit": "that light does not change it",
    "KHR_materials_emissive_strength": "how far above white it glows",
    "KHR_materials_pbrSpecularGlossiness": "its highlight colour and gloss",
    "KHR_materials_diffuse_transmission": "light that seeps through it",
}
#: Numbers of two materials count as equal within this.
_SAME = 1e-3


def material_figures(
    scene: Scene, shown: Mapping[int, ShownFigures], alpha_pictures: Mapping[int, AlphaApart]
) -> list[MaterialFigures]:
    """One record a material, in the file's order. shown: what some of them show of their image. alpha_pictures: those with an input for alpha."""
    faces, sets = _use(scene)
    equal = equal_materials(scene)
    return [
        MaterialFigures(
            readable(material.name),
            faces[k],
            material.alpha_mode,
            material.double_sided,
            material.defined,
            [texture.image for texture in material.inputs if texture.image is not None],
            [_input(texture, sets[k]) for texture in material.inputs],
            equal.get(k),
            out_of_range(material),
            material.alpha_cutoff,
            material.base_colour[3],
            max(material.emissive) > 0 or any(texture.role == "emissive" for texture in material.inputs),
            alpha_pictures[k].shown if k in alpha_pictures else shown.get(k),
            [e for e in MODELS if e in material.source.get("extensions", {})]
            if isinstance(material.source.get("extensions"), Mapping)
            else [],
            material.roughness,
            material.metallic,
            *_highlight(material),
            max(material.base_colour[:3]),
            max(material.emissive),
            alpha_pictures[k].drawn if k in alpha_pictures else mode_of(material),
            alpha_pictures[k].figures if k in alpha_pictures else None,
        )
        for k, material in enumerate(scene.materials)
    ]


def users_of(measures: Measures, images: Array) -> I32:
    """(n,) int32 materials that use any of some images (numbers, int).

    images: (k,) int.
    """
    wanted = set(images.tolist())
    return np.array([k for k, x in enumerate(measures.materials) if wanted & set(x.images)], np.int32)


def equal_materials(scene: Scene) -> dict[int, int]:
    """For each material that says the same as an earlier one, but for its name, that earlier one's number."""
    out: dict[int, int] = {}
    first: dict[Any, int] = {}
    for k, material in enumerate(scene.materials):
        if not material.defined:
            continue
        twin = first.setdefault(_rounded(material_says(scene, material)), k)
        if twin != k:
            out[k] = twin
    return out


def _rounded(described: Any) -> Any:
    """A description that can be looked up, the same for those whose numbers are the same to a thousandth."""
    if isinstance(described, bool) or described is None or isinstance(described, str):
        return described
    if isinstance(described, int | float):
        return round(described / _SAME) if -1e15 < described < 1e15 else repr(described)
    if isinstance(described, Mapping):
        return frozenset((key, _rounded(value)) for key, value in described.items())
    if isinstance(described, list | tuple):
        return tuple(_rounded(x) for x in described)
    return repr(described)


def material_says(scene: Scene, material: Material, picture: Callable[[Image], Any] | None = None) -> list[Any]:
    """All that a material says but its name; an image by what it refers to or holds, so that two entries of one count as one,
    and a sampler by what it comes to: left out, wrapping repeats (glTF 2.0 §5.27).

    picture: what an image is told by instead.
    """
    told = picture or _picture
    inputs = [
        (
            texture.role,
            texture.path,
            None if texture.image is None else told(scene.images[texture.image]),
            texture.uv_set,
            {"wrapS": REPEAT, "wrapT": REPEAT, **texture.sampler},
            texture.transform,
            texture.scale,
            texture.channel,
            dict(texture.options),
        )
        for texture in material.inputs
    ]
    shared = [
        material.base_colour,
        material.metallic,
        material.roughness,
        material.emissive,
        material.alpha_mode,
        material.alpha_cutoff,
        material.double_sided,
    ]
    return [*shared, inputs, dict(material.source)]


#: Digests of embedded images, for as long as each is held.
_digests: WeakKeyDictionary[Image, str] = WeakKeyDictionary()


def _picture(image: Image) -> str:
    """What tells an image from others: where it is, or what it holds where it is inside the file."""
    if image.status != "embedded" or image.load is None:
        return image.reference or image.id
    if image not in _digests:
        _digests[image] = hashlib.sha256(image.load()).hexdigest()
    return _digests[image]


def _use(scene: Scene) -> tuple[list[int], list[int | None]]:
    """Faces of each material, and the fewest UV sets that any mesh which uses it has, None where none does."""
    faces, sets = [0] * len(scene.materials), [None] * len(scene.materials)  # type: list[int], list[int | None]
    for mesh in scene.meshes:
        counts: Array = np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) if len(mesh.slots) else np.zeros(0, np.int64)
        for material, count in zip(mesh.slot_materials, counts, strict=False):
            if material >= 0 and count:
                faces[material] += int(count)
                known = sets[material]
                sets[material] = len(mesh.uvs) if known is None else min(known, len(mesh.uvs))
    return faces, sets


def _input(texture: TextureInput, sets: int | None) -> InputFigures:
    return InputFigures(
        texture.role,
        texture.image,
        texture.uv_set,
        sets is not None and texture.uv_set >= sets,
        texture.scale,
        {k: int(v) for k, v in texture.sampler.items() if isinstance(v, int)},
    )


def out_of_range(material: Material) -> list[str]:
    """Values outside what they may be, in words. Emission may be above 1, where strength says so."""
    values = {
        "red": material.base_colour[0],
        "green": material.base_colour[1],
        "blue": material.base_colour[2],
        "opacity": material.base_colour[3],
    }
    values |= {name: v for name, v in (("metallic", material.metallic), ("roughness", material.roughness)) if v is not None}
    return [f"{name} {v:g}" for name, v in values.items() if not -1e-6 <= v <= 1 + 1e-6]


def _highlight(material: Material) -> tuple[float | None, float | None]:
    """Exponent and brightest channel of a highlight that a material library states (statements Ns and Ks)."""
    found: dict[str, list[float]] = {}
    for statement in material.source.get("statements", ()):
        words = str(statement).split()
        if words and words[0] in ("Ns", "Ks"):
            try:
                found[words[0]] = [float(word) for word in words[1:4]]
            except ValueError:
                continue
    return found["Ns"][0] if found.get("Ns") else None, max(found["Ks"]) if found.get("Ks") else None

"""Which materials can share one atlas, what of their pictures their faces show, and why others cannot."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from ...geometry.adjacency import face_of_corner
from ...geometry.components import components
from ...geometry.distinct import distinct_rows
from ...scene import Layer, Material, Mesh, Scene, TextureInput
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...surface.atlas import GRID
from ...surface.decoded import opened
from ...surface.uv_transform import matrix
from ...words.arrays import F64, I64, Array

#: Inputs whose pictures can be laid into an atlas, and what a picture has where a material shows none, so that its values hold.
NEUTRAL = {
    "base-colour": (255, 255, 255, 255),
    "metallic-roughness": (255, 255, 255, 255),
    "normal": (128, 128, 255, 255),
    "occlusion": (255, 255, 255, 255),
    "emissive": (255, 255, 255, 255),
}
#: How often a picture may be repeated, by area, how many pixels that may come to, and how long it may get, before an atlas is no place for it.
_OFTEN, _TINY, _LONGEST = 4.0, 1 << 16, 1 << 14
#: How far beyond a pixel's rim UVs may reach by rounding, in pixels, and beyond a tile's.
_ROUND, _RIM = 0.02, 1e-4
#: Shifts and scales past which no picture can be told to lie anywhere.
_FAR = 1e6


class Piece(NamedTuple):
    """What an atlas takes of a material. size: (width, height) of its largest picture, in pixels. window: (2, 2) int64 low and high
    corner of what its faces show, in those, downwards; wraps: what pictures do beyond their rim. flat: it shows no picture."""

    material: int
    size: tuple[int, int]
    window: I64
    wraps: tuple[int, int]
    flat: bool


class Group(NamedTuple):
    """Materials that differ in nothing but what an atlas can hold, by their pieces, and the UV set of their pictures."""

    pieces: list[Piece]
    uv_set: int


def groups(scene: Scene, meshes: Sequence[int], wanted: Collection[str]) -> tuple[list[Group], dict[str, list[str]]]:
    """Groups of two or more materials that faces of some meshes have, and the names of those that stay out, by the reason.

    wanted: names of the materials that it is about, all where none is given.
    """
    about = {m for m, x in enumerate(scene.materials) if not wanted or x.name in wanted}
    shown: dict[int, list[tuple[Mesh, Array]]] = {}
    for k in meshes:
        for number, corners in corners_of(scene.meshes[k], about).items():
            shown.setdefault(number, []).append((scene.meshes[k], corners))
    sizes = {
        k: None if (picture := opened(scene.images[k])) is None else picture.size
        for k in {texture.image for m in shown for texture in scene.materials[m].inputs if texture.image is not None}
    }
    out: dict[str, list[str]] = {}
    found: dict[Any, dict[Any, list[int]]] = {}
    for number in sorted(shown):
        material = scene.materials[number]
        reason = _why_not(material, sizes)
        if reason:
            out.setdefault(reason, []).append(material.name or f"material {number}")
        else:
            found.setdefault(_kind(scene, material), {}).setdefault(_laying(material), []).append(number)
    made = []
    for by_laying in found.values():
        plain = by_laying.pop(None, [])
        for laying, members in by_laying.items() or [((0,), [])]:
            pieces = []
            for number in [*members, *plain]:
                piece = _piece(scene, number, sizes, shown[number], laying[0])
                if isinstance(piece, str):
                    out.setdefault(piece, []).append(scene.materials[number].name or f"material {number}")
                else:
                    pieces.append(piece)
            # What shows no picture goes with the first.
            plain = []
            if len(pieces) > 1:
                made.append(Group(pieces, laying[0]))
            elif pieces:
                name = scene.materials[pieces[0].material].name or f"material {pieces[0].material}"
                out.setdefault("no other is drawn as it is, in alpha, sides, filters and extensions", []).append(name)
    return made, out


def corners_of(mesh: Mesh, materials: Collection[int]) -> dict[int, Array]:
    """Corners of the faces that have each of some materials, in order."""
    slot = mesh.slots[face_of_corner(mesh)] if len(mesh.slots) else np.zeros(0, np.int32)
    order = np.argsort(slot, kind="stable")
    begin = np.searchsorted(slot[order], np.arange(len(mesh.slot_materials) + 1))
    out: dict[int, list[Array]] = {}
    for place, slot_material in enumerate(mesh.slot_materials):
        if slot_material in materials and begin[place + 1] > begin[place]:
            out.setdefault(slot_material, []).append(order[begin[place] : begin[place + 1]])
    return {m: np.sort(np.concatenate(found)) for m, found in out.items()}


def picture_uvs(scene: Scene, mesh: Mesh, layer: Layer, material: Material, corners: I64) -> F64 | None:
    """(n, 2) float64 UVs of some corners of whole faces as they lie on a material's picture, in pictures, v downwards, moved by whole
    pictures to where they lie nearest to the first; None where one has none that is a number.

    corners: (n,) int.
    """
    index = layer.index[corners]
    if (index < 0).any():
        return None
    uv = layer.values[index].astype(np.float64)
    if not np.isfinite(uv).all():
        return None
    first = material.inputs[0]
    if first.transform:
        placing = matrix(first.transform, scene.v_down)
        uv = uv @ placing[:, :2].T + placing[:, 2]
    if not scene.v_down:
        uv[:, 1] = 1 - uv[:, 1]
    period = np.array([{CLAMP: 0.0, MIRROR: 2.0}.get(w, 1.0) for w in wraps_of(first)])
    beyond = (uv.min(axis=0) < -_RIM) | (uv.max(axis=0) > 1 + _RIM)
    if (beyond & (period > 0)).any():
        uv = uv - _integer_shifts(mesh, layer, corners, uv, np.where(beyond, period, 0.0))
    return uv


def wraps_of(texture: TextureInput) -> tuple[int, int]:
    """What a sampler does beyond the rim across and down (glTF 2.0 §5.26), repeating where it does not say."""
    across, down = (wrap if (wrap := texture.sampler.get(k)) in (CLAMP, MIRROR) else REPEAT for k in ("wrapS", "wrapT"))
    return across, down


def _integer_shifts(mesh: Mesh, layer: Layer, corners: I64, uv: F64, period: F64) -> F64:
    """(n, 2) whole pictures by which corners are moved, the same for all faces that hang together in their UVs."""
    face = np.unique(face_of_corner(mesh)[corners], return_inverse=True)[1].reshape(-1)
    value, count = distinct_rows([uv])
    faces = int(face.max()) + 1
    label = components(faces + count, face, faces + value)
    number = int(label.max(initial=-1)) + 1
    low = np.full((number, 2), np.inf)
    np.minimum.at(low, label[face], uv)
    moved = np.divide(low, period, out=np.zeros_like(low), where=period > 0)
    out: Array = (np.floor(moved + _RIM) * period)[label[face]]
    return out


def _why_not(material: Material, sizes: Mapping[int, tuple[int, int] | None]) -> str:
    """Why a material cannot go into an atlas whatever its faces show, "" where it can."""
    roles = [texture.role for texture in material.inputs]
    transforms = {json.dumps(texture.transform or {}, sort_keys=True, default=str) for texture in material.inputs}
    if not all(_is_finite_transform(texture.transform or {}) for texture in material.inputs):
        return "its pictures are laid on by what is no number, or far out"
    turned = any((texture.transform or {}).get("rotation") for texture in material.inputs)
    mirrored = any(min((texture.transform or {}).get("scale", (1, 1))) <= 0 for texture in material.inputs)
    reasons = {
        "it was defined nowhere": not material.defined,
        "what is blended is drawn in the order of parts": material.alpha_mode == "blend",
        "an input of it has no image that can be opened": any(
            texture.image is None or sizes[texture.image] is None for texture in material.inputs
        ),
        "it has an input that no atlas is made for": any(role not in NEUTRAL for role in roles) or len(set(roles)) < len(roles),
        "its pictures are laid on in several ways": len({texture.uv_set for texture in material.inputs}) > 1
        or len({wraps_of(texture) for texture in material.inputs}) > 1
        or len(transforms) > 1,
        "its pictures are turned or mirrored as they are laid on": turned or mirrored,
        "it takes single channels of its pictures": any(texture.channel for texture in material.inputs),
        "it has values out of 0 to 1": any(not 0 <= v <= 1 for v in _factors(material)),
    }
    return next((reason for reason, holds in reasons.items() if holds), "")


def _is_finite_transform(transform: Mapping[str, Any]) -> bool:
    """Whether a texture transform has two numbers for its scale and shift each, and one for its turn, none of them far out."""
    pairs = [transform.get(k, (0, 0)) for k in ("scale", "offset")]
    if not all(isinstance(pair, list | tuple) and len(pair) == 2 for pair in pairs):
        return False
    told = [*pairs[0], *pairs[1], transform.get("rotation", 0)]
    return all(isinstance(x, int | float) and abs(x) < _FAR for x in told)


def _factors(material: Material) -> list[float]:
    return [*material.base_colour, *material.emissive, *(v for v in (material.metallic, material.roughness) if v is not None)]


def _kind(scene: Scene, material: Material) -> Any:
    """What has to be the same of materials that share an atlas."""
    values = () if bakes(scene) else (material.metallic, material.roughness, material.emissive, _strengths(material))
    stated = (material.metallic is None, material.roughness is None)
    return material.alpha_mode, material.alpha_cutoff, material.double_sided, _text(dict(material.source)), values, stated


def _laying(material: Material) -> Any:
    """What has to be the same of materials with pictures that share an atlas, their UV set first; None of one without."""
    options = sorted((texture.role, _text(dict(texture.options))) for texture in material.inputs if texture.options)
    filters = {(texture.sampler.get("magFilter"), texture.sampler.get("minFilter")) for texture in material.inputs}
    return (material.inputs[0].uv_set, str(options), str(sorted(filters, key=str))) if material.inputs else None


def _text(value: Any) -> str:
    return json.dumps(value, sort_keys=True, default=str)


def bakes(scene: Scene) -> bool:
    """Whether a format multiplies pictures by values of the material in the way of glTF 2.0 §3.9, so that these can go into them."""
    return scene.format in ("glb", "gltf")


def _strengths(material: Material) -> tuple[Any, ...]:
    return tuple(sorted((texture.role, texture.scale) for texture in material.inputs if texture.scale is not None))


def _piece(
    scene: Scene, number: int, sizes: Mapping[int, tuple[int, int] | None], shown: Sequence[tuple[Mesh, Array]], uv_set: int
) -> Piece | str:
    """The piece of a material, or why there is none. shown: meshes with the corners that have it."""
    material = scene.materials[number]
    if not material.inputs and all(uv_set <= len(mesh.uvs) for mesh, _ in shown):
        return Piece(number, (GRID, GRID), np.array([[0, 0], [GRID, GRID]]), (CLAMP, CLAMP), True)
    uv = []
    for mesh, corners in shown:
        one = picture_uvs(scene, mesh, mesh.uvs[uv_set], material, corners) if uv_set < len(mesh.uvs) else None
        if one is None:
            return "some of its faces have no UVs"
        uv.append(one)
    own = [pixels for texture in material.inputs if texture.image is not None and (pixels := sizes[texture.image]) is not None]
    size = np.array([max(w for w, _ in own), max(h for _, h in own)])
    low = np.min([u.min(axis=0) for u in uv], axis=0) * size
    high = np.max([u.max(axis=0) for u in uv], axis=0) * size
    if np.abs([low, high]).max() > 1e9:
        return "its pictures are repeated too often"
    begin = np.floor((low + _ROUND) / GRID).astype(np.int64) * GRID
    end = np.maximum(np.ceil((high - _ROUND) / GRID).astype(np.int64) * GRID, begin + GRID)
    if (end - begin).max() > _LONGEST or float((end - begin).prod()) > max(_OFTEN * float(size.prod()), _TINY):
        return "its pictures are repeated too often"
    return Piece(number, (int(size[0]), int(size[1])), np.array([begin, end]), wraps_of(material.inputs[0]), False)

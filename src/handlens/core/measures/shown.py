"""What of an image the faces of a material show: see-through pixels that no face reaches are nobody's trouble."""

from __future__ import annotations

import numpy as np

from ..geometry.rays import sequence
from ..geometry.triangles import fan
from ..geometry.uv_area import UvAreas
from ..scene import Material, Scene, TextureInput
from ..scene.wrapping import CLAMP
from ..surface.uv_transform import placed
from ..words.arrays import F64, U8
from ..words.json_tree import Json
from .records import ShownFigures

#: Places at which a material's faces are looked at, spread evenly over their area in the UVs.
SAMPLES = 16_384


def base_colour(material: Material) -> TextureInput | None:
    """The input that paints a material's surface, with its image; None where there is none."""
    return next((texture for texture in material.inputs if texture.role == "base-colour" and texture.image is not None), None)


def shown(scene: Scene, material: int, pixels: U8, areas: UvAreas) -> ShownFigures | None:
    """Sample a material's base colour image where its faces show it; None where no face has UVs for it.

    pixels: (H, W, 4) uint8 of that image. Places are taken from a low-discrepancy sequence, so always the same.
    """
    colour = base_colour(scene.materials[material])
    assert colour is not None
    taken = _sampled(scene, material, colour.uv_set, areas)
    if taken is None:
        return None
    place, uv = taken
    # Points of a triangle from two numbers (Osada et al. 2002, section 4.1).
    root = np.sqrt(place[:, 1])
    weights = np.stack([1 - root, root * (1 - place[:, 2]), root * place[:, 2]], axis=1)
    v_down = scene.v_down
    at = placed(np.einsum("ij,ijk->ik", weights, uv), colour.transform, v_down)
    texel = texels(at, pixels, dict(colour.sampler), v_down)
    alpha = texel[:, 3]
    return ShownFigures(
        SAMPLES, float((alpha < 250).mean()), float((alpha < 128).mean()), float((texel[:, :3].max(axis=1) <= 8).mean())
    )


def texels(uv: F64, pixels: U8, sampler: Json, v_down: bool) -> U8:
    """(n, 4) uint8 nearest texels at UVs, repeated or held at the border as the sampler says (glTF 2.0 §3.8.4).

    uv: (n, 2) float.
    pixels: (H, W, 4) uint8, the first row on top.
    """
    high, wide = pixels.shape[:2]
    v = uv[:, 1] if v_down else 1 - uv[:, 1]
    column, row = np.floor(uv[:, 0] * wide), np.floor(v * high)
    column = column.clip(0, wide - 1) if sampler.get("wrapS") == CLAMP else np.mod(column, wide)
    row = row.clip(0, high - 1) if sampler.get("wrapT") == CLAMP else np.mod(row, high)
    answer: U8 = pixels[row.astype(int), column.astype(int)]
    return answer


def _sampled(scene: Scene, material: int, uv_set: int, areas: UvAreas) -> tuple[F64, F64] | None:
    """(SAMPLES, 3) places of a low-discrepancy sequence, and the (SAMPLES, 3, 2) UVs of the triangle that each falls on.

    Triangles are taken by their area in the UVs, among those that have the material and finite UVs in the set; None where there
    are none.
    """
    some = []
    for mesh in scene.meshes:
        slots = [k for k, slot_material in enumerate(mesh.slot_materials) if slot_material == material]
        if not slots or uv_set >= len(mesh.uvs) or not mesh.face_count:
            continue
        corners, face = fan(mesh)
        area = np.abs(areas.twice(mesh, uv_set))
        good = area < 1e12
        if len(mesh.slots) and len(mesh.slot_materials) > 1:
            good &= np.isin(mesh.slots[face], slots)
        if good.any():
            some.append((mesh, corners, good, area))
    if not some:
        return None
    place = sequence(np.arange(SAMPLES), 3)
    whole = np.cumsum(np.concatenate([np.where(good, area, 0.0) for _, _, good, area in some]))
    if not whole[-1] > 0:
        whole = np.cumsum(np.concatenate([good for _, _, good, _ in some]).astype(float))
    # Right of equal sums: what has no area is never chosen.
    triangle = np.searchsorted(whole, place[:, 0] * whole[-1], side="right")
    uv = np.empty((SAMPLES, 3, 2))
    first = 0
    for mesh, corners, good, _ in some:
        here = (triangle >= first) & (triangle < first + len(good))
        layer = mesh.uvs[uv_set]
        uv[here] = layer.values[layer.index[corners[triangle[here] - first]]]
        first += len(good)
    return place, uv

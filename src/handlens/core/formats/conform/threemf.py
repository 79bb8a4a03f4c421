"""What 3MF makes of materials: a colour of eight bits a channel, or a picture alone, which only faces with UVs can have.

Chapters: core specification 1.3, 5.1 (base materials); materials extension 1.2.1, 6 (textures).
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ...limits import plural
from ...scene import Layer, Material, Mesh, Scene
from ...scene.model import frozen
from ...surface.pictures import media_type
from ...words.arrays import I64, Bool
from .messages import say
from .steps import ExportLoss, Step, Target

_ENDINGS = {"image/png": "png", "image/jpeg": "jpeg"}


def _pictured(scene: Scene) -> dict[int, int]:
    """Image of each material that is a picture."""
    found = {}
    for k, material in enumerate(scene.materials):
        image = next(
            (texture.image for texture in material.inputs if texture.role == "base-colour" and texture.image is not None), None
        )
        if image is not None and scene.images[image].load is not None:
            found[k] = image
    return found


def _faces_with_uvs(mesh: Mesh) -> Bool:
    """(F,) bool: faces with a UV at every corner."""
    if not mesh.uvs or not mesh.face_count:
        return np.zeros(mesh.face_count, bool)
    return np.minimum.reduceat(mesh.uvs[0].index, mesh.starts[:-1]) >= 0


def _materials(mesh: Mesh) -> I64:
    """(F,) material of each face."""
    table = np.array([*mesh.slot_materials, -1], np.int64)
    return table[mesh.slots] if len(mesh.slots) else np.full(mesh.face_count, table[0])


def _tell(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.name != "3mf":
        return []
    said = []
    pictured = _pictured(scene)
    names = [scene.materials[k].name for k in pictured]
    if pictured:
        text = say("loss.image-alone", names=", ".join(filter(None, names[:5])) or "none")
        said.append(
            ExportLoss(
                "Materials", "Materials that are a picture", text, plural(len(names), "material"), plural(len(names), "picture")
            )
        )
    lost = bare = 0
    for mesh in scene.meshes:
        here = np.isin(_materials(mesh), list(pictured))
        laid = _faces_with_uvs(mesh)
        lost += int((laid & ~here).sum())
        bare += int((here & ~laid).sum())
    if lost:
        text = say("loss.uvs-without-picture", lost=lost)
        said.append(ExportLoss("UVs and colours", "UVs without a picture", text, f"{lost:,}", "0"))
    if bare:
        text = say("loss.faces-without-uvs", bare=bare)
        said.append(ExportLoss("Materials", "Faces without UVs", text, f"{bare:,}", "colour alone"))
    return said


def _apply(scene: Scene, target: Target) -> Scene:
    if target.format.name != "3mf":
        return scene
    pictured = _pictured(scene)
    made: list[Material] = []
    plain: dict[int, int] = {}
    drawn: dict[int, int] = {}
    needed = {int(k) for mesh in scene.meshes for k in np.unique(_materials(mesh)[~_faces_with_uvs(mesh)])}
    images = list(scene.images)
    for image in set(pictured.values()):
        data = images[image].bytes() or b""
        ending = _ENDINGS.get(media_type(data) or "", "png")
        images[image] = replace(images[image], reference=f"3D/Textures/image_{image}.{ending}", name=f"image_{image}.{ending}")
    for k, material in enumerate(scene.materials):
        if k in pictured:
            drawn[k] = len(made)
            slot = next(texture for texture in material.inputs if texture.role == "base-colour" and texture.image is not None)
            inputs = (replace(slot, path=("texture2d",), uv_set=0),)
            made.append(
                replace(material, name=f"image_{pictured[k]}", base_colour=(*material.base_colour[:3], 1.0), inputs=inputs)
            )
        if k not in pictured or k in needed:
            plain[k] = len(made)
            made.append(
                replace(
                    material,
                    id=f"{material.id}/plain",
                    base_colour=_eight_bits(material.base_colour),
                    inputs=() if k in pictured else material.inputs,
                )
            )
    meshes = tuple(_slotted(mesh, plain, drawn) for mesh in scene.meshes)
    return scene.with_(materials=tuple(made), meshes=meshes, images=tuple(images))


def _eight_bits(colour: tuple[float, ...]) -> Any:
    return tuple(round(255 * float(v)) / 255 if np.isfinite(v) else v for v in colour)


def _slotted(mesh: Mesh, plain: dict[int, int], drawn: dict[int, int]) -> Mesh:
    """The mesh with a slot for each of the new materials, and UVs where a picture is laid by them alone."""
    laid, material = _faces_with_uvs(mesh), _materials(mesh)
    into = np.array(
        [
            -1 if m < 0 else drawn[m] if m in drawn and on else plain.get(m, -1)
            for m, on in zip(material.tolist(), laid.tolist(), strict=True)
        ],
        np.int64,
    )
    table, slots = np.unique(into, return_inverse=True)
    shown = np.isin(into, list(drawn.values())) & laid
    lies = np.repeat(shown, mesh.corner_counts)
    only = lambda u: Layer(u.values, frozen(np.where(lies, u.index, -1).astype(np.int32)))
    uvs = tuple(only(layer) for layer in mesh.uvs) if shown.any() else ()
    return replace(mesh, slots=frozen(slots.reshape(-1).astype(np.int32)), slot_materials=tuple(table.tolist()), uvs=uvs)


STEPS = (Step("materials of 3MF", _tell, _apply, always=True, heavy=True),)

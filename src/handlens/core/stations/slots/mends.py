"""Slots: merge, remove, assign, switch off."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import LOOKS, PLACES
from ...formats.conform.uv_sets import by_first
from ...kit.choice import FACES, PARTS, also_shown, chosen_faces, chosen_meshes
from ...kit.slots import one_slot_each, plain_material, without_images, without_materials
from ...limits import InputError, MendError, plural
from ...measures.slots import equal_materials, out_of_range
from ...scene import Material, Mesh, Scene
from ...scene.model import frozen
from ...words.arrays import Array, Bool
from .messages import say


@mend(
    "slots.merge-equal",
    title="Merge equal materials",
    keeps="how everything looks",
    costs="the names of those that are merged into another",
    promise=LOOKS,
    safe=True,
    touches="neither",
)
def merge_equal(scene: Scene) -> Outcome:
    """Give the faces of materials that differ in nothing but their name to the first of them, and drop the others."""
    twins = equal_materials(scene)
    if not twins:
        raise MendError(say("slots.merge-equal.none"))
    moved = scene.with_(
        meshes=tuple(
            one_slot_each(replace(mesh, slot_materials=tuple(twins.get(k, k) for k in mesh.slot_materials)))
            for mesh in scene.meshes
        )
    )
    after = without_materials(moved, set(twins))
    return Outcome(after, (Figure("materials", f"{len(scene.materials):,}", f"{len(after.materials):,}"),))


@mend(
    "slots.remove-unused",
    title="Remove unused materials",
    keeps="everything that is drawn",
    costs="materials that no face uses",
    promise=LOOKS,
    safe=True,
    after=("arrival.remove-parts", "placement.remove-below"),
    touches="neither",
)
def remove_unused(scene: Scene) -> Outcome:
    """Drop materials that no face uses, the images that only they use, and slots without faces."""
    meshes = tuple(_only_used_slots(mesh) for mesh in scene.meshes)
    used = {k for mesh in meshes for k in mesh.slot_materials}
    gone = {k for k in range(len(scene.materials)) if k not in used}
    if not gone:
        raise MendError(say("slots.remove-unused.none"))
    after = without_materials(scene.with_(meshes=meshes), gone)
    figures = [Figure("materials", f"{len(scene.materials):,}", f"{len(after.materials):,}")]
    before = {texture.image for material in scene.materials for texture in material.inputs}
    left = {texture.image for material in after.materials for texture in material.inputs}
    theirs = {k for k in range(len(scene.images)) if k in before and k not in left}
    if theirs:
        after = without_images(after, theirs)
        figures.append(Figure("images", f"{len(scene.images):,}", f"{len(after.images):,}"))
    return Outcome(after, tuple(figures))


@mend(
    "slots.assign",
    title="Assign a material",
    keeps="faces that have one",
    costs="nothing",
    safe=False,
    parameters=[
        Parameter("material", "text", "name of the material that faces without one take"),
        Parameter(
            "colour", "text", "a colour such as #B8A88A, to make it anew where the model has none of that name", default=""
        ),
        PARTS,
    ],
    touches="neither",
)
def assign(scene: Scene, material: str, colour: str, parts: Sequence[str] = ()) -> Outcome:
    """Give a material to every face that has none: one of the model, or a plain new one of a colour."""
    number = next((k for k, m in enumerate(scene.materials) if m.name == material), None)
    if number is None:
        if not colour:
            raise MendError(say("slots.assign.no-such-material", material=material))
        number, scene = len(scene.materials), scene.with_(materials=(*scene.materials, _plain(scene, material, colour)))
    meshes, count = list(scene.meshes), 0
    for k in chosen_meshes(scene, parts):
        mesh = meshes[k]
        bare = np.isin(mesh.slots, [s for s, slot_material in enumerate(mesh.slot_materials) if slot_material < 0])
        if bare.any():
            count += int(bare.sum())
            meshes[k] = one_slot_each(
                replace(
                    mesh,
                    slot_materials=tuple(number if slot_material < 0 else slot_material for slot_material in mesh.slot_materials),
                )
            )
    if not count:
        raise MendError(say("slots.assign.none"))
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces without a material", f"{count:,}", "0"),))


@mend(
    "slots.give",
    title="Give faces a material",
    menu=("faces", "paint"),
    keeps="every other face; UVs, normals, weights and the shape",
    costs="the material that these faces had",
    promise=PLACES,
    safe=False,
    parameters=[
        FACES,
        Parameter("material", "material", "name of the material that they take; name~number where several share the name"),
        Parameter(
            "colour", "colour", "a colour such as #B8A88A, to make it anew where the model has none of that name", default=""
        ),
        PARTS,
    ],
)
def give(scene: Scene, faces: str, material: str, colour: str = "", parts: Sequence[str] = ()) -> Outcome:
    """Give faces a material of the model, or a plain new one of a colour."""
    number = _material_of(scene, material)
    if number is None:
        if not colour:
            raise MendError(say("slots.assign.no-such-material", material=material))
        number, scene = len(scene.materials), scene.with_(materials=(*scene.materials, _plain(scene, material, colour)))
    chosen = chosen_faces(scene, faces, parts)
    meshes, count, bare = list(scene.meshes), 0, 0
    for k, mask in chosen.items():
        made = _in_material(meshes[k], mask, number)
        count += int((mask & (_materials(meshes[k]) != number)).sum())
        bare += not made.uvs and bool(scene.materials[number].inputs)
        meshes[k] = made
    if not count:
        raise MendError(say("slots.give.already"))
    remarks = also_shown(scene, chosen, parts)
    if bare:
        remarks += (say("slots.give.no-uvs", parts=bare),)
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces of another material", f"{count:,}", "0"),), remarks)


def _material_of(scene: Scene, name: str) -> int | None:
    """The number of a material: by name, or by name~number where several are called so."""
    several = {f"{m.name}~{k}": k for k, m in enumerate(scene.materials)}
    return next((k for k, m in enumerate(scene.materials) if m.name == name), several.get(name))


def _materials(mesh: Mesh) -> Array:
    """(F,) material of each face, -1 for none."""
    if not len(mesh.slots) or not mesh.slot_materials:
        return np.full(mesh.face_count, mesh.slot_materials[0] if mesh.slot_materials else -1)
    return np.array(mesh.slot_materials)[mesh.slots]


def _in_material(mesh: Mesh, mask: Bool, number: int) -> Mesh:
    """The mesh with some faces in the slot of a material; slots that no face has any more go. mask: (F,) bool."""
    known = mesh.slot_materials or (-1,)
    if number not in known:
        known = (*known, number)
    slots = mesh.slots.copy() if len(mesh.slots) else np.zeros(mesh.face_count, np.int32)
    slots[mask] = known.index(number)
    return _only_used_slots(replace(mesh, slots=frozen(slots), slot_materials=known))


def _plain(scene: Scene, name: str, colour: str) -> Material:
    """A new material of a colour as it is shown. Raises InputError where it has no name or the colour is none."""
    if not name.strip():
        raise InputError(say("slots.no-name"))
    if not re.fullmatch(r"#[0-9A-Fa-f]{6}", colour):
        raise InputError(say("slots.no-colour", colour=colour))
    return plain_material(scene, name, colour)


@mend(
    "slots.switch-off",
    title="Switch off empty inputs",
    keeps="every image that is there",
    costs="nothing",
    safe=True,
    touches="neither",
)
def switch_off(scene: Scene) -> Outcome:
    """Take inputs away that have no image behind them, so that nothing waits for one."""
    count = sum(texture.image is None for material in scene.materials for texture in material.inputs)
    if not count:
        raise MendError(say("slots.switch-off.none"))
    materials = tuple(_plugged(material) for material in scene.materials)
    return Outcome(scene.with_(materials=materials), (Figure(f"{plural(count, 'empty input')}", f"{count:,}", "0"),))


@mend(
    "slots.first-uvs",
    title="Lay on by the first UV set",
    keeps="pictures, their wrapping and every UV",
    costs="where a further set was to come, its own layout",
    safe=False,
    touches="neither",
)
def first_uvs(scene: Scene) -> Outcome:
    """Give inputs that name a UV set which is not there the first one: formats number sets from 0 or from 1, and it is mixed up."""
    after, count = by_first(scene)
    if not count:
        raise MendError(say("slots.first-uvs.none"))
    return Outcome(after, (Figure("inputs without their UV set", f"{count:,}", "0"),))


@mend(
    "slots.set",
    title="Set a material's values",
    button="Set the values of {materials}",
    keeps="its images and its name",
    costs="the values that it had",
    safe=False,
    parameters=[
        Parameter("materials", "names", "which materials, by name with semicolons between; all where none is named", default=()),
        Parameter("roughness", "number", "roughness, 0 to 1; -1 leaves it", default=-1.0),
        Parameter("metallic", "number", "metalness, 0 to 1; -1 leaves it", default=-1.0),
        Parameter("normal", "number", "strength of its normal map; -1 leaves it", default=-1.0),
        Parameter(
            "tint", "number", "grey that its image is multiplied by, 1 as it is painted; -1 leaves its colour", default=-1.0
        ),
        Parameter("highlight", "number", "grey of the highlight that a material library states; -1 leaves it", default=-1.0),
        Parameter("glow", "number", "grey that the image of its glow is multiplied by; -1 leaves it", default=-1.0),
    ],
    touches="neither",
)
def set_values(
    scene: Scene,
    materials: Sequence[str],
    roughness: float,
    metallic: float,
    normal: float,
    tint: float = -1.0,
    glow: float = -1.0,
    highlight: float = -1.0,
) -> Outcome:
    """Set roughness, metalness, the strength of normal maps or what images are multiplied by; a highlight of a material library is set aside by a roughness."""
    wanted = {
        "roughness": min(roughness, 1.0),
        "metallic": min(metallic, 1.0),
        "normal": normal,
        "tint": min(tint, 1.0),
        "glow": min(glow, 1.0),
        "highlight": min(highlight, 1.0),
    }
    wanted = {k: v for k, v in wanted.items() if v >= 0}
    if not wanted:
        raise MendError(say("slots.set.no-value"))
    changed, figures = list(scene.materials), []
    for k, material in enumerate(scene.materials):
        if materials and material.name not in materials:
            continue
        made = _with_values(material, wanted)
        if made is not material:
            changed[k] = made
            figures.append(Figure(material.name or f"material {k}", _values(material), _values(made)))
    if not figures:
        raise MendError(say("slots.set.already") if not materials else say("slots.set.no-such-material", material=materials[0]))
    return Outcome(scene.with_(materials=tuple(changed)), tuple(figures[:8]))


@mend(
    "slots.clamp",
    title="Bring values into their range",
    keeps="every value that is in its range, images and names",
    costs="what lay outside, where a destination used it",
    safe=False,
    touches="neither",
)
def clamp(scene: Scene) -> Outcome:
    """Cut colours, opacity, metalness and roughness off at 0 and 1, where most destinations cut them off themselves."""
    changed, figures = list(scene.materials), []
    for k, material in enumerate(scene.materials):
        was = out_of_range(material)
        if not was:
            continue
        within = lambda v: None if v is None else float(min(max(v, 0.0), 1.0)) if v == v else 1.0
        r, g, b, a = (float(within(v) or 0.0) for v in material.base_colour)
        made = replace(
            material, base_colour=(r, g, b, a), roughness=within(material.roughness), metallic=within(material.metallic)
        )
        changed[k] = made
        figures.append(Figure(material.name or f"material {k}", ", ".join(was), "0 to 1"))
    if not figures:
        raise MendError(say("slots.clamp.none"))
    return Outcome(scene.with_(materials=tuple(changed)), tuple(figures[:8]))


def _values(material: Material) -> str:
    told = [f"{what} {v:g}" for what, v in (("roughness", material.roughness), ("metal", material.metallic)) if v is not None]
    told += [
        f"normals × {texture.scale:g}" for texture in material.inputs if texture.role == "normal" and texture.scale is not None
    ]
    tints = (("base-colour", "image", material.base_colour[:3]), ("emissive", "glow", material.emissive))
    for role, what, tint in tints:
        if any(texture.role == role for texture in material.inputs):
            told.append(f"{what} × {' '.join(f'{v:.3g}' for v in dict.fromkeys(tint))}")
    return ", ".join(told) or "not stated"


def _with_values(material: Material, wanted: Mapping[str, float]) -> Material:
    """A material with other values; the same one where nothing differs."""
    source: Mapping[str, Any] = material.source
    if "statements" in source and "roughness" in wanted:
        source = {**source, "statements": [x for x in source["statements"] if str(x).split()[:1] not in (["Ns"], ["Ks"])]}
    if "statements" in source and "highlight" in wanted and "roughness" not in wanted:
        amount = " ".join([f"{wanted['highlight']:g}"] * 3)
        lines = [f"Ks {amount}" if str(x).split()[:1] == ["Ks"] else x for x in source["statements"]]
        source = {**source, "statements": lines}
    inputs = tuple(
        replace(texture, scale=wanted["normal"]) if texture.role == "normal" and "normal" in wanted else texture
        for texture in material.inputs
    )
    made = replace(
        material,
        roughness=wanted.get("roughness", material.roughness),
        metallic=wanted.get("metallic", material.metallic),
        inputs=inputs,
        source=source,
        base_colour=(wanted["tint"],) * 3 + material.base_colour[3:] if "tint" in wanted else material.base_colour,
        emissive=(wanted["glow"],) * 3 if "glow" in wanted else material.emissive,
    )
    said = lambda x: (
        x.roughness,
        x.metallic,
        x.base_colour,
        x.emissive,
        [texture.scale for texture in x.inputs],
        x.source.get("statements"),
    )
    return material if said(made) == said(material) else made


def _plugged(material: Material) -> Material:
    """A material without its empty inputs."""
    return replace(material, inputs=tuple(texture for texture in material.inputs if texture.image is not None))


def _only_used_slots(mesh: Mesh) -> Mesh:
    used = (
        np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) > 0
        if len(mesh.slots)
        else np.zeros(len(mesh.slot_materials), bool)
    )
    if used.all():
        return mesh
    number = (np.cumsum(used) - 1).astype(np.int32)
    kept = tuple(slot_material for slot_material, keep in zip(mesh.slot_materials, used, strict=True) if keep)
    return replace(mesh, slots=frozen(number[mesh.slots]) if len(mesh.slots) else mesh.slots, slot_materials=kept)

"""Names of materials, and materials that nothing defines."""

from __future__ import annotations

from dataclasses import replace

from ....geometry.recut import used_materials
from ....limits import plural
from ....scene import Material, Scene
from ....surface.names import in_a_statement
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, changed


def material_names(materials: tuple[Material, ...]) -> list[str]:
    """A name for each material that a library can hold: as a statement holds it, none empty, none twice."""
    out: list[str] = []
    taken: set[str] = set()
    next_of: dict[str, int] = {}
    for k, material in enumerate(materials):
        base = in_a_statement(material.name) or f"material_{k}"
        name, n = base, next_of.get(base, 2)
        while name in taken:
            name, n = f"{base}_{n}", n + 1
        next_of[base] = n
        taken.add(name)
        out.append(name)
    return out


def _names(scene: Scene, target: Target) -> list[str]:
    if target.format.name == "obj":
        return material_names(scene.materials)
    if target.format.name == "3mf":
        return [material.name or f"material_{k}" for k, material in enumerate(scene.materials)]
    return [material.name for material in scene.materials]


def tell_names(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: names of materials that the format cannot hold."""
    if target.lacks("materials"):
        return []
    changed = [
        (material.name, name)
        for material, name in zip(scene.materials, _names(scene, target), strict=True)
        if material.name != name
    ]
    if not changed:
        return []
    first = f"{changed[0][0] or 'one without a name'} is written as {changed[0][1]}"
    text = say("loss.material-names", count=len(changed), first=first)
    return [ExportLoss(GROUP, "Names of materials", text, plural(len(scene.materials), "material"), f"{len(changed):,} changed")]


def named(scene: Scene, target: Target) -> Scene:
    """Materials under names that the format can hold, none twice."""
    return scene.with_(
        materials=tuple(replace(material, name=n) for material, n in zip(scene.materials, _names(scene, target), strict=True))
    )


def _idle(scene: Scene) -> list[int]:
    """Materials that are named but defined nowhere and that no face has."""
    used = {k for mesh in scene.meshes for k in used_materials(mesh)}
    return [k for k, material in enumerate(scene.materials) if not material.defined and k not in used]


def tell_idle(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: materials that nothing defines and no face uses."""
    if target.lacks("materials") or target.lacks("undefined materials") or target.format.family == "gltf":
        return []
    n = len(_idle(scene))
    text = say("loss.unused-undefined-materials", count=n)
    return [ExportLoss(GROUP, "Undefined materials", text, f"{n:,}", "0")] if n else []


def without_idle(scene: Scene, _: Target) -> Scene:
    """The scene without materials that nothing defines and no face uses."""
    gone = set(_idle(scene))
    kept = [k for k in range(len(scene.materials)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    meshes = tuple(replace(mesh, slot_materials=tuple(number.get(k, -1) for k in mesh.slot_materials)) for mesh in scene.meshes)
    return scene.with_(materials=tuple(scene.materials[k] for k in kept), meshes=meshes)


def names_of_undefined(scene: Scene, target: Target) -> Scene:
    """What is defined nowhere is a name and nothing else."""
    if target.lacks("undefined materials") or target.format.family == "gltf":
        return scene
    return changed(lambda m: m if m.defined else Material(m.id, m.name, defined=False))(scene, target)


def tell_undefined(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: materials that nothing defines, in formats where each is defined."""
    if target.lacks("materials") or not target.lacks("undefined materials"):
        return []
    n = sum(not material.defined for material in scene.materials)
    text = say("loss.undefined-materials", count=n)
    return [ExportLoss(GROUP, "Undefined materials", text, f"{n:,}", "0")] if n else []

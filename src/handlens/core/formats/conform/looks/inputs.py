"""Materials at all, their library, and their inputs: which there is a place for, and which are painted into one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ....limits import plural
from ....scene import Material, Scene, TextureInput
from ....surface.opacity import in_colour
from ....surface.shine import in_one
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, PLACES, ROLES, changed, native, with_inputs


def tell_materials(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: all materials, in formats that have none."""
    n = len(scene.materials)
    if target.lacks("materials") and n:
        return [ExportLoss(GROUP, "Materials", say("loss.no-materials", count=n), f"{n:,}", "0")]
    return []


def without_materials(scene: Scene, _: Target) -> Scene:
    """The scene without materials and images; slots stay, and hold none."""
    meshes = tuple(replace(mesh, slot_materials=(-1,) * len(mesh.slot_materials)) for mesh in scene.meshes)
    return scene.with_(materials=(), images=(), meshes=meshes)


def tell_library(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: that no material library is written, where that was asked for."""
    if target.format.name != "obj" or target.options.material_library or not scene.materials:
        return []
    n = len(scene.materials)
    return [ExportLoss(GROUP, "Material library", say("loss.no-library"), plural(n, "material"), "names alone")]


def names_alone(scene: Scene, _: Target) -> Scene:
    """Materials by their names alone, as where no library is written."""
    return scene.with_(
        materials=tuple(Material(material.id, material.name, defined=False) for material in scene.materials), images=()
    )


def unplaced(scene: Scene, target: Target) -> Callable[[TextureInput], bool]:
    """Whether an input has no place. What a format says itself has its own; of others the roles of the table."""
    if native(scene, target) and target.format.family == "gltf":
        return lambda t: not t.path[-1].endswith("Texture") and t.role not in PLACES
    return lambda t: (
        t.role not in ROLES[target.format.name]
        and not (t.role == "metallic-roughness" and target.format.name in ("obj", "usda", "usdz"))
    )


def tell_roles(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: inputs whose role the format has no place for."""
    if target.lacks("materials"):
        return []
    out = unplaced(scene, target)
    # Such an input for alpha is painted into its colour's, which is told by itself.
    gone = [
        texture
        for material in scene.materials
        for texture in material.inputs
        if out(texture) and not _gathered(scene, target, texture)
    ]
    if not gone:
        return []
    roles = ", ".join(sorted({part.role for part in gone}))
    text = say("loss.inputs-without-place", title=target.format.title, roles=roles)
    return [ExportLoss(GROUP, "Inputs", text, f"{len(gone):,}", "0")]


def _gathered(scene: Scene, target: Target, texture: TextureInput) -> bool:
    """Whether an input is on its way into another's image."""
    return target.format.family == "gltf" and texture.role in ("alpha", "roughness", "metallic")


def without_roles(scene: Scene, target: Target) -> Scene:
    """Materials without the inputs that the format has no place for."""
    out = unplaced(scene, target)
    kept = lambda t: not out(t) or _gathered(scene, target, t)
    return changed(lambda m: with_inputs(m, tuple(texture for texture in m.inputs if kept(texture))))(scene, target)


def _doubled(material: Material) -> list[TextureInput]:
    """Inputs behind another of the same role, of which a format has one place."""
    seen: set[str] = set()
    return [texture for texture in material.inputs if texture.role in seen or seen.add(texture.role)]  # type: ignore[func-returns-value]


def tell_doubled(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: second inputs of the same role."""
    if target.lacks("materials") or (native(scene, target) and target.format.family == "gltf"):
        return []
    n = sum(len(_doubled(material)) for material in scene.materials)
    text = say("loss.further-inputs", count=n)
    return [ExportLoss(GROUP, "Further inputs", text, f"{n:,}", "0")] if n else []


def without_doubled(material: Material) -> Material:
    """A material with the first input of each role."""
    gone = _doubled(material)
    return with_inputs(material, tuple(texture for texture in material.inputs if not any(texture is part for part in gone)))


def _gathers(scene: Scene, target: Target) -> bool:
    """Whether alpha has to be in the picture of the base colour: glTF has no other place, other families no words for channels."""
    if target.lacks("see-through images"):
        return False
    return target.format.family == "gltf" or not native(scene, target)


def tell_gathered(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: images that are painted into one: alpha into the base colour, roughness and
    metalness into one image.
    """
    said = []
    if _gathers(scene, target):
        said += [ExportLoss("Images", "Painted pictures", text) for text in in_colour(scene)[1]]
    if target.format.family == "gltf":
        said += [ExportLoss("Images", "Painted pictures", text) for text in in_one(in_colour(scene)[0])[1]]
    return said


def with_gathered(scene: Scene, target: Target) -> Scene:
    """The scene with those images painted into one."""
    if _gathers(scene, target):
        scene = in_colour(scene)[0]
    return in_one(scene)[0] if target.format.family == "gltf" else scene

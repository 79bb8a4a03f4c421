"""How alpha is said: modes, opacity, and alpha by an input of its own."""

from __future__ import annotations

from dataclasses import replace

from ....scene import Material, Scene
from ....surface.opacity import alpha_input, mode_of, with_alpha_input
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, changed, native, with_inputs


def moded(scene: Scene, target: Target) -> Scene:
    """Every material says how it is drawn, in formats that can; what its opacity and pictures say, where it does not itself."""
    if target.lacks("alpha modes"):
        return scene

    def change(material: Material) -> Material:
        if material.alpha_mode is None:
            material = replace(material, alpha_mode=mode_of(material))
        # The standards' own threshold, where none is stated (glTF 2.0 §5.19).
        return (
            replace(material, alpha_cutoff=0.5) if material.alpha_mode == "mask" and material.alpha_cutoff is None else material
        )

    return changed(change)(scene, target)


def _solid_alpha(material: Material) -> bool:
    return material.alpha_mode == "opaque" and material.base_colour[3] != 1.0


def tell_solid(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: opacities of materials that are drawn solid, which have no effect."""
    if target.lacks("materials") or target.format.family == "gltf":
        return []
    n = sum(_solid_alpha(material) for material in scene.materials)
    text = say("loss.opacity-of-solid", count=n)
    return [ExportLoss(GROUP, "Opacity", text, f"{n:,}", "0")] if n else []


def without_idle_opacity(material: Material) -> Material:
    """A material that is drawn solid, with an opacity of 1."""
    return replace(material, base_colour=(*material.base_colour[:3], 1.0)) if _solid_alpha(material) else material


def _has_alpha(material: Material) -> bool:
    """Whether a material that is cut out or blended has anything to be seen through by."""
    return material.base_colour[3] < 1 or any(
        texture.image is not None and texture.role in ("base-colour", "alpha") for texture in material.inputs
    )


def _idle_mode(material: Material, target: Target) -> bool:
    held = "alpha modes" in target.format.holds
    return (material.alpha_mode == "blend" and not _has_alpha(material)) or (
        held and material.alpha_mode == "mask" and material.alpha_cutoff == 0
    )


def tell_idle_modes(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: materials that are blended or masked though nothing of them is transparent."""
    if target.format.family == "gltf" or target.lacks("materials"):
        return []
    n = sum(_idle_mode(material, target) for material in scene.materials)
    text = say("loss.needless-alpha", count=n)
    return [ExportLoss(GROUP, "Alpha modes", text, f"{n:,}", "0")] if n else []


def without_idle_modes(scene: Scene, target: Target) -> Scene:
    """Materials that are blended or masked though nothing of them is transparent, as opaque."""
    change = lambda m: replace(m, alpha_mode="opaque", alpha_cutoff=None, base_colour=(*m.base_colour[:3], 1.0))
    return changed(lambda m: change(m) if _idle_mode(m, target) else m)(scene, target)


def tell_modes(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: thresholds and blended materials that the format has no place for."""
    if target.lacks("materials"):
        return []
    said = []
    masks = sum(material.alpha_mode == "mask" for material in scene.materials) if target.lacks("alpha modes") else 0
    if masks:
        text = say("loss.no-threshold", masks=masks)
        said.append(ExportLoss(GROUP, "Alpha modes", text, f"{masks:,} cut out", "blended"))
    blended = sum(mode_of(material) == "blend" for material in scene.materials) if target.lacks("see-through images") else 0
    if blended:
        text = say("loss.no-blending", blended=blended)
        said.append(ExportLoss(GROUP, "Blended materials", text, f"{blended:,}", "0"))
    return said


def fewer_modes(scene: Scene, target: Target) -> Scene:
    """Alpha modes that the format has; a mask without thresholds becomes blended, transparency without alpha becomes opaque."""

    def change(material: Material) -> Material:
        if material.alpha_mode == "mask" and target.lacks("alpha modes"):
            material = replace(material, alpha_mode="blend", alpha_cutoff=None)
        if target.lacks("see-through images") and mode_of(material) == "blend":
            inputs = tuple(texture for texture in material.inputs if texture.role != "alpha")
            material = replace(material, alpha_mode="opaque", inputs=inputs)
        return material

    return changed(change)(scene, target)


def named_alpha(scene: Scene, target: Target) -> Scene:
    """Formats that say alpha by an input name it; those without modes say nothing else."""
    if target.format.family == "gltf" or target.lacks("materials"):
        return scene
    if not target.lacks("see-through images"):
        path = {"obj": ("map_d",), "dae": ("transparent",)}.get(target.format.name, ("opacity",))
        scene = with_alpha_input(scene, path)
        if not native(scene, target):
            # Solid materials of formats with modes have no input for alpha.
            solid = lambda m: m.alpha_mode == "opaque" and alpha_input(m) is not None
            scene = changed(
                lambda m: with_inputs(m, tuple(texture for texture in m.inputs if texture.role != "alpha")) if solid(m) else m
            )(scene, target)
    if target.lacks("alpha modes"):
        # What is cut out still is so where nobody said that it is blended from here on.
        scene = changed(lambda m: m if m.alpha_mode == "mask" else replace(m, alpha_mode=None, alpha_cutoff=None))(scene, target)
    return scene

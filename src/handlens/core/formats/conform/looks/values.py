"""Values of materials: shine, glow, tints, ranges, and from which sides they are drawn."""

from __future__ import annotations

from dataclasses import replace

from ....geometry.recut import used_materials
from ....limits import plural
from ....scene import Material, Scene, TextureInput
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, changed, native, with_inputs


def tell_shine(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: metalness and roughness: without a place, or stated where the material states none."""
    if target.lacks("materials"):
        return []
    if target.lacks("shine"):
        n = sum(material.metallic is not None or material.roughness is not None for material in scene.materials)
        text = say("loss.no-metalness", what="the common profile" if target.format.name == "dae" else target.format.title)
        return [ExportLoss(GROUP, "Metalness and roughness", text, plural(n, "material"), "not held")] if n else []
    if target.format.name == "obj":
        return []
    n = sum(material.metallic is None or material.roughness is None for material in scene.materials)
    text = say("loss.unstated-metalness", count=n)
    return [ExportLoss(GROUP, "Metalness and roughness", text, f"{n:,} not stated", "0 and 1")] if n else []


def shine(scene: Scene, target: Target) -> Scene:
    """Metalness and roughness as the format has them; not metal and fully rough where a material states none."""
    if target.lacks("shine"):
        return changed(lambda m: replace(m, metallic=None, roughness=None))(scene, target)
    whole = lambda m: replace(
        m,
        metallic=0.0 if m.metallic is None else m.metallic,
        roughness=1.0 if m.roughness is None else m.roughness,
    )
    return changed(lambda m: whole(m) if m.metallic is None or m.roughness is None else m)(scene, target)


def _lit(texture: TextureInput) -> bool:
    return texture.role == "emissive"


def tell_glow(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: emitted light: without a place, or images of it that black switches off."""
    if target.lacks("materials"):
        return []
    if target.lacks("glow"):
        n = sum(any(material.emissive) for material in scene.materials)
        return [ExportLoss(GROUP, "Glow", say("loss.no-glow", count=n), f"{n:,}", "0")] if n else []
    n = (
        sum(any(_lit(texture) for texture in material.inputs) and not any(material.emissive) for material in scene.materials)
        if target.lacks("tinted images")
        else 0
    )
    text = say("loss.black-glow", count=n)
    return [ExportLoss(GROUP, "Glow", text, f"{n:,}", "0")] if n else []


def glow(scene: Scene, target: Target) -> Scene:
    """Emitted light as the format has it."""
    if target.lacks("glow"):
        return changed(lambda m: replace(m, emissive=(0.0, 0.0, 0.0)) if any(m.emissive) else m)(scene, target)
    off = lambda m: with_inputs(m, tuple(texture for texture in m.inputs if not _lit(texture)))
    return changed(lambda m: m if any(m.emissive) else off(m))(scene, target)


def _tinted(material: Material, texture: TextureInput) -> bool:
    """Whether an image is multiplied by a colour other than white: glTF 2.0 §3.9.2, factors and textures."""
    tint = {"base-colour": material.base_colour[:3], "emissive": material.emissive}.get(texture.role, (1.0, 1.0, 1.0))
    return texture.image is not None and any(abs(c - 1) > 1e-6 for c in tint)


def tell_tints(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: colours that are multiplied with images."""
    if target.lacks("materials") or not target.lacks("tinted images"):
        return []
    n = sum(any(_tinted(material, texture) for texture in material.inputs) for material in scene.materials)
    words = plural(n, "material's colour over its image", "materials' colours over their images")
    return [ExportLoss(GROUP, "Colours over images", say("loss.no-such-thing", counted=words), f"{n:,}", "0")] if n else []


def untinted(material: Material) -> Material:
    """A material whose images are multiplied by white."""
    for texture in material.inputs:
        if _tinted(material, texture):
            material = (
                replace(material, base_colour=(1.0, 1.0, 1.0, material.base_colour[3]))
                if texture.role == "base-colour"
                else replace(material, emissive=(1.0, 1.0, 1.0))
            )
    return material


def _outside(material: Material) -> bool:
    stated = [*material.base_colour, *material.emissive, *(v for v in (material.metallic, material.roughness) if v is not None)]
    return not all(0.0 <= v <= 1.0 for v in stated)


def tell_range(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: values outside 0 to 1."""
    if target.lacks("materials") or not target.lacks("values out of range") or native(scene, target):
        return []
    n = sum(_outside(material) for material in scene.materials)
    text = say("loss.values-out-of-range", count=n, title=target.format.title)
    return [ExportLoss(GROUP, "Values out of range", text, f"{n:,}", "0")] if n else []


def in_range(material: Material) -> Material:
    """A material with every value within 0 to 1."""
    within = lambda v: min(max(float(v), 0.0), 1.0) if v == v else 1.0
    only = lambda v: None if v is None else within(v)
    if not _outside(material):
        return material
    r, g, b, a = (within(v) for v in material.base_colour)
    red, green, blue = (within(v) for v in material.emissive)
    return replace(
        material,
        base_colour=(r, g, b, a),
        emissive=(red, green, blue),
        metallic=only(material.metallic),
        roughness=only(material.roughness),
    )


def tell_sides(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: which materials are drawn on both sides."""
    if target.lacks("materials"):
        return []
    if target.lacks("double-sided"):
        n = sum(bool(material.double_sided) for material in scene.materials)
        words = plural(n, "mark of a double-sided material", "marks of double-sided materials")
        return [ExportLoss(GROUP, "Double-sided", say("loss.no-such-thing", counted=words), f"{n:,}", "0")] if n else []
    pairs = zip(scene.materials, _sides_by_mesh(scene).materials, strict=True) if target.lacks("sides of materials") else ()
    n = sum(bool(a.double_sided) != bool(b.double_sided) for a, b in pairs)
    text = say("loss.both-sides-by-mesh", title=target.format.title, count=n)
    return [ExportLoss(GROUP, "Double-sided", text, f"{n:,}", "by mesh")] if n else []


def _sides_by_mesh(scene: Scene) -> Scene:
    """Materials are double-sided where a mesh that uses them has one that is."""
    used = [used_materials(mesh) for mesh in scene.meshes]
    doubled = {k for some in used if any(scene.materials[x].double_sided for x in some) for k in some}
    return scene.with_(
        materials=tuple(replace(material, double_sided=k in doubled) for k, material in enumerate(scene.materials))
    )


def sides(scene: Scene, target: Target) -> Scene:
    """Materials double-sided as the format can say it: each by itself, by mesh, or not at all."""
    if target.lacks("double-sided"):
        return changed(lambda m: replace(m, double_sided=None))(scene, target)
    return _sides_by_mesh(scene) if target.lacks("sides of materials") else scene

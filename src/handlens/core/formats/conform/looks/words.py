"""What a material says beside its fields, in the words of a format."""

from __future__ import annotations

from dataclasses import replace

from ....scene import Material, Scene
from ....surface.shine import named_each
from ..messages import say
from ..steps import ExportLoss, Target
from .common import GROUP, PLACES, changed, native, with_inputs


def _unmapped_keys(material: Material) -> list[str]:
    """Keys that no field is for, in words."""
    out: list[str] = []
    for key, value in material.source.items():
        if key == "statements":
            out += [str(s).split()[0] for s in value if str(s).split()]
        elif key == "values" or (key == "extensions" and isinstance(value, dict)):
            out += list(value)
        elif key not in ("library", "shading"):
            out.append(key)
    return out + [k for texture in material.inputs for k in texture.options]


def tell_beside(scene: Scene, target: Target) -> list[ExportLoss]:
    """What will differ, told before writing: values in another format's own words."""
    if target.lacks("materials") or native(scene, target):
        return []
    words = sorted({unmapped_key for material in scene.materials for unmapped_key in _unmapped_keys(material)})
    n = sum(bool(_unmapped_keys(material)) for material in scene.materials)
    text = say(
        "loss.values-without-place",
        count=n,
        title=target.format.title,
        values=", ".join(words[:8]),
        more=" …" if len(words) > 8 else "",
    )
    return [ExportLoss(GROUP, "Other values", text, f"{n:,}", "0")] if n else []


def nothing_beside(scene: Scene, target: Target) -> Scene:
    """Materials without anything that another format alone has words for."""
    return changed(lambda m: replace(m, source={}, inputs=tuple(replace(texture, options={}) for texture in m.inputs)))(
        scene, target
    )


def in_words(scene: Scene, target: Target) -> Scene:
    """Materials in the format's own words: nothing beside their fields that another format said; inputs where they have their place."""
    if target.format.name == "dae":
        # Alpha is what a transparent image is taken for where nothing else is said (chapter 4, "Opacity").
        plain = lambda t: replace(t, channel="") if t.role == "alpha" and t.channel == "a" else t
        scene = changed(lambda m: with_inputs(m, tuple(plain(texture) for texture in m.inputs)))(scene, target)
    if not native(scene, target):
        # What says nothing of the material: the library that it is from, the kind of shading that its values stand in.
        bare = lambda m: replace(m, source={k: v for k, v in m.source.items() if k not in ("library", "shading")})
        scene = changed(lambda m: bare(m) if m.source else m)(scene, target)
    if target.format.family == "gltf":
        placed = lambda t: t if t.path[-1].endswith("Texture") else replace(t, path=PLACES.get(t.role, t.path))
        return scene.with_(
            materials=tuple(
                replace(material, inputs=tuple(placed(texture) for texture in material.inputs)) for material in scene.materials
            )
        )
    if target.format.name == "dae":
        # A highlight has its place in a shading that knows one.
        lit = lambda m: any(texture.role == "specular" for texture in m.inputs)
        return (
            scene
            if native(scene, target)
            else changed(lambda m: replace(m, source={"shading": "phong"}) if lit(m) else m)(scene, target)
        )
    if target.format.name in ("obj", "usda", "usdz"):
        scene = named_each(scene)
    if target.format.family == "usd":
        # One channel of a picture: the one that it states, where every channel is the same any.
        single = lambda t: t.role not in ("base-colour", "emissive", "normal", "specular")
        stated = lambda t: replace(t, channel=t.channel.replace("l", "r") or "r") if single(t) else t
        return changed(lambda m: with_inputs(m, tuple(stated(texture) for texture in m.inputs)))(scene, target)
    return scene

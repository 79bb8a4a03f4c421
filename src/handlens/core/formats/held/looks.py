"""Materials as a format can hold them: which inputs, how they are laid on, how alpha is said, what values there are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ...geometry.recut import used_materials
from ...limits import plural
from ...scene import Layer, Material, Scene, TextureInput
from ...scene.model import frozen
from ...surface.colour import converted, to_linear, to_shown
from ...surface.names import in_a_statement
from ...surface.opacity import alpha_input, in_colour, mode_of, named_apart
from ...surface.shine import in_one, named_each
from ...surface.uv_transform import turned_over
from ..table import BY_NAME
from .steps import Said, Step, Target

_GROUP = "Materials"
#: Where an input of another format has its place in a material of glTF 2.0 (§3.9).
PLACES: dict[str, tuple[str, ...]] = {
    "base-colour": ("pbrMetallicRoughness", "baseColorTexture"),
    "normal": ("normalTexture",),
    "emissive": ("emissiveTexture",),
    "metallic-roughness": ("pbrMetallicRoughness", "metallicRoughnessTexture"),
    "occlusion": ("occlusionTexture",),
}
#: Roles of inputs that each format has a place for, where the scene is not in its own words.
ROLES: dict[str, frozenset[str]] = {
    "glb": frozenset({"base-colour", "normal", "emissive", "metallic-roughness", "occlusion"}),
    "obj": frozenset(
        {
            "base-colour",
            "ambient",
            "specular",
            "gloss",
            "alpha",
            "emissive",
            "roughness",
            "metallic",
            "bump",
            "normal",
            "displacement",
            "decal",
            "reflection",
        }
    ),
    "dae": frozenset({"base-colour", "emissive", "specular", "ambient", "alpha", "reflection", "normal", "bump"}),
    "usda": frozenset(
        {
            "base-colour",
            "emissive",
            "roughness",
            "metallic",
            "normal",
            "occlusion",
            "alpha",
            "specular",
            "displacement",
            "clearcoat",
            "clearcoat-roughness",
        }
    ),
    "3mf": frozenset({"base-colour"}),
}
ROLES["gltf"], ROLES["usdz"] = ROLES["glb"], ROLES["usda"]


def native(scene: Scene, target: Target) -> bool:
    """Whether what materials say beside their fields is in this format's own words."""
    return BY_NAME[scene.format].family == target.format.family


def _changed(change: Callable[[Material], Material]) -> Callable[[Scene, Target], Scene]:
    def apply(scene: Scene, _: Target) -> Scene:
        made = tuple(change(m) for m in scene.materials)
        return scene if all(a is b for a, b in zip(made, scene.materials, strict=True)) else scene.with_(materials=made)

    return apply


def with_inputs(m: Material, inputs: tuple[TextureInput, ...]) -> Material:
    same = len(inputs) == len(m.inputs) and all(a is b for a, b in zip(inputs, m.inputs, strict=True))
    return m if same else replace(m, inputs=inputs)


# --- none at all --------------------------------------------------------------------------------------


def _tell_materials(scene: Scene, target: Target) -> list[Said]:
    n = len(scene.materials)
    if target.lacks("materials") and n:
        return [Said(_GROUP, "Materials", f"{plural(n, 'material')} cannot be held.", f"{n:,}", "0")]
    return []


def _without_materials(scene: Scene, _: Target) -> Scene:
    meshes = tuple(replace(m, slot_materials=(-1,) * len(m.slot_materials)) for m in scene.meshes)
    return scene.with_(materials=(), images=(), meshes=meshes)


def _tell_library(scene: Scene, target: Target) -> list[Said]:
    if target.format.name != "obj" or target.options.material_library or not scene.materials:
        return []
    n = len(scene.materials)
    return [Said(_GROUP, "Material library", "No material library is written.", plural(n, "material"), "names alone")]


def _names_alone(scene: Scene, _: Target) -> Scene:
    return scene.with_(materials=tuple(Material(m.id, m.name, defined=False) for m in scene.materials), images=())


# --- inputs -------------------------------------------------------------------------------------------


def _unplaced(scene: Scene, target: Target) -> Callable[[TextureInput], bool]:
    """Whether an input has no place. What a format says itself has its own; of others the roles of the table."""
    if native(scene, target) and target.format.family == "gltf":
        return lambda t: not t.path[-1].endswith("Texture") and t.role not in PLACES
    return lambda t: (
        t.role not in ROLES[target.format.name]
        and not (t.role == "metallic-roughness" and target.format.name in ("obj", "usda", "usdz"))
    )


def _tell_roles(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    out = _unplaced(scene, target)
    # Such an input for alpha is painted into its colour's, which is told by itself.
    gone = [t for m in scene.materials for t in m.inputs if out(t) and not _gathered(scene, target, t)]
    if not gone:
        return []
    roles = ", ".join(sorted({t.role for t in gone}))
    text = f"Material inputs without a place in {target.format.title} are left out: {roles}."
    return [Said(_GROUP, "Inputs", text, f"{len(gone):,}", "0")]


def _gathered(scene: Scene, target: Target, t: TextureInput) -> bool:
    """Whether an input is on its way into another's image."""
    return target.format.family == "gltf" and t.role in ("alpha", "roughness", "metallic")


def _without_roles(scene: Scene, target: Target) -> Scene:
    out = _unplaced(scene, target)
    kept = lambda t: not out(t) or _gathered(scene, target, t)
    return _changed(lambda m: with_inputs(m, tuple(t for t in m.inputs if kept(t))))(scene, target)


def _doubled(m: Material) -> list[TextureInput]:
    """Inputs behind another of the same role, of which a format has one place."""
    seen: set[str] = set()
    return [t for t in m.inputs if t.role in seen or seen.add(t.role)]  # type: ignore[func-returns-value]


def _tell_doubled(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or (native(scene, target) and target.format.family == "gltf"):
        return []
    n = sum(len(_doubled(m)) for m in scene.materials)
    text = f"{plural(n, 'further input')} for what has an image already left out."
    return [Said(_GROUP, "Further inputs", text, f"{n:,}", "0")] if n else []


def _without_doubled(m: Material) -> Material:
    gone = _doubled(m)
    return with_inputs(m, tuple(t for t in m.inputs if not any(t is g for g in gone)))


# --- alpha --------------------------------------------------------------------------------------------


def _gathers(scene: Scene, target: Target) -> bool:
    """Whether alpha has to be in the picture of the base colour: glTF has no other place, other families no words for channels."""
    if target.lacks("see-through images"):
        return False
    return target.format.family == "gltf" or not native(scene, target)


def _tell_gathered(scene: Scene, target: Target) -> list[Said]:
    said = []
    if _gathers(scene, target):
        said += [Said("Images", "Painted pictures", text) for text in in_colour(scene)[1]]
    if target.format.family == "gltf":
        said += [Said("Images", "Painted pictures", text) for text in in_one(in_colour(scene)[0])[1]]
    return said


def _with_gathered(scene: Scene, target: Target) -> Scene:
    if _gathers(scene, target):
        scene = in_colour(scene)[0]
    return in_one(scene)[0] if target.format.family == "gltf" else scene


def _moded(scene: Scene, target: Target) -> Scene:
    """Every material says how it is drawn, in formats that can; what its opacity and pictures say, where it does not itself."""
    if target.lacks("alpha modes"):
        return scene

    def change(m: Material) -> Material:
        if m.alpha_mode is None:
            m = replace(m, alpha_mode=mode_of(m))
        # The standards' own threshold, where none is stated (glTF 2.0 §5.19).
        return replace(m, alpha_cutoff=0.5) if m.alpha_mode == "mask" and m.alpha_cutoff is None else m

    return _changed(change)(scene, target)


def _solid_alpha(m: Material) -> bool:
    return m.alpha_mode == "opaque" and m.base_colour[3] != 1.0


def _tell_solid(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or target.format.family == "gltf":
        return []
    n = sum(_solid_alpha(m) for m in scene.materials)
    text = f"The opacity of {plural(n, 'material')} that {'is' if n == 1 else 'are'} drawn solid, where it counts for nothing, is left out."
    return [Said(_GROUP, "Opacity", text, f"{n:,}", "0")] if n else []


def _made_solid(m: Material) -> Material:
    return replace(m, base_colour=(*m.base_colour[:3], 1.0)) if _solid_alpha(m) else m


def _see_through(m: Material) -> bool:
    """Whether a material that is cut out or blended has anything to be seen through by."""
    return m.base_colour[3] < 1 or any(t.image is not None and t.role in ("base-colour", "alpha") for t in m.inputs)


def _idle_mode(m: Material, target: Target) -> bool:
    held = "alpha modes" in target.format.holds
    return (m.alpha_mode == "blend" and not _see_through(m)) or (held and m.alpha_mode == "mask" and m.alpha_cutoff == 0)


def _tell_idle_modes(scene: Scene, target: Target) -> list[Said]:
    if target.format.family == "gltf" or target.lacks("materials"):
        return []
    n = sum(_idle_mode(m, target) for m in scene.materials)
    text = f"{plural(n, 'material')} blended or cut out though nothing of {'it' if n == 1 else 'them'} can be seen through, written as opaque."
    return [Said(_GROUP, "Alpha modes", text, f"{n:,}", "0")] if n else []


def _without_idle_modes(scene: Scene, target: Target) -> Scene:
    change = lambda m: replace(m, alpha_mode="opaque", alpha_cutoff=None, base_colour=(*m.base_colour[:3], 1.0))
    return _changed(lambda m: change(m) if _idle_mode(m, target) else m)(scene, target)


def _tell_modes(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    said = []
    masks = sum(m.alpha_mode == "mask" for m in scene.materials) if target.lacks("alpha modes") else 0
    if masks:
        text = f"{plural(masks, 'threshold of a cut-out', 'thresholds of cut-outs')} cannot be held."
        said.append(Said(_GROUP, "Alpha modes", text, f"{masks:,} cut out", "blended"))
    blended = sum(mode_of(m) == "blend" for m in scene.materials) if target.lacks("see-through images") else 0
    if blended:
        text = f"{plural(blended, 'blended material', 'blended materials')} cannot be held."
        said.append(Said(_GROUP, "Blended materials", text, f"{blended:,}", "0"))
    return said


def _fewer_modes(scene: Scene, target: Target) -> Scene:
    def change(m: Material) -> Material:
        if m.alpha_mode == "mask" and target.lacks("alpha modes"):
            m = replace(m, alpha_mode="blend", alpha_cutoff=None)
        if target.lacks("see-through images") and mode_of(m) == "blend":
            inputs = tuple(t for t in m.inputs if t.role != "alpha")
            m = replace(m, alpha_mode="opaque", inputs=inputs)
        return m

    return _changed(change)(scene, target)


def _named_alpha(scene: Scene, target: Target) -> Scene:
    """Formats that say alpha by an input name it; those without modes say nothing else."""
    if target.format.family == "gltf" or target.lacks("materials"):
        return scene
    if not target.lacks("see-through images"):
        path = {"obj": ("map_d",), "dae": ("transparent",)}.get(target.format.name, ("opacity",))
        scene = named_apart(scene, path)
        if not native(scene, target):
            # Solid materials of formats with modes have no input for alpha.
            solid = lambda m: m.alpha_mode == "opaque" and alpha_input(m) is not None
            scene = _changed(lambda m: with_inputs(m, tuple(t for t in m.inputs if t.role != "alpha")) if solid(m) else m)(
                scene, target
            )
    if target.lacks("alpha modes"):
        # What is cut out still is so where nobody said that it is blended from here on.
        scene = _changed(lambda m: m if m.alpha_mode == "mask" else replace(m, alpha_mode=None, alpha_cutoff=None))(scene, target)
    return scene


# --- values -------------------------------------------------------------------------------------------


def _tell_shine(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    if target.lacks("shine"):
        n = sum(m.metallic is not None or m.roughness is not None for m in scene.materials)
        text = f"Metallic and roughness values have no place in {'the common profile' if target.format.name == 'dae' else target.format.title}."
        return [Said(_GROUP, "Metalness and roughness", text, plural(n, "material"), "not held")] if n else []
    if target.format.name == "obj":
        return []
    n = sum(m.metallic is None or m.roughness is None for m in scene.materials)
    text = f"{plural(n, 'material states', 'materials state')} no metalness or roughness, and {'counts' if n == 1 else 'count'} as not metal and fully rough."
    return [Said(_GROUP, "Metalness and roughness", text, f"{n:,} not stated", "0 and 1")] if n else []


def _shine(scene: Scene, target: Target) -> Scene:
    if target.lacks("shine"):
        return _changed(lambda m: replace(m, metallic=None, roughness=None))(scene, target)
    whole = lambda m: replace(
        m,
        metallic=0.0 if m.metallic is None else m.metallic,
        roughness=1.0 if m.roughness is None else m.roughness,
    )
    return _changed(lambda m: whole(m) if m.metallic is None or m.roughness is None else m)(scene, target)


def _lit(t: TextureInput) -> bool:
    return t.role == "emissive"


def _tell_glow(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    if target.lacks("glow"):
        n = sum(any(m.emissive) for m in scene.materials)
        return [Said(_GROUP, "Glow", f"The glow of {plural(n, 'material')} cannot be held.", f"{n:,}", "0")] if n else []
    n = (
        sum(any(_lit(t) for t in m.inputs) and not any(m.emissive) for m in scene.materials)
        if target.lacks("tinted images")
        else 0
    )
    text = f"{plural(n, 'image')} of a glow that black switches off left out."
    return [Said(_GROUP, "Glow", text, f"{n:,}", "0")] if n else []


def _glow(scene: Scene, target: Target) -> Scene:
    if target.lacks("glow"):
        return _changed(lambda m: replace(m, emissive=(0.0, 0.0, 0.0)) if any(m.emissive) else m)(scene, target)
    off = lambda m: with_inputs(m, tuple(t for t in m.inputs if not _lit(t)))
    return _changed(lambda m: m if any(m.emissive) else off(m))(scene, target)


def _tinted(m: Material, t: TextureInput) -> bool:
    """Whether an image is multiplied by a colour other than white: glTF 2.0 §3.9.2, factors and textures."""
    tint = {"base-colour": m.base_colour[:3], "emissive": m.emissive}.get(t.role, (1.0, 1.0, 1.0))
    return t.image is not None and any(abs(c - 1) > 1e-6 for c in tint)


def _tell_tints(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or not target.lacks("tinted images"):
        return []
    n = sum(any(_tinted(m, t) for t in m.inputs) for m in scene.materials)
    words = plural(n, "material's colour over its image", "materials' colours over their images")
    return [Said(_GROUP, "Colours over images", f"{words} cannot be held.", f"{n:,}", "0")] if n else []


def _untinted(m: Material) -> Material:
    for t in m.inputs:
        if _tinted(m, t):
            m = (
                replace(m, base_colour=(1.0, 1.0, 1.0, m.base_colour[3]))
                if t.role == "base-colour"
                else replace(m, emissive=(1.0, 1.0, 1.0))
            )
    return m


def _outside(m: Material) -> bool:
    stated = [*m.base_colour, *m.emissive, *(v for v in (m.metallic, m.roughness) if v is not None)]
    return not all(0.0 <= v <= 1.0 for v in stated)


def _tell_range(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or not target.lacks("values out of range") or native(scene, target):
        return []
    n = sum(_outside(m) for m in scene.materials)
    text = f"{plural(n, 'material')} with values outside 0 to 1, which {target.format.title} does not hold, cut off there."
    return [Said(_GROUP, "Values out of range", text, f"{n:,}", "0")] if n else []


def _in_range(m: Material) -> Material:
    within = lambda v: min(max(float(v), 0.0), 1.0) if v == v else 1.0
    only = lambda v: None if v is None else within(v)
    if not _outside(m):
        return m
    r, g, b, a = (within(v) for v in m.base_colour)
    red, green, blue = (within(v) for v in m.emissive)
    return replace(
        m, base_colour=(r, g, b, a), emissive=(red, green, blue), metallic=only(m.metallic), roughness=only(m.roughness)
    )


def _tell_sides(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    if target.lacks("double-sided"):
        n = sum(bool(m.double_sided) for m in scene.materials)
        words = plural(n, "mark of a double-sided material", "marks of double-sided materials")
        return [Said(_GROUP, "Double-sided", f"{words} cannot be held.", f"{n:,}", "0")] if n else []
    pairs = zip(scene.materials, _sides_by_mesh(scene).materials, strict=True) if target.lacks("sides of materials") else ()
    n = sum(bool(a.double_sided) != bool(b.double_sided) for a, b in pairs)
    text = f"Both sides are a matter of the mesh in {target.format.title}: {plural(n, 'material')} drawn otherwise."
    return [Said(_GROUP, "Double-sided", text, f"{n:,}", "by mesh")] if n else []


def _sides_by_mesh(scene: Scene) -> Scene:
    """Materials are double-sided where a mesh that uses them has one that is."""
    used = [used_materials(m) for m in scene.meshes]
    doubled = {k for some in used if any(scene.materials[x].double_sided for x in some) for k in some}
    return scene.with_(materials=tuple(replace(m, double_sided=k in doubled) for k, m in enumerate(scene.materials)))


def _sides(scene: Scene, target: Target) -> Scene:
    if target.lacks("double-sided"):
        return _changed(lambda m: replace(m, double_sided=None))(scene, target)
    return _sides_by_mesh(scene) if target.lacks("sides of materials") else scene


# --- how images are laid on ---------------------------------------------------------------------------


def _tell_laid(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("images"):
        return []
    inputs = [t for m in scene.materials for t in m.inputs if not _unplaced(scene, target)(t)]
    said = []

    def tell(feature: str, what: str, n: int, one: str, many: str) -> None:
        if n and target.lacks(feature):
            said.append(Said(_GROUP, what, f"{plural(n, one, many)} cannot be held.", f"{n:,}", "0"))

    tell(
        "texture transforms",
        "Texture transforms",
        sum(t.transform is not None for t in inputs),
        "texture transform",
        "texture transforms",
    )
    wrapped = sum(_wrap(t, target) != _wrap(t, None) for t in inputs)
    tell(
        "wrapping",
        "Wrapping",
        wrapped,
        "way in which an image goes on past its edges",
        "ways in which images go on past their edges",
    )
    tell(
        "filters",
        "Filters",
        sum(any(k in t.sampler for k in _FILTERS) for t in inputs),
        "filter of an image",
        "filters of images",
    )
    strong = sum(t.scale is not None and t.scale != 1.0 and not _strength(t, target) for t in inputs)
    tell("all strengths", "Strengths", strong, "strength of an input", "strengths of inputs")
    return said


_FILTERS = ("magFilter", "minFilter")
_REPEAT, _CLAMP, _MIRROR = 10497, 33071, 33648


def _wrap(t: TextureInput, target: Target | None) -> tuple[int, int]:
    """How an image goes on in both directions; a material library knows repeated, and held at all four edges."""
    own = (t.sampler.get("wrapS", _REPEAT), t.sampler.get("wrapT", _REPEAT))
    if target is None or not target.lacks("wrapping"):
        return own
    return own if target.format.name == "obj" and own == (_CLAMP, _CLAMP) else (_REPEAT, _REPEAT)


def _strength(t: TextureInput, target: Target) -> bool:
    """Whether a format has a place for the strength of an input."""
    name = target.format.name
    return (name.startswith("usd") and t.role == "normal") or (name == "obj" and t.role in ("bump", "normal"))


def _laid(scene: Scene, target: Target) -> Scene:
    def change(t: TextureInput) -> TextureInput:
        wrap = _wrap(t, target)
        sampler = {k: v for k, v in t.sampler.items() if not target.lacks("filters") or k not in _FILTERS}
        sampler |= {"wrapS": wrap[0], "wrapT": wrap[1]}
        return replace(
            t,
            sampler=sampler,
            transform=None if target.lacks("texture transforms") else t.transform,
            scale=t.scale if not target.lacks("all strengths") or _strength(t, target) else None,
        )

    return scene.with_(materials=tuple(with_inputs(m, tuple(change(t) for t in m.inputs)) for m in scene.materials))


# --- what else is said --------------------------------------------------------------------------------


def _said_beside(m: Material) -> list[str]:
    """Keys that no field is for, in words."""
    out: list[str] = []
    for key, value in m.source.items():
        if key == "statements":
            out += [str(s).split()[0] for s in value if str(s).split()]
        elif key == "values" or (key == "extensions" and isinstance(value, dict)):
            out += list(value)
        elif key not in ("library", "shading"):
            out.append(key)
    return out + [k for t in m.inputs for k in t.options]


def _tell_beside(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or native(scene, target):
        return []
    words = sorted({w for m in scene.materials for w in _said_beside(m)})
    n = sum(bool(_said_beside(m)) for m in scene.materials)
    text = f"Values of {plural(n, 'material')} without a place in {target.format.title} are left out: {', '.join(words[:8])}{' …' if len(words) > 8 else ''}."
    return [Said(_GROUP, "Other values", text, f"{n:,}", "0")] if n else []


def _nothing_beside(scene: Scene, target: Target) -> Scene:
    return _changed(lambda m: replace(m, source={}, inputs=tuple(replace(t, options={}) for t in m.inputs)))(scene, target)


def _in_words(scene: Scene, target: Target) -> Scene:
    """Materials in the format's own words: nothing beside their fields that another format said; inputs where they have their place."""
    if target.format.name == "dae":
        # Alpha is what a transparent image is taken for where nothing else is said (chapter 4, "Opacity").
        plain = lambda t: replace(t, channel="") if t.role == "alpha" and t.channel == "a" else t
        scene = _changed(lambda m: with_inputs(m, tuple(plain(t) for t in m.inputs)))(scene, target)
    if not native(scene, target):
        # What says nothing of the material: the library that it is from, the kind of shading that its values stand in.
        bare = lambda m: replace(m, source={k: v for k, v in m.source.items() if k not in ("library", "shading")})
        scene = _changed(lambda m: bare(m) if m.source else m)(scene, target)
    if target.format.family == "gltf":
        placed = lambda t: t if t.path[-1].endswith("Texture") else replace(t, path=PLACES.get(t.role, t.path))
        return scene.with_(materials=tuple(replace(m, inputs=tuple(placed(t) for t in m.inputs)) for m in scene.materials))
    if target.format.name == "dae":
        # A highlight has its place in a shading that knows one.
        lit = lambda m: any(t.role == "specular" for t in m.inputs)
        return (
            scene
            if native(scene, target)
            else _changed(lambda m: replace(m, source={"shading": "phong"}) if lit(m) else m)(scene, target)
        )
    if target.format.name in ("obj", "usda", "usdz"):
        scene = named_each(scene)
    if target.format.family == "usd":
        # One channel of a picture: the one that it states, where every channel is the same any.
        single = lambda t: t.role not in ("base-colour", "emissive", "normal", "specular")
        stated = lambda t: replace(t, channel=t.channel.replace("l", "r") or "r") if single(t) else t
        return _changed(lambda m: with_inputs(m, tuple(stated(t) for t in m.inputs)))(scene, target)
    return scene


# --- names, and materials that are named but defined nowhere ------------------------------------------


def material_names(materials: tuple[Material, ...]) -> list[str]:
    """A name for each material that a library can hold: as a statement holds it, none empty, none twice."""
    out: list[str] = []
    taken: set[str] = set()
    next_of: dict[str, int] = {}
    for k, m in enumerate(materials):
        base = in_a_statement(m.name) or f"material_{k}"
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
        return [m.name or f"material_{k}" for k, m in enumerate(scene.materials)]
    return [m.name for m in scene.materials]


def _tell_names(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials"):
        return []
    changed = [(m.name, name) for m, name in zip(scene.materials, _names(scene, target), strict=True) if m.name != name]
    if not changed:
        return []
    first = f"{changed[0][0] or 'one without a name'} is written as {changed[0][1]}"
    text = f"{plural(len(changed), 'material has', 'materials have')} a name that the format cannot hold: {first}."
    return [Said(_GROUP, "Names of materials", text, plural(len(scene.materials), "material"), f"{len(changed):,} changed")]


def _named(scene: Scene, target: Target) -> Scene:
    return scene.with_(materials=tuple(replace(m, name=n) for m, n in zip(scene.materials, _names(scene, target), strict=True)))


def _idle(scene: Scene) -> list[int]:
    """Materials that are named but defined nowhere and that no face has."""
    used = {k for m in scene.meshes for k in used_materials(m)}
    return [k for k, m in enumerate(scene.materials) if not m.defined and k not in used]


def _tell_idle(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or target.lacks("undefined materials") or target.format.family == "gltf":
        return []
    n = len(_idle(scene))
    text = f"{plural(n, 'material that is', 'materials that are')} named but defined nowhere, and that no face has, left out."
    return [Said(_GROUP, "Undefined materials", text, f"{n:,}", "0")] if n else []


def _without_idle(scene: Scene, _: Target) -> Scene:
    gone = set(_idle(scene))
    kept = [k for k in range(len(scene.materials)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    meshes = tuple(replace(m, slot_materials=tuple(number.get(k, -1) for k in m.slot_materials)) for m in scene.meshes)
    return scene.with_(materials=tuple(scene.materials[k] for k in kept), meshes=meshes)


def _names_of_undefined(scene: Scene, target: Target) -> Scene:
    """What is defined nowhere is a name and nothing else."""
    if target.lacks("undefined materials") or target.format.family == "gltf":
        return scene
    return _changed(lambda m: m if m.defined else Material(m.id, m.name, defined=False))(scene, target)


def _tell_undefined(scene: Scene, target: Target) -> list[Said]:
    if target.lacks("materials") or not target.lacks("undefined materials"):
        return []
    n = sum(not m.defined for m in scene.materials)
    text = f"{plural(n, 'material that is', 'materials that are')} named but defined nowhere will be defined as plain."
    return [Said(_GROUP, "Undefined materials", text, f"{n:,}", "0")] if n else []


# --- colour space, direction of v ---------------------------------------------------------------------


def in_space(scene: Scene, target: Target) -> Scene:
    """Colours as linear light or as they are shown, as the format has them."""
    wanted = target.format.linear
    if scene.linear == wanted:
        return scene
    in_other: Any = lambda c: converted(c, scene.linear, wanted)
    materials = tuple(replace(m, base_colour=in_other(m.base_colour), emissive=in_other(m.emissive)) for m in scene.materials)

    def shown(layer: Layer) -> Layer:
        """Linear light in glTF 2.0 §3.7.2.1 and in UsdGeom's displayColor; as they are shown elsewhere (common practice)."""
        values = layer.values.astype(float)
        values[:, :3] = (to_linear if wanted else to_shown)(values[:, :3])
        return Layer(frozen(values.astype("float32")), layer.index)

    meshes = tuple(replace(m, colours=tuple(shown(c) for c in m.colours)) if m.colours else m for m in scene.meshes)
    return scene.with_(materials=materials, meshes=meshes, linear=wanted)


def v_direction(scene: Scene, target: Target) -> Scene:
    """v counted as the format counts it: downwards from the image's top (glTF 2.0 §3.8.1), or upwards from its bottom."""
    if scene.v_down == target.format.v_down:
        return scene

    def over(layer: Layer) -> Layer:
        values = layer.values.astype(float)
        values[:, 1] = 1 - values[:, 1]
        return Layer(frozen(values), layer.index)

    turned = lambda t: replace(t, transform=turned_over(t.transform, scene.v_down)) if t.transform else t
    materials = tuple(with_inputs(m, tuple(turned(t) for t in m.inputs)) for m in scene.materials)
    meshes = tuple(replace(m, uvs=tuple(over(u) for u in m.uvs)) if m.uvs else m for m in scene.meshes)
    return scene.with_(meshes=meshes, materials=materials, v_down=target.format.v_down)


def _none(scene: Scene, target: Target) -> list[Said]:
    return []


STEPS = (
    Step("materials", _tell_materials, _without_materials),
    Step("undefined materials", _tell_undefined, _changed(lambda m: m if m.defined else replace(m, defined=True))),
    Step("idle undefined materials", _tell_idle, _without_idle),
    Step("names of what is undefined", _none, _names_of_undefined, always=True),
    Step("names of materials", _tell_names, _named),
    Step("material library", _tell_library, _names_alone),
    Step("inputs", _tell_roles, _without_roles),
    Step("further inputs", _tell_doubled, _changed(_without_doubled)),
    Step("painted pictures", _tell_gathered, _with_gathered, always=True),
    Step("ways of drawing", _none, _moded, always=True),
    Step("opacity of solid materials", _tell_solid, _changed(_made_solid)),
    Step("idle alpha modes", _tell_idle_modes, _without_idle_modes),
    Step("alpha modes", _tell_modes, _fewer_modes),
    Step("alpha by an input", _none, _named_alpha, always=True),
    Step("shine", _tell_shine, _shine),
    Step("glow", _tell_glow, _glow),
    Step("tinted images", _tell_tints, _changed(_untinted)),
    Step("double-sided", _tell_sides, _sides),
    Step("ways of laying on", _tell_laid, _laid),
    Step("other values", _tell_beside, _nothing_beside),
    Step("own words", _none, _in_words, always=True),
    Step("colours", _none, in_space, always=True, heavy=True),
    Step("values out of range", _tell_range, _changed(_in_range)),
    Step("direction of v", _none, v_direction, always=True, heavy=True),
)
#: Once more when it is known which images come along.
LAST = (Step("alpha modes without their image", _tell_idle_modes, _without_idle_modes),)

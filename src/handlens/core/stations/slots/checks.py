"""Slots: materials by name and by value, and what is plugged into them."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, value
from ...formats.table import BY_NAME
from ...kit.parts import first_parts, for_materials
from ...measures import Measures
from ...measures.slots import MODELS
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import plain
from ...words.patterns import compiled
from .messages import say

Found = Iterator[Finding | Skipped]

#: Darker than this, a colour leaves nothing to see of the image that it multiplies.
_BLACK = 0.02
#: Names that programs give to what nobody named.
_UNNAMED = re.compile(r"(default|material|mat|untitled|unnamed|new material|none)[ ._-]?\d*", re.IGNORECASE)


def _materials(indices: list[int]) -> Elements:
    return Elements("materials", np.array(indices, np.int32))


def _listed(measures: Measures, found: list[int]) -> str:
    names = [measures.materials[k].name or f"material {k}" for k in found]
    return ", ".join(names[:3]) + (" …" if len(names) > 3 else "")


@check(
    "slots.no-material",
    title="Faces without a material",
    result="caution",
    mends=("slots.assign",),
    explains={"white": BY_ITSELF},
)
def no_material(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that no material is given to.

    Why: each destination draws them in a default material of its own: grey in one, striped or white in another.
    Measured: faces whose slot names no material; a note where the model's format holds none at all.
    Source: glTF 2.0 §3.7.2.1: a primitive without a material takes the default one; common practice elsewhere.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.unassigned_faces:
            yield Finding(
                say("slots.no-material", faces=n, part=part.name),
                value(n, "count"),
                value(0, "count"),
                n,
                part.name,
                part.node,
                Elements("faces", measures.array(f"mesh:{part.mesh}:bare")),
                key=node_key(measures, part.node),
                # Nobody has forgotten what could not be given.
                result="note" if "materials" not in BY_NAME[measures.format].holds else "",
            )


@check(
    "slots.undefined",
    title="Material named but not defined",
    result="caution",
    follows_in_model=("slots.library",),
    explains={"white": BY_ITSELF},
)
def undefined(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials that faces name and no file defines.

    Why: the faces come in grey or white; usually the material library was left behind or renamed.
    Measured: names used by faces that none of the model's files describes.
    Source: Wavefront OBJ, statements usemtl and mtllib (format description, appendix B1); common practice elsewhere.
    """
    found = [k for k, x in enumerate(measures.materials) if not x.defined and x.used_by_faces]
    if found:
        yield Finding(
            say("slots.undefined", materials=len(found), names=_listed(measures, found)),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(found),
        )


@check("slots.library", title="Material library not found as named", result="caution", explains={"white": BY_ITSELF})
def library(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Material libraries that did not come with the model, or lie there under another letter case.

    Why: without its library every part comes in grey; with another letter case it is found on one system and not on the next.
    Measured: the library's name in the model against the files that came.
    Source: Wavefront OBJ, statement mtllib (format description, appendix B1).
    """
    for problem in measures.problems:
        if problem.kind in ("library-missing", "library-other-case"):
            yield Finding(
                say("slots.library", what=problem.text),
                value(problem.kind.replace("library-", ""), "text"),
                value("found", "text"),
                1,
                key=problem.where,
            )


@check("slots.unused", title="Unused materials", result="note", mends=("slots.remove-unused",))
def unused(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials that no face uses.

    Why: they travel along with their images, are loaded, and clutter every list there.
    Measured: faces of each material, none.
    Source: common practice, no published source.
    """
    found = [k for k, x in enumerate(measures.materials) if x.defined and not x.used_by_faces]
    if found:
        yield Finding(
            say("slots.unused", materials=len(found), names=_listed(measures, found)),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(found),
            mends=(Call("slots.remove-unused", {}),),
        )


@check("slots.equal", title="Duplicate materials", result="caution", mends=("slots.merge-equal",), explains={"slow": SELDOM})
def equal(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials that differ in nothing but their name.

    Why: each is a draw call of its own, and whoever changes one forgets the other.
    Measured: every value, input and extension of each pair, numbers within 0.001.
    Source: common practice, no published source.
    """
    found = [k for k, x in enumerate(measures.materials) if x.same_as is not None]
    if found:
        pairs = "; ".join(
            f"{measures.materials[k].name} as {measures.materials[measures.materials[k].same_as or 0].name}" for k in found[:3]
        )
        yield Finding(
            say("slots.equal", materials=len(found), pairs=pairs, more=len(found) > 3),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(found),
            mends=(Call("slots.merge-equal", {}),),
        )


@check("slots.unnamed", title="Materials with a default name", result="note", mends=("arrival.rename",))
def unnamed(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials without a name, or with one that a program gives by itself.

    Why: a destination binds its own materials by name, and two models' "material 1" become one there.
    Measured: names that are empty, or one of the words default, material, untitled, unnamed, none with nothing but a number behind.
    Source: common practice, no published source.
    """
    found = [
        k
        for k, x in enumerate(measures.materials)
        if x.used_by_faces and (not x.name.strip() or _UNNAMED.fullmatch(x.name.strip()))
    ]
    if found:
        yield Finding(
            say("slots.unnamed", materials=len(found), names=_listed(measures, found)),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(found),
        )


@check(
    "slots.empty-input", title="Input without an image", result="caution", mends=("slots.switch-off",), explains={"white": OFTEN}
)
def empty_input(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Inputs of a material that are switched on with no image behind them.

    Why: it draws white or black there, or the destination waits for a picture that does not exist.
    Measured: texture inputs that name no image.
    Source: glTF 2.0 §5.29: a texture without source is undefined until an extension gives one; common practice elsewhere.
    """
    found = [(k, i.role) for k, x in enumerate(measures.materials) for i in x.inputs if i.image is None]
    if found:
        names = ", ".join(f"{role} of {measures.materials[k].name or f'material {k}'}" for k, role in found[:3]) + (
            " …" if len(found) > 3 else ""
        )
        yield Finding(
            say("slots.empty-input", inputs=len(found), names=names),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(sorted({k for k, _ in found})),
            mends=(Call("slots.switch-off", {}),),
        )


@check(
    "slots.no-uv-set",
    title="Input without its UV set",
    result="caution",
    mends=("slots.first-uvs",),
    explains={"white": OFTEN, "blurred": OFTEN},
)
def no_uv_set(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images that are laid out by a UV set which a mesh that uses the material does not have.

    Why: the picture is drawn from a single point, so the part comes in one flat colour.
    Measured: UV set that each input names, against the fewest sets of any mesh with faces of that material.
    Source: glTF 2.0 §3.9.1 (textureInfo.texCoord): the mesh must have the attribute that is named.
    """
    found = [(k, i) for k, x in enumerate(measures.materials) for i in x.inputs if i.image is not None and i.set_missing]
    if found:
        k, i = found[0]
        yield Finding(
            say("slots.no-uv-set", inputs=len(found), role=i.role, material=measures.materials[k].name, uv_set=i.uv_set + 1),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=_materials(sorted({k for k, _ in found})),
            mends=(Call("slots.first-uvs", {}),),
        )


@check(
    "slots.flat-normal-map", title="Normal map at strength 0", result="note", mends=("slots.set",), explains={"shading": OFTEN}
)
def flat_normal_map(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Normal maps that are plugged in and turned down to nothing.

    Why: the picture is loaded and does nothing; it was switched off to look at something and forgotten.
    Measured: strength of each normal input, 0.
    Source: glTF 2.0 §5.20 (normalTextureInfo.scale).
    """
    found = [k for k, x in enumerate(measures.materials) if any(i.role == "normal" and i.strength == 0 for i in x.inputs)]
    if found:
        yield Finding(
            say("slots.flat-normal-map", maps=len(found), names=_listed(measures, found)),
            value(0.0, "factor"),
            value(1.0, "factor"),
            len(found),
            elements=_materials(found),
            mends=for_materials(measures, found, "slots.set", normal=1.0),
        )


@check(
    "slots.black-tint", title="Image multiplied by black", result="caution", mends=("slots.set",), explains={"black": BY_ITSELF}
)
def black_tint(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images of base colour or of glow that are plugged in and multiplied by black.

    Why: black times anything is black: the part comes in black, or does not glow, although its image is there and loaded.
    Measured: brightest channel of the colour beside the image, under 0.02.
    Source: glTF 2.0 §3.9.2 and §3.9.3 (factors multiply textures); Wavefront OBJ, statement map_Kd (multiplied by Kd); the limit is common practice.
    """
    for k, x in enumerate(measures.materials):
        there = {i.role for i in x.inputs if i.image is not None}
        for role, tint, what, key in (("base-colour", x.tint, "image", "tint"), ("emissive", x.glow_tint, "glow", "glow")):
            if x.used_by_faces and role in there and tint < _BLACK:
                yield Finding(
                    say("slots.black-tint", material=x.name or f"material {k}", what=what),
                    value(tint, "factor"),
                    value(1.0, "factor"),
                    1,
                    elements=_materials([k]),
                    key=f"{what}:{x.name or k}",
                    mends=for_materials(measures, [k], "slots.set", **{key: 1.0}),
                )


@check(
    "slots.out-of-range",
    title="Values outside their range",
    result="caution",
    mends=("slots.clamp",),
    explains={"white": SELDOM, "black": OFTEN},
)
def out_of_range(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Colours, opacity, metalness or roughness below 0 or above 1.

    Why: one destination cuts them off, another glows or turns black.
    Measured: base colour, opacity, metalness and roughness as stored.
    Source: glTF 2.0 §5.22 (pbrMetallicRoughness): each factor is at least 0 and at most 1.
    """
    for k, x in enumerate(measures.materials):
        if x.out_of_range:
            yield Finding(
                say("slots.out-of-range", material=x.name or f"material {k}", values=", ".join(x.out_of_range)),
                value(", ".join(x.out_of_range), "text"),
                value("0 to 1", "text"),
                len(x.out_of_range),
                elements=_materials([k]),
                mends=(Call("slots.clamp", {}),),
                key=x.name or str(k),
            )


@check(
    "slots.too-many",
    title="More slots than the destination takes",
    result="caution",
    held_to=("limits.slots_mesh",),
    mends=("slots.merge-equal", "budget.atlas", "surface.split"),
    explains={"slow": SELDOM, "refused": BY_ITSELF},
)
def too_many(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Meshes with faces in more slots than the sheet allows.

    Why: faces of the further slots come in under the first one's material, or the mesh is refused.
    Measured: slots of each mesh that faces use.
    Source: common practice, no published source.
    """
    limit = sheet.limits.slots_mesh
    if limit is None:
        yield Skipped(say("slots.no-limit", sheet=sheet.name))
        return
    most = {"pixels": sheet.limits.texture_pixels} if sheet.limits.texture_pixels else {}
    for part, mesh in first_parts(measures):
        used = sum(1 for n in mesh.slot_faces if n)
        if used > limit:
            parts = {"parts": [node_key(measures, part.node)]}
            yield Finding(
                say("slots.too-many", part=part.name, slots=used),
                value(used, "count"),
                value(limit, "count"),
                used,
                part.name,
                part.node,
                Elements("nodes", np.array([part.node], np.int32)),
                (Call("budget.atlas", {**most, **parts}), Call("surface.split", {"by": "slot", **parts})),
                node_key(measures, part.node),
            )


@check(
    "slots.pattern",
    title="Names that do not follow the pattern",
    result="caution",
    held_to=("names.materials",),
    mends=("arrival.rename",),
)
def pattern(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials whose names do not match what the sheet asks for.

    Why: the destination binds its own materials by name, to the letter; what does not fit is bound to nothing.
    Measured: each used material's name against the sheet's pattern, whole.
    Source: common practice, no published source.
    """
    wanted = sheet.names.materials
    if not wanted:
        yield Skipped(say("slots.pattern.none", sheet=sheet.name))
        return
    expression = compiled(wanted, sheet.name)
    found = [k for k, x in enumerate(measures.materials) if x.used_by_faces and not expression.fullmatch(x.name)]
    if found:
        yield Finding(
            say("slots.pattern", materials=len(found), names=_listed(measures, found)),
            value(_listed(measures, found), "text"),
            value(wanted, "text"),
            len(found),
            elements=_materials(found),
        )


@check(
    "slots.model",
    title="Shading that the destination does not know",
    result="note",
    held_to=("shading",),
    explains={"white": SELDOM, "black": SELDOM},
)
def model(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials that say more than base colour, metal and roughness, for a destination that knows no more.

    Why: what it does not know is left out: glass becomes opaque, cloth dull, lacquer plain.
    Measured: ratified extensions of each used material, against the sheet.
    Source: glTF 2.0 §3.9 (core model); the standard's registry of extensions (KHR_materials_…).
    """
    if sheet.shading == "extended":
        yield Skipped(say("slots.model.all", sheet=sheet.name))
        return
    for k, x in enumerate(measures.materials):
        if x.used_by_faces and x.models:
            yield Finding(
                say("slots.model", material=x.name or f"material {k}", what=", ".join(MODELS[model] for model in x.models)),
                value(", ".join(x.models), "text"),
                value("base colour, metal, roughness", "text"),
                len(x.models),
                elements=_materials([k]),
                key=x.name or str(k),
            )


#: Exponents of a highlight from which on a fully lit one looks like polish, and like a mirror.
GLOSSY, MIRROR = 50, 200


@check(
    "slots.shine",
    title="Default shininess left on",
    result="note",
    mends=("slots.set",),
    explains={"white": SELDOM, "shading": SELDOM},
)
def shine(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials left as shiny as a mirror: highlight at full white with a high exponent, or no roughness without a map for it.

    Why: it is the default of a new material; at the destination the whole part glitters like wet plastic.
    Measured: highlight colour from 0.9 with an exponent from 50, or roughness under 0.05 without a map, on what is no metal.
    Source: Wavefront OBJ, statements Ks and Ns; glTF 2.0 §3.9.2 (roughness); the limits are common practice, no published source.
    """
    for k, x in enumerate(measures.materials):
        mapped = any(i.role in ("metallic-roughness", "roughness", "specular-gloss") for i in x.inputs)
        bright = x.highlight is not None and x.highlight >= 0.9 and (x.shine or 0) >= GLOSSY
        smooth = x.roughness is not None and x.roughness < 0.05 and (x.metallic or 0) < 0.5 and x.drawn != "blend"
        if x.used_by_faces and not mapped and (bright or smooth):
            said = (
                f"highlight {plain(x.highlight or 0.0)}, exponent {plain(x.shine or 0.0)}"
                if bright
                else f"roughness {plain(x.roughness or 0.0)}"
            )
            yield Finding(
                say("slots.shine", material=x.name or f"material {k}", mirror=smooth or (x.shine or 0) >= MIRROR, values=said),
                value(said, "text"),
                value("rougher", "text"),
                1,
                elements=_materials([k]),
                key=x.name or str(k),
                mends=(
                    *for_materials(measures, [k], "slots.set", roughness=0.5),
                    *(for_materials(measures, [k], "slots.set", highlight=0.2) if bright else ()),
                ),
            )


@check("slots.two-faced", title="Front and back with different materials", result="note", follows=("facing.back-to-back",))
def two_faced(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that lie back to back and have different materials.

    Why: it is meant where a banner has two sides. Elsewhere, welding or a double-sided material loses one of the two.
    Measured: faces over the same welded points, wound against each other, in different slots.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.two_faced:
            yield Finding(
                say("slots.two-faced", faces=n, part=part.name),
                value(n, "count"),
                value(0, "count"),
                n,
                part.name,
                part.node,
                Elements("faces", measures.array(f"mesh:{part.mesh}:two-faced")),
                key=node_key(measures, part.node),
            )


@check("slots.family", title="Names that differ only by a number", result="note", mends=("slots.merge-equal", "arrival.rename"))
def family(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Three or more materials whose names are one but for a number behind.

    Why: they came with copied parts; whoever looks for the one to change has to guess.
    Measured: names without the number behind, of used materials that do not say the same.
    Source: common practice, no published source.
    """
    groups: dict[str, list[int]] = {}
    for k, x in enumerate(measures.materials):
        stem = re.sub(r"[ ._-]*\d+$", "", x.name.strip())
        if x.used_by_faces and stem and x.same_as is None:
            groups.setdefault(stem, []).append(k)
    for stem, found in groups.items():
        if len(found) >= 3 and any(measures.materials[k].name.strip() != stem for k in found) and not _UNNAMED.fullmatch(stem):
            yield Finding(
                say("slots.family", count=len(found), stem=stem, names=_listed(measures, found)),
                value(len(found), "count"),
                value(1, "count"),
                len(found),
                elements=_materials(found),
                key=stem,
            )

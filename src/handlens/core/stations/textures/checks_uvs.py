"""Textures, second half: the UVs that lay them on the surface."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import first_parts, named_faces, of_mesh, unit_of
from ...measures import Measures
from ...measures.records import MeshFigures, PartFigures, UvFigures
from ...measures.uvs import OVERLAP, ROOM_RESOLUTION
from ...rules import Intent, RuleSheet
from ...scene.wrapping import CLAMP
from ...words.calls import Call
from .messages import say

Found = Iterator[Finding | Skipped]

#: How many times the density of the finest tenth may be that of the coarsest, within a part and between parts.
SPREAD = 4.0


def used_sets(measures: Measures, mesh: int) -> set[int]:
    """UV sets of a mesh that some image of the model is laid on by; set 0 where there are images at all."""
    inputs = [i for x in measures.materials for i in x.inputs if i.image is not None and x.used_by_faces]
    return {i.uv_set for i in inputs if i.uv_set < len(measures.meshes[mesh].uvs)}


def density_words(pixels: float) -> str:
    """Pixels a metre in three figures, without an exponent."""
    return f"{pixels:,.0f}" if pixels >= 100 else f"{pixels:.3g}"


def _sets(measures: Measures) -> Iterator[tuple[PartFigures, MeshFigures, int, UvFigures]]:
    for part, mesh in first_parts(measures):
        for k in sorted(used_sets(measures, part.mesh)):
            yield part, mesh, k, mesh.uvs[k]


def _which(k: int) -> str:
    return "" if k == 0 else f", set {k + 1}"


def _faces(
    measures: Measures, part: PartFigures, k: int, n: int, words: str, what: str, mends: tuple[Call, ...] = (), result: str = ""
) -> Finding:
    return Finding(
        say("textures.uv-faces", faces=n, part=part.name, uv_set=_which(k), what=words),
        value(n, "count"),
        value(0, "count"),
        n,
        part.name,
        part.node,
        of_mesh(measures, part, f"uv{k}:{what}", "faces", k),
        mends,
        f"{node_key(measures, part.node)}/{k}",
        result,
    )


@check("textures.uv-broken", title="Invalid or missing UVs", result="stop", explains={"white": OFTEN})
def broken(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces whose corners have no UV, or one that is no finite number, in a set that an image is laid on by.

    Why: the image lands anywhere, or the whole part is refused.
    Measured: UVs of every corner.
    Source: glTF 2.0 §3.6.2.4 (no NaN or infinity in accessors).
    """
    for part, _, k, u in _sets(measures):
        if u.not_finite:
            yield _faces(measures, part, k, u.not_finite, "have UVs that are no numbers", "not-finite")
        if u.missing:
            yield _faces(measures, part, k, u.missing, "have no UVs", "missing", result="caution")


@check(
    "textures.uv-collapsed",
    title="All UVs in one point",
    result="caution",
    mends=("textures.copy-uvs", "textures.unwrap"),
    explains={"white": SELDOM, "black": OFTEN, "striped": BY_ITSELF, "blurred": SELDOM},
)
def collapsed(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """UV sets that an image is laid on by and whose UVs are all the same.

    Why: the whole part takes the colour of one pixel; a light map comes out flat.
    Measured: extent of the set, under a millionth of a tile.
    Source: common practice, no published source.
    """
    for part, _, k, u in _sets(measures):
        if u.collapsed:
            yield Finding(
                say("textures.uv-collapsed", part=part.name, uv_set=_which(k)),
                value(u.span, "factor"),
                value(None, "factor"),
                1,
                part.name,
                part.node,
                nodes([part.node], k),
                (Call("textures.unwrap", {"parts": [node_key(measures, part.node)], "set": float(k + 1)}),),
                f"{node_key(measures, part.node)}/{k}",
            )


@check(
    "textures.uv-flat",
    title="Faces without area in the UVs",
    result="note",
    mends=("textures.unwrap",),
    explains={"striped": OFTEN, "blurred": BY_ITSELF},
)
def flat(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that have an area in space and none in the UVs.

    Why: they stretch one line of the image, and normal maps have no direction there.
    Measured: area of each face in the UVs, under 1e-12 of a tile. A caution where more than a twentieth of the faces are.
    Source: common practice, no published source.
    """
    for part, mesh, k, u in _sets(measures):
        if u.flat and not u.collapsed:
            yield _faces(
                measures,
                part,
                k,
                u.flat,
                "have no area in the UVs",
                "flat",
                result="caution" if u.flat > 0.05 * mesh.faces else "",
            )


@check(
    "textures.uv-outside",
    title="UVs outside 0 to 1",
    result="caution",
    held_to=("textures.tiling",),
    mends=("textures.shift-uvs",),
    explains={"striped": SELDOM, "blurred": BY_ITSELF},
)
def outside(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces whose UVs leave the first tile.

    Why: the image repeats there, which may be meant; where one image is baked or packed for the whole part, it shows the neighbour's.
    Measured: UVs of each corner, a thousandth outside allowed, where the sheet does not let images repeat, or a material holds its image at the edge.
    Source: glTF 2.0 §3.8.4.4 (wrapping modes); common practice elsewhere.
    """
    # Each axis by itself: an image that repeats along u may be held at its edge along v.
    clamped = {
        (i.uv_set, n, way)
        for n, mat in enumerate(measures.materials)
        for i in mat.inputs
        for way in ("wrapS", "wrapT")
        if i.image is not None and i.sampler.get(way) == CLAMP
    }
    if sheet.textures.tiling and not clamped:
        yield Skipped(say("textures.uv-outside.repeat", sheet=sheet.name))
        return
    for part, mesh, k, u in _sets(measures):
        if u.outside and sheet.textures.tiling:
            used = {mesh.slot_materials[s] for s, n in enumerate(mesh.slot_faces) if n and s < len(mesh.slot_materials)}
            ways = [way for way in ("wrapS", "wrapT") if any((k, x, way) in clamped for x in used)]
            n, what = {
                (): (0, ""),
                ("wrapS",): (u.outside_u, "outside-u"),
                ("wrapT",): (u.outside_v, "outside-v"),
                ("wrapS", "wrapT"): (u.outside, "outside"),
            }[tuple(ways)]
            if n:
                yield _faces(measures, part, k, n, "lie outside 0 to 1, where the image does not repeat", what)
        elif u.outside:
            where = f"{node_key(measures, part.node)}"
            mends = (Call("textures.shift-uvs", {"parts": where, "set": float(k + 1)}),) if u.span <= 1 + 2e-3 else ()
            yield _faces(measures, part, k, u.outside, "lie outside 0 to 1", "outside", mends)


@check("textures.uv-mirrored", title="Mirrored UVs", result="note", explains={"shading": OFTEN, "blurred": OFTEN})
def mirrored(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces whose UVs run the other way round than their corners, under a normal map.

    Why: the map's left is on the right there; destinations that ignore the sign of the tangent light the seam wrongly.
    Measured: sign of each face's area in the UVs, where a material uses a normal map and not all faces agree.
    Source: glTF 2.0 §3.7.2.1 (the tangent's w is its sign).
    """
    if not any(i.role == "normal" and i.image is not None for x in measures.materials if x.used_by_faces for i in x.inputs):
        yield Skipped(say("textures.uv-mirrored.no-normal-map"))
        return
    for part, mesh, k, u in _sets(measures):
        if 0 < u.mirrored < mesh.faces:
            yield _faces(measures, part, k, u.mirrored, "have mirrored UVs", "mirrored")


#: Words in the name of a part, a material or an image by which something is to be read there (common practice, no published source).
_READ = re.compile(
    r"(?<![a-z])(sign(board|post)?|label|letter(s|ing)?|logo|dial|poster|decal|(name|number)[ _-]?plate)s?(?![a-z])",
    re.IGNORECASE,
)


@check("textures.mirrored-picture", title="Pictures shown mirrored", result="note", mends=("textures.mirror-uvs",))
def mirrored_picture(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces on which a picture is seen from behind: lettering on it is read backwards.

    Why: signs, labels and dials are wrong there; of plain wood or stone nobody sees it.
    Measured: sign of each face's area in the UVs of the base colour's image, and of the node's scale, where the name of the part, a material or the image
    says that something is to be read there; left out where mirrored faces share their pixels with others, as halves do that are mirrored on purpose.
    Source: common practice, no published source.
    """
    base = {
        (k, i.uv_set): measures.images[i.image].reference
        for k, x in enumerate(measures.materials)
        for i in x.inputs
        if x.used_by_faces and i.role == "base-colour" and i.image is not None
    }
    if not base:
        yield Skipped(say("textures.mirrored-picture.no-picture"))
        return
    turned = turned_over(measures)
    for part, mesh, k, u in _sets(measures):
        names = [name for (m, uv_set), name in base.items() if uv_set == k and m in mesh.slot_materials]
        if not u.mirrored or not names or part.node in turned:
            continue
        materials = [measures.materials[m].name for m in mesh.slot_materials if m >= 0]
        is_read = any(_READ.search(name or "") for name in (part.name, *materials, *names))
        if is_read and (u.mirrored == mesh.faces or not u.overlapping):
            named = "" if u.mirrored == mesh.faces else named_faces(measures, part, f"uv{k}:mirrored")
            those = {"faces": named, "set": k + 1, "parts": [node_key(measures, part.node)]}
            yield Finding(
                say("textures.mirrored-picture", faces=u.mirrored, part=part.name),
                value(u.mirrored, "count"),
                value(0, "count"),
                u.mirrored,
                part.name,
                part.node,
                of_mesh(measures, part, f"uv{k}:mirrored", "faces", k),
                (Call("textures.mirror-uvs", those),) if named is not None else (),
                f"{node_key(measures, part.node)}/{k}",
            )


def turned_over(measures: Measures) -> set[int]:
    """Nodes below an odd number of mirrored ones, they themselves among them; parents come first."""
    out: set[int] = set()
    for n in measures.nodes:
        if (n.parent in out) != n.mirrored:
            out.add(n.index)
    return out


@check(
    "textures.uv-overlap",
    title="Overlapping UVs",
    result="note",
    mends=("textures.unwrap",),
    explains={"blurred": OFTEN},
)
def overlap(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces of one part and one material that share pixels of their image.

    Why: what is painted or baked on one shows on the other; fine for repeated and mirrored halves, wrong for a light map.
    Measured: covered texels of a raster of 1,024 a side, by their centres; layouts over more than four tiles are left out, and those that leave the first one where the sheet lets images repeat. A caution for second sets and where it does not.
    Source: Akenine-Möller et al. 2018, "Real-Time Rendering", section 23.1 (coverage by centres); the limit is common practice.
    """
    for part, _, k, u in _sets(measures):
        repeats = u.outside and sheet.textures.tiling and not k
        if u.overlap is not None and u.overlap > OVERLAP and not repeats:
            yield Finding(
                say("textures.uv-overlap", share=u.overlap, part=part.name, uv_set=_which(k)),
                value(u.overlap, "share"),
                value(OVERLAP, "share"),
                u.overlapping,
                part.name,
                part.node,
                of_mesh(measures, part, f"uv{k}:overlapping", "faces"),
                (),
                f"{node_key(measures, part.node)}/{k}",
                "caution" if k or not sheet.textures.tiling else "",
            )


@check(
    "textures.uv-padding",
    title="Too little padding between UV islands",
    result="note",
    held_to=("textures.padding_px",),
    mends=("textures.unwrap",),
    explains={"blurred": OFTEN},
)
def padding(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """UV islands with less room between them than the sheet wants.

    Why: each mip level halves the gap, so that colours of the neighbour bleed over the seam from a few steps away. New UVs would
    no longer fit what is painted on the image, so the image has to be made anew with them.
    Measured: least distance of covered texels of two islands on a raster of 512 a side, in pixels of the largest image laid on by the set.
    Source: common practice, no published source (two pixels at the size that is looked at).
    """
    wanted = sheet.textures.padding_px
    for part, _, k, u in _sets(measures):
        if u.padding is None or u.islands < 2 or (u.overlap or 0) > OVERLAP:
            continue
        widths = [
            wide
            for x in measures.materials
            if x.used_by_faces
            for i in x.inputs
            if i.uv_set == k and i.image is not None
            if (wide := measures.images[i.image].width)
        ]
        if not widths:
            continue
        # Rounded to whole texels at both ends: what the raster cannot tell apart is not reported.
        room = (u.padding + 1 / min(u.resolution, ROOM_RESOLUTION)) * max(widths)
        if u.padding > 0 and room < wanted:
            yield Finding(
                say("textures.uv-padding", part=part.name, uv_set=_which(k), pixels=room),
                value(room, "px"),
                value(wanted, "px"),
                u.islands,
                part.name,
                part.node,
                nodes([part.node], k),
                (),
                f"{node_key(measures, part.node)}/{k}",
            )


@check(
    "textures.uv-second",
    title="No second UV set",
    result="caution",
    held_to=("textures.second_uvs",),
    mends=("textures.copy-uvs", "textures.unwrap"),
    explains={"blurred": SELDOM},
)
def second(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts without a second UV set on a destination that lays light maps by it.

    Why: light is baked onto the second set; without it the part stays black, or overlaps of the first set show as shadows.
    Measured: UV sets of each mesh.
    Source: common practice, no published source.
    """
    if not sheet.textures.second_uvs:
        yield Skipped(say("textures.uv-second.not-needed", sheet=sheet.name))
        return
    for part, mesh in first_parts(measures):
        if mesh.faces and mesh.uv_sets < 2:
            yield Finding(
                say("textures.uv-second", part=part.name, sets=mesh.uv_sets),
                value(mesh.uv_sets, "count"),
                value(2, "count"),
                1,
                part.name,
                part.node,
                nodes([part.node]),
                (Call("textures.unwrap", {"parts": [node_key(measures, part.node)], "set": 2.0}),),
                node_key(measures, part.node),
            )


#: Lines of a screen and the angle that it shows from bottom to top. Common practice, no published source.
SCREEN_LINES, VIEW_DEGREES = 1080, 60.0


@check("textures.near-view", title="Too coarse for the nearest view", result="note", explains={"blurred": BY_ITSELF})
def near_view(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts whose image has less than half a pixel for each pixel of the screen at the nearest view that the intent states.

    Why: from there each of its pixels covers four of the screen's, and it looks blurred.
    Measured: pixels on a metre of the surface, the middle by area, against the screen's pixels on a metre at that distance: 1,080 lines over 60 degrees.
    Source: common practice, no published source.
    """
    near = lambda name: intent.of_part(name).nearest_view_m or intent.nearest_view_m
    names = {part.node: part.name for part in measures.parts}
    if not any(near(n) for n in names.values()):
        yield Skipped(say("textures.near-view.no-distance"))
        return
    for figures in measures.densities:
        distance = near(names[figures.node])
        if not distance or not figures.median > 0:
            continue
        wanted = SCREEN_LINES / (2 * distance * math.tan(math.radians(VIEW_DEGREES / 2)))
        there = figures.median / unit_of(measures)
        if there < wanted / 2:
            yield Finding(
                say(
                    "textures.near-view",
                    part=names[figures.node],
                    pixels=density_words(there),
                    wanted=density_words(wanted),
                    distance=distance,
                ),
                value(there, "px"),
                value(wanted, "px"),
                1,
                names[figures.node],
                figures.node,
                nodes([figures.node]),
                (),
                node_key(measures, figures.node),
            )


@check("textures.density", title="Uneven texel density", result="note", explains={"striped": SELDOM, "blurred": BY_ITSELF})
def density(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts whose image is much coarser or finer than the model's middle, or that vary much within themselves.

    Why: side by side, one looks sharp and the other blurred; the sharp one costs memory for nothing.
    Measured: square root of pixels over area of each triangle; the middle of each part by area, and its tenths at either end. Told where a part is off by more than four times.
    Source: texel density is common practice, no published source.
    """
    if not measures.densities:
        yield Skipped(say("textures.density.no-image"))
        return
    unit = unit_of(measures)
    ordered = sorted(density.median for density in measures.densities)
    middle = ordered[len(ordered) // 2]
    names = {part.node: part.name for part in measures.parts}
    for figures in measures.densities:
        away = max(figures.median / middle, middle / figures.median) if figures.median > 0 and middle > 0 else 1.0
        if away > SPREAD:
            yield Finding(
                say(
                    "textures.density",
                    part=names[figures.node],
                    pixels=density_words(figures.median / unit),
                    median=density_words(middle / unit),
                ),
                value(figures.median / unit, "px"),
                value(middle / unit, "px"),
                1,
                names[figures.node],
                figures.node,
                nodes([figures.node]),
                (),
                node_key(measures, figures.node),
            )
        elif figures.low > 0 and figures.high / figures.low > SPREAD**2:
            yield Finding(
                say(
                    "textures.density.uneven",
                    part=names[figures.node],
                    low=density_words(figures.low / unit),
                    high=density_words(figures.high / unit),
                ),
                value(figures.high / figures.low, "factor"),
                value(SPREAD**2, "factor"),
                1,
                names[figures.node],
                figures.node,
                nodes([figures.node]),
                (),
                f"{node_key(measures, figures.node)}/within",
            )

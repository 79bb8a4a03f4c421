"""Surface: polygons that are cut differently, faces and edges that are there for nothing, and openings."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import counted, first_parts, kind_of, of_mesh, seen_from, unit_of
from ...limits import plural
from ...measures import Measures
from ...measures.records import PartFigures, SurfaceFigures
from ...measures.surface_figures import SMALL
from ...rules import Intent, RuleSheet
from ...words.arrays import I32
from ...words.calls import Call
from ...words.figures import about
from .messages import say

Found = Iterator[Finding | Skipped]

#: A polygon bent by more than this share of its own size is another surface by each cut, and not only another crease.
BENT_FAR = 0.1
#: Share of a destination's triangles that may lie where nobody sees them before it is told.
UNSEEN = 0.02
#: How far apart rounding to 32 bits leaves two points that were one, as a share of the mesh's size.
_ROUNDED = 1e-7


@check(
    "surface.polygons",
    title="Concave, self-crossing or bent polygons",
    result="caution",
    mends=("surface.triangulate",),
    explains={"shading": OFTEN},
)
def cut_differently(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Polygons that turn inwards, cross themselves or are bent, so that each program's triangles give another surface.

    Why: a concave polygon that is cut into a fan has triangles that stick out, and a bent one gets a crease along whichever
    diagonal is chosen.
    Measured: corners that turn against the polygon's normal by Newell; sides that cross seen along it; distance of corners from the mean plane over 1 % of the polygon's size, a note up to a tenth of it.
    Source: Sutherland et al. 1974 (Newell's normal); triangulation of simple polygons: de Berg et al., "Computational Geometry", chapter 3.
    """
    for part, mesh in first_parts(measures):
        surface = mesh.surface
        unit = unit_of(measures) * part.enlarges
        for n, name, words in (
            (surface.crossing, "crossing", "crosses itself|cross themselves"),
            (surface.concave, "concave", f"turns inwards{_fan_words(surface.fan_out)}|turn inwards{_fan_words(surface.fan_out)}"),
            (surface.bent, "bent", _bent_words(surface, unit)),
        ):
            if n:
                one, _, many = words.partition("|")
                yield Finding(
                    say("surface.polygons", polygons=n, part=part.name, what=one if n == 1 else many),
                    value(surface.most_bent * unit * 1000, "mm") if name == "bent" else value(n, "count"),
                    value(0.0, "mm") if name == "bent" else value(0, "count"),
                    n,
                    part.name,
                    part.node,
                    of_mesh(measures, part, name, "faces"),
                    (Call("surface.triangulate", {"parts": [node_key(measures, part.node)]}),),
                    key=f"{node_key(measures, part.node)}/{name}",
                    result="note" if name == "bent" and surface.bent_share <= BENT_FAR else "",
                )


def _fan_words(count: int) -> str:
    return f"; cut into a fan, {count:,} of them {'sticks' if count == 1 else 'stick'} out" if count else ""


def _bent_words(surface: SurfaceFigures, unit: float) -> str:
    by = f"by up to {about(surface.most_bent * unit)}"
    cuts = f"; the two cuts of a quad lie up to {about(surface.diagonals * unit)} apart" if surface.diagonals > 0 else ""
    return f"is bent {by}{cuts}|are bent {by}{cuts}"


@check(
    "surface.many-corners",
    title="N-gons",
    result="note",
    mends=("surface.triangulate",),
    explains={"shading": SELDOM, "hole": SELDOM},
)
def many_corners(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Polygons with more than four corners.

    Why: a destination cuts them into triangles in its own way, and shading and deformation change with the cut.
    Measured: corners of each polygon as stored, counted by their number.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        counts = mesh.surface.by_corners
        if counts:
            listed = ", ".join(f"{n:,} with {k}" for k, n in sorted(counts.items())[:4]) + (" …" if len(counts) > 4 else "")
            total = sum(counts.values())
            yield counted(
                measures,
                part,
                total,
                say("surface.many-corners", part=part.name, n_gons=total, listed=listed),
                "many",
                "faces",
                "surface.triangulate",
            )


@check(
    "surface.zero-area",
    title="Degenerate faces",
    result="caution",
    mends=("surface.clean",),
    explains={"hole": SELDOM, "gone": SELDOM, "refused": SELDOM},
)
def zero_area(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that have collapsed to a line or a point.

    Why: they are not drawn, but normals and tangents computed from them are not numbers and leave black spots around.
    Measured: area within 1e-12 of the square of the longest side.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.zero_area_faces:
            yield counted(
                measures,
                part,
                n,
                say("surface.zero-area", part=part.name, faces=n),
                "zero-area",
                "faces",
                "surface.clean",
            )


@check(
    "surface.needles",
    title="Needle triangles",
    result="note",
    mends=("surface.needles",),
    follows=("surface.zero-area",),
    explains={"striped": SELDOM, "shading": SELDOM},
)
def needles(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Triangles whose height is under a five-hundredth of their longest side.

    Why: they flicker, are lit wrongly and cost as much as any other triangle; they usually come from a careless cut.
    Measured: height over longest side of the triangles of each face, told from 1 % of the faces on.
    Source: Shewchuk 2002, "What is a good linear finite element?" (shape measures of triangles); the limit is common practice.
    """
    for part, mesh in first_parts(measures):
        n = mesh.surface.needles
        if n and n > 0.01 * mesh.faces:
            yield counted(
                measures,
                part,
                n,
                say("surface.needles", part=part.name, triangles=n),
                "needles",
                "faces",
                "surface.needles",
            )


@check("surface.duplicates", title="Duplicate faces", result="caution", mends=("surface.clean",), explains={"striped": BY_ITSELF})
def duplicates(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces over the same points as another, wound alike.

    Why: two surfaces in one place flicker as the camera moves, at twice the cost.
    Measured: faces over the same welded points in the same order.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.alike:
            yield counted(
                measures,
                part,
                n,
                say("surface.duplicates", part=part.name, faces=n),
                "alike",
                "faces",
                "surface.clean",
            )


@check("surface.loose-points", title="Loose points", result="note", mends=("surface.clean",))
def loose_points(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Points that no face and no line uses.

    Why: they draw nothing, but enlarge the bounding box, and with it culling, pivots and the size.
    Measured: point elements, and positions that nothing uses.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if mesh.loose_points and mesh.faces:
            n = mesh.loose_points
            yield counted(
                measures,
                part,
                n,
                say("surface.loose-points", points=n, part=part.name),
                "points",
                "vertices",
                "surface.clean",
            )


@check(
    "surface.doubles",
    title="Unwelded seams",
    result="caution",
    mends=("surface.weld",),
    explains={"shading": SELDOM, "hole": SELDOM, "tears": SELDOM},
)
def doubles(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Points on the rims of the surface that lie next to each other without being one.

    Why: a hairline of background shows through the seam, and normals, reduction and hulls treat it as two separate edges.
    Measured: open edges that become one edge of two faces when ends within a thousandth of the mesh's diagonal are joined, nearest first; the distance told is the greatest between what belongs together.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 8.2 (stitching of boundaries); the limit is common practice.
    """
    for part, mesh in first_parts(measures):
        surface = mesh.surface
        if surface.doubles[-1] and part.enlarges > 0:
            unit = unit_of(measures) * part.enlarges
            apart = surface.apart * unit * 1000
            # What rounding to 32 bits alone keeps apart lies in one place: nobody wants to read a distance of so many zeros.
            near = max(1.01 * apart, _ROUNDED * surface.size * unit * 1000)
            n = surface.doubles[-1]
            yield Finding(
                say("surface.doubles", points=n, part=part.name, distance=surface.apart * unit),
                value(apart, "mm"),
                value(0, "mm"),
                n,
                part.name,
                part.node,
                of_mesh(measures, part, "doubles", "vertices"),
                (Call("surface.weld", {"distance_mm": float(f"{near:.4g}"), "parts": [node_key(measures, part.node)]}),),
                key=node_key(measures, part.node),
            )


@check(
    "surface.crowded-edges",
    title="Non-manifold edges",
    result="caution",
    mends=("surface.take-apart",),
    follows=(
        "surface.duplicates",
        "facing.back-to-back",
    ),
    explains={"striped": SELDOM},
)
def crowded(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Edges at which three or more faces meet.

    Why: there is no inside there: facing, smoothing, hulls, printing and reduction all have to guess.
    Measured: uses of each welded edge, faces without area left out.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 1.3 (two-manifold surfaces).
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.crowded:
            yield counted(
                measures,
                part,
                n,
                say("surface.crowded-edges", part=part.name, edges=n),
                "crowded",
                "edges",
                "surface.take-apart",
                result="note" if kind_of(intent, part.name) == "foliage" else "",
            )


@check(
    "surface.pinched",
    title="Non-manifold vertices",
    result="note",
    mends=("surface.take-apart",),
    follows=(
        "surface.doubles",
        "surface.crowded-edges",
    ),
)
def pinched(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Points at which more than one fan of faces meets.

    Why: smooth normals are averaged over pieces that have nothing to do with each other, and the surface tears there when it
    bends.
    Measured: fans of faces round each welded point, followed across the edges that two faces share.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 1.3 (non-manifold vertices).
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.pinched:
            yield counted(
                measures,
                part,
                n,
                say("surface.pinched", part=part.name, vertices=n),
                "pinched",
                "vertices",
                "surface.take-apart",
            )


@check(
    "surface.holes",
    title="Openings in the surface",
    result="note",
    mends=("surface.fill",),
    follows=("surface.doubles",),
    follows_in_model=("facing.walk-round",),
    explains={"hole": BY_ITSELF, "see-through": SELDOM},
)
def openings(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Rims: edges with a face on one side only, gathered into openings.

    Why: an opening that is not meant shows the inside of the far wall, which is not drawn, so one looks straight through.
    Measured: welded edges with one face, joined where they share a point; size is the width of the rim along its longest way. Small openings, under a tenth of the mesh, are told by themselves, as a caution; as a note where the walk-round proved that nobody looks through.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 1.3 (boundary edges).
    """
    for part, mesh in first_parts(measures):
        surface = mesh.surface
        if not surface.hole_count or surface.flat or surface.hole_count > max(mesh.faces // 4, 1) or not part.enlarges > 0:
            continue  # a cut-out or a heap of single faces is all rim, and what is scaled to nothing has no size
        unit = unit_of(measures) * part.enlarges
        small = [hole for hole in surface.holes if hole < SMALL * surface.size]
        # Of so many that not all are kept, the smallest are the ones left out.
        few = surface.hole_count - (len(surface.holes) - len(small))
        rims = measures.array(f"mesh:{part.mesh}:open").reshape(-1, 2)
        little = measures.array(f"mesh:{part.mesh}:open-small").reshape(-1, 2)
        for count, widest, which, key in (
            (
                surface.hole_count - few,
                surface.holes[: len(surface.holes) - len(small)],
                _others(rims, little),
                node_key(measures, part.node),
            ),
            (few, small, little, f"{node_key(measures, part.node)}/small"),
        ):
            if not count or not widest:
                continue
            tiny = key.endswith("/small")
            sizes = ", ".join(about(h * unit) for h in widest[:3]) + (" …" if count > 3 else "")
            yield Finding(
                say("surface.holes", openings=plural(count, "small opening" if tiny else "opening"), part=part.name, sizes=sizes),
                value(widest[0] * unit * 1000, "mm"),
                value(0.0, "mm"),
                count,
                part.name,
                part.node,
                Elements("edges", which.reshape(-1)),
                (
                    Call(
                        "surface.fill",
                        {"across_mm": float(f"{widest[0] * unit * 1001:.4g}"), "parts": [node_key(measures, part.node)]},
                    ),
                )
                if tiny
                else (),
                key=key,
                result="caution"
                if tiny and kind_of(intent, part.name) not in ("foliage", "effect") and not _never_seen(measures, part.mesh)
                else "",
            )


def _never_seen(measures: Measures, mesh: int) -> bool:
    """Whether walking round showed that nobody sees a back through an opening of any part with that mesh."""
    walk = measures.walk
    if walk is None or not walk.directions or any(figures.outside.turned for figures in measures.facing):
        return False
    shown = set(walk.open_holes) | set(walk.backs_of)
    return not any(part.node in shown for part in measures.parts if part.mesh == mesh)


def _others(edges: I32, without: I32) -> I32:
    """(n, 2) edges that are not among some others."""
    listed = {tuple(x) for x in without.tolist()}
    return np.array([x for x in edges.tolist() if tuple(x) not in listed], np.int32).reshape(-1, 2)


@check("surface.flat", title="Flat cut-outs", result="note", explains={"hole": OFTEN})
def flat(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts without thickness.

    Why: seen edge-on such a part vanishes, and from behind it is not drawn. One that always faced the camera where it was made
    stands still at the destination.
    Measured: all points within a ten-thousandth of the part's size of one plane.
    Source: common practice, no published source.
    """
    if intent.kind in ("foliage", "effect"):
        yield Skipped(say("surface.flat.meant"))
        return
    found = [part for part in measures.parts if measures.meshes[part.mesh].surface.flat]
    if found:
        names = ", ".join(p.name for p in found[:3]) + (" …" if len(found) > 3 else "")
        yield Finding(
            say("surface.flat", parts=len(found), names=names, more=_card_words(found)),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            found[0].name,
            found[0].node,
            nodes([p.node for p in found]),
        )


def _card_words(found: list[PartFigures]) -> str:
    cards = sum(p.card for p in found)
    return f"; {cards:,} of them cut out by a material, as cards that face the camera are" if cards else ""


@check(
    "surface.unseen",
    title="Geometry that cannot be seen",
    result="note",
    mends=("surface.remove-unseen",),
    asks=("seen_from",),
    explains={"striped": OFTEN, "slow": OFTEN},
    tolerance=100.0,
)
def unseen(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Patches from which no ray gets out of the model.

    Why: they cost time in every frame and are never seen.
    Measured: samples of each patch with rays from both sides, none of which leaves the model; told from 2 % of the triangles on, and as a caution from half of them on.
    Source: common practice, no published source.
    """
    if intent.seen_from != "outside":
        yield Skipped(say("surface.unseen.not-outside"))
        return
    if any(x.used_by_faces and x.drawn in ("mask", "blend") for x in measures.materials):
        yield Skipped(say("surface.unseen.see-through"))
        return
    total = sum(measures.meshes[part.mesh].triangles for part in measures.parts)
    names = {part.node: part.name for part in measures.parts}
    # A shell that the intent says is inside on purpose is there to be found.
    free = [figures for figures in measures.facing if seen_from(intent, names[figures.node]) == "outside"]
    hidden = sum(part.unseen_triangles for part in free)
    if hidden and hidden > UNSEEN * total:
        worst = max(free, key=lambda f: f.unseen_triangles)
        name = names[worst.node]
        parts = [] if len(free) == len(measures.facing) else [node_key(measures, part.node) for part in free if part.unseen]
        yield Finding(
            say("surface.unseen", hidden=hidden, total=total, part=name),
            value(hidden, "triangles"),
            value(0, "triangles"),
            hidden,
            name,
            worst.node,
            Elements("faces", measures.array(f"part:{worst.node}:unseen")),
            (Call("surface.remove-unseen", {"parts": parts} if parts else {}),),
            result="caution" if hidden > 0.5 * total and sheet.results.get("surface.unseen") is None else "",
        )

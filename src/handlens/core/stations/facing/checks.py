"""Facing: which way faces look, and the normals that light them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import counted, first_parts, kind_of, named_faces, of_mesh, seen_from, unit_of
from ...measures import Measures
from ...measures.records import FacingFigures, SideFigures
from ...measures.surface_figures import SMALL
from ...rules import Intent, RuleSheet
from ...scene.headings import heading
from ...words.calls import Call
from ...words.figures import percent
from .messages import say

Found = Iterator[Finding | Skipped]

#: Below this confidence faces that look away are a caution, not a stop.
SURE = 0.7
#: Share of what can be seen of a part under which faces that look away are met by nobody.
NEVER_MET = 1e-4
#: Share of the rays all round that may meet a back before it is told.
BACKS = 0.002
#: Under this share, with nothing open, backs are slivers between things that nearly touch.
SLIVER = 0.005
#: Makes normals anew, hard where faces meet at more than this.
_LIT = Call("facing.normals", {"angle": 40})
#: Share of a part's faces from which on all of its normals are made anew rather than those of the faces.
_MANY = 0.25
TURN = {"outside": "facing.outward", "inside": "facing.inward"}


def _judged(measures: Measures, intent: Intent) -> Iterator[tuple[FacingFigures, SideFigures, str, str]]:
    """Parts with a side that they are looked at from: figures, those of that side, the side, the part's name."""
    names = {part.node: part.name for part in measures.parts}
    for figures in measures.facing:
        side = seen_from(intent, names[figures.node])
        if side == "inside":
            yield figures, figures.inside, side, names[figures.node]
        elif side == "outside":
            yield figures, figures.outside, side, names[figures.node]


def _too_large(measures: Measures) -> Skipped | None:
    return None if measures.facing or not measures.parts else Skipped(say("facing.too-large"), unseen=True)


def share_of(side: SideFigures) -> float:
    """Share of the whole of a part, what could not be judged included, that is turned away."""
    whole = side.judged + side.undecided + side.hidden
    return side.wrong / whole if whole > 0 else 0.0


@check(
    "facing.inward",
    title="Faces turned away",
    result="stop",
    held_to=("receiver.back_faces",),
    mends=("facing.outward", "facing.inward", "facing.turn"),
    asks=("seen_from",),
    explains={"black": OFTEN, "hole": BY_ITSELF, "see-through": OFTEN, "inside-out": BY_ITSELF},
)
def inward(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces whose front cannot be seen from where the part is looked at.

    Why: where only front faces are drawn there is a hole, and the far inside shows through it; one tiny hole is enough.
    Measured: winding solved over the edges that two faces share; then rays from samples of each patch on both sides, the side from which more get out of the model being its outside; closed patches by their signed volume; stored normals where both sides are seen alike. Looked at from inside, rays to places within the model instead. What only looks away to someone far below is undecided. A note where under 0.01 % of what can be seen of the part is of such faces.
    Source: Takayama et al. 2014, "A simple method for correcting facet orientations in polygon meshes based on ray casting", JCGT 3(4).
    """
    if sheet.receiver.back_faces == "shown":
        yield Skipped(say("facing.both-sides", sheet=sheet.name))
        return
    if large := _too_large(measures):
        yield large
        return
    for surface, side, name, part in _judged(measures, intent):
        count = side.turned - side.covered if sheet.receiver.back_faces == "as-material" else side.turned
        if not count:
            continue
        key = f"part:{surface.node}:{'out' if name == 'outside' else 'in'}"
        faces = measures.array(key)
        if kind_of(intent, part) in ("room", "building") and side.floors:
            # Nobody goes round below a room: its floor is right.
            faces = np.setdiff1d(faces, measures.array(f"part:{surface.node}:floor"))
            count -= side.floors
            if count <= 0:
                continue
        unsure = side.confidence < SURE
        share = share_of(side)
        yield Finding(
            say(
                "facing.inward",
                faces=count,
                part=part,
                from_outside=name == "outside",
                share=share,
                unsure=say("facing.inward.unsure", sure=100 * side.confidence) if unsure else "",
            ),
            value(share, "share"),
            value(0.0, "share"),
            count,
            part,
            surface.node,
            Elements("faces", faces),
            (Call(TURN[name], {"parts": [node_key(measures, surface.node)]}),),
            key=node_key(measures, surface.node),
            result="note" if side.met < NEVER_MET else "caution" if unsure else "",
            confidence=side.confidence,
        )


@check(
    "facing.double-sided",
    title="Double-sided material hides faces turned away",
    result="caution",
    mends=("facing.outward",),
    asks=("seen_from",),
    explains={"black": OFTEN, "hole": BY_ITSELF, "see-through": SELDOM, "inside-out": OFTEN, "slow": SELDOM},
)
def hidden_by_material(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that look away, but are drawn from both sides by their material.

    Why: every pixel is shaded twice as often, programs that do not flip the normal light the wrong side, and the holes come back
    as soon as the material is changed.
    Measured: faces that look away, as by facing.inward, whose material is double-sided.
    Source: glTF 2.0 §3.9.6: back-face culling is disabled where doubleSided is true.
    """
    for surface, side, name, part in _judged(measures, intent):
        if side.covered:
            yield Finding(
                say("facing.double-sided", faces=side.covered, part=part),
                value(side.covered, "count"),
                value(0, "count"),
                side.covered,
                part,
                surface.node,
                Elements("faces", measures.array(f"part:{surface.node}:{'out' if name == 'outside' else 'in'}")),
                (Call(TURN[name], {"parts": [node_key(measures, surface.node)]}),),
                key=node_key(measures, surface.node),
            )


@check(
    "facing.one-sided",
    title="Seen from both sides, drawn from one",
    result="caution",
    mends=("facing.double-sided",),
    explains={"hole": OFTEN, "see-through": OFTEN, "inside-out": SELDOM, "gone": OFTEN},
)
def one_sided(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that the intent says are seen from both sides, with open faces whose material is drawn from one.

    Why: a flag, a leaf or a sail vanishes when it is seen from behind.
    Measured: faces of patches whose front and back both let more than 15 % of the rays out, with a single-sided material.
    Source: glTF 2.0 §3.9.6.
    """
    if sheet.receiver.back_faces == "shown":
        yield Skipped(say("facing.both-sides", sheet=sheet.name))
        return
    names = {part.node: part.name for part in measures.parts}
    for figures in measures.facing:
        if figures.both and seen_from(intent, names[figures.node]) == "both":
            yield Finding(
                say("facing.one-sided", faces=figures.both, part=names[figures.node]),
                value(figures.both, "count"),
                value(0, "count"),
                figures.both,
                names[figures.node],
                figures.node,
                Elements("faces", measures.array(f"part:{figures.node}:both")),
                (Call("facing.double-sided", {"parts": [node_key(measures, figures.node)]}),),
                key=node_key(measures, figures.node),
            )


@check(
    "facing.winding",
    title="Inconsistent winding",
    result="caution",
    mends=("facing.outward", "facing.inward"),
    asks=("seen_from",),
    follows=(
        "facing.inward",
        "facing.double-sided",
    ),
    explains={"black": SELDOM, "shading": SELDOM, "hole": OFTEN, "see-through": SELDOM, "inside-out": BY_ITSELF},
)
def winding(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Edges that both of their faces run along in the same direction.

    Why: one of the two faces the wrong way, and smooth shading, bevels and reduction fail along the edge.
    Measured: edges of the surface, welded by exact position, that exactly two faces share and run in one direction; faces without area left out.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 1.3: neighbouring faces of an oriented surface run their edge in opposite directions.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.disagreeing:
            side = seen_from(intent, part.name)
            yield counted(
                measures,
                part,
                n,
                say("facing.winding", edges=n, part=part.name),
                "disagreeing",
                "edges",
                "" if side == "inverted" else TURN.get(side, "facing.outward"),
            )


@check("facing.one-surface", title="Non-orientable surface", result="caution", explains={"inside-out": OFTEN})
def one_surface(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Patches that no winding suits, as a band with half a twist.

    Why: some edge of it always has a front on one side and a back on the other, so part of it is never drawn; cut it open along one edge.
    Measured: patches whose faces, followed round over shared edges, come back turned.
    Source: Botsch et al. 2010, "Polygon Mesh Processing", section 1.3 (orientable surfaces).
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.non_orientable:
            yield counted(
                measures,
                part,
                n,
                say("facing.one-surface", part=part.name, patches=n),
                "disagreeing",
                "edges",
            )


@check(
    "facing.walk-round",
    title="Backs seen on walking round",
    result="caution",
    mends=("surface.fill", "facing.double-sided"),
    asks=("seen_from",),
    explains={"hole": BY_ITSELF, "inside-out": OFTEN},
    tolerance=0.002,
    masked=True,
)
def walk_round(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The model shows backs of faces to someone who walks round it, although its faces look the right way: it is open somewhere.

    Why: through an opening one sees the inside of the far wall. It is not drawn, so one looks straight through the model.
    Measured: parallel rays from 42 directions evenly round the model, 1,600 each, and 16 rays aimed at each of up to 2,000 openings; a ray counts that first meets the back of a single-sided face without a front in its place or within a five-hundredth of the size behind it. A note where nothing is open and it is under half a per cent. Faces that look away are told by facing.inward instead.
    Source: common practice, no published source.
    """
    if intent.seen_from != "outside":
        yield Skipped(say("facing.walk-round.not-outside"))
        return
    if sheet.receiver.back_faces == "shown":
        yield Skipped(say("facing.both-sides", sheet=sheet.name))
        return
    if measures.walk is None or any(side.turned for _, side, _, _ in _judged(measures, intent)):
        yield Skipped(say("facing.walk-round.faces-first") if measures.walk else say("facing.too-large"))
        return
    walk = measures.walk
    names = {n.index: n.name for n in measures.nodes}
    # Backs of what is turned inward on purpose are meant to be seen.
    meant = {part.node for part in measures.parts if seen_from(intent, part.name) != "outside"}
    backs = walk.backs - sum(n for node, n in walk.backs_of.items() if node in meant)
    open_holes = [i for i in walk.open_holes if i not in meant]
    share = backs / walk.rays if walk.rays else 0.0
    if share <= BACKS and not open_holes:
        return
    through = ", ".join(names[i] for i in open_holes[:3]) + (" …" if len(open_holes) > 3 else "")
    where = (
        f"; most from {heading(walk.worst, measures.up_axis or sheet.up_axis)}, {percent(walk.worst_share)} there"
        if walk.worst and backs and not meant
        else ""
    )
    title = say(
        "facing.walk-round", share=share, where=where, open=say("facing.walk-round.open", through=through) if through else ""
    )
    yield Finding(
        # What only a look straight into it meets is nothing that anybody walks into.
        (title if backs else say("facing.walk-round.opening", through=through)),
        value(share, "share"),
        value(0.0, "share"),
        backs,
        names.get(open_holes[0]) if open_holes else None,
        open_holes[0] if open_holes else None,
        nodes(open_holes) if open_holes else None,
        (*_filled(measures, open_holes), Call("facing.double-sided", {})),
        why=_CARDS if _all_flat(measures, set(walk.backs_of) - meant) else "",
        samples=walk.rays,
        result="" if backs and (open_holes or share > SLIVER) else "note",
    )


#: Why backs of parts without thickness are seen.
_CARDS = "From behind, a flat part that is drawn from one side is not there at all: it vanishes as one walks round it."


def _all_flat(measures: Measures, parts: set[int]) -> bool:
    return bool(parts) and all(measures.meshes[part.mesh].surface.flat for part in measures.parts if part.node in parts)


def _filled(measures: Measures, open_parts: list[int]) -> tuple[Call, ...]:
    """The offer to fill small openings of parts that one looks into; what is open on a large scale is meant to be, as a cup is."""
    wanted = set(open_parts)
    found = [part for part in measures.parts if part.node in wanted]
    small = [
        hole * unit_of(measures) * p.enlarges
        for p in found
        for hole in measures.meshes[p.mesh].surface.holes
        if hole < SMALL * measures.meshes[p.mesh].surface.size
    ]
    if not small:
        return ()
    return (
        Call(
            "surface.fill", {"across_mm": float(f"{max(small) * 1001:.4g}"), "parts": [node_key(measures, p.node) for p in found]}
        ),
    )


@check(
    "facing.back-to-back",
    title="Faces back to back",
    result="note",
    mends=("facing.double-sided",),
    explains={"striped": BY_ITSELF, "inside-out": SELDOM},
)
def back_to_back(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces over the same points as another, wound the other way: a second skin that makes a sheet visible from both sides.

    Why: it costs twice the triangles, flickers where light or depth is computed, and many upload gates reject it; a double-sided
    material does the same with one face.
    Measured: faces over the same welded points in the opposite order.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.opposed:
            yield counted(
                measures,
                part,
                n,
                say("facing.back-to-back", faces=n, part=part.name),
                "opposed",
                "faces",
            )


@check(
    "facing.normals-opposed",
    title="Normals that point away from their faces",
    result="caution",
    mends=("facing.turn", "facing.turn-normals", "facing.normals"),
    follows=("facing.inward",),
    explains={"black": BY_ITSELF, "shading": BY_ITSELF, "inside-out": OFTEN},
)
def normals_opposed(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Faces that all of their own stored normals point away from.

    Why: they are lit from the wrong side: dark in the sun, bright in the shade. Either the faces or their normals were flipped
    alone.
    Measured: the dot product of the face's normal by winding with the stored normal at each corner, below 0 at every one.
    Source: glTF 2.0 §3.7.2.1: normals are unit vectors of the surface; winding per §3.7.4.
    """
    for part, mesh in first_parts(measures):
        if n := mesh.surface.normals_opposed:
            found = counted(
                measures,
                part,
                n,
                say("facing.normals-opposed", faces=n, part=part.name),
                "normals-opposed",
                "faces",
            )
            parts = [node_key(measures, part.node)]
            named = named_faces(measures, part, "normals-opposed")
            few = tuple(Call(mend, {"faces": named, "parts": parts}) for mend in ("facing.turn", "facing.turn-normals"))
            # For a few faces nobody wants all the others lit anew.
            whole = Call(_LIT[0], {**_LIT[1], "parts": parts})
            yield replace(
                found,
                mends=(
                    *(few if named is not None else ()),
                    *((whole,) if n > _MANY * mesh.faces or named is None else ()),
                ),
            )


@check(
    "facing.normals-broken",
    title="Invalid normals",
    result="caution",
    mends=("facing.normals",),
    follows=("surface.zero-area",),
    explains={"white": SELDOM, "black": BY_ITSELF, "shading": OFTEN},
)
def normals_broken(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Stored normals that are zero, no numbers, or not of length 1.

    Why: a zero normal is lit black, one that is not a number spreads black or white blots, and one that is too long shines too
    brightly.
    Measured: length of each stored normal, 1 within 0.01.
    Source: glTF 2.0 §3.7.2.1: NORMAL holds unit-length vectors.
    """
    for part, mesh in first_parts(measures):
        zero, long = mesh.surface.normals_broken, mesh.surface.normals_uneven
        for n, name, words in ((zero, "normals-broken", "zero or no number"), (long, "normals-uneven", "not of length 1")):
            if n:
                yield Finding(
                    say("facing.normals-broken", vertices=n, part=part.name, what=words),
                    value(n, "count"),
                    value(0, "count"),
                    n,
                    part.name,
                    part.node,
                    of_mesh(measures, part, name, "vertices"),
                    (Call("facing.normals", {"angle": 40, "parts": [node_key(measures, part.node)]}),),
                    key=f"{node_key(measures, part.node)}/{name}",
                    result="" if name == "normals-broken" else "note",
                )


@check(
    "facing.normals-missing",
    title="No normals stored",
    result="note",
    mends=("facing.normals",),
    explains={"black": SELDOM, "shading": OFTEN},
)
def normals_missing(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Curved meshes that store no normals.

    Why: each program then computes its own: faceted in one, smooth over hard edges in another.
    Measured: meshes without a normal at some corner and with edges whose faces meet at 1° to 60°, which could be meant either way.
    Source: glTF 2.0 §3.7.2.1: where normals are not given, flat normals are to be calculated.
    """
    found = [(part, mesh) for part, mesh in first_parts(measures) if mesh.surface.normals_missing and mesh.surface.soft]
    if found:
        first_part = found[0][0]
        yield Finding(
            say("facing.normals-missing", meshes=len(found), first=first_part.name),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            first_part.name,
            first_part.node,
            nodes([x.node for x, _ in found]),
            (Call("facing.normals", {"angle": 40}),),
        )


@check(
    "facing.smeared", title="Hard edges shaded smooth", result="note", mends=("facing.normals",), explains={"shading": BY_ITSELF}
)
def smooth_sharp_edges(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Edges between faces at more than 80° that share their normals at both ends.

    Why: light runs round the corner in stripes and blots, the "weird triangles" of a smooth-shaded box.
    Measured: edges of two faces that meet at more than 80°, whose stored normals agree across the edge within 2.5° at both ends; told from 3 such edges and 2 % of all on.
    Source: common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        n = mesh.surface.smeared
        if n >= 3 and n > 0.02 * mesh.faces * 1.5:
            yield counted(
                measures,
                part,
                n,
                say("facing.smeared", edges=n, part=part.name),
                "smeared",
                "edges",
                _LIT,
            )


@check("facing.faceted", title="Curves shaded flat", result="note", mends=("facing.normals",), explains={"shading": BY_ITSELF})
def faceted(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Curved meshes whose stored normals make every edge hard.

    Why: a ball comes in as a cut stone, and each point is stored once for each of its faces, which costs several times the
    vertices.
    Measured: edges whose faces meet at 1° to 60°, where they are the greater part of all edges, over 95 % of which have another normal on either side; from 32 faces on.
    Source: glTF 2.0 §3.7.2.1 (normals are stored by vertex); that it may be meant is common practice, no published source.
    """
    for part, mesh in first_parts(measures):
        if mesh.faces >= 32 and mesh.surface.faceted > 0.95:
            yield Finding(
                say("facing.faceted", part=part.name, share=mesh.surface.faceted),
                value(mesh.surface.faceted, "share"),
                value(0.0, "share"),
                mesh.faces,
                part.name,
                part.node,
                nodes([part.node]),
                (Call(_LIT[0], {**_LIT[1], "parts": [node_key(measures, part.node)]}),),
                key=node_key(measures, part.node),
            )

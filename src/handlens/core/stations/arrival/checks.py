"""Arrival: what came in the box, and what should not have come."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, nodes, value
from ...formats.table import BY_NAME
from ...measures import Measures
from ...measures.records import NodeFigures, PartFigures
from ...rules import Intent, RuleSheet
from ...words.anchors import is_place, is_unnamed
from ...words.calls import Call
from .messages import say

Found = Iterator[Finding | Skipped]


@check("arrival.empty", title="Nothing to draw", result="stop", explains={"gone": BY_ITSELF, "refused": BY_ITSELF})
def empty(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts without faces, or a file without any part that has some.

    Why: nothing appears there; usually the wrong thing was selected on export.
    Measured: faces, lines and points of each part.
    Source: common practice, no published source.
    """
    drawn = [part for part in measures.parts if measures.meshes[part.mesh].faces]
    if not drawn:
        vertices = sum(mesh.vertices for mesh in measures.meshes)
        title = say("arrival.empty.vertices-only", vertices=vertices) if vertices else say("arrival.empty")
        yield Finding(title, value(0, "count"), value(1, "count"), key="file")
        return
    for part in measures.parts:
        mesh = measures.meshes[part.mesh]
        if not mesh.faces and not mesh.loose_edges:
            title = say("arrival.empty.part", part=part.name, vertices=mesh.vertices)
            yield Finding(
                title,
                value(0, "count"),
                value(1, "count"),
                part=part.name,
                node=part.node,
                elements=nodes([part.node]),
                key=node_key(measures, part.node),
            )


@check(
    "arrival.not-finite",
    title="Positions that are not numbers",
    result="stop",
    explains={"hole": SELDOM, "gone": BY_ITSELF, "refused": BY_ITSELF},
)
def not_finite(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices with a coordinate that is infinite or not a number.

    Why: one such vertex throws the part's bounds away, so it vanishes or the file is refused.
    Measured: every stored coordinate.
    Source: glTF 2.0 §3.6.2.2 forbids NaN and infinity in accessors; IEEE 754-2019 defines them.
    """
    for part in measures.parts:
        count = measures.meshes[part.mesh].not_finite
        if count:
            title = say("arrival.not-finite", vertices=count, part=part.name)
            yield Finding(
                title,
                value(count, "vertices"),
                value(0, "vertices"),
                count,
                part.name,
                part.node,
                Elements("vertices", measures.array(f"mesh:{part.mesh}:not-finite")),
                key=node_key(measures, part.node),
            )


@check("arrival.broken-references", title="References that lead nowhere", result="caution", explains={"refused": BY_ITSELF})
def broken_references(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes, materials, images, joints or channels that are named but do not exist, and tables of the wrong length.

    Why: a strict importer refuses the whole file for one of them; a lenient one drops what hangs on it.
    Measured: every index in the file against the list that it points into.
    Source: glTF 2.0 §3.1: references must be valid indices; elsewhere common practice, no published source.
    """
    bad = [
        problem for problem in measures.problems if problem.kind in ("broken-reference", "two-parents", "count", "no-positions")
    ]
    if bad:
        title = say("arrival.broken-references", references=len(bad), first=bad[0].text)
        yield Finding(title, value(len(bad), "count"), value(0, "count"), len(bad))


@check("arrival.not-read", title="Content that was not read", result="note", explains={"gone": SELDOM, "refused": SELDOM})
def not_read(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Statements, free-form surfaces, odd numbers or faces that the file holds but a mesh cannot.

    Why: what is not read here is not read at the destination either, and is then missing without a message.
    Measured: counted while reading.
    Source: common practice, no published source.
    """
    for problem in measures.problems:
        if problem.kind in ("free-form", "unknown-statement", "decimal-comma", "thin-face", "not-carried"):
            yield Finding(
                say("arrival.not-read", what=problem.text), value(problem.kind, "text"), value("none", "text"), key=problem.kind
            )


@check("arrival.cameras", title="Cameras came along", result="note", mends=("arrival.remove",), explains={"refused": SELDOM})
def cameras(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Cameras that travel with the model.

    Why: they turn up as stray objects there, and some viewers look through the first one they find.
    Measured: cameras in the file.
    Source: common practice, no published source.
    """
    if measures.cameras:
        yield Finding(
            say("arrival.cameras", cameras=measures.cameras),
            value(measures.cameras, "count"),
            value(0, "count"),
            measures.cameras,
            elements=nodes(measures.camera_nodes),
            mends=(Call("arrival.remove", {"what": "cameras"}),),
        )


@check("arrival.lights", title="Lights came along", result="note", mends=("arrival.remove",), explains={"refused": SELDOM})
def lights(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Lights that travel with the model: studio lamps, mostly.

    Why: they light the whole scene there and cost time in every frame.
    Measured: lights in the file.
    Source: common practice, no published source.
    """
    if measures.lights:
        yield Finding(
            say("arrival.lights", lights=measures.lights),
            value(measures.lights, "count"),
            value(0, "count"),
            measures.lights,
            elements=nodes(measures.light_nodes),
            mends=(Call("arrival.remove", {"what": "lights"}),),
        )


@check(
    "arrival.lines",
    title="Lines and loose edges",
    result="caution",
    mends=("arrival.remove", "arrival.thicken-lines"),
    explains={"gone": OFTEN},
)
def lines(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Line elements: construction curves, or detail drawn with edges.

    Why: they are not drawn there, so detail made of them vanishes; the rest is dead weight.
    Measured: line elements of each part.
    Source: common practice, no published source.
    """
    for part in measures.parts:
        count = measures.meshes[part.mesh].loose_edges
        if count:
            yield Finding(
                say("arrival.lines", part=part.name, edges=count),
                value(count, "count"),
                value(0, "count"),
                count,
                part.name,
                part.node,
                Elements("edges", measures.array(f"mesh:{part.mesh}:lines")),
                (Call("arrival.remove", {"what": "lines"}), *_thicker(measures, sheet, part)),
                key=node_key(measures, part.node),
            )


#: A line that is made a body is so wide, as a share of the part's longest side: thin, and still seen (common practice, no published source).
_LINE = 1 / 200


def _thicker(measures: Measures, sheet: RuleSheet, part: PartFigures) -> tuple[Call, ...]:
    """The offer to make lines of a part bodies, by its size; none where it has no size or joints carry it."""
    if part.bounds_min is None or part.bounds_max is None or part.skinned:
        return ()
    longest = max(high - low for low, high in zip(part.bounds_min, part.bounds_max, strict=True))
    width = longest * (measures.unit_metres or sheet.unit_metres) * _LINE * 1000
    if not 0 < width < 1e9:
        return ()
    return (Call("arrival.thicken-lines", {"width_mm": float(f"{width:.1g}"), "parts": [node_key(measures, part.node)]}),)


def bare(measures: Measures) -> list[NodeFigures]:
    """Nodes that hold nothing and below which nothing hangs either; joints and animated nodes are not bare."""
    holds = {n.index for n in measures.nodes if n.kind in ("mesh", "camera", "light", "joint") or n.driven}
    by_index = {n.index: n for n in measures.nodes}
    for i in list(holds):
        while (i := by_index[i].parent if i in by_index else -1) >= 0 and i not in holds:
            holds.add(i)
    return [n for n in measures.nodes if n.index not in holds]


@check("arrival.empties", title="Empty nodes", result="note", mends=("arrival.remove",))
def empties(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes that hold no mesh, camera, light or joint, and nothing below them does.

    Removing them is only offered where nobody named them: what has a name of its own may be looked up by it.

    Why: they arrive as stray objects that somebody has to delete.
    Measured: nodes of the scene without content, but for those whose name says that something is to be put or aimed there.
    Source: common practice, no published source.
    """
    found = [n for n in bare(measures) if "lod" not in n.name.casefold() and not is_place(n.name)]
    if found:
        names = ", ".join(n.name for n in found[:3]) + (" …" if len(found) > 3 else "")
        yield Finding(
            say("arrival.empties", nodes=len(found), names=names),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=nodes([n.index for n in found]),
            mends=(Call("arrival.remove", {"what": "empties"}),) if all(is_unnamed(n.name) for n in found) else (),
        )


@check("arrival.detail-levels", title="Levels of detail without meshes", result="caution", mends=("arrival.remove",))
def detail_levels(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes named as a level of detail that hold no mesh.

    Why: an importer that builds levels of detail from names finds one with nothing in it, and shows nothing at that distance.
    Measured: empty nodes with "LOD" in their name.
    Source: common practice, no published source.
    """
    found = [n for n in bare(measures) if "lod" in n.name.casefold()]
    if found:
        yield Finding(
            say("arrival.detail-levels", levels=len(found), first=found[0].name),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=nodes([n.index for n in found]),
            mends=(Call("arrival.remove", {"what": "empties"}),),
        )


@check(
    "arrival.hidden", title="Hidden nodes", result="note", mends=("arrival.remove",), explains={"hole": SELDOM, "gone": BY_ITSELF}
)
def hidden(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes that the file marks as not visible.

    Why: a destination that does not know the mark shows them all.
    Measured: the file's own visibility marks.
    Source: glTF extension KHR_node_visibility.
    """
    found = [n.index for n in measures.nodes if n.hidden]
    if found:
        yield Finding(
            say("arrival.hidden", nodes=len(found)),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=nodes(found),
            mends=(Call("arrival.remove", {"what": "hidden"}),),
        )


@check("arrival.unplaced", title="Meshes that no node uses", result="note", explains={"gone": BY_ITSELF})
def unplaced(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Meshes that no node of the scene uses.

    Why: they add to the file and are never seen.
    Measured: mesh data blocks without a node in the default scene.
    Source: common practice, no published source.
    """
    used = {part.mesh for part in measures.parts}
    spare = [mesh.name or f"mesh[{k}]" for k, mesh in enumerate(measures.meshes) if k not in used]
    if spare:
        yield Finding(
            say("arrival.unplaced", meshes=len(spare), first=spare[0]),
            value(len(spare), "count"),
            value(0, "count"),
            len(spare),
        )


@check(
    "arrival.copies-in-place",
    title="Duplicate parts in the same place",
    result="caution",
    mends=("arrival.remove-parts",),
    explains={"striped": BY_ITSELF},
)
def copies_in_place(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts with the same faces in the same place as another part.

    Why: the two surfaces fight for every pixel and flicker, and everything is drawn twice.
    Measured: equal shape (positions to 1e-5 of the size) and equal world bounds (to 1e-5 of the size).
    Source: common practice, no published source.
    """
    pairs = [(first, twin) for group in _same_shape(measures) for first, twins in _in_one_place(group) for twin in twins]
    if not pairs:
        return
    # However many parts a second copy of a whole has, it is one thing to tell, and one to mend.
    first, twin = pairs[0]
    stands = f"{twin.name} stands" if len(pairs) == 1 else f"{len(pairs):,} parts stand"
    where = f"{first.name} does" if len(pairs) == 1 else f"others do: {twin.name} where {first.name} does"
    yield Finding(
        say("arrival.copies-in-place", part_stands=stands, where=where, pairs=len(pairs)),
        value(len(pairs), "count"),
        value(0, "count"),
        len(pairs),
        twin.name,
        twin.node,
        nodes([p.node for _, p in pairs]),
        (Call("arrival.remove-parts", {"parts": [node_key(measures, p.node) for _, p in pairs]}),),
    )


def _in_one_place(group: list[PartFigures]) -> list[tuple[PartFigures, list[PartFigures]]]:
    """Parts of the same shape with those that stand where they do, each part with the first in its place.

    Only parts whose low corners fall into the same cell of a grid, or into cells side by side, are compared.
    """
    cells: dict[tuple[int, ...], list[int]] = {}
    found: list[tuple[PartFigures, list[PartFigures]]] = []
    for part in group:
        at = _cell(part)
        near = [] if at is None else [k for cell in _around(part, at) for k in cells.get(cell, ())]
        twin = next((k for k in sorted(near) if _same_bounds(part, found[k][0])), None)
        if twin is not None:
            found[twin][1].append(part)
        elif at is not None:
            cells.setdefault(at, []).append(len(found))
            found.append((part, []))
    return [entry for entry in found if entry[1]]


def _cell(part: PartFigures, power: int | None = None) -> tuple[int, ...] | None:
    """The cell that a part's low corner lies in, of a grid as wide as a power of two that is above twice the tolerance for a part of
    its size; None where its place is no number."""
    low, high = part.bounds_min, part.bounds_max
    assert low is not None
    assert high is not None
    size = math.dist(low, high) or 1.0
    if not (all(map(math.isfinite, low)) and math.isfinite(size)):
        return None
    power = math.ceil(math.log2(2e-5 * size)) if power is None else power
    width = 2.0**power
    return (power, *(math.floor(v / width) for v in low))


def _around(part: PartFigures, cell: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
    """A part's cell and those about it; and those of the next grid where its size is that of a part which falls into that one."""
    exact = math.log2(2e-5 * (math.dist(part.bounds_min or (), part.bounds_max or ()) or 1.0))
    for grid in {cell[0], math.ceil(exact - 1e-3), math.ceil(exact + 1e-3)}:
        _, *at = _cell(part, grid) or cell
        yield from (
            (grid, x, y, z)
            for x in (at[0] - 1, at[0], at[0] + 1)
            for y in (at[1] - 1, at[1], at[1] + 1)
            for z in (at[2] - 1, at[2], at[2] + 1)
        )


@check(
    "arrival.copies-stored", title="The same mesh stored more than once", result="note", explains={"slow": OFTEN}, revealed=True
)
def copies_stored(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that stand in different places but store the same faces again instead of sharing them.

    Why: the file and the memory grow with every copy, and a change has to be made in each.
    Measured: equal shape (positions to 1e-5 of the size) over distinct sets of stored positions.
    Source: common practice, no published source.
    """
    if "instances" not in BY_NAME[measures.format].holds:
        yield Skipped(say("arrival.copies-stored.not-shared"))
        return
    for group in _same_shape(measures):
        blocks = list(dict.fromkeys(measures.meshes[p.mesh].stored_as for p in group))
        apart = any(not _same_bounds(p, group[0]) for p in group[1:])
        if len(blocks) > 1 and apart:
            yield Finding(
                say("arrival.copies-stored", part=group[0].name, times=len(blocks)),
                value(len(blocks), "count"),
                value(1, "count"),
                len(blocks),
                group[0].name,
                group[0].node,
                nodes([p.node for p in group]),
                key=node_key(measures, group[0].node),
            )


def _same_shape(measures: Measures) -> list[list[PartFigures]]:
    groups: dict[object, list[PartFigures]] = {}
    for part in measures.parts:
        if measures.meshes[part.mesh].faces and part.bounds_min is not None:
            groups.setdefault(measures.meshes[part.mesh].shape_key or part.mesh, []).append(part)
    return [group for group in groups.values() if len(group) > 1]


def _same_bounds(a: PartFigures, b: PartFigures) -> bool:
    low, high = np.array([a.bounds_min, b.bounds_min]), np.array([a.bounds_max, b.bounds_max])
    size = float(np.linalg.norm(high[0] - low[0])) or 1.0
    return bool(np.abs(low[0] - low[1]).max() <= 1e-5 * size and np.abs(high[0] - high[1]).max() <= 1e-5 * size)


@check("arrival.crumbs", title="Too many parts", result="note", held_to=("limits.parts",), explains={"slow": OFTEN})
def crumbs(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """More parts than the destination wants.

    Why: each part is drawn, culled and listed by itself; hundreds of crumbs cost more than their triangles.
    Measured: mesh instances in the scene.
    Source: common practice, no published source.
    """
    if sheet.limits.parts is None:
        yield Skipped(say("arrival.crumbs.no-limit", sheet=sheet.name))
    elif len(measures.parts) > sheet.limits.parts:
        yield Finding(
            say("arrival.crumbs", parts=len(measures.parts)),
            value(len(measures.parts), "count"),
            value(sheet.limits.parts, "count"),
            len(measures.parts),
        )


@check("arrival.fused", title="Everything fused into one mesh", result="note")
def fused(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """A character whose separate pieces all sit in one mesh.

    Why: a hat or a tool that is fused in cannot be taken off, hidden or swapped there.
    Measured: pieces that share no welded position, where the file has a single mesh of at most 250,000 faces.
    Source: common practice, no published source.
    """
    if intent.kind != "character":
        yield Skipped(say("arrival.fused.no-character"))
        return
    if len(measures.parts) != 1:
        return
    part = measures.parts[0]
    pieces = measures.meshes[part.mesh].pieces
    if pieces is None:
        yield Skipped(say("arrival.fused.too-large"))
    elif pieces > 1:
        yield Finding(
            say("arrival.fused", part=part.name, pieces=pieces),
            value(pieces, "count"),
            value(1, "count"),
            pieces,
            part.name,
            part.node,
        )

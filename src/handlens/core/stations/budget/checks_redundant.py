"""Budget: triangles and vertices that are spent for nothing."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ...declare.check import Elements, Finding, Skipped, check, node_key, nodes, value
from ...declare.station_measures import reading
from ...kit.parts import first_parts, unit_of
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import about, plain
from .measures import FEW, MUCH, OCTAVE, OWN, SMALL_SHARE, SPLIT, SPLIT_FROM
from .messages import say
from .records import BudgetMeasures, TrianglesOf

Found = Iterator[Finding | Skipped]

#: From here on it is most of a mesh that is large enough to matter.
MANY, MOST = 1_000, 0.5
#: Height of the angle of view that distances are turned into pixels with, in degrees.
VIEW = 60.0
#: Share of a part's triangles that may be smaller than a pixel where it is seen from nearest.
TINY = 0.25

_spent = reading(OWN.of, "what triangles cost for nothing")


def by_mesh(budget: BudgetMeasures) -> dict[int, TrianglesOf]:
    """The figures of each mesh by its number."""
    return {mesh.mesh: mesh for mesh in budget.meshes}


@check("budget.flat", title="Coplanar triangles", result="note")
@_spent
def flat(budget: BudgetMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Neighbouring faces that lie in one plane, with UVs, normals and colours running on over them, and more triangles than the
    outline of their region needs.

    Why: each costs as much as any other, and no pixel would change without them.
    Measured: triangles before and after such regions are cut anew, in a plane within 4 steps of a 32-bit float. A caution from 1,000
    on where they are half the mesh or more.
    Source: common practice, no published source.
    """
    own = by_mesh(budget)
    for part, mesh in first_parts(measures):
        figures = own.get(part.mesh)
        if figures is None or figures.freed < FEW or figures.freed < SMALL_SHARE * mesh.triangles:
            continue
        yield Finding(
            say("budget.flat", part=part.name, triangles=mesh.triangles, enough=mesh.triangles - figures.freed),
            value(figures.freed, "triangles"),
            value(0, "triangles"),
            figures.freed,
            part.name,
            part.node,
            Elements("faces", measures.array(f"budget:{part.mesh}:flat")),
            (Call("budget.merge-flat", {"parts": [node_key(measures, part.node)]}),),
            key=node_key(measures, part.node),
            result="caution" if figures.freed >= MANY and figures.freed >= MOST * mesh.triangles else "note",
        )


@check("budget.subdivided", title="Regular subdivision", result="note")
@_spent
def subdivided(budget: BudgetMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Every face was cut into a regular pattern, once or several times, and could be taken back to what it was cut from.

    Why: subdividing rounds a shape and multiplies its triangles by four each time; it is the part of a model that can be undone
    exactly, points, UVs and weights of before included.
    Measured: steps that can be taken back on whole connected pieces, where no point that goes lies farther off the middle of its
    side than 1/500 of the mesh's size.
    Source: the two patterns are those of Loop (1987) and of Catmull and Clark (1978).
    """
    own = by_mesh(budget)
    for part, mesh in first_parts(measures):
        figures = own.get(part.mesh)
        gone = 0 if figures is None else mesh.triangles - figures.before
        # What merging flat faces frees as well is told there: one cause once.
        if figures is None or not figures.steps or gone < max(FEW, MUCH * mesh.triangles) or figures.freed >= 0.9 * gone:
            continue
        bent = figures.bent * part.enlarges * unit_of(measures)
        yield Finding(
            say(
                "budget.subdivided", part=part.name, times=_times(figures.steps), triangles=mesh.triangles, before=figures.before
            ),
            value(mesh.triangles, "triangles"),
            value(figures.before, "triangles"),
            gone,
            part.name,
            part.node,
            nodes([part.node]),
            (
                Call(
                    "budget.take-back", {"steps": figures.steps if bent <= 1e-6 else 1, "parts": [node_key(measures, part.node)]}
                ),
            ),
            key=node_key(measures, part.node),
            why="Each step made four of every triangle"
            + (
                f"; the points that it made lie up to {about(bent)} off the middles of their sides."
                if bent > 1e-6
                else ", and no point moved."
            ),
        )


def _times(n: int) -> str:
    return {1: "once", 2: "twice"}.get(n, f"{n} times")


@check("budget.subpixel", title="Detail smaller than a pixel", result="note")
@_spent
def subpixel(budget: BudgetMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Triangles whose longest side covers less than a pixel where the thing is seen from nearest.

    Why: a card still works on each of them, several times over for one pixel, and they flicker.
    Measured: longest sides against a pixel at the nearest view of the intent, a screen of so many pixels showing 60° of height.
    Source: the picture of a length at a distance (perspective projection); the angle is common practice, no published source.
    """
    views = {part.node: intent.of_part(part.name).nearest_view_m or intent.nearest_view_m for part in measures.parts}
    if not any(views.values()):
        yield Skipped(say("budget.subpixel.no-distance"))
        return
    own = by_mesh(budget)
    for placed, mesh in first_parts(measures):
        figures, view = own.get(placed.mesh), views[placed.node]
        if figures is None or view is None:
            continue
        pixel = pixel_size(view, intent.screen_px)
        tiny = smaller_than(figures, pixel / (placed.enlarges * unit_of(measures)) if placed.enlarges > 0 else 0.0)
        if tiny < FEW or tiny < TINY * mesh.triangles:
            continue
        yield Finding(
            say("budget.subpixel", tiny=tiny, triangles=mesh.triangles, part=placed.name, distance=view),
            value(tiny, "triangles"),
            value(0, "triangles"),
            tiny,
            placed.name,
            placed.node,
            nodes([placed.node]),
            (Call("budget.reduce", {"deviation_mm": float(f"{pixel * 500:.3g}"), "parts": [node_key(measures, placed.node)]}),),
            key=node_key(measures, placed.node),
        )


def pixel_size(distance: float, pixels: int) -> float:
    """Metres that a pixel covers at a distance in metres, on a screen so many pixels high."""
    return 2 * distance * math.tan(math.radians(VIEW / 2)) / pixels


def smaller_than(triangles: TrianglesOf, size: float) -> int:
    """Triangles whose longest side is surely less than a size, in the mesh's unit: whole quarter octaves below it."""
    if not size > 0:
        return 0
    return sum(n for octave, n in triangles.sizes if 2 ** ((octave + 1) / OCTAVE) <= size)


@check("budget.split-vertices", title="Vertices multiplied by seams and hard edges", result="note")
@_spent
def split_vertices(budget: BudgetMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts of which a card gets several vertices for each point.

    Why: normals, UVs or colours that differ from face to face at one point make a vertex for each; a model that is shaded flat by
    mistake costs several times its points.
    Measured: vertices as a card gets them over distinct points, and how many there would be with normals, UVs or colours alone.
    Source: common practice, no published source; a closed mesh has about two triangles for each point (Euler's formula).
    """
    own = by_mesh(budget)
    for part, mesh in first_parts(measures):
        figures = own.get(part.mesh)
        if figures is None or not figures.points or mesh.gpu_vertices < SPLIT_FROM or mesh.gpu_vertices < SPLIT * figures.points:
            continue
        by, count = split_by(figures)
        yield Finding(
            say("budget.split-vertices", part=part.name, vertices=mesh.gpu_vertices, points=figures.points, cause=by),
            value(mesh.gpu_vertices, "vertices"),
            value(figures.points, "vertices"),
            mesh.gpu_vertices - figures.points,
            part.name,
            part.node,
            nodes([part.node]),
            key=node_key(measures, part.node),
            why=f"Each is worked out and kept by itself; with {by} alone there would be {plain(count / figures.points)} for each point.",
        )


def split_by(triangles: TrianglesOf) -> tuple[str, int]:
    """What multiplies the vertices of a mesh most, and to how many alone."""
    return max(
        (("normals", triangles.by_normals), ("UVs", triangles.by_uvs), ("colours", triangles.by_colours)), key=lambda x: x[1]
    )

"""What the ledger shows for Surface."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, count, distance, row, table, worst_first
from ...kit.parts import first_parts, unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Surface, by measures, sheet and intent."""
    rows = []
    total = {"odd": 0, "open": 0, "spare": 0, "seams": 0}
    for part, mesh in first_parts(measures):
        surface = mesh.surface
        odd, spare = (
            surface.concave + surface.crossing + surface.bent,
            mesh.zero_area_faces + surface.alike + (mesh.loose_points if mesh.faces else 0),
        )
        total["odd"] += odd
        total["open"] += surface.hole_count
        total["spare"] += spare
        total["seams"] += surface.doubles[-1]
        unit = unit_of(measures) * part.enlarges
        rows.append(
            row(
                {
                    "part": part.name,
                    "many": count(sum(surface.by_corners.values())),
                    "odd": count(odd),
                    "spare": count(spare),
                    "crowded": count(surface.crowded),
                    "open": count(surface.hole_count),
                    "largest": distance(surface.holes[0] * unit) if surface.holes else "",
                    "seams": count(surface.doubles[-1]),
                },
                node=part.node,
                result="caution"
                if spare or surface.doubles[-1] or surface.concave or surface.crossing or surface.crowded
                else "note"
                if odd or surface.hole_count
                else "clear",
            )
        )
    return Panel(
        about="polygons, seams, openings and leftovers",
        line=f"{total['spare']:,} degenerate, {plural(total['open'], 'opening')}"
        if total["spare"] or total["open"]
        else "closed and clean",
        limit=f"{total['seams']:,} unwelded" if total["seams"] else None,
        meter=None,
        headline=[
            Figure(f"{total['odd']:,}", "", "ambiguous polygons", "caution" if total["odd"] else "clear"),
            Figure(f"{total['spare']:,}", "", "degenerate elements", "caution" if total["spare"] else "clear"),
            Figure(f"{total['open']:,}", "", "openings", "note" if total["open"] else "clear"),
            Figure(f"{total['seams']:,}", "", "points not welded", "caution" if total["seams"] else "clear"),
        ],
        tables=[
            table(
                "meshes",
                "By mesh",
                [
                    ("part", "Part", False),
                    ("many", "N-gons", True),
                    ("odd", "Not flat", True),
                    ("spare", "Degenerate", True),
                    ("crowded", "Non-manifold", True),
                    ("open", "Openings", True),
                    ("largest", "Largest", True),
                    ("seams", "Unwelded", True),
                ],
                worst_first(rows),
            )
        ],
    )

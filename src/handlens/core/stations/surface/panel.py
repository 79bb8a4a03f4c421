"""What the ledger shows for Surface."""

from __future__ import annotations

from ...kit.panel import Figure, Panel, count, distance, row, table, worst_first
from ...kit.parts import first_parts, unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Surface, by measures, sheet and intent."""
    rows = []
    total = {"odd": 0, "open": 0, "spare": 0, "seams": 0}
    for p, mesh in first_parts(measures):
        s = mesh.surface
        odd, spare = s.concave + s.crossing + s.bent, mesh.zero_area_faces + s.alike + (mesh.loose_points if mesh.faces else 0)
        total["odd"] += odd
        total["open"] += s.hole_count
        total["spare"] += spare
        total["seams"] += s.doubles[-1]
        unit = unit_of(measures) * p.enlarges
        rows.append(
            row(
                {
                    "part": p.name,
                    "many": count(sum(s.by_corners.values())),
                    "odd": count(odd),
                    "spare": count(spare),
                    "crowded": count(s.crowded),
                    "open": count(s.hole_count),
                    "largest": distance(s.holes[0] * unit) if s.holes else "",
                    "seams": count(s.doubles[-1]),
                },
                node=p.node,
                result="caution"
                if spare or s.doubles[-1] or s.concave or s.crossing or s.crowded
                else "note"
                if odd or s.hole_count
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

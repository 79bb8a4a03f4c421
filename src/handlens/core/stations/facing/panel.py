"""What the ledger shows for Facing."""

from __future__ import annotations

from ...declare.panel import Cell, Figure, Panel, count, number, row, table, worst_first
from ...kit.parts import first_parts, seen_from
from ...measures import Measures
from ...measures.records import SideFigures
from ...rules import Intent, RuleSheet
from ...scene.headings import heading
from ...words.figures import percent, percent_of
from .checks import BACKS

SEEN_WORDS = {"outside": "outside", "inside": "inside", "both": "both sides", "inverted": "outside, inverted on purpose"}


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Facing, by measures, sheet and intent."""
    names = {part.node: part for part in measures.parts}
    rows, wrong, judged = [], 0.0, 0.0
    for figures in measures.facing:
        name = names[figures.node]
        side = seen_from(intent, name.name)
        seen = figures.inside if side == "inside" else figures.outside
        surface = measures.meshes[name.mesh].surface
        if side in ("outside", "inside"):
            wrong, judged = wrong + seen.wrong, judged + seen.judged
        share = seen.wrong / seen.judged if seen.judged > 0 else 0.0
        rows.append(
            row(
                {
                    "part": name.name,
                    "from": side,
                    "away": count(seen.turned) if side in ("outside", "inside") else "–",
                    "share": number(share, percent(share), "1") if side in ("outside", "inside") else "–",
                    "sure": number(seen.confidence, f"{100 * seen.confidence:.0f} %", "1") if seen.judged > 0 else "–",
                    "unsure": _percent(seen.undecided, seen),
                    "winding": count(surface.disagreeing),
                },
                node=figures.node,
                result="stop" if seen.turned and side in ("outside", "inside") else "caution" if surface.disagreeing else "clear",
            )
        )
    away = sum(row.result == "stop" for row in rows)
    share = wrong / judged if judged > 0 else 0.0
    backs = measures.walk.backs / measures.walk.rays if measures.walk and measures.walk.rays else 0.0
    worst = (
        heading(measures.walk.worst, measures.up_axis or sheet.up_axis)
        if measures.walk and measures.walk.worst and measures.walk.backs
        else ""
    )
    edges = sum(mesh.surface.disagreeing for _, mesh in first_parts(measures))
    return Panel(
        about="which way faces look, and what that hides",
        line=f"{percent(share)} turned away"
        if measures.facing
        else "too large for rays"
        if measures.parts
        else "nothing to look at",
        limit=f"from {SEEN_WORDS[intent.seen_from]}",
        meter=None,
        headline=[
            Figure(percent_of(share), "%", "of the area is turned away", "stop" if share > 0 else "clear"),
            Figure(f"{away:,}", "", "parts with faces turned away", "stop" if away else "clear"),
            Figure(
                percent_of(backs),
                "%",
                f"of views see a back{', most from ' + worst if worst else ''}",
                "caution" if backs > BACKS else "clear",
            )
            if intent.seen_from == "outside"
            else Figure("–", "", "not walked round: it is not seen from outside"),
            Figure(f"{edges:,}", "", "edges with inconsistent winding", "caution" if edges else "clear"),
        ],
        tables=[
            table(
                "parts",
                "By part",
                [
                    ("part", "Part", False),
                    ("from", "Seen from", False),
                    ("away", "Faces away", True),
                    ("share", "Of its area", True),
                    ("sure", "Sure", True),
                    ("unsure", "Undecided", True),
                    ("winding", "Edges", True),
                ],
                worst_first(rows),
                asks="seen_from",
            )
        ],
    )


def _percent(area: float, figures: SideFigures) -> Cell | str:
    whole = figures.judged + figures.undecided + figures.hidden
    return number(area / whole, percent(area / whole), "1") if whole > 0 else "–"

"""What the ledger shows for Pivots."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, Row, distance, length, number, row, table
from ...kit.parts import unit_of
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.anchors import ANCHORS
from ...words.figures import plain
from .checks import FAR, free_parts, spin, wanted_pivots


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Pivots, by measures, sheet and intent."""
    unit, free = unit_of(measures), free_parts(measures)
    ought = {
        node: (name, ((at - to) ** 2).sum() ** 0.5)
        for node, _, name, at, to, _ in wanted_pivots(measures, intent, measures.up_axis or sheet.up_axis)
    }
    rows: list[Row] = []
    for part in free:
        named = ought.get(part.node)
        rows.append(
            row(
                {
                    "part": part.name,
                    "sweeps": distance(part.sweep * unit),
                    "needs": distance(part.needed * unit),
                    "spin": number(spin(part), plain(spin(part)), "1"),
                    "anchor": named[0].replace("-", " ") if named else "",
                    "off": distance(named[1] * unit) if named else "",
                },
                node=part.node,
                result="caution" if spin(part) > FAR else "clear",
                weight=spin(part),
            )
        )
    rows.sort(key=lambda r: -r.weight)
    worst = max((spin(part) for part in free), default=1.0)
    off = max((x[1] for x in ought.values()), default=0.0)
    far = sum(spin(part) > FAR for part in free)
    anchored = intent.pivot in ANCHORS
    return Panel(
        about="what each part turns about",
        line=f"sweeps × {plain(worst)}" if free else "no pivots of their own",
        limit=f"at {intent.pivot.replace('-', ' ')}" if anchored and intent.pivot else f"× {FAR:g} at most",
        meter=worst / FAR if free else None,
        headline=[
            Figure(plain(worst), "×", "widest sweep over what is needed", "caution" if worst > FAR else "clear"),
            Figure(f"{far:,}", "", "parts swing far out", "caution" if far else "clear"),
            length(off * unit, "pivot to where it is wanted") if anchored else Figure("–", "", "no pivot is named in the intent"),
        ],
        tables=[
            table(
                "parts",
                "By part",
                [
                    ("part", "Part", False),
                    ("sweeps", "Sweeps", True),
                    ("needs", "Needs", True),
                    ("spin", "Times", True),
                    ("anchor", "Wanted at", False),
                    ("off", "Off by", True),
                ],
                rows,
            )
        ],
    )

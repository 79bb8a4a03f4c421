"""What the ledger shows for Lanterns."""

from __future__ import annotations

from handlens.core.declare.panel import Figure, Panel, Row, table
from handlens.core.measures import Measures
from handlens.core.rules import Intent, RuleSheet


def panel(m: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    found = [n for n in m.nodes if n.name == "lantern"]
    rows = [Row({"part": n.name}, node=n.index) for n in found]
    listed = table("parts", "Lanterns", [("part", "Part", False)], rows)
    return Panel(
        "which lanterns there are", f"{len(found)} lanterns", None, None, [Figure(f"{len(found)}", "", "lanterns")], [listed]
    )

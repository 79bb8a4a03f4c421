from __future__ import annotations

from collections.abc import Iterator

from handlens.core.kit.check import Finding, Skipped, check, nodes, place
from handlens.core.measures import Measures
from handlens.core.rules import Intent, RuleSheet


@check("lanterns.unnumbered", title="Lantern without a number", result="stop", mends=("lanterns.number",))
def unnumbered(m: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
    """Nodes that are called lantern and nothing more.

    Why: the harbour master lights them by their numbers.
    Measured: names of nodes.
    Source: a rule of the house.
    """
    for n in m.nodes:
        if n.name == "lantern":
            here, key = nodes([n.index]), place(m, n.index)
            yield Finding(
                "A lantern has no number", node=n.index, part=n.name, elements=here, key=key, mends=(("lanterns.number", {}),)
            )

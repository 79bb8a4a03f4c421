"""What is asked of lanterns."""

from __future__ import annotations

from collections.abc import Iterator

from handlens.core.declare.check import Finding, Skipped, check, node_key, nodes
from handlens.core.measures import Measures
from handlens.core.rules import Intent, RuleSheet
from handlens.core.words.calls import Call

from .measures import OWN


@check("lanterns.unnumbered", title="Lantern without a number", result="stop", mends=("lanterns.number",))
def unnumbered(m: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
    """Nodes that are called lantern and nothing more.

    Why: the harbour master lights them by their numbers.
    Measured: names of nodes, by the station's own measures.
    Source: a rule of the house.
    """
    own = OWN.of(m)
    if own is None:
        yield Skipped("the lanterns could not be counted", unseen=True)
        return
    for n in m.nodes:
        if n.index in own.nodes and n.name == "lantern":
            here, key = nodes([n.index]), node_key(m, n.index)
            yield Finding(
                "A lantern has no number", node=n.index, part=n.name, elements=here, key=key, mends=(Call("lanterns.number", {}),)
            )

"""A check that the house adds to one of our stations."""

from __future__ import annotations

from collections.abc import Iterator

from handlens.core.kit.check import OFTEN, Finding, Skipped, check
from handlens.core.measures import Measures
from handlens.core.rules import Intent, RuleSheet


@check(
    "arrival.quay",
    title="Not named for the quay",
    result="note",
    follows_in_model=("lanterns.unnumbered",),
    explains={"refused": OFTEN},
)
def quay(measures: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
    """Models in which no name says quay.

    Why: the house files its models by that word.
    Measured: names of everything in the file.
    Source: a rule of the house.
    """
    if not any("quay" in name for name in measures.names()):
        yield Finding("No name says quay")

"""A check that the house adds to one of our stations."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from handlens.core.declare.check import OFTEN, Finding, Skipped, check
from handlens.core.measures import Measures
from handlens.core.rules import Intent, RuleSheet


class QuayKeys(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a sheet may say for it. word: what some name must say."""

    word: str = "quay"


@check(
    "arrival.quay",
    title="Not named for the quay",
    result="note",
    follows_in_model=("lanterns.unnumbered",),
    explains={"refused": OFTEN},
    keys=QuayKeys,
)
def quay(measures: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
    """Models in which no name says quay.

    Why: the house files its models by that word.
    Measured: names of everything in the file.
    Source: a rule of the house.
    """
    word = sheet.keys_of("arrival.quay", QuayKeys).word
    if not any(word in name for name in measures.names()):
        yield Finding(f"No name says {word}")

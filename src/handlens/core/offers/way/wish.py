"""What is wanted of a way to Fit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ...limits import InputError
from ...route.stations import checks_by_id, find_mend
from ..messages import say

#: Results by how grave they are.
RANK = {"note": 0, "caution": 1, "stop": 2}


@dataclass(frozen=True)
class Wish:
    """What is wanted of a way. goal: the least result that is mended. rules: by check id (or the id of a finding) the mend that is preferred
    where there is a choice, or one with its parameters as a call. waived: ids of findings that are accepted. answered: keys of the intent
    that somebody has said, though it be what is taken where nothing is said. look: whether what changes to look at is drawn."""

    goal: str = "caution"
    rules: Mapping[str, str] = field(default_factory=dict)
    waived: frozenset[str] = frozenset()
    answered: frozenset[str] = frozenset()
    look: bool = True


def read_rules(rules: Mapping[str, str]) -> dict[str, str]:
    """Rules for choices, each checked. Raises InputError where one names a check or a mend that there is not."""
    for check, mend in rules.items():
        if check.partition(":")[0] not in checks_by_id():
            raise InputError(say("offers.no-such-check", check=check))
        find_mend(mend.partition(":")[0])
    return dict(rules)

"""Whether a model stands better after mends than before: the rule by which those tried on many are laid without anybody looking at each."""

from __future__ import annotations

from collections.abc import Mapping

from ..judge import Judgement
from .trials import new_or_worse


def is_better(before: Mapping[str, int], after: Mapping[str, int]) -> bool:
    """Whether a verdict weighs less: fewer stops, else as many and fewer cautions, else as many of both and fewer notes.

    before, after: counts by result; "unlooked", stations that could not be looked at, weigh as stops.
    """
    return _weight(after) < _weight(before)


def brings_harm(before: Judgement, after: Judgement) -> bool:
    """Whether a stop or a caution came that was not there, or one is worse than it was."""
    return any(finding.result != "note" for finding in new_or_worse(before, after))


def _weight(verdict: Mapping[str, int]) -> tuple[int, int, int]:
    return verdict["stop"] + verdict.get("unlooked", 0), verdict["caution"], verdict["note"]

"""One module a station; a check judges measures against a rule sheet and an intent."""

from .judge import Judgement, judge
from .registry import STATIONS, Check, Elements, Finding, all_checks

__all__ = ["STATIONS", "Check", "Elements", "Finding", "Judgement", "all_checks", "judge"]

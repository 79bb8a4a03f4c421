"""One module a station; a check judges measures against a rule sheet and an intent."""

from .judge import Judgement, judge, things_of
from .registry import RESULTS, STATIONS, Check, Elements, Finding, all_checks

__all__ = ["RESULTS", "STATIONS", "Check", "Elements", "Finding", "Judgement", "all_checks", "judge", "things_of"]

"""One module a station; a mend is a pure function from scene to scene, with what it keeps and what it costs."""

from ..calls import call_text, parse_call
from .registry import Mend, MendRun, Outcome, all_mends, apply_mend, apply_tape, find_mend

__all__ = ["Mend", "MendRun", "Outcome", "all_mends", "apply_mend", "apply_tape", "call_text", "find_mend", "parse_call"]

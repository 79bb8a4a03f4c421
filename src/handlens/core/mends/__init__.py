"""One module a station; a mend is a pure function from scene to scene, with what it keeps and what it costs."""

from .registry import Mend, MendRun, all_mends, apply_mend, apply_tape, call_text, find_mend, parse_call

__all__ = ["Mend", "MendRun", "all_mends", "apply_mend", "apply_tape", "call_text", "find_mend", "parse_call"]

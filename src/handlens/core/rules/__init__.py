"""Rule sheets: what a destination demands, and the intent: what the user says the thing is."""

from .intent import Intent, load_intent
from .sheet import RuleSheet, load_sheet, sheet_from_json, shipped

__all__ = ["Intent", "RuleSheet", "load_intent", "load_sheet", "sheet_from_json", "shipped"]

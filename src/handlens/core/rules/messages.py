"""What is refused in rule sheets and intents, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "rules.wrong-value": "{label}{fault}",
        "rules.not-json": "{label} cannot be used: it is not valid JSON: {error}.",
        "rules.unknown-pivot": "{label}, at {place}, says {pivot:quoted}; use one of: {anchors}.",
        "rules.intent-unreadable": "The intent file {path} cannot be read: {reason}.",
        "rules.unstated-unit": "{label} cannot be used: at export, what is unstated is the sheet's own unit and axis, and not for a sheet to say.",
        "rules.no-such-sheet": "There is no rule sheet {name:quoted}; use one of {slugs}, or the path of a JSON file.",
        "rules.sheet-unreadable": "The rule sheet {name} cannot be read: {reason}.",
    }
)

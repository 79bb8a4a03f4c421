"""What is refused of reports, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "reports.unknown-report": "{name}: a report is written as {formats}; give it one of these endings.",
        "reports.no-pdf": "A PDF needs the packages of `handlens[pdf]` and the system's Pango; install them, or ask for .html.",
    }
)

"""What is refused of child processes, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "reading.not-installed": "{what} needs packages that are not installed here: install handlens[{extra}].",
        "reading.reader-stopped": "Reading {label} failed: it is damaged or needs more memory than there is; export it again.",
        "reading.reader-busy": "Reading {label} took more than {seconds} seconds and was stopped; it is damaged or far too large.",
    }
)

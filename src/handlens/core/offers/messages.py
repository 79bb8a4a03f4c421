"""What is refused in rules of a way, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "offers.no-such-check": "A rule speaks of the check {check}, which there is not; `handlens checks` lists them.",
    }
)

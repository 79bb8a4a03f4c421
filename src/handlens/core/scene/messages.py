"""What is refused of faces that are named, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "scene.no-face": "{piece:quoted} is not a face; write faces as 3;7-11.",
    }
)

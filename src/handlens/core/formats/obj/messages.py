"""What the reader of OBJ refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "obj.wrong-line": "{label}, line {line:,}: it {what}; export the file again.",
        "obj.no-obj": "{label} holds no OBJ statement; its line {line} reads {text:quoted}.",
    }
)

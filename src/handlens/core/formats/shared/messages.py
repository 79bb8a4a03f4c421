"""What is refused in text and XML of several formats, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "shared.not-text": "{label} is not text, so it cannot be {kind}; give the file its true ending.",
        "shared.damaged-utf-16": "{label} is damaged UTF-16 text; export it again.",
        "shared.no-element": "{label} holds no element; export the file again.",
        "shared.wrong-element": "{label}, line {line:,}: <{tag}> {what}; export the file again.",
        "shared.broken-xml": "{label}, line {line:,}: the XML is broken; export the file again.",
        "shared.wrong-encoding": "{label} states an encoding that its text does not have; export the file again.",
    }
)

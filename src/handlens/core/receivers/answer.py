"""What a destination answers to a package: taken or refused, line by line, with its picture of it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import msgspec

from ..words.json_tree import Json

Result = Literal["refused", "otherwise", "left-out", "taken"]
#: Kinds of one destination that can be asked: as it is now, one of some years ago, and one with half the room.
Variant = Literal["current", "older", "stricter"]
VARIANTS: dict[Variant, str] = {
    "current": "as it is now",
    "older": "an older one, which knows less",
    "stricter": "a stricter one, with half the room",
}


class Line(msgspec.Struct, frozen=True):
    """One line of a destination's log. result: refused, drawn otherwise, left out or taken. check: the check whose finding says the same,
    empty where there is none. part: the part, material or image that it is about, empty for the whole."""

    result: Result
    says: str
    check: str = ""
    about: str = ""


class Answer(msgspec.Struct, frozen=True):
    """accepted: whether nothing refuses it. picture: WebP, empty for none."""

    sheet: str
    destination: str
    variant: Variant
    accepted: bool
    lines: list[Line]
    picture: bytes = b""

    def to_json(self) -> Json:
        """All but the picture, as JSON values."""
        return {
            "schema": 1,
            "sheet": self.sheet,
            "destination": self.destination,
            "variant": self.variant,
            "accepted": self.accepted,
            "reasons": [line.says for line in self.lines if line.result == "refused"],
            "lines": [msgspec.to_builtins(line) for line in self.lines],
        }


def accepted(lines: Iterable[Line]) -> bool:
    """Whether no line refuses."""
    return all(line.result != "refused" for line in lines)

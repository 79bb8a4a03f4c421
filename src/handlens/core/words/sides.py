"""Left and right in names: which other name stands on the other side."""

from __future__ import annotations

import re

#: Words for the two sides, as whole words of a name or set off by a mark, a digit or a capital.
_PAIRS = (("left", "right"), ("Left", "Right"), ("LEFT", "RIGHT"), ("l", "r"), ("L", "R"))
_OTHER = {a: b for pair in _PAIRS for a, b in (pair, pair[::-1])}
_WORDS = re.compile(
    r"(?<![A-Za-z])(?:left|right)(?![a-z])|(?:Left|Right)(?![a-z])|(?<![A-Z])(?:LEFT|RIGHT)(?![A-Z])|(?<![A-Za-z])[lLrR](?![A-Za-z])"
)


def other_side(name: str) -> str | None:
    """The name with its first word for a side exchanged: "wing_l" gives "wing_r"; None where it has none.

    A single letter counts where no other letter stands beside it. Source: common practice, no published source.
    """
    found = _WORDS.search(name)
    return None if found is None else f"{name[: found.start()]}{_OTHER[found[0]]}{name[found.end() :]}"


def on_the_left(name: str) -> bool:
    """Whether the first word for a side says left."""
    found = _WORDS.search(name)
    return found is not None and found[0].lower().startswith("l")

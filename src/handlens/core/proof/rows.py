"""Rows of a proof, and the places that a row points at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from ..words.arrays import I64
from ..words.json_tree import Json

CLEAR, CAUTION, STOP = "clear", "caution", "stop"
#: Elements of one place that a row names one by one.
MOST_ELEMENTS = 20_000
MOST_PLACES = 50


@dataclass(frozen=True)
class Place:
    """Where a difference is. sent, read_back: node in either scene, None where it is not there. faces: of the part as it was
    read back, or as it was sent where the part is gone (`gone`), int64.
    """

    part: str
    sent: int | None
    read_back: int | None
    faces: I64 = field(default_factory=lambda: np.zeros(0, np.int64))
    gone: bool = False

    def to_json(self) -> Json:
        return {
            "part": self.part,
            "sent": self.sent,
            "read_back": self.read_back,
            "kind": "faces",
            "gone": self.gone,
            "indices": self.faces[:MOST_ELEMENTS].tolist(),
            "total": len(self.faces),
        }


@dataclass(frozen=True)
class Row:
    """One compared quantity. result: clear (the same), caution (differs as was said beforehand) or stop (differs)."""

    group: str
    what: str
    sent: str
    read_back: str
    difference: str
    result: str
    remark: str = ""
    where: str = ""
    places: tuple[Place, ...] = ()

    def to_json(self) -> Json:
        return {
            "group": self.group,
            "what": self.what,
            "sent": self.sent,
            "read_back": self.read_back,
            "difference": self.difference,
            "result": self.result,
            "remark": self.remark,
            "where": self.where,
            "places": [place.to_json() for place in self.places[:MOST_PLACES]],
        }


def same(group: str, what: str, sent: str, read_back: str | None = None, remark: str = "") -> Row:
    """A row that says that something is the same on both sides."""
    return Row(group, what, sent, sent if read_back is None else read_back, "same", CLEAR, remark)


def differs(
    group: str, what: str, sent: str, read_back: str, difference: str, where: str = "", places: Sequence[Place] = ()
) -> Row:
    """A row that says that something differs. difference: in words. where, places: what it is about."""
    return Row(group, what, sent, read_back, difference, STOP, "", where, tuple(places))


def counted(group: str, what: str, count: Sequence[int]) -> Row:
    """A row of two counts."""
    a, b = count
    if a == b:
        return same(group, what, f"{a:,}")
    return differs(group, what, f"{a:,}", f"{b:,}", f"{'+' if b > a else '−'} {abs(b - a):,}")


def listed(names: Sequence[str], most: int = 3) -> str:
    """Some names in words: "net, float and 3 more"."""
    shown = [n or "one without a name" for n in names[:most]]
    if len(names) > most:
        return f"{', '.join(shown)} and {len(names) - most:,} more"
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} and {shown[-1]}" if shown else ""

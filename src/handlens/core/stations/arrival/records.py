"""What Arrival measures for itself."""

from __future__ import annotations

import msgspec


class SideUse(msgspec.Struct, frozen=True):
    """A value in a side file that is, or may be meant for, a name of the model. line, column from 1. path: of its key, general.
    kind: what bears the name. state: as `side_files.side_uses` tells it. meant: the name, or the sibling model that it belongs to.
    """

    file: str
    line: int
    column: int
    path: str
    text: str
    kind: str
    state: str
    meant: str | None


class SideBroken(msgspec.Struct, frozen=True):
    """A side file that is not well-formed: where reading it stops, line and column from 1, and why."""

    file: str
    line: int
    column: int
    why: str


class ArrivalMeasures(msgspec.Struct, frozen=True):
    """side_files: paths of those that came along. uses: names in them. broken: those that cannot be read to their end.
    borrowed: references of the model itself that name what belongs to a sibling: (what it is, the reference, the sibling).
    """

    side_files: list[str]
    uses: list[SideUse]
    broken: list[SideBroken]
    borrowed: list[tuple[str, str, str]]

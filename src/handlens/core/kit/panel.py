"""What a station shows on the ledger: a line, headline figures, and tables with measured beside wanted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import msgspec

from ..words.calls import Call
from ..words.lengths import metres

#: How a figure or a row is judged.
Result = Literal["stop", "caution", "note", "clear"]
#: Most rows of a table that are sent; the table says how many there are in all.
MOST_ROWS = 2_000
#: Results from the worst on; rows without one stand last.
_ORDER: tuple[Result | None, ...] = ("stop", "caution", "note", "clear", None)


class Figure(msgspec.Struct, frozen=True):
    """A headline figure in words, with its result where it is judged."""

    value: str
    unit: str
    label: str
    result: Result | None = None


class Column(msgspec.Struct, frozen=True):
    """key: of a row's cells. number: whether it is set to the right."""

    key: str
    heading: str
    number: bool


class Row(msgspec.Struct):
    """One row. cells: words by column. node: the node that it is of; key: how mends name that node's part, filled in by the ledger.
    material: the one that it is of. mend: a call that takes the row for true. side_key: key of a side file that the intent may name. weight: rows may be sorted by it.
    """

    cells: dict[str, str]
    node: int | None = None
    result: Result | None = None
    mend: Call | None = None
    side_key: str | None = None
    weight: float = 0.0
    key: str | None = None
    material: int | None = None


class Table(msgspec.Struct, frozen=True):
    """key: what it is known by among a station's tables, whatever its title. total: rows in all, of which `rows` may be the first.
    asks: the field of the intent that may be said of the parts in its rows.
    """

    key: str
    title: str
    columns: list[Column]
    rows: list[Row]
    total: int
    asks: str | None = None


class Panel(msgspec.Struct, frozen=True):
    """about: what the station looks at. line, limit: the figure that counts most, and what it is held against, in words.
    meter: measured over wanted, where there is such a share.
    """

    about: str
    line: str
    limit: str | None
    meter: float | None
    headline: list[Figure]
    tables: list[Table]


def length(amount: float, label: str, result: Result | None = None) -> Figure:
    """A headline figure of a length in metres."""
    number, _, unit = metres(amount).rpartition(" ")
    return Figure(number, unit, label, result)


def table(key: str, title: str, columns: Sequence[tuple[str, str, bool]], rows: Sequence[Row], asks: str | None = None) -> Table:
    """A table of the first rows. columns: (key, heading, is a number)."""
    return Table(key, title, [Column(*c) for c in columns], list(rows[:MOST_ROWS]), len(rows), asks)


def worst_first(rows: Sequence[Row]) -> list[Row]:
    """Rows by their result, stops first; rows of one result stay as they stood."""
    return sorted(rows, key=lambda r: _ORDER.index(r.result))

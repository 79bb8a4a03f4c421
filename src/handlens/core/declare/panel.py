"""What a station shows on the ledger: a line, headline figures, and tables with measured beside wanted."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Literal

import msgspec

from ..words.calls import Call
from ..words.figures import percent
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


class Cell(msgspec.Struct, frozen=True):
    """One cell of a table. text: as people read it. value: the number behind it, by which its column sorts, None where there is none.

    unit: of the value: m, s, °, px, px/m or byte; 1 for a share or a ratio; "" for a count, or for words.
    """

    text: str
    value: float | None = None
    unit: str = ""


class Row(msgspec.Struct):
    """One row. cells: by column. node: the node that it is of; key: how mends name that node's part, filled in by the ledger.
    material: the one that it is of. id: what it is known by among the rows of its table. mend: a call that takes the row for true. side_key: key of a side file that the intent may name. weight: rows may be sorted by it.
    """

    cells: dict[str, Cell]
    node: int | None = None
    result: Result | None = None
    mend: Call | None = None
    side_key: str | None = None
    weight: float = 0.0
    key: str | None = None
    material: int | None = None
    id: str | None = None


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
    meter: measured over wanted, where there is such a share. nothing: the model has nothing that the station looks at.
    """

    about: str
    line: str
    limit: str | None
    meter: float | None
    headline: list[Figure]
    tables: list[Table]
    nothing: bool = False


def row(cells: Mapping[str, str | Cell], **of: Any) -> Row:
    """A row whose cells may be given as words alone. of: the fields of `Row`."""
    return Row({key: Cell(cell) if isinstance(cell, str) else cell for key, cell in cells.items()}, **of)


def number(amount: float, text: str, unit: str = "") -> Cell:
    """A cell of a number. text: how people read it. One that is infinite or no number sorts as if it were not there."""
    return Cell(text, float(amount) if math.isfinite(amount) else None, unit)


def count(amount: int) -> Cell:
    """A cell of a count."""
    return number(amount, f"{amount:,}")


def share(amount: float) -> Cell:
    """A cell of a part of a whole, 0 to 1."""
    return number(amount, percent(amount), "1")


def distance(amount: float) -> Cell:
    """A cell of a length in metres."""
    return number(amount, metres(amount), "m")


def length(amount: float, label: str, result: Result | None = None) -> Figure:
    """A headline figure of a length in metres."""
    number, _, unit = metres(amount).rpartition(" ")
    return Figure(number, unit, label, result)


def table(key: str, title: str, columns: Sequence[tuple[str, str, bool]], rows: Sequence[Row], asks: str | None = None) -> Table:
    """A table of the first rows. columns: (key, heading, is a number). Cells that are words alone, as house code may write them, become
    cells of words."""
    return Table(
        key, title, [Column(*column) for column in columns], [_with_cells(row) for row in rows[:MOST_ROWS]], len(rows), asks
    )


def _with_cells(some: Row) -> Row:
    if all(isinstance(cell, Cell) for cell in some.cells.values()):
        return some
    return msgspec.structs.replace(some, cells=row(some.cells).cells)


def worst_first(rows: Sequence[Row]) -> list[Row]:
    """Rows by their result, stops first; rows of one result stay as they stood."""
    return sorted(rows, key=lambda r: _ORDER.index(r.result))

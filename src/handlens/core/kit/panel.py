"""Pieces that every station's panel is made of: headline figures and tables."""

from __future__ import annotations

from typing import Any

from ..words.lengths import metres

#: Most rows of a table that are sent; the table says how many there are in all.
MOST_ROWS = 2_000


def figure(value: str, unit: str, label: str, result: str | None = None) -> dict[str, Any]:
    return {"value": value, "unit": unit, "label": label, "result": result}


def length(amount: float, label: str, result: str | None = None) -> dict[str, Any]:
    number, _, unit = metres(amount).rpartition(" ")
    return figure(number, unit, label, result)


def table(title: str, columns: list[tuple[str, str, bool]], rows: list[dict[str, Any]]) -> dict[str, Any]:
    """columns: (key, heading, is a number). Rows hold cells by key, and may hold node, result and mend."""
    return {
        "title": title,
        "columns": [{"key": k, "heading": h, "number": n} for k, h, n in columns],
        "rows": rows[:MOST_ROWS],
        "total": len(rows),
    }

"""Rows by id, or a 404 in one sentence."""

from __future__ import annotations

from typing import TypeVar

from flask_smorest import abort
from sqlalchemy.orm import Session

Row = TypeVar("Row")


def row(s: Session, table: type[Row], id: int, what: str) -> Row:
    """The row, or a 404."""
    found = s.get(table, id) if 0 < id < 2**31 else None
    if found is None:
        abort(404, message=f"There is no {what} with the number {id}; it may have been taken off the shelf.")
    return found

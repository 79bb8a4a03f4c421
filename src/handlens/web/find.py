"""Rows by id, or a refusal in one sentence."""

from __future__ import annotations

from typing import NoReturn, TypeVar

from flask_smorest import abort
from sqlalchemy.orm import Session

from ..store.models import Model, Revision

Row = TypeVar("Row")


def refuse(status: int, message: str) -> NoReturn:
    """End the request with a problem whose detail is the message."""
    abort(status, message=message)
    raise AssertionError("abort always raises")


def row(db: Session, table: type[Row], id: int, what: str, locked: bool = False, off: bool = False) -> Row:
    """The row, or a 404. off: whether it may be of a model that was taken off the shelf. locked: as it is now, kept from others until the transaction ends; read in one step, as a job may take it away."""
    found = db.get(table, id, with_for_update=locked or None, populate_existing=locked) if 0 < id < 2**31 else None
    model = found.model if isinstance(found, Revision) else found
    if found is None or (isinstance(model, Model) and model.taken_off is not None and not off):
        refuse(404, f"There is no {what} with the number {id}; it may have been taken off the shelf.")
    return found

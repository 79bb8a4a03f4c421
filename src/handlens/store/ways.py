"""Asking for the way to Fit of a model: what it goes by is put together in one place, whoever asks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.offers.way.wish import read_rules
from . import shelf
from .models import Inspection, Revision, SoughtWay, WayRule
from .queue import want_way
from .sheets import sheet_of


def seek(
    db: Session,
    inspection: Inspection,
    sheets: Sequence[str],
    goal: str,
    prefer: Mapping[str, str],
    begin: bool,
    batch: int | None = None,
) -> SoughtWay | None:
    """The way to Fit of a model that was read; None where nobody asked for it yet and `begin` is not said. Raises InputError for a rule that
    is none.

    sheets: slugs of the destinations. goal: the result from which on findings are mended. prefer: choices beside those that are
    remembered. batch: the one that asks, where it is no person.
    """
    model = db.get_one(Revision, inspection.revision_id).model
    rules = read_rules({**{rule.check: rule.mend for rule in db.scalars(select(WayRule))}, **prefer})
    by = [[msgspec.to_builtins(sheet_of(db, slug)) for slug in sheets], model.intent, sorted(shelf.reasons_of(model))]
    return want_way(db, inspection, {"sheets": list(sheets), "goal": goal, "prefer": rules}, by, begin, batch)

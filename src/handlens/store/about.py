"""What the database says of the Hand Lens that keeps it: a worker of another version would measure otherwise than the rest."""

from __future__ import annotations

import hashlib
import json

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import OperationalError, ProgrammingError

from ..core.display import VERSION as DISPLAY_VERSION
from ..core.limits import InputError
from ..core.route.house import fingerprint
from ..core.route.stations import measures_key, route_key
from .database import session
from .models import About

_VERSION = "version"


def own_version() -> str:
    """A digest of all that makes two readings of one model alike: records, checks, mends, display copies, house checks."""
    return hashlib.sha256(json.dumps([measures_key(), route_key(), DISPLAY_VERSION, fingerprint()]).encode()).hexdigest()


def write_version() -> None:
    """Write down of which version this Hand Lens is."""
    row = {"key": _VERSION, "value": own_version()}
    with session() as db:
        db.execute(insert(About).values(row).on_conflict_do_update(index_elements=["key"], set_={"value": row["value"]}))


def same_version() -> bool:
    """Whether the Hand Lens that keeps the database is of this very version."""
    with session() as db:
        row = db.get(About, _VERSION)
        return row is not None and row.value == own_version()


def refuse_other_version() -> None:
    """Raises InputError where the database cannot be reached, or is kept by another version."""
    try:
        if same_version():
            return
    except (OperationalError, ProgrammingError) as error:
        lines = str(error.orig).strip().splitlines()
        raise InputError(f"That database does not let this worker in: {lines[-1] if lines else 'it does not answer'}.") from error
    raise InputError(
        "The Hand Lens there is of another version, or has other house checks; install the same on both machines, then start the worker again."
    )

"""Rule sheets: those that are shipped, and a team's own ones with their versions."""

from __future__ import annotations

import json
import re
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ..core.limits import InputError
from ..core.rules import RuleSheet, shipped
from ..core.rules.inherited import with_changes
from .models import Batch, Model, OwnSheet, OwnSheetVersion

#: First half of the advisory lock under which sheets are changed.
_LOCK = 7_413


def all_sheets(db: Session) -> tuple[RuleSheet, ...]:
    """The shipped sheets and then one's own in their newest versions, in the order in which they were begun."""
    own = db.scalars(select(OwnSheet).order_by(OwnSheet.id))
    return (*shipped(), *(read for sheet in own if (read := _newest(sheet)) is not None))


def sheet_of(db: Session, slug: str) -> RuleSheet:
    """A sheet by slug; the first shipped one where the slug is unknown."""
    return next((sheet for sheet in all_sheets(db) if sheet.slug == slug), shipped()[0])


def own_of(db: Session, slug: str) -> OwnSheet | None:
    """The rows of a sheet of one's own; None where there is none."""
    return db.scalar(select(OwnSheet).where(OwnSheet.slug == slug))


def read_version(sheet: OwnSheet, number: int) -> RuleSheet:
    """One version of a sheet of one's own. Raises InputError where it does not fit what it inherits from any more."""
    version = next(x for x in sheet.versions if x.number == number)
    base = next((x for x in shipped() if x.slug == sheet.inherits), shipped()[0])
    changes = {**version.changes, "slug": sheet.slug, "version": number}
    return with_changes(base, changes, f"The rule sheet {version.changes.get('name', sheet.slug)}")


def _newest(sheet: OwnSheet) -> RuleSheet | None:
    """The newest version that can be read: a later release may have made one unreadable, and the others must stand all the same."""
    for version in reversed(sheet.versions):
        try:
            return read_version(sheet, version.number)
        except InputError:
            continue
    return None


def begin(db: Session, inherits: str, name: str, changes: dict[str, Any], note: str) -> OwnSheet:
    """A new sheet. Raises InputError where it cannot be."""
    _alone(db)
    base = next((x for x in shipped() if x.slug == inherits), None)
    if base is None:
        raise InputError(f"There is no shipped rule sheet {inherits!r} to begin from.")
    there = all_sheets(db)
    if name.casefold() in {x.name.casefold() for x in there}:
        raise InputError(f"There is a rule sheet {name!r} already; choose another name.")
    slug = _free(_slug(name), {x.slug for x in there})
    code = changes.get("code") or _code(name, {x.code for x in there})
    changes = _plain({**changes, "name": name, "code": code})
    with_changes(base, {**changes, "slug": slug, "version": 1}, f"The rule sheet {name}")
    sheet = OwnSheet(slug=slug, inherits=inherits)
    sheet.versions.append(OwnSheetVersion(number=1, changes=changes, note=note))
    db.add(sheet)
    db.flush()
    return sheet


def keep(db: Session, sheet: OwnSheet, seen: int, changes: dict[str, Any], note: str) -> OwnSheetVersion | None:
    """A new version; None where another was kept since the one that was seen. Raises InputError where it cannot be."""
    _alone(db)
    db.refresh(sheet)
    last = sheet.versions[-1]
    if last.number != seen:
        return None
    base = next((x for x in shipped() if x.slug == sheet.inherits), shipped()[0])
    name = str(changes.get("name") or last.changes["name"])
    if name.casefold() in {x.name.casefold() for x in all_sheets(db) if x.slug != sheet.slug}:
        raise InputError(f"There is a rule sheet {name!r} already; choose another name.")
    changes = _plain({**changes, "name": name, "code": changes.get("code") or last.changes["code"]})
    with_changes(base, {**changes, "slug": sheet.slug, "version": seen + 1}, f"The rule sheet {name}")
    version = OwnSheetVersion(number=seen + 1, changes=changes, note=note)
    sheet.versions.append(version)
    db.flush()
    return version


def used_by(db: Session, slug: str) -> list[tuple[int, str]]:
    """Models whose Bench is held against a sheet: id and name."""
    return [
        (row.id, row.name) for row in db.execute(select(Model.id, Model.name).where(Model.sheet == slug).order_by(Model.name))
    ]


def delete(db: Session, sheet: OwnSheet) -> None:
    """Take a sheet away; models that were held against it are held against what it inherits from."""
    _alone(db)
    for model in db.scalars(select(Model).where(Model.sheet == sheet.slug)):
        model.sheet = sheet.inherits
    for batch in db.scalars(select(Batch).where(Batch.sheet == sheet.slug)):
        batch.sheet = sheet.inherits
    db.delete(sheet)
    db.flush()


def _plain(changes: dict[str, Any]) -> dict[str, Any]:
    """Changes that the database holds. Raises InputError where a text in them is none: a NUL, or half of a pair of surrogates."""
    text = json.dumps(changes, ensure_ascii=False)
    # A NUL, and no backslash that stands before "u0000" as letters.
    if re.search(r"(?<!\\)(?:\\\\)*\\u0000", text) or re.search("[\ud800-\udfff]", text):
        raise InputError("The rule sheet holds characters that are no text; write them anew.")
    return changes


def _alone(db: Session) -> None:
    db.execute(select(func.pg_advisory_xact_lock(_LOCK)))


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:50] or "sheet"


def _free(slug: str, taken: set[str]) -> str:
    return next(x for k in range(len(taken) + 2) if (x := slug if not k else f"{slug}-{k + 1}") not in taken)


def _code(name: str, taken: set[str]) -> str:
    """Two letters of a name, a third where two are taken."""
    words = re.findall(r"[A-Za-z0-9]+", name.upper()) or ["SHEET"]
    letters = "".join(words) + "XYZ"
    first = [words[0][0] + words[1][0]] if len(words) > 1 else []
    tries = [
        *first,
        letters[:2],
        *(letters[:2] + x for x in letters[2:]),
        *(letters[:2] + x for x in "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"),
    ]
    return next((code for code in tries if code not in taken), letters[:3])

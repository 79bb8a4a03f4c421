"""A rule sheet as a page to read and to fill in: its values by station, with what each means, and what differs between two."""

from __future__ import annotations

from typing import Any

import msgspec

from ..declare.check import Check
from ..route.stations import all_checks
from ..rules.export import ExportOptions
from ..rules.fields import Field, fields_of
from ..rules.sheet import Limits, Motion, Names, Receiver, RuleSheet, Textures

#: Groups of values, and the records that they are in; the sheet's own come first.
_GROUPS: tuple[tuple[str, str, type[msgspec.Struct]], ...] = (
    ("", "The sheet", RuleSheet),
    ("limits", "Limits", Limits),
    ("names", "Names", Names),
    ("textures", "Textures", Textures),
    ("motion", "Motion", Motion),
    ("receiver", "How it draws", Receiver),
    ("export", "How files are written for it", ExportOptions),
)


class SheetValue(msgspec.Struct, frozen=True):
    """A value of a sheet. path: where it is, such as `limits.parts`. group: what it is shown under where no check is held to it.
    checks: ids of the checks that are held to it."""

    path: str
    group: str
    field: Field
    checks: list[str]


class SheetChange(msgspec.Struct, frozen=True):
    """A value that two sheets have otherwise. before, after: as words, empty for none."""

    path: str
    title: str
    before: str
    after: str


def sheet_values() -> list[SheetValue]:
    """All values that a sheet may have, in their order."""
    held: dict[str, list[str]] = {}
    for declared in all_checks():
        for path in declared.held_to:
            held.setdefault(path, []).append(declared.id)
    out = []
    for place, group, record in _GROUPS:
        for field in fields_of(record):
            path = f"{place}.{field.name}".lstrip(".")
            out.append(SheetValue(path, group, field, held.get(path, [])))
    return out


def sheet_changes(before: RuleSheet, after: RuleSheet) -> list[SheetChange]:
    """What two sheets say otherwise, value by value, and result by result."""
    fields = {value.path: value.field for value in sheet_values()}
    checks = {declared.id: declared for declared in all_checks()}
    one, other = _flat(before), _flat(after)
    out = []
    for path in dict.fromkeys([*fields, *one, *other]):
        # A list is a value; what stands inside of an unknown record is told by its path.
        if path in ("slug", "version") or one.get(path) == other.get(path):
            continue
        title, words = _worded(path, fields, checks)
        out.append(SheetChange(path, title, words(one.get(path), before), words(other.get(path), after)))
    return out


def _worded(path: str, fields: dict[str, Field], checks: dict[str, Check]) -> tuple[str, Any]:
    id = path.removeprefix("results.")
    if id != path and id in checks:
        return checks[id].title, lambda value, sheet: str(value or checks[id].result)
    field = fields.get(path)
    if field is None:
        return path, lambda value, sheet: _plain(value)
    choices = {choice.value: choice.words for choice in field.choices}
    unit = f" {field.unit}" if field.unit else ""
    return field.title, lambda value, sheet: choices.get(str(value), _plain(value) + (unit if value is not None else ""))


def _plain(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return f"{value:,}"
    if isinstance(value, list):
        return ", ".join(str(x.get("name", x)) if isinstance(x, dict) else str(x) for x in value)
    return str(value)


def _flat(record: msgspec.Struct, above: str = "") -> dict[str, Any]:
    """Values by their paths, those that are left out of JSON too; of results the whole id is one name."""
    out: dict[str, Any] = {}
    for name in record.__struct_fields__:
        value, path = getattr(record, name), f"{above}.{name}".lstrip(".")
        if isinstance(value, msgspec.Struct):
            out |= _flat(value, path)
        elif path == "results":
            out |= {f"results.{id}": result for id, result in value.items()}
        else:
            out[path] = msgspec.to_builtins(value) or None if isinstance(value, list | dict) else value
    return out

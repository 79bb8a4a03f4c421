"""A sheet that says otherwise than another one in a few places, and what differs between two. Source: RFC 7396 (JSON Merge Patch)."""

from __future__ import annotations

import json
from typing import Any

import msgspec

from ..words.json_tree import Json
from .sheet import RuleSheet, sheet_from_json

#: What a sheet has of its own in any case.
OWN = ("slug", "name", "code", "version")


def with_changes(sheet: RuleSheet, changes: Json, label: str) -> RuleSheet:
    """A sheet with some of its values replaced. changes: a merge patch; null takes a value out. Raises InputError naming the place."""
    return sheet_from_json(json.dumps(_patched(msgspec.to_builtins(sheet), changes)), label)


def changes_between(base: RuleSheet, sheet: RuleSheet) -> Json:
    """The merge patch from one sheet to another, without its name, code and version."""
    return _difference(_named(base), _named(sheet))


def _named(sheet: RuleSheet) -> dict[str, Any]:
    return {key: value for key, value in msgspec.to_builtins(sheet).items() if key not in OWN}


def _patched(target: Any, patch: Any) -> Any:
    if not isinstance(patch, dict):
        return patch
    out = dict(target) if isinstance(target, dict) else {}
    for key, value in patch.items():
        if value is None:
            out.pop(key, None)
        else:
            out[key] = _patched(out.get(key), value)
    return out


def _difference(before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    out: dict[str, Any] = {key: None for key in before if key not in after}
    for key, value in after.items():
        if isinstance(value, dict) and isinstance(before.get(key), dict):
            inner = _difference(before[key], value)
            if inner:
                out[key] = inner
        elif key not in before or value != before[key]:
            out[key] = value
    return out

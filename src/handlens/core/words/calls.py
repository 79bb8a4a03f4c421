"""A mend with its parameters as one text, as the command line takes it, and back."""

from __future__ import annotations

import json
from typing import Any, NamedTuple

from ..limits import InputError
from .refusals import say

#: Parameters of a mend by their names; which there are, and of what kind, the mend says.
Params = dict[str, Any]


class Call(NamedTuple):
    """One mend with its parameters."""

    mend: str
    params: Params


def parse_call(text: str) -> Call:
    """ "id:key=value,key=value" into its pieces; a comma in a value is written as \\,. Raises InputError."""
    name, colon, rest = text.partition(":")
    params: dict[str, Any] = {}
    if colon:
        for piece in _split(rest, ","):
            key, equals, raw = piece.partition("=")
            if not equals:
                raise InputError(say("words.no-pair", text=text, piece=piece))
            params[key.strip()] = raw
    return Call(name.strip(), params)


def calls_of_json(text: str, label: str) -> list[Call]:
    """The mends that were applied, of what `mend --json` prints, or of a list of {"mend", "params"}. Raises InputError."""
    try:
        tree = json.loads(text)
    except ValueError as error:
        raise InputError(say("words.not-json", label=label, error=str(error))) from error
    listed = tree.get("mends") if isinstance(tree, dict) else tree
    if not isinstance(listed, list):
        raise InputError(say("words.no-recipe", label=label))
    out = []
    for k, entry in enumerate(listed):
        made = entry if isinstance(entry, dict) else {}
        mend, params = made.get("mend"), made.get("params", {})
        if not isinstance(mend, str) or not isinstance(params, dict):
            raise InputError(say("words.no-mend", label=label, k=k))
        if made.get("applied", True):
            out.append(Call(mend, params))
    return out


def call_text(id: str, params: Params) -> str:
    """A call as `parse_call` reads it."""
    listed = lambda v: ";".join(str(x).replace("\\", "\\\\").replace(";", "\\;") for x in v)
    text = lambda v: listed(v) if isinstance(v, list | tuple) else str(v).lower() if isinstance(v, bool) else str(v)
    escaped = lambda v: text(v).replace("\\", "\\\\").replace(",", "\\,")
    return id + (":" + ",".join(f"{k}={escaped(v)}" for k, v in params.items()) if params else "")


def split_names(text: str) -> list[str]:
    """Names with semicolons between, to the letter, blanks too; \\; is a semicolon and \\\\ a backslash of a name."""
    return _split(text, ";")


def _split(text: str, at: str) -> list[str]:
    pieces, current, escaped = [], "", False
    for letter in text:
        if escaped:
            # A backslash stands before what would cut, or before another; before anything else it is one.
            current += letter if letter in (at, "\\") else "\\" + letter
            escaped = False
        elif letter == "\\":
            escaped = True
        elif letter == at:
            pieces.append(current)
            current = ""
        else:
            current += letter
    return [p for p in [*pieces, current + ("\\" if escaped else "")] if p]

"""What a request may hold at all, whatever it asks for: proper text, and numbers that computers have."""

from __future__ import annotations

import json
import math
from typing import Any

from flask import Request

#: Whole numbers that the database and every browser have a place for.
_LARGEST = 2**53
_DEEPEST = 64


class NotPlain(Exception):
    """One sentence for whoever asked."""


def check(request: Request) -> None:
    """Look through an address and a body that is JSON. Raises NotPlain."""
    for text in (request.path, *request.args.keys(), *request.args.values()):
        _text(text)
    if request.mimetype == "application/json" or request.mimetype.endswith("+json"):
        _check_json(request.get_data(cache=True))


def _check_json(data: bytes) -> None:
    if not data:
        return
    try:
        tree = json.loads(data, parse_constant=_no_number)
    except RecursionError:
        raise NotPlain(_DEEP) from None
    except ValueError as error:
        digits = "digits" in str(error)
        raise NotPlain("A number in the body has too many digits." if digits else f"The body is no JSON: {error}.") from None
    waiting: list[tuple[Any, int]] = [(tree, 0)]
    while waiting:
        value, depth = waiting.pop()
        if depth > _DEEPEST:
            raise NotPlain(_DEEP)
        if isinstance(value, dict):
            for key in value:
                _text(key)
            waiting += [(v, depth + 1) for v in value.values()]
        elif isinstance(value, list):
            waiting += [(v, depth + 1) for v in value]
        elif isinstance(value, str):
            _text(value)
        elif isinstance(value, float) and not math.isfinite(value):
            raise NotPlain("A number in the body is larger than a number may be.")
        elif isinstance(value, int) and abs(value) > _LARGEST:
            raise NotPlain(f"A whole number in the body is larger than {_LARGEST:,}, the largest that is taken.")


_DEEP = f"The body is nested more than {_DEEPEST} deep."


def _no_number(word: str) -> Any:
    raise NotPlain(f"{word} is no number in JSON.")


def _text(text: str) -> None:
    if "\0" in text:
        raise NotPlain("A text holds the letter NUL, which is none.")
    if any("\ud800" <= letter <= "\udfff" for letter in text):
        raise NotPlain("A text holds half of a pair of surrogates, which is no letter.")

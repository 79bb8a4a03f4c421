"""Regular expressions that users write, in an engine whose time grows with the text and not with the pattern's cunning.

RE2's syntax: what needs looking back and forth (look-around, references inside the pattern) does not exist in it.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from ..limits import InputError
from .refusals import say

#: Letters of a pattern, and of what is put in its place.
MOST_LETTERS = 500


@lru_cache(maxsize=64)
def compiled(pattern: str, label: str) -> Any:
    """The pattern, with `fullmatch` and `sub` as Python's own has them. label: what asks, for messages. Raises InputError."""
    import re2

    if len(pattern) > MOST_LETTERS:
        raise InputError(say("words.pattern-too-long", label=label, most=MOST_LETTERS))
    options = re2.Options()
    options.log_errors = False
    try:
        return re2.compile(pattern, options)
    except (re2.error, UnicodeEncodeError) as error:
        told = error.args[0] if error.args and not isinstance(error, UnicodeEncodeError) else "it holds no proper text"
        words = told.decode(errors="replace") if isinstance(told, bytes) else str(told)
        raise InputError(say("words.no-pattern", label=label, pattern=pattern, words=words)) from error


def replaced(expression: Any, into: str, text: str, label: str) -> str:
    """A text with what the pattern meets replaced; one that is no proper text stays as it is. Raises InputError."""
    try:
        return str(expression.sub(into, text))
    except UnicodeEncodeError:
        return text
    except (IndexError, ValueError, KeyError) as error:
        raise InputError(say("words.no-such-group", label=label, into=into)) from error

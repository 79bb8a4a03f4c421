"""Libraries that are not there in every installation."""

from __future__ import annotations

from importlib.util import find_spec

from ..limits import InputError
from .messages import say


def need(module: str, extra: str, what: str) -> None:
    """Raises InputError where a library is not installed. module: as it is imported. extra: of this package, which brings it. what: asks for it."""
    try:
        there = find_spec(module) is not None
    except (ImportError, ValueError):
        there = False
    if not there:
        raise InputError(say("reading.not-installed", what=what, extra=extra))

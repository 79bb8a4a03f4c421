"""Loops that numpy cannot say, compiled by numba and kept on disk, so that only the first run ever waits for the compiler.

Importing numba takes longer than reading a small model does, so a module with such loops is imported only where a model is large.
`python -m handlens.core.machine.compiled` compiles them all; the start command runs it once.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable
from typing import Any

import numba

#: Every module that holds compiled loops.
MODULES = ("formats.obj.blocks",)

#: Bytes of text that nobody may write to, as a file's are.
TEXT = numba.types.Array(numba.types.uint8, 1, "C", readonly=True)


def compiled(*signatures: Any) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Compile a function for the given argument types when its module is imported, or take it from disk."""

    def decorate(function: Callable[..., Any]) -> Callable[..., Any]:
        answer: Callable[..., Any]
        try:
            answer = numba.njit(list(signatures), cache=True, nogil=True)(function)
        except RuntimeError:  # nowhere to keep it: neither beside the source nor in the user's cache
            answer = numba.njit(list(signatures), nogil=True)(function)
        return answer

    return decorate


if __name__ == "__main__":
    for name in MODULES:
        importlib.import_module(f"handlens.core.{name}")

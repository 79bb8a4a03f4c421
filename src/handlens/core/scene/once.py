"""What is worked out of a mesh once, for all who ask while the mesh is there."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar
from weakref import WeakKeyDictionary

from .model import Mesh

T = TypeVar("T")


def cached_per_mesh(work: Callable[[Mesh], T]) -> Callable[[Mesh], T]:
    """Keep what a function answers for each mesh. The answer must not hold the mesh: that would keep both for ever."""
    kept: WeakKeyDictionary[Mesh, T] = WeakKeyDictionary()

    @wraps(work)
    def asked(mesh: Mesh) -> T:
        if mesh not in kept:
            kept[mesh] = work(mesh)
        return kept[mesh]

    return asked

"""Work on a scene that several ask for, done once."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from weakref import WeakKeyDictionary

from . import Scene

Gathered = tuple[Scene, list[str]]


def once_a_scene(work: Callable[[Scene], Gathered]) -> Callable[[Scene], Gathered]:
    """A function from a scene to another, whose result is kept for as long as the scene is: scenes do not change."""
    kept: WeakKeyDictionary[Scene, Gathered] = WeakKeyDictionary()

    @wraps(work)
    def once(scene: Scene) -> Gathered:
        if scene not in kept:
            made = work(scene)
            # A result that holds the scene itself would keep it for ever.
            if made[0] is scene:
                return made
            kept[scene] = made
        return kept[scene]

    return once

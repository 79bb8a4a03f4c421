"""What mends that move whole nodes share: which they are, the box around them, and what is refused."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ...edit.placing import CannotPlace, moved_nodes, refuse_torn
from ...edit.tree import below, topmost
from ...kit.choice import chosen_nodes
from ...limits import MendError
from ...scene import Scene
from ...scene.bounds import world_bounds
from ...words.arrays import F64
from .messages import say


def movable(scene: Scene, parts: Sequence[str], world: F64) -> tuple[set[int], tuple[F64, F64]]:
    """Named nodes with all that hangs on them, and the box around them. Raises MendError where they cannot be moved as a whole.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    chosen = below(scene, chosen_nodes(scene, parts))
    try:
        refuse_torn(scene, chosen)
    except CannotPlace as error:
        raise _refusal(scene, error) from error
    box = world_bounds(scene, world, chosen)
    if box is None:
        raise MendError(say("placement.to-origin.nothing"))
    return chosen, box


def moved_by(scene: Scene, chosen: set[int], world: F64, way: F64) -> Scene:
    """The scene with nodes moved in the world, all of them by one way. Raises MendError.

    chosen: nodes with all that hangs on them. world: (N, 4, 4) float64 world matrices of all nodes. way: (4, 4) float64, applied in the world.
    """
    return moved_each(scene, dict.fromkeys(topmost(scene, chosen), way), world)


def moved_each(scene: Scene, ways: Mapping[int, F64], world: F64) -> Scene:
    """The scene with nodes moved in the world, each by its own way. Raises MendError. ways, world: as `moved_nodes` has them."""
    try:
        return moved_nodes(scene, ways, world)
    except CannotPlace as error:
        raise _refusal(scene, error) from error


def _refusal(scene: Scene, error: CannotPlace) -> MendError:
    part = scene.part_name(error.node)
    match error.why:
        case "joints-too":
            return MendError(say("placement.to-origin.joints-too", part=part))
        case "part-too":
            return MendError(say("placement.to-origin.part-too", part=part))
        case "moved":
            return MendError(say("placement.to-origin.moved", part=part))
        case _:
            return MendError(say("placement.to-origin.collapsed", part=part))

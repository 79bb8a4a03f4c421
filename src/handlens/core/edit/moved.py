"""Nodes moved in their own frame, or in the frame that they hang in."""

from __future__ import annotations

from dataclasses import replace

from ..scene.matrices import Polar, decompose
from ..scene.model import Node, frozen
from ..words.arrays import F64


def placed_within(n: Node, by: F64) -> Node:
    """L T(by): the node's own frame is moved, its scale and turn are not.

    by: (3,) float64, in the node's own frame.
    """
    moved = n.local[:3, :3] @ by + n.local[:3, 3]
    return _placed(n, moved)


def translated_before(n: Node, by: F64) -> Node:
    """T(by) L.

    by: (3,) float64, in the frame of the node above.
    """
    return _placed(n, n.local[:3, 3] + by)


def with_local(n: Node, local: F64) -> Node:
    """The node with another (4, 4) matrix, told as translation, rotation and scale where those hold it.

    local: (4, 4) float64, the node's frame in that of the node above.
    """
    if Polar(local[:3, :3]).shear < 1e-7:
        translation, rotation, scale = decompose(local)
        return replace(n, translation=translation, rotation=rotation, scale=scale, matrix=None)  # type: ignore[arg-type]
    still = replace(n, translation=(0.0, 0.0, 0.0), rotation=(0.0, 0.0, 0.0, 1.0), scale=(1.0, 1.0, 1.0))
    return replace(still, matrix=frozen(local))


def _placed(n: Node, at: F64) -> Node:
    if n.matrix is None:
        return replace(n, translation=tuple(at.tolist()))
    matrix = n.matrix.copy()
    matrix[:3, 3] = at
    return replace(n, matrix=frozen(matrix))

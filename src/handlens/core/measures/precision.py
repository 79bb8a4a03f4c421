"""How finely 32-bit floats can place a point where the model stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from ..scene import Scene
from ..words.arrays import F64


def float32_spacing(distance: float) -> float:
    """Gap between neighbouring 32-bit floats at a coordinate, in the coordinate's own unit.

    Source: IEEE 754-2019 binary32: 24 significant bits, so the gap in [2^e, 2^(e+1)) is 2^(e-23).
    Not finite or beyond the range of binary32: infinity.
    """
    if not np.isfinite(distance) or abs(distance) > float(np.finfo(np.float32).max):
        return float("inf")
    # The gap grows away from zero; rounding to float32 first could step over a power of two.
    magnitude = max(abs(distance), float(np.finfo(np.float32).tiny))
    return float(2.0 ** (np.floor(np.log2(magnitude)) - 23))


class Worst(NamedTuple):
    """Where along the way to a part's place its numbers are coarsest. spacing, distance: lengths in world units.

    where: world (as it stands), stored (vertices from their own pivot) or link (a node from the one that it hangs on); node: of that link.
    """

    spacing: float
    distance: float
    where: str
    node: int


def links(scene: Scene, order: Sequence[int], up: Sequence[int], world: F64) -> dict[int, Worst]:
    """The coarsest link above and at each node: its translation is a number of its own, whatever cancels it further down.

    world: (N, 4, 4) float64 world matrices of all nodes.
    order: nodes, each after the one above it. up: the node above each, -1 for none.
    """
    out: dict[int, Worst] = {}
    for i in order:
        far = float(np.abs(scene.nodes[i].local[:3, 3]).max())
        size = 1.0 if up[i] < 0 else _size(world[up[i]])
        own = Worst(float32_spacing(far) * size, far * size, "link", i)
        above = out.get(up[i])
        out[i] = above if above is not None and above.spacing >= own.spacing else own
    return out


def coarsest(world_far: float, stored: F64, matrix: F64, link: Worst, node: int) -> Worst:
    """The coarsest of a part: as it stands, in its own vertices (V, 3), or at a link above it.

    stored: (V, 3) float.
    matrix: (4, 4) float64 world matrix of the part.
    world_far: the largest world coordinate, in the file's unit.
    """
    far = float(np.abs(stored).max(initial=0.0))
    size = _size(matrix)
    found = (
        Worst(float32_spacing(world_far), world_far, "world", node),
        Worst(float32_spacing(far) * size, far * size, "stored", node),
        link,
    )
    return max(found, key=lambda w: w.spacing)


def rounded(points: F64) -> bool:
    """Whether (V, 3) coordinates are multiples of the gap of 32-bit floats out there, fewer than a thousand of which make up the
    shape: what was finer is gone, and no moving brings it back.
    points: (V, 3) float.
    """
    for k in range(3):
        v = points[:, k]
        if not len(v):
            return False
        gap, reach = float32_spacing(float(np.abs(v).max())), float(np.ptp(v))
        if 0 < reach < 1000 * gap and np.isfinite(gap) and bool((np.abs(v / gap - np.rint(v / gap)) < 1e-6).all()):
            return True
    return False


def _size(matrix: F64) -> float:
    """Greatest length of a matrix's columns."""
    size = float(np.linalg.norm(matrix[:3, :3], axis=0).max())
    return size if np.isfinite(size) else 1.0

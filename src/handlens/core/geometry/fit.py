"""One list of points laid on another by turning, scaling and moving it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..words.arrays import F64


class Similarity(NamedTuple):
    """y = scale · turn · x + shift. turn: (3, 3) without a mirror. shift: (3,)."""

    scale: float
    turn: F64
    shift: F64

    def moved(self, points: F64) -> F64:
        """Where the similarity puts points.

        points: (n, 3) float64.
        """
        out: F64 = self.scale * (points @ self.turn.T) + self.shift
        return out


def fit_similarity(a: F64, b: F64) -> Similarity | None:
    """The similarity that lays points a on points b with the least sum of squares; None where either has no extent.

    a, b: (n, 3) float64, finite, row for row the same point; n at least 2. Source: Umeyama 1991, IEEE PAMI 13(4), eq. 40 to 42.
    """
    middle = [x.mean(axis=0) for x in (a, b)]
    from_middle, to_middle = a - middle[0], b - middle[1]
    sizes = [float(np.abs(x).max()) for x in (from_middle, to_middle)]
    if not all(0 < x < np.inf for x in sizes):
        return None
    # Of size one first: squares of what a file may hold are no numbers any more.
    from_middle, to_middle = from_middle / sizes[0], to_middle / sizes[1]
    u, values, v = np.linalg.svd(to_middle.T @ from_middle)
    signs = np.array([1.0, 1.0, np.sign(np.linalg.det(u) * np.linalg.det(v)) or 1.0])
    turn = u * signs @ v
    scale = (float((values * signs).sum()) / float((from_middle**2).sum()) or 1.0) * sizes[1] / sizes[0]
    return Similarity(scale, turn, middle[1] - scale * (turn @ middle[0]))

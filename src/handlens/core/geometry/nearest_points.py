"""The nearest of some points to others, by SciPy's tree."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, I64


def nearest_points(points: F64, asked: F64, many: int = 1, within: float = np.inf) -> tuple[F64, I64]:
    """Distances to the nearest of some points, (n,) or (n, many) nearest first, and their numbers.

    points: (p, d) float, finite.
    asked: (n, d) float, finite, in the same frame.
    within: what lies this far or farther is not found: its distance is infinite and its number p.
    """
    # Loading it takes longer than most models do.
    from scipy.spatial import cKDTree

    distances, numbers = cKDTree(points).query(asked, k=many, distance_upper_bound=within)
    return np.asarray(distances, np.float64), np.asarray(numbers, np.int64)

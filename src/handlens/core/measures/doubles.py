"""Points of a surface's rims that lie close to other points: seams that were meant to be joined."""

from __future__ import annotations

import numpy as np

from ..scene.model import Array

#: Distances, as shares of the mesh's diagonal, at which the doubles are counted for a choice.
SHARES = (1e-6, 1e-5, 1e-4, 1e-3)


def close_points(points: Array, rim: Array, size: float) -> tuple[Array, Array]:
    """Rim points with another point close by, and the distance to the nearest such.

    points: (W, 3) welded positions. rim: (n,) positions in it of points on open edges. size: diagonal of the mesh.
    Returns (m,) positions in `points` and (m,) float64 distances up to a thousandth of the size, both by position.
    """
    finite = rim[np.isfinite(points[rim]).all(axis=1)]
    if len(finite) < 2 or not size > 0:
        return np.zeros(0, np.int64), np.zeros(0)
    from scipy.spatial import cKDTree

    reach = SHARES[-1] * size
    near, _ = cKDTree(points[finite]).query(points[finite], k=2, distance_upper_bound=reach)
    close = np.isfinite(near[:, 1])
    return finite[close], near[close, 1]

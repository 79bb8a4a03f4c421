"""Vertices that lie opposite each other across a plane through the middle."""

from __future__ import annotations

import numpy as np

from ...geometry.nearest_points import nearest_points
from ...words.arrays import F64, I64


def mirror_of(points: F64, axis: int, tolerance: float, samples: int) -> tuple[I64, I64]:
    """(n,) some vertices and (n,) the vertex opposite each, -1 for none, across the middle of the box along an axis.

    points: (V, 3), all finite. tolerance: a share of the box's diagonal.
    """
    low, high = points.min(axis=0), points.max(axis=0)
    here = np.arange(0, len(points), max(len(points) // samples, 1))
    mirrored = points[here].copy()
    mirrored[:, axis] = low[axis] + high[axis] - mirrored[:, axis]
    gap, there = nearest_points(points, mirrored, within=max(tolerance * float(np.linalg.norm(high - low)), 1e-300))
    return here, np.where(np.isfinite(gap), there, -1)

"""Points that are numbers, found without looking at each where all are."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64


def finite_points(points: F64) -> F64:
    """The rows of (n, 3) points that are finite; the very same array where all are.

    points: (n, 3) float.
    """
    with np.errstate(all="ignore"):
        # A sum is finite only where all that went into it is: infinities and NaN never cancel to a number.
        if np.isfinite(points.sum()):
            return points
    return points[np.isfinite(points).all(axis=1)]

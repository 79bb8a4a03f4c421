"""Sums of values by what they belong to."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, Array


def sums_by(owner: Array, values: Array, count: int) -> F64:
    """(count,) or (count, k) float64 sums of the values of each owner.

    owner: (n,) int, 0 to count - 1.
    values: (n, ...) float: one, or a row of k.
    """
    if values.ndim == 2:
        return np.stack([sums_by(owner, values[:, k], count) for k in range(values.shape[1])], axis=1)
    return np.asarray(np.bincount(owner, values, count), np.float64)

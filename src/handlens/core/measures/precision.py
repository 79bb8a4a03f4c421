"""How finely 32-bit floats can place a point where the model stands."""

from __future__ import annotations

import numpy as np


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

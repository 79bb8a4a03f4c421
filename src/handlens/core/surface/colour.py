"""Colour values as linear light and as they are shown. Source: IEC 61966-2-1:1999 (sRGB), equations 5 to 8."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..words.arrays import F64, Array


def to_linear(shown: Sequence[float] | Array) -> F64:
    """Linear light of values as they are shown, 0 to 1, any shape.

    shown: 0 to 1, of any shape, coded as sRGB.
    """
    v: Array = np.asarray(shown, np.float64)
    out: Array = np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)
    return out


def to_shown(linear: Sequence[float] | Array) -> F64:
    """Values as they are shown of linear light, 0 to 1, any shape.

    linear: 0 to 1, of any shape.
    """
    v: Array = np.asarray(linear, np.float64)
    out: Array = np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 0) ** (1 / 2.4) - 0.055)
    return out


def converted(colour: Sequence[float], linear: bool, wanted_linear: bool) -> tuple[float, ...]:
    """Red, green and blue of a colour in the other kind of values where the two differ; whatever follows stays."""
    if linear == wanted_linear:
        return tuple(colour)
    return (*(to_linear if wanted_linear else to_shown)(colour[:3]).tolist(), *colour[3:])

"""Whether an image is a tangent-space normal map, and to which side its green channel points."""

from __future__ import annotations

import numpy as np

from ..scene.model import Array
from .records import NormalMapFigures

#: A direction counts as one where its length is within this of 1: eight bits a channel leave about half of it.
_NEAR_UNIT = 0.15
_WINDOW = 512


def normal_map(pixels: Array) -> NormalMapFigures:
    """Look at the middle 512 × 512 pixels of (H, W, 4) uint8 as directions, each channel from -1 to 1 (glTF 2.0 §3.9.3).

    Green is told by integrability: the slopes of a height field have no curl (Frankot and Chellappa 1988), so of the two
    signs of green the right one leaves less of it. Undecided where the two differ by less than a third.
    """
    high, wide = pixels.shape[:2]
    top, left = max((high - _WINDOW) // 2, 0), max((wide - _WINDOW) // 2, 0)
    window = pixels[top : top + _WINDOW, left : left + _WINDOW, :3]
    # 127 or 128 stand for nothing: with 127.5 as zero neither is off by more than half a step.
    n = window.astype(np.float64) / 127.5 - 1
    length = np.linalg.norm(n, axis=2)
    return NormalMapFigures(
        unit=float((np.abs(length - 1) <= _NEAR_UNIT).mean()) if length.size else 0.0,
        outward=float((n[:, :, 2] > 0).mean()) if length.size else 0.0,
        flat=bool((np.abs(n[:, :, :2]) <= 3 / 127.5).all()),
        green=_green(n),
        looked_at=int(length.size),
    )


def _green(n: Array) -> str:
    if n.shape[0] < 8 or n.shape[1] < 8:
        return "undecided"
    z = np.maximum(n[:, :, 2], 0.1)
    across, along = n[:, :, 0] / z, n[:, :, 1] / z
    # Rows run down. With green up, the slope down the rows is +along, and that across is -across.
    one = np.diff(across, axis=0)[:, :-1]
    other = np.diff(along, axis=1)[:-1]
    up, down = float(np.square(one + other).sum()), float(np.square(one - other).sum())
    if max(up, down) < 1e-3 * n.shape[0] * n.shape[1] * 1e-2 or min(up, down) > 0.67 * max(up, down):
        return "undecided"
    return "up" if up < down else "down"

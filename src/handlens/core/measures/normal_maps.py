"""Whether an image is a tangent-space normal map, and to which side its green channel points."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..words.arrays import F64, U8, Array
from .records import NormalMapFigures

#: A direction counts as one where its length is within this of 1: eight bits a channel leave about half of it.
_NEAR_UNIT = 0.15
#: Sides of the squares that are looked at, and how many of them along each side of a large picture.
_SIDE, _SQUARES = 256, 4
#: The sum of all squares' answers must be this many of its standard errors away from none.
_SURE = 3.0


def normal_map(pixels: U8) -> NormalMapFigures:
    """Look at up to 16 squares of 256 pixels, spread over (H, W, 4) uint8, as directions: each channel from -1 to 1 (glTF 2.0 §3.9.3).

    Green is told by integrability: the slopes of a height field have no curl (Frankot and Chellappa 1988), so of the two
    signs of green the right one leaves less of it. Differences are taken over squares of four pixels, so that noise says
    nothing for either sign. Undecided where the two differ by less than a third, or the squares do not agree.

    pixels: (H, W, 4) uint8.
    """
    unit = outward = count = 0
    flat = True
    curls: list[tuple[float, float]] = []
    for window in _windows(pixels):
        # 127 or 128 stand for nothing: with 127.5 as zero neither is off by more than half a step.
        n = window[:, :, :3].astype(np.float64) / 127.5 - 1
        length = np.linalg.norm(n, axis=2)
        unit += int((np.abs(length - 1) <= _NEAR_UNIT).sum())
        outward += int((n[:, :, 2] > 0).sum())
        count += length.size
        flat &= bool((np.abs(n[:, :, :2]) <= 3 / 127.5).all())
        curls += _curls(n)
    return NormalMapFigures(
        unit=unit / count if count else 0.0,
        outward=outward / count if count else 0.0,
        flat=flat,
        green=_green(curls),
        looked_at=count,
    )


def _windows(pixels: U8) -> Iterator[Array]:
    """Squares at equal steps over a picture; the whole of one that is no larger than they are."""
    high, wide = pixels.shape[:2]
    starts = []
    for size in (high, wide):
        many = min(_SQUARES, -(-size // _SIDE))
        starts.append(sorted({int(x) for x in np.linspace(0, max(size - _SIDE, 0), many)}))
    for top in starts[0]:
        for left in starts[1]:
            yield pixels[top : top + _SIDE, left : left + _SIDE]


def _curls(n: F64) -> list[tuple[float, float]]:
    """Squared curl of the slopes with green up and with green down, of each quarter of a window."""
    if n.shape[0] < 8 or n.shape[1] < 8:
        return []
    z = np.maximum(n[:, :, 2], 0.1)
    across, along = n[:, :, 0] / z, n[:, :, 1] / z
    # Rows run down. With green up, the slope down the rows is +along, and that across is -across. Both differences are taken at
    # the middle of the same four pixels: neighbours alone would share one, and noise in it would speak for green down.
    down = lambda x: (x[1:, 1:] + x[1:, :-1] - x[:-1, 1:] - x[:-1, :-1]) / 2
    right = lambda x: (x[1:, 1:] + x[:-1, 1:] - x[1:, :-1] - x[:-1, :-1]) / 2
    one, other = down(across), right(along)
    up, low = np.square(one + other), np.square(one - other)
    high, wide = up.shape[0] // 2, up.shape[1] // 2
    quarters = [
        (slice(0, high), slice(0, wide)),
        (slice(0, high), slice(wide, None)),
        (slice(high, None), slice(0, wide)),
        (slice(high, None), slice(wide, None)),
    ]
    return [(float(up[quarter].mean()), float(low[quarter].mean())) for quarter in quarters]


def _green(curls: list[tuple[float, float]]) -> str:
    if not curls:
        return "undecided"
    up, down = np.array(curls).T
    if max(up.mean(), down.mean()) < 1e-5 or min(up.sum(), down.sum()) > 0.67 * max(up.sum(), down.sum()):
        return "undecided"
    # Each square weighs as much as it has relief; they have to say the same.
    lean = (down - up) / (up + down + 1e-12)
    relief = up + down
    mean = float((lean * relief).sum() / relief.sum())
    error = float(np.sqrt((relief**2 * (lean - mean) ** 2).sum()) / relief.sum())
    if abs(mean) <= _SURE * error:
        return "undecided"
    return "up" if mean > 0 else "down"

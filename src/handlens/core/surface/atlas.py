"""Pictures laid side by side in one: where each goes, and what is cut out of it, going on beyond its rims as its sampler says."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from ..scene.wrapping import CLAMP, MIRROR
from ..words.arrays import F64, I64, U8, Array

#: Everything in an atlas lies on multiples of so many pixels, so that a picture at half, a quarter or an eighth of it fits too.
GRID = 8
#: Pixels about what is resampled, so that the filter meets its neighbours.
_MARGIN = 4


class Atlas(NamedTuple):
    """size: (width, height) in pixels, powers of two. places: (n, 2) int64 upper left corner of each cell."""

    size: tuple[int, int]
    places: I64


def packed_cells(sizes: Sequence[tuple[int, int]], most: int) -> Atlas | None:
    """Cells of (width, height) pixels, multiples of `GRID`, in the smallest picture with sides of powers of two, none over `most` and
    none over four times the other; None where they do not fit.

    By the library rectpack, which cuts what is free in two at each cell ("guillotine", Jylänki 2010, A Thousand Ways to Pack the Bin):
    of its ways the one that stays quick with thousands.
    """
    import rectpack

    area = sum(w * h for w, h in sizes)
    widest, highest = max(w for w, _ in sizes), max(h for _, h in sizes)
    sides = [1 << k for k in range(6, 20) if 1 << k <= most]
    fits = [
        (side, h)
        for side in sides
        for h in sides
        if side * h >= area and side >= widest and h >= highest and max(side, h) <= 4 * min(side, h)
    ]
    for wide, high in sorted(fits, key=lambda s: (s[0] * s[1], max(s))):
        packer = rectpack.newPacker(rotation=False, pack_algo=rectpack.GuillotineBssfSas, sort_algo=rectpack.SORT_LSIDE)
        for k, size in enumerate(sizes):
            packer.add_rect(*size, k)
        packer.add_bin(wide, high)
        packer.pack()
        laid = packer.rect_list()
        if len(laid) == len(sizes):
            places = np.zeros((len(sizes), 2), np.int64)
            for _, x, y, _, _, k in laid:
                places[k] = x, y
            return Atlas((wide, high), places)
    return None


def cut(pixels: U8, window: F64, size: tuple[int, int], padding: int, wraps: tuple[int, int]) -> U8:
    """A window of a picture as `size` (width, height) pixels, with `padding` pixels all round of what the picture shows there.

    pixels: (H, W, 4) uint8. window: (2, 2) float64, its low and high corner in pictures, v downwards; it may lie beyond the picture.
    wraps: what the picture does there, across and down, in the numbers of glTF 2.0 §5.26. Where one pixel becomes one, they are the
    same; else they are resampled, colours weighed by their alpha. Returns (h + 2 padding, w + 2 padding, 4) uint8.
    """
    from PIL import Image as Pillow

    shape = np.array([pixels.shape[1], pixels.shape[0]])
    low, high = window[0] * shape, window[1] * shape
    scale = (high - low) / size
    first, last = low - padding * scale, high + padding * scale
    whole = np.rint(first)
    if np.abs(scale - 1).max() < 1e-9 and np.abs(first - whole).max() < 1e-6:
        return _beyond(pixels, whole.astype(np.int64), np.rint(last).astype(np.int64), wraps)
    begin, end = np.floor(first).astype(np.int64) - _MARGIN, np.ceil(last).astype(np.int64) + _MARGIN
    picture = Pillow.fromarray(_beyond(pixels, begin, end, wraps)).convert("RGBa")
    box = tuple(np.concatenate([first - begin, last - begin]).tolist())
    # Enlarged as a sampler enlarges, so that it looks as it did.
    way = Pillow.Resampling.BILINEAR if scale.max() <= 1 else Pillow.Resampling.LANCZOS
    made = picture.resize((size[0] + 2 * padding, size[1] + 2 * padding), way, box=box)
    return np.asarray(made.convert("RGBA"))


def _beyond(pixels: U8, begin: I64, end: I64, wraps: tuple[int, int]) -> U8:
    """Pixels from one place to another, each (x, y), wherever they lie."""
    columns, rows = (
        _wrapped(np.arange(a, b), n, wrap)
        for a, b, n, wrap in zip(begin.tolist(), end.tolist(), pixels.shape[1::-1], wraps, strict=True)
    )
    return pixels[rows[:, None], columns[None, :]]


def _wrapped(at: I64, count: int, wrap: int) -> I64:
    if wrap == CLAMP:
        return at.clip(0, count - 1)
    if wrap == MIRROR:
        at = np.mod(at, 2 * count)
        answer: Array = np.minimum(at, 2 * count - 1 - at)
        return answer
    out: Array = np.mod(at, count)
    return out

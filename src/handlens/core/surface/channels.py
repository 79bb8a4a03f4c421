"""Single channels of pictures: which one an input takes, and new pictures painted from them."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any

import numpy as np

from ..scene import Image
from ..words.arrays import U8, Array
from .names import stem_of

#: Weights of red, green and blue in luma (ITU-R BT.709-6 §3.2).
LUMA = np.array([0.2126, 0.7152, 0.0722])


def channel(pixels: U8, name: str) -> U8:
    """(H, W) uint8 of (H, W, 4) pixels: r, g, b or a, anything else luminance."""
    values = pixels[:, :, "rgba".index(name)] if name in ("r", "g", "b", "a") else np.rint(pixels[:, :, :3] @ LUMA)
    out: Array = np.asarray(values).astype(np.uint8)
    return out


def unit_directions(pixels: U8, slopes: float = 1.0) -> Array:
    """Pixels (H, W, 3 or more) uint8 of a normal map with their directions made unit length again, as resampling leaves them shorter.

    slopes: what x and y are multiplied by first.
    pixels: (H, W, 3 or more) uint8.
    """
    n = pixels[:, :, :3].astype(np.float32) / 127.5 - 1
    n[:, :, :2] *= slopes
    length = np.linalg.norm(n, axis=2, keepdims=True)
    n = np.divide(n, length, out=n, where=length > 1e-6)
    out = pixels.copy()
    out[:, :, :3] = np.rint((n + 1) * 127.5).astype(np.uint8)
    return out


def larger(a: Any, b: Any) -> tuple[int, int]:
    """The size of the larger of two pictures, either of which may be None."""
    sizes = [x.size for x in (a, b) if x is not None]
    answer: tuple[int, int] = max(sizes, key=lambda s: s[0] * s[1])
    return answer


def painted(beside: Image, tail: str, picture: Any) -> Image:
    """A new picture as a PNG beside an image, under its name with a tail."""
    out = io.BytesIO()
    picture.save(out, "PNG")
    data = out.getvalue()
    reference = f"{stem_of(beside.reference) or 'picture'}_{tail}.png"
    return replace(
        beside,
        id=f"{beside.id}/{tail}",
        name=reference.replace("\\", "/").rpartition("/")[2],
        reference=reference,
        found_at=None,
        media_type="image/png",
        load=lambda: data,
        status="embedded",
    )

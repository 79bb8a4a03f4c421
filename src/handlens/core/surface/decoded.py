"""Pictures as pixels: opened within bounds, whatever their mode."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from .. import limits
from ..scene import Image
from ..words.arrays import U8


def from_bytes(data: bytes) -> Any:
    """The picture that bytes hold, as Pillow has it, its pixels not decoded yet. Raises whatever its readers do on damaged data, and
    ValueError where the header promises more pixels than are decoded."""
    from PIL import Image as Pillow

    # Counted here: the library's own bound is told by a warning, which threads cannot each catch for themselves.
    Pillow.MAX_IMAGE_PIXELS = None
    picture = Pillow.open(io.BytesIO(data))
    pixels = picture.width * picture.height
    if pixels > limits.MAX_IMAGE_PIXELS:
        raise ValueError(f"{pixels:,} pixels are more than the {limits.MAX_IMAGE_PIXELS:,} that are decoded")
    return picture


def opened(image: Image, pixels: bool = True) -> Any:
    """The picture, as Pillow has it; None where it is missing, damaged, or larger than what is decoded.

    pixels: whether its pixels are decoded, or its header alone is read.
    """
    data = image.bytes()
    if data is None:
        return None
    try:
        picture = from_bytes(data)
        if pixels:
            picture.load()
    except Exception:  # Pillow's decoders raise almost anything on damaged data
        return None
    return picture


def shown(picture: Any) -> Any:
    """A picture in eight bits a channel, with alpha where it has some: RGBA or RGB, as Pillow has it."""
    from PIL import Image as Pillow

    alpha = "A" in picture.getbands() or "transparency" in picture.info
    if picture.mode.startswith("I"):
        return Pillow.fromarray(eight_bits(picture)[:, :, :3])
    return picture.convert("RGBA" if alpha else "RGB")


def eight_bits(opened: Any) -> U8:
    """(H, W, 4) uint8 pixels of a picture that Pillow opened, whatever its mode."""
    if opened.mode in ("I;16", "I;16B", "I;16L", "I"):
        # 16 bits of grey: the high byte, where Pillow would cut everything above 255 off.
        grey = (np.asarray(opened).astype(np.int64) >> 8).clip(0, 255).astype(np.uint8)
        return np.dstack([grey, grey, grey, np.full_like(grey, 255)])
    return np.asarray(opened.convert("RGBA"))

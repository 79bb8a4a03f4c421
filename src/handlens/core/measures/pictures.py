"""Figures of an image file: size, channels, alpha. Decoded once; refused where its header promises a bomb."""

from __future__ import annotations

import io
import warnings
from typing import NamedTuple

import numpy as np

from .. import limits
from ..scene import Image


class PictureFigures(NamedTuple):
    width: int | None = None
    height: int | None = None
    channels: int | None = None
    has_alpha: bool | None = None
    see_through_share: float | None = None
    bytes: int | None = None
    unreadable: str | None = None


def picture(image: Image) -> PictureFigures:
    """Measure an image. see_through_share is the share of pixels with alpha under 255, over every pixel."""
    data = image.bytes()
    if data is None:
        return PictureFigures()
    from PIL import Image as Pillow

    Pillow.MAX_IMAGE_PIXELS = limits.MAX_IMAGE_PIXELS
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Pillow.DecompressionBombWarning)
            opened = Pillow.open(io.BytesIO(data))
            alpha = "A" in opened.getbands() or "transparency" in opened.info
            channels = len(opened.getbands()) if opened.mode != "P" else (4 if alpha else 3)
            share = _see_through(opened) if alpha else 0.0
    except Exception as error:  # Pillow's decoders raise almost anything on damaged data
        why = str(error) or type(error).__name__
        return PictureFigures(bytes=len(data), unreadable=why.replace("<_io.BytesIO object at ", "").split("0x")[0].strip())
    return PictureFigures(opened.width, opened.height, channels, alpha, share, len(data))


def _see_through(opened) -> float:  # type: ignore[no-untyped-def]
    alpha = np.asarray(opened.convert("RGBA").getchannel("A"))
    return float(np.count_nonzero(alpha < 255) / alpha.size)

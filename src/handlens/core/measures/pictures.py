"""Figures of an image file: size, channels, alpha, and what kind of picture it is. Decoded once; refused where its header promises a bomb."""

from __future__ import annotations

import hashlib
import io
import warnings
from collections.abc import Callable, Collection
from typing import Any, NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from .. import limits
from ..scene import Image
from ..scene.model import Array
from ..surface.decoded import eight_bits
from ..surface.pictures import media_type
from .alpha import alpha_figures
from .normal_maps import normal_map
from .records import LookFigures

#: Sides up to which a picture can be pixel art.
_TINY = 256
#: Side of the small grey picture by which two images are told to be alike.
_SIGNATURE = 24
#: Pixels of which figures of colour are taken; larger pictures are sampled at equal steps.
SAMPLED = 512 * 512
_FORMATS = {"PNG": "png", "JPEG": "jpeg", "WEBP": "webp", "BMP": "bmp", "TGA": "tga", "TIFF": "tiff", "GIF": "gif", "DDS": "dds"}


class PictureFigures(NamedTuple):
    width: int | None = None
    height: int | None = None
    channels: int | None = None
    has_alpha: bool | None = None
    see_through_share: float | None = None
    bytes: int | None = None
    unreadable: str | None = None
    look: LookFigures | None = None


class Picture(NamedTuple):
    """An image's figures, and its (H, W, 4) uint8 pixels where it could be decoded."""

    figures: PictureFigures
    pixels: Array | None = None


def header(image: Image) -> PictureFigures:
    """Size, channels and alpha of an image; pixels are decoded only where alpha has to be counted."""
    return _opened(image, _counted).figures


def picture(image: Image, roles: Collection[str] = ()) -> Picture:
    """Decode an image and measure it. see_through_share is the share of pixels with alpha under 255, over every pixel.

    roles: what materials use it as; only a normal map is looked at as one.
    """
    made = _opened(image, lambda opened, alpha, data: _whole(opened, alpha, data, roles))
    _seen.setdefault(image, {})[tuple(roles)] = made.figures
    return made


#: Figures of images that were looked at, for as long as each is held: after a mend most of them are the very same.
_seen: WeakKeyDictionary[Image, dict[tuple[str, ...], PictureFigures]] = WeakKeyDictionary()


def seen_before(image: Image, roles: Collection[str] = ()) -> PictureFigures | None:
    """The figures of an image that `picture` has told already; None where it has not."""
    return _seen.get(image, {}).get(tuple(roles))


def _opened(image: Image, measure: Callable[[Any, bool, bytes], tuple[float, LookFigures | None, Array | None]]) -> Picture:
    """An image opened and measured; what cannot be is told as such."""
    data = image.bytes()
    if data is None:
        return Picture(PictureFigures())
    from PIL import Image as Pillow

    Pillow.MAX_IMAGE_PIXELS = limits.MAX_IMAGE_PIXELS
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Pillow.DecompressionBombWarning)
            opened = Pillow.open(io.BytesIO(data))
            alpha = "A" in opened.getbands() or "transparency" in opened.info
            channels = len(opened.getbands()) if opened.mode != "P" else (4 if alpha else 3)
            share, look, pixels = measure(opened, alpha, data)
    except Exception as error:  # Pillow's decoders raise almost anything on damaged data
        why = str(error) or type(error).__name__
        said = why.replace("<_io.BytesIO object at ", "").split("0x")[0].strip()
        return Picture(PictureFigures(bytes=len(data), unreadable=said or "damaged"))
    return Picture(PictureFigures(opened.width, opened.height, channels, alpha, share, len(data), None, look), pixels)


def _counted(opened: Any, alpha: bool, data: bytes) -> tuple[float, LookFigures | None, Array | None]:
    return (_see_through(eight_bits(opened)) if alpha else 0.0), None, None


def _whole(opened: Any, alpha: bool, data: bytes, roles: Collection[str]) -> tuple[float, LookFigures | None, Array | None]:
    pixels = eight_bits(opened)
    return (_see_through(pixels) if alpha else 0.0), _look(opened, pixels, alpha, data, roles), pixels


def _see_through(pixels: Array) -> float:
    return float(np.count_nonzero(pixels[:, :, 3] < 255) / max(pixels[:, :, 3].size, 1))


def _look(opened: Any, pixels: Array, has_alpha: bool, data: bytes, roles: Collection[str]) -> LookFigures:
    step = max(int(np.ceil(np.sqrt(pixels.shape[0] * pixels.shape[1] / SAMPLED))), 1)
    some = pixels[::step, ::step]
    colours = len(np.unique(np.ascontiguousarray(pixels).view(np.uint32))) if max(pixels.shape[:2]) <= _TINY else None
    return LookFigures(
        kind=_FORMATS.get(opened.format or "", (media_type(data) or "unknown").rpartition("/")[2]),
        bits=_bits(data, opened.mode),
        digest=hashlib.sha256(data).hexdigest(),
        sampled=some.shape[0] * some.shape[1],
        colours=colours,
        soft_steps=_soft_steps(pixels) if colours is not None else 1.0,
        grey=bool((np.ptp(some[:, :, :3].astype(np.int16), axis=2) <= 2).all()),
        spread=float(some[:, :, :3].astype(np.float64).std(axis=(0, 1)).mean()),
        signature=_signature(pixels),
        alpha=alpha_figures(pixels) if has_alpha else None,
        normal=normal_map(pixels) if not {"normal", "bump"}.isdisjoint(roles) else None,
        dark=float((some[:, :, :3].max(axis=2) <= 8).mean()),
        dark_rim=_dark_rim(pixels),
        bright=float((some[:, :, :3].max(axis=2) >= 96).mean()),
        soft_dark=_soft_dark(some),
    )


def _bits(data: bytes, mode: str) -> int:
    """Bits of one channel: from the header of a PNG (PNG specification 11.2.2), else by the decoder's mode."""
    if data.startswith(b"\x89PNG") and len(data) > 24:
        return 8 if data[25] == 3 else data[24]
    return {"1": 1, "I;16": 16, "I;16B": 16, "I": 32, "F": 32}.get(mode, 8)


def _signature(pixels: Array) -> bytes:
    """The picture shrunk to 24 × 24 by means, three bytes each, see-through pixels over black."""
    from PIL import Image as Pillow

    over = (
        pixels[:, :, :3].astype(np.uint16) * pixels[:, :, 3:] // 255
        if pixels.shape[0] * pixels.shape[1] <= SAMPLED
        else pixels[:, :, :3]
    )
    small = Pillow.fromarray(over.astype(np.uint8)).resize((_SIGNATURE, _SIGNATURE), Pillow.Resampling.BOX, reducing_gap=2.0)
    return np.asarray(small).tobytes()


def alike(a: LookFigures, b: LookFigures) -> bool:
    """Whether two images show the same: their shrunk copies agree within 2.5 levels in the mean and 16 nearly
    everywhere, as does how far they vary."""
    if a.digest == b.digest:
        return True
    one, other = (np.frombuffer(x.signature, np.uint8).astype(np.int16) for x in (a, b))
    if (a.alpha is None) != (b.alpha is None):
        return False
    away = np.abs(one - other)
    return bool(
        away.mean() <= 2.5 and np.percentile(away, 98) <= 16 and abs(a.spread - b.spread) <= 1.0 + 0.1 * max(a.spread, b.spread)
    )


def glows(look: LookFigures) -> bool:
    """Whether an image is a bright subject that fades into a black rim and background: light to be added, not a surface."""
    return look.dark_rim > 0.97 and look.dark > 0.15 and look.bright > 0.02 and look.soft_dark > 0.05


def _soft_steps(pixels: Array) -> float:
    """Of all steps between neighbours that differ, the share that is small: near none where a picture is drawn pixel by pixel."""
    p = pixels.astype(np.int16)
    steps = np.concatenate([np.abs(np.diff(p, axis=0)).max(axis=2).ravel(), np.abs(np.diff(p, axis=1)).max(axis=2).ravel()])
    steps = steps[steps > 0]
    return float((steps < 12).mean()) if len(steps) else 1.0


def _dark_rim(pixels: Array) -> float:
    """Share of the outermost pixels that are all but black."""
    rim = np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])
    return float((rim[:, :3].max(axis=1) <= 8).mean())


def _soft_dark(some: Array) -> float:
    """Share of pixels between black and bright: what a glow fades through, and a cut-out on black does not have."""
    brightest = some[:, :, :3].max(axis=2)
    return float(((brightest > 8) & (brightest < 96)).mean())

"""Figures of an image file: size, channels, alpha, and what kind of picture it is. Decoded once; refused where its header promises a bomb."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, NamedTuple
from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from ..scene import Image
from ..surface.decoded import eight_bits, from_bytes
from ..surface.decoded import opened as opened_image
from ..surface.pictures import media_type
from ..words.arrays import U8, Array
from .alpha import alpha_figures
from .normal_maps import normal_map
from .records import ImageFigures, LookFigures

#: Sides up to which a picture can be pixel art, whose colours are counted.
TINY = 64
#: Side of the small grey picture by which two images are told to be alike.
_SIGNATURE = 24
#: Pixels of which figures of colour are taken; larger pictures are sampled at equal steps.
SAMPLED = 512 * 512
#: How many times as large a picture without alpha is of which only some rows are unpacked.
_ROWS = 16
#: Share of black pixels from which on it matters which of them faces show.
DARK = 0.05
#: Levels by which the copies of two images that show the same differ in the mean, and fields of four by four and three channels.
_LEVELS, _FIELDS = 2.5, 48
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
    made = _opened(image, lambda opened, alpha, data: _looked_at(opened, alpha, data, roles))
    _seen.setdefault(image, {})[tuple(roles)] = made.figures
    return made


#: Figures of images that were looked at, for as long as each is held: after a mend most of them are the very same.
_seen: WeakKeyDictionary[Image, dict[tuple[str, ...], PictureFigures]] = WeakKeyDictionary()


def seen_before(
    image: Image, roles: Collection[str] = (), earlier: Mapping[tuple[str, tuple[str, ...]], ImageFigures] | None = None
) -> PictureFigures | None:
    """The figures of an image that `picture` has told already; None where it has not.

    earlier: figures of other measures by digest and roles, whose images held the very same bytes.
    """
    told = _seen.get(image, {}).get(tuple(roles))
    if told is None and earlier and (data := image.bytes()) is not None:
        held = earlier.get((hashlib.sha256(data).hexdigest(), tuple(roles)))
        if held is not None:
            told = PictureFigures(
                held.width,
                held.height,
                held.channels,
                held.has_alpha,
                held.see_through_share,
                held.bytes,
                held.unreadable,
                held.look,
            )
    return told


def pixel_count(image: Image) -> int:
    """Pixels of an image by its header; none where it is missing or cannot be read."""
    picture = opened_image(image, pixels=False)
    return 0 if picture is None else picture.width * picture.height


def _opened(image: Image, measure: Callable[[Any, bool, bytes], tuple[float, LookFigures | None, Array | None]]) -> Picture:
    """An image opened and measured; what cannot be is told as such."""
    data = image.bytes()
    if data is None:
        return Picture(PictureFigures())
    try:
        opened = from_bytes(data)
        alpha = "A" in opened.getbands() or "transparency" in opened.info
        channels = len(opened.getbands()) if opened.mode != "P" else (4 if alpha else 3)
        share, look, pixels = measure(opened, alpha, data)
    except Exception as error:  # Pillow's decoders raise almost anything on damaged data
        why = str(error) or type(error).__name__
        said = why.replace("<_io.BytesIO object at ", "").split("0x")[0].strip()
        return Picture(PictureFigures(bytes=len(data), unreadable=said or "damaged"))
    return Picture(PictureFigures(opened.width, opened.height, channels, alpha, share, len(data), None, look), pixels)


def _counted(opened: Any, alpha: bool, data: bytes) -> tuple[float, LookFigures | None, Array | None]:
    return (_transparency(eight_bits(opened)) if alpha else 0.0), None, None


def _looked_at(opened: Any, alpha: bool, data: bytes, roles: Collection[str]) -> tuple[float, LookFigures | None, Array | None]:
    normal = not {"normal", "bump"}.isdisjoint(roles)
    if alpha or normal or opened.width * opened.height <= _ROWS * SAMPLED or opened.mode.startswith("I"):
        pixels = eight_bits(opened)
        step = _step(opened)
        rim = np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])
        look = _look(opened, pixels[::step, ::step], rim, _signature(pixels), data)
        tiny = max(opened.size) <= TINY
        look = replace(
            look,
            colours=len(np.unique(np.ascontiguousarray(pixels).view(np.uint32))) if tiny else None,
            soft_steps=_soft_steps(pixels) if tiny else 1.0,
            alpha=alpha_figures(pixels) if alpha else None,
            normal=normal_map(pixels) if normal else None,
        )
        return (_transparency(pixels) if alpha else 0.0), look, pixels
    look = _of_rows(opened, data)
    # Which of its pixels faces show is only asked where it is black in places.
    return 0.0, look, eight_bits(opened) if look.dark > DARK else None


def _step(opened: Any) -> int:
    """Every how-manieth pixel of a row, and every how-manieth row, the figures of colour are taken of."""
    return max(int(np.ceil(np.sqrt(opened.height * opened.width / SAMPLED))), 1)


def _of_rows(opened: Any, data: bytes) -> LookFigures:
    """Figures of a large picture without alpha from some of its rows: a few hundred kilobytes may unpack to a gigabyte, of which
    only the library's own copy is then made."""
    from PIL import Image as Pillow

    opened.load()
    wide, high = opened.size
    row = lambda box: np.asarray(opened.crop(box).convert("RGBA")).reshape(-1, 4)
    step = _step(opened)
    some = np.stack([row((0, y, wide, y + 1))[::step] for y in range(0, high, step)])
    sides = (0, 0, wide, 1), (0, high - 1, wide, high), (0, 0, 1, high), (wide - 1, 0, wide, high)
    small = opened if opened.mode in ("L", "RGB") else opened.convert("RGB")
    small = small.resize((_SIGNATURE, _SIGNATURE), Pillow.Resampling.BOX, reducing_gap=2.0).convert("RGB")
    return _look(opened, some, np.concatenate([row(box) for box in sides]), np.asarray(small).tobytes(), data)


def _transparency(pixels: U8) -> float:
    return float(np.count_nonzero(pixels[:, :, 3] < 255) / max(pixels[:, :, 3].size, 1))


def _look(opened: Any, some: U8, rim: U8, signature: bytes, data: bytes) -> LookFigures:
    """some: (h, w, 4) uint8 pixels at equal steps. rim: (n, 4) the outermost ones."""
    channels = [np.ascontiguousarray(some[:, :, k]) for k in range(3)]
    most = np.maximum(np.maximum(channels[0], channels[1]), channels[2])
    least = np.minimum(np.minimum(channels[0], channels[1]), channels[2])
    bright = np.bincount(most.reshape(-1), minlength=256)
    total = max(most.size, 1)
    return LookFigures(
        kind=_FORMATS.get(opened.format or "", (media_type(data) or "unknown").rpartition("/")[2]),
        bits=_bits(data, opened.mode),
        digest=hashlib.sha256(data).hexdigest(),
        sampled=most.size,
        colours=None,
        soft_steps=1.0,
        grey=bool((most - least <= 2).all()),
        spread=float(np.mean([_deviation(channel) for channel in channels])),
        signature=signature,
        alpha=None,
        normal=None,
        dark=float(bright[:9].sum() / total),
        dark_rim=float((rim[:, :3].max(axis=1) <= 8).mean()),
        bright=float(bright[96:].sum() / total),
        soft_dark=float(bright[9:96].sum() / total),
    )


def _deviation(channel: U8) -> float:
    """Standard deviation of uint8 values, from how often each of them comes."""
    count = np.bincount(channel.reshape(-1), minlength=256)
    levels, total = np.arange(256), max(channel.size, 1)
    mean = (count * levels).sum() / total
    return float(np.sqrt((count * (levels - mean) ** 2).sum() / total))


def _bits(data: bytes, mode: str) -> int:
    """Bits of one channel: from the header of a PNG (PNG specification 11.2.2), else by the decoder's mode."""
    if data.startswith(b"\x89PNG") and len(data) > 24:
        return 8 if data[25] == 3 else data[24]
    return {"1": 1, "I;16": 16, "I;16B": 16, "I": 32, "F": 32}.get(mode, 8)


def _signature(pixels: U8) -> bytes:
    """The picture shrunk to 24 × 24 by means, three bytes each, see-through pixels over black."""
    from PIL import Image as Pillow

    over = (
        pixels[:, :, :3].astype(np.uint16) * pixels[:, :, 3:] // 255
        if pixels.shape[0] * pixels.shape[1] <= SAMPLED
        else pixels[:, :, :3]
    )
    small = Pillow.fromarray(over.astype(np.uint8)).resize((_SIGNATURE, _SIGNATURE), Pillow.Resampling.BOX, reducing_gap=2.0)
    return np.asarray(small).tobytes()


def twins(looks: Sequence[tuple[int, LookFigures]]) -> list[tuple[int, int]]:
    """Images that show the same as an earlier one, each with the first that it is like.

    looks: number and figures of each. Two show the same where their files do, or where their shrunk copies agree within 2.5 levels in
    the mean and 16 nearly everywhere, as does how far they vary. The means of a few fields differ by no more than the copies do,
    so that only what is near by those is compared.
    """
    first: dict[str, int] = {}
    places: list[tuple[int, LookFigures]] = []
    fields, levels = np.zeros((len(looks), _FIELDS), np.float32), np.zeros((len(looks), 3 * _SIGNATURE**2), np.int16)
    out = []
    for k, look in looks:
        copy = np.frombuffer(look.signature, np.uint8).astype(np.int16)
        cells = copy.reshape(_SIGNATURE // 6, 6, _SIGNATURE // 6, 6, 3).mean(axis=(1, 3)).reshape(-1)
        here = len(places)
        twin = first.get(look.digest)
        if twin is None:
            near = np.flatnonzero(np.abs(fields[:here] - cells).mean(axis=1) <= _LEVELS + 0.01)
            twin = next((places[n][0] for n in near.tolist() if _same(places[n][1], look, np.abs(levels[n] - copy))), None)
        if twin is None:
            fields[here], levels[here] = cells, copy
            places.append((k, look))
        else:
            out.append((k, twin))
        first.setdefault(look.digest, k if twin is None else twin)
    return out


def _same(a: LookFigures, b: LookFigures, differences: Array) -> bool:
    """differences: (n,) by how many levels their shrunk copies differ."""
    if (a.alpha is None) != (b.alpha is None):
        return False
    spread = abs(a.spread - b.spread) <= 1.0 + 0.1 * max(a.spread, b.spread)
    return bool(spread and differences.mean() <= _LEVELS and np.percentile(differences, 98) <= 16)


def glows(look: LookFigures) -> bool:
    """Whether an image is a bright subject that fades into a black rim and background: light to be added, not a surface."""
    return look.dark_rim > 0.97 and look.dark > 0.15 and look.bright > 0.02 and look.soft_dark > 0.05


def _soft_steps(pixels: U8) -> float:
    """Of all steps between neighbours that differ, the share that is small: near none where a picture is drawn pixel by pixel."""
    levels = pixels.astype(np.int16)
    steps = np.concatenate(
        [np.abs(np.diff(levels, axis=0)).max(axis=2).ravel(), np.abs(np.diff(levels, axis=1)).max(axis=2).ravel()]
    )
    steps = steps[steps > 0]
    return float((steps < 12).mean()) if len(steps) else 1.0

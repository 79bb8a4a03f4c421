"""Images by their pixels; one that was written anew but shows the same is said to be so. What is missing must stay missing."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..scene import Image
from ..surface.decoded import eight_bits, opened
from ..surface.names import stem_of
from .compared import Compared
from .pairing import digest, image_name
from .rows import CLEAR, Row, counted, differs, listed, same

GROUP = "Images"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of images."""
    a, b = compared.a, compared.b
    if not a.images and not b.images:
        return
    gone = [image_name(i) for k, i in enumerate(a.images) if k not in compared.images]
    there = set(compared.images.values())
    came = [image_name(i) for k, i in enumerate(b.images) if k not in there]
    if gone or came:
        words = [f"gone: {listed(gone)}"] * bool(gone) + [f"new: {listed(came)}"] * bool(came)
        yield differs(GROUP, "Images", f"{len(a.images):,}", f"{len(b.images):,}", "; ".join(words))
    else:
        yield counted(GROUP, "Images", [len(a.images), len(b.images)])
    pairs = [(a.images[i], b.images[j]) for i, j in sorted(compared.images.items())]
    # The ending is the content's own.
    renamed = [(image_name(x), image_name(y)) for x, y in pairs if stem_of(image_name(x)) != stem_of(image_name(y)) and _named(x)]
    if renamed:
        yield differs(GROUP, "Names of images", *renamed[0], f"{len(renamed):,} renamed")
    missing = [sum(i.load is None for i in s.images) for s in (a, b)]
    lost = [image_name(x) for x, y in pairs if (x.load is None) != (y.load is None)]
    moved = [(x.reference, y.reference) for x, y in pairs if x.load is None and y.load is None and x.reference != y.reference]
    if lost:
        yield differs(GROUP, "Missing images", f"{missing[0]:,}", f"{missing[1]:,}", f"{len(lost):,} came or went", listed(lost))
    elif moved:
        yield differs(GROUP, "Missing images", *moved[0], f"{len(moved):,} referred to otherwise")
    elif any(missing):
        yield same(GROUP, "Missing images", f"{missing[0]:,}", remark="named as they were")
    yield from _pixels([(x, y) for x, y in pairs if x.load is not None and y.load is not None])


def _named(image: Image) -> bool:
    """Whether an image has a name at all: one inside a file may have none."""
    return bool(image.name or image.load is None)


def _pixels(pairs: list[tuple[Image, Image]]) -> Iterator[Row]:
    if not pairs:
        return
    anew, wrong = 0, list[tuple[str, str, str]]()
    for x, y in pairs:
        if digest(x) == digest(y):
            continue
        told = _difference(x, y)
        if told is None:
            anew += 1
        else:
            wrong.append((image_name(x), image_name(y), told))
    if wrong:
        more = f" and {len(wrong) - 1:,} more" if len(wrong) > 1 else ""
        yield differs(
            GROUP, "Pixels", f"{len(pairs):,}", f"{len(pairs) - len(wrong):,} the same", wrong[0][2] + more, wrong[0][0]
        )
    elif anew:
        yield Row(
            GROUP,
            "Pixels",
            f"{len(pairs):,}",
            f"{len(pairs):,}",
            "same",
            CLEAR,
            f"{anew:,} encoded anew, pixel for pixel the same",
        )
    else:
        yield same(GROUP, "Pixels", f"{len(pairs):,}", remark="the same bytes")


def _difference(x: Image, y: Image) -> str | None:
    """How the pixels of two images differ, in words; None where they are the same."""
    sent, read_back = opened(x), opened(y)
    if sent is None or read_back is None:
        return "other bytes, which cannot be opened"
    if sent.size != read_back.size:
        return f"{sent.size[0]} × {sent.size[1]} px became {read_back.size[0]} × {read_back.size[1]} px"
    if sent.mode.startswith("I") or read_back.mode.startswith("I"):
        u, v = _grey(sent), _grey(read_back)
    else:
        u, v = eight_bits(sent), eight_bits(read_back)
    other = (u != v) if u.ndim == 2 else (u != v).any(axis=2)
    if not other.any():
        return None
    off = np.abs(u.astype(np.int64) - v.astype(np.int64))
    return f"{int(other.sum()):,} of {other.size:,} pixels, by up to {int(off.max())}"


def _grey(picture: Any) -> Any:
    """Pixels of sixteen bits as they are, of eight bits spread over sixteen."""
    if picture.mode.startswith("I"):
        return np.asarray(picture).astype(np.int64)
    return np.asarray(picture.convert("L")).astype(np.int64) * 257

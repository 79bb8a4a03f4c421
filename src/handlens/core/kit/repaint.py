"""New pictures in the place of old ones: decoded, changed and encoded again, the file that came being left as it is."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from ..declare.mend import Parameter
from ..limits import MendError
from ..scene import Image, Scene
from ..surface.decoded import eight_bits, opened, shown
from ..surface.names import stem_of
from ..surface.pictures import media_type
from ..words.arrays import U8
from .messages import say

#: The parameter of every mend that can be kept to some images.
IMAGES = Parameter(
    "images",
    "names",
    "which images, by their references or as #number, counted from 0, with semicolons between; all that it is about where none is named",
    default=(),
)
ENDINGS = {"png": ".png", "jpeg": ".jpg", "webp": ".webp"}
_MEDIA = {"png": "image/png", "jpeg": "image/jpeg", "webp": "image/webp"}


def chosen_images(scene: Scene, names: Sequence[str]) -> list[int]:
    """Numbers of the images that references name, or numbers after a #; all where none is named. Raises MendError where none is there any more."""
    if not names:
        return list(range(len(scene.images)))
    wanted = set(names)
    found = [k for k, i in enumerate(scene.images) if (i.reference or f"image {k}") in wanted or f"#{k}" in wanted]
    if not found:
        raise MendError(say("mend.no-such-image", image=names[0]))
    return found


def decoded(image: Image) -> Any:
    """The picture, as Pillow has it. Raises MendError where it is missing or damaged."""
    picture = opened(image)
    if picture is None:
        raise MendError(say("mend.image-missing" if image.load is None else "mend.image-unreadable", image=image.reference))
    return picture


def pixels_of(image: Image) -> U8:
    """(H, W, 4) uint8. Raises MendError."""
    return eight_bits(decoded(image))


def encoded(picture: Any, kind: str) -> bytes:
    """The bytes of a picture in a file format: png, jpeg or webp, the last two at quality 92."""
    out = io.BytesIO()
    if kind == "jpeg":
        shown(picture).convert("RGB").save(out, "JPEG", quality=92)
    elif kind == "webp":
        shown(picture).save(out, "WEBP", quality=92, method=4)
    else:
        picture.save(out, "PNG", optimize=False)
    return out.getvalue()


def kind_of(image: Image) -> str:
    """The format in which a changed image is written: its own where that can be written, else PNG."""
    media = media_type(image.bytes() or b"")
    return next((k for k, m in _MEDIA.items() if m == media), "png")


def repainted(image: Image, picture: Any, kind: str, tail: str = "") -> Image:
    """The image with new bytes, its name ending as its format wants it. tail: put behind the name's stem."""
    data = encoded(picture, kind)
    renamed = lambda name: f"{stem_of(name)}{tail}{ENDINGS[kind]}" if name else name
    return replace(
        image,
        id=f"{image.id}/{tail or kind}",
        name=f"{image.name}{tail}" if "." not in image.name else renamed(image.name),
        reference=renamed(image.reference),
        found_at=renamed(image.found_at) if image.found_at else None,
        media_type=_MEDIA[kind],
        load=lambda: data,
        status="embedded" if image.status == "embedded" else "found",
    )


def each_image(scene: Scene, names: Sequence[str], change: Callable[[Image], Image | None]) -> tuple[Scene, int]:
    """The scene with some images changed, and how many were; None leaves one as it is."""
    images, count = list(scene.images), 0
    for k in chosen_images(scene, names):
        if images[k].load is None:
            continue
        try:
            made = change(images[k])
        except MendError:
            if names:
                raise
            continue  # one that is damaged must not keep the others from being mended
        if made is not None:
            images[k] = made
            count += 1
    return scene.with_(images=tuple(images)), count

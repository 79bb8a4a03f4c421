"""Handoff: the picture that stands for the model."""

from __future__ import annotations

import re

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...display import display_copy
from ...display.portrait import portrait
from ...limits import MendError
from ...scene import Neighbour, Scene
from .messages import say

_NAME = re.compile(r"[^\\/:*?\"<>|\x00-\x1f]{1,120}\.(png|jpg|webp)")
_KINDS = {"png": "PNG", "jpg": "JPEG", "webp": "WEBP"}


@mend(
    "handoff.thumbnail",
    title="Draw a thumbnail",
    button="Draw a thumbnail",
    keeps="the whole model, and every file that came",
    costs="a file more in the package",
    promise=PLACES,
    safe=True,
    parameters=[
        Parameter("file", "text", "its name, ending in .png, .jpg or .webp"),
        Parameter("pixels", "number", "along each side, 64 to 2048", default=512),
    ],
    touches="neither",
)
def thumbnail(scene: Scene, file: str, pixels: float = 512) -> Outcome:
    """Draw the model from the right of its front and a little from above, and lay the picture beside it."""
    met = _NAME.fullmatch(file)
    if met is None:
        raise MendError(say("handoff.thumbnail.name", name=file[:80]))
    side = round(pixels)
    if not 64 <= side <= 2048:
        raise MendError(say("handoff.thumbnail.pixels"))
    folder = scene.main.rpartition("/")[0]
    path = f"{folder}/{file}" if folder else file
    taken = {path.casefold() for path in (scene.main, *(p for p, _ in scene.files), *(n.path for n in scene.beside))}
    taken |= {image.found_at.casefold() for image in scene.images if image.found_at is not None}
    if path.casefold() in taken:
        raise MendError(say("handoff.thumbnail.there", name=file))
    data = portrait(display_copy(scene), side, side, _KINDS[met[1]])
    if data is None:
        raise MendError(say("handoff.thumbnail.nothing"))
    made = Neighbour(path, "image", "package", len(data), lambda: data, changed=True)
    return Outcome(scene.with_(beside=(*scene.beside, made)), (Figure("thumbnail", "none", f"{side:,} × {side:,} px"),))

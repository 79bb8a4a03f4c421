"""Pictures of kinds that a format does not take, written as PNG."""

from __future__ import annotations

import io
from collections.abc import Collection
from dataclasses import replace

from ..scene import Image, Scene
from .channels import opened
from .pictures import media_type

#: What glTF 2.0 §5.18 (image.mimeType), the USD package specification and 3MF's materials extension all take.
PLAIN_KINDS = frozenset({"image/png", "image/jpeg"})
#: Modes of Pillow that a PNG holds as they are (PNG specification, table 11.1).
_AS_THEY_ARE = ("1", "L", "LA", "P", "RGB", "RGBA", "I;16")


def accepted(scene: Scene, kinds: Collection[str], title: str) -> tuple[Scene, list[str]]:
    """The scene whose pictures are of some media types where they can be opened, and a sentence for each that was written anew.

    title: the format, as the sentences name it. A picture that cannot be opened stays as it came.
    """
    images, said = list(scene.images), []
    for k in sorted({t.image for m in scene.materials for t in m.inputs if t.image is not None}):
        data = images[k].bytes()
        if data is None or media_type(data) in kinds:
            continue
        picture = opened(images[k])
        if picture is None:
            continue
        kind = str(picture.format or "of another kind")
        if picture.mode not in _AS_THEY_ARE:
            alpha = "A" in picture.getbands() or "transparency" in picture.info
            picture = picture.convert("RGBA" if alpha else "RGB")
        out = io.BytesIO()
        picture.save(out, "PNG")
        said.append(
            f"{images[k].reference or images[k].name or 'A picture'} is {kind}, which {title} does not hold: it is written as PNG."
        )
        images[k] = _as_png(images[k], out.getvalue())
    return (scene.with_(images=tuple(images)), said) if said else (scene, said)


def _as_png(image: Image, data: bytes) -> Image:
    stem, dot, _ = image.reference.rpartition(".")
    name, ended, _ = image.name.rpartition(".")
    return replace(
        image, name=f"{name}.png" if ended else image.name, reference=f"{stem if dot else image.reference}.png", found_at=None, media_type="image/png",
        load=lambda: data,
    )  # fmt: skip

"""Pictures of kinds that a format does not take, written as PNG."""

from __future__ import annotations

import io
from collections.abc import Collection
from dataclasses import replace

from ...scene import Image, Scene
from ...surface.decoded import eight_bits, opened
from ...surface.names import stem_of
from ...surface.pictures import media_type

#: What glTF 2.0 §5.18 (image.mimeType), the USD package specification and 3MF's materials extension all take.
PLAIN_KINDS = frozenset({"image/png", "image/jpeg"})
#: Modes of Pillow that a PNG holds as they are (PNG specification, table 11.1).
_AS_THEY_ARE = ("1", "L", "LA", "P", "RGB", "RGBA", "I;16")


def reencoded_images(scene: Scene, kinds: Collection[str], title: str) -> list[str]:
    """A sentence for each picture that `accepted` writes anew; only their headers are read. title: the format in the sentences."""
    said = []
    for k in _others(scene, kinds):
        picture, image = opened(scene.images[k], pixels=False), scene.images[k]
        if picture is not None:
            name = image.reference or image.name or "A picture"
            said.append(f"{name} is {picture.format or 'of another kind'}, which {title} does not hold: it is written as PNG.")
    return said


def left_out(scene: Scene, kinds: Collection[str]) -> int:
    """How many pictures are of none of some media types and are not written anew: no material uses them, or they cannot be opened."""
    anew = {k for k in _others(scene, kinds) if opened(scene.images[k], pixels=False) is not None}
    there = [k for k, i in enumerate(scene.images) if i.load is not None and media_type(i.bytes() or b"") not in kinds]
    return len([k for k in there if k not in anew])


def accepted(scene: Scene, kinds: Collection[str]) -> Scene:
    """The scene whose pictures are of some media types where they can be opened. One that cannot stays as it came."""
    from PIL import Image as Pillow

    images = list(scene.images)
    for k in _others(scene, kinds):
        picture = opened(images[k])
        if picture is None:
            continue
        if picture.mode not in _AS_THEY_ARE:
            alpha = "A" in picture.getbands() or "transparency" in picture.info
            pixels = eight_bits(picture)
            picture = Pillow.fromarray(pixels if alpha else pixels[:, :, :3])
        out = io.BytesIO()
        picture.save(out, "PNG")
        images[k] = _as_png(images[k], out.getvalue())
    return scene.with_(images=tuple(images))


def _others(scene: Scene, kinds: Collection[str]) -> list[int]:
    """Images that materials use and that are of none of some media types."""
    used = sorted({texture.image for material in scene.materials for texture in material.inputs if texture.image is not None})
    return [k for k in used if (data := scene.images[k].bytes()) is not None and media_type(data) not in kinds]


def _as_png(image: Image, data: bytes) -> Image:
    name = f"{stem_of(image.name)}.png" if "." in image.name else image.name
    return replace(
        image, name=name, reference=f"{stem_of(image.reference)}.png", found_at=None, media_type="image/png", load=lambda: data
    )

"""Textures: find, embed, gather, merge, convert, resize, turn green."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import LOOKS
from ...formats.table import BY_NAME
from ...kit.repaint import ENDINGS, IMAGES, chosen_images, decoded, each_image, kind_of, pixels_of, repainted
from ...limits import MendError
from ...packages import URIS, spelling
from ...scene import Image, Material, Neighbour, Scene
from ...surface.channels import unit_directions
from ...surface.decoded import eight_bits
from .messages import say
from .relink import candidates

_KEEPS = "every other image, and the file that came"


@mend(
    "textures.find",
    title="Find images",
    keeps="the images themselves",
    costs="nothing",
    safe=False,
    parameters=[IMAGES, Parameter("file", "text", "the file that is meant, where the names alone do not say", default="")],
    touches="neither",
)
def find(scene: Scene, images: Sequence[str] = (), file: str = "") -> Outcome:
    """Point references that lead nowhere, to one machine or to another letter case at the file that is meant.

    Looked for among the files that came, in searched folders and in earlier uploads: by the same name, by other letter case,
    by another ending. What only sounds alike, or fits twice, is told and never taken.
    """
    changed, remarks, done = list(scene.images), [], 0
    off = lambda i: astray(i, scene.format)
    about = [k for k in chosen_images(scene, images) if off(scene.images[k])]
    if not about:
        raise MendError(say("textures.find.none"))
    if file and len(about) != 1:
        raise MendError(say("textures.find.one-at-a-time"))
    for k in about:
        image = scene.images[k]
        if image.load is not None and not file:
            changed[k] = shown_as_named(image, image.found_at or image.reference)
            done += 1
            continue
        found = file_meant(scene, file) if file else None
        if found is None:
            ranked = candidates(image.reference, scene.beside)
            found = next((n for c in ranked[:1] if c.sure for n in scene.beside if n.path == c.path), None)
            if found is None:
                remarks.append(
                    say("textures.find.not-found", image=image.reference)
                    if not ranked
                    else say(
                        "textures.find.may-be",
                        image=image.reference,
                        files=" or ".join(f"{c.path} ({c.reason})" for c in ranked[:3]),
                    )
                )
                continue
            if ranked[0].reason != "same name" or found.origin != "package":
                remarks.append(
                    say(
                        "textures.find.found",
                        image=image.reference,
                        path=found.path,
                        reason=ranked[0].reason,
                        origin=_origin(found),
                    )
                )
        changed[k] = replace(shown_as_named(image, found.path), load=found.load, media_type=None)
        done += 1
    if not done:
        raise MendError(" ".join(remarks))
    left = lambda some: sum(off(i) for i in some)
    return Outcome(
        scene.with_(images=tuple(changed)),
        (Figure("references that lead astray", f"{left(scene.images):,}", f"{left(changed):,}"),),
        tuple(remarks),
    )


def astray(image: Image, format_name: str) -> bool:
    """Whether an image is missing, or its reference is written so that it holds here and not elsewhere."""
    how = spelling(image.reference) if image.status != "embedded" else None
    percent = how is not None and how.percent and format_name not in URIS
    return image.load is None or image.status in ("other-case", "absolute") or percent or (how is not None and how.backslash)


def _origin(n: Neighbour) -> str:
    return {"package": "the files that came", "search": "the searched folder"}.get(n.origin, n.origin)


def file_meant(scene: Scene, file: str) -> Neighbour:
    """The image beside the model of that path. Raises MendError where there is none."""
    found = next((n for n in scene.beside if n.path == file and n.role == "image"), None)
    if found is None:
        raise MendError(say("textures.no-such-image", file=file))
    return found


def shown_as_named(image: Image, path: str) -> Image:
    """The image as one that lies at a path of the package and is named by it."""
    return replace(image, reference=path, found_at=path, status="found")


@mend(
    "textures.embed",
    title="Embed images",
    keeps="the images themselves",
    costs="a larger model file",
    promise=LOOKS,
    safe=True,
    touches="neither",
)
def embed(scene: Scene) -> Outcome:
    """Write every image that was found inside the model file, so that nothing can be left behind."""
    if not BY_NAME[scene.format].embeds:
        raise MendError(say("textures.embed.format", format=BY_NAME[scene.format].title))
    return _store_images(scene, "inside", "images beside the model")


@mend(
    "textures.gather",
    title="Write images beside the file",
    keeps="the images themselves",
    costs="files that must travel along",
    promise=LOOKS,
    safe=True,
    touches="neither",
)
def gather(scene: Scene) -> Outcome:
    """Write every image that was found as a file beside the model, under a plain relative name."""
    return _store_images(scene, "beside", "images not beside the model")


def _store_images(scene: Scene, where: str, words: str) -> Outcome:
    there = [k for k, i in enumerate(scene.images) if i.load is not None]
    apart = [
        k
        for k in there
        if scene.images[k].keep != where
        and not (where == "inside" and scene.images[k].status == "embedded" and scene.images[k].keep is None)
    ]
    if not apart:
        raise MendError(say("textures.store-images.already", where=where) if there else say("textures.store-images.none"))
    images = tuple(replace(i, keep=where) if i.load is not None else i for i in scene.images)
    lost = len(images) - len(there)
    remarks = (say("textures.store-images.missing", images=lost),) if lost else ()
    return Outcome(scene.with_(images=images), (Figure(words, f"{len(apart):,}", "0"),), remarks)


@mend(
    "textures.merge-equal",
    title="Merge equal images",
    keeps="how everything looks",
    costs="the names of those that are merged into another",
    promise=LOOKS,
    safe=True,
    touches="neither",
)
def merge_equal(scene: Scene) -> Outcome:
    """Let inputs whose images have the same bytes share one, and drop the others."""
    first: dict[bytes, int] = {}
    into: dict[int, int] = {}
    for k, image in enumerate(scene.images):
        data = image.bytes()
        if data is not None:
            into[k] = first.setdefault(data, k)
    gone = {k for k, j in into.items() if j != k}
    if not gone:
        raise MendError(say("textures.merge-equal.none"))
    kept = [k for k in range(len(scene.images)) if k not in gone]
    number = {old: kept.index(into.get(old, old)) for old in range(len(scene.images))}
    after = scene.with_(
        images=tuple(scene.images[k] for k in kept),
        materials=tuple(_renumbered(material, number) for material in scene.materials),
    )
    return Outcome(after, (Figure("images", f"{len(scene.images):,}", f"{len(kept):,}"),))


def _renumbered(material: Material, number: dict[int, int]) -> Material:
    return replace(
        material,
        inputs=tuple(
            texture if texture.image is None else replace(texture, image=number[texture.image]) for texture in material.inputs
        ),
    )


@mend(
    "textures.convert",
    title="Convert images",
    button="Convert {images}",
    keeps=_KEEPS,
    costs="JPEG and WebP lose a little of every pixel, JPEG all alpha; bits past eight go",
    safe=False,
    parameters=[Parameter("to", "choice", "file format", tuple(ENDINGS), "png"), IMAGES],
    after=("textures.find",),
    touches="images",
)
def convert(scene: Scene, to: str, images: Sequence[str] = ()) -> Outcome:
    """Write images in another file format, at eight bits a channel, without an alpha that says nothing, with the ending that goes
    with it.
    """
    from PIL import Image as Pillow

    remarks = []

    def change(image: Image) -> Image | None:
        picture = decoded(image)
        made = eight_bits(picture)
        stated = "A" in picture.getbands() or "transparency" in picture.info
        has_alpha = stated and bool((made[:, :, 3] < 255).any())
        plain = picture.mode in ("RGB", "RGBA", "L", "LA", "P") and has_alpha == stated
        if picture.format == to.upper() and plain and _named_right(image, to):
            return None
        if to == "jpeg" and has_alpha:
            remarks.append(say("textures.convert.loses-alpha", image=image.reference))
        return repainted(image, Pillow.fromarray(made if has_alpha else made[:, :, :3]), to)

    after, count = each_image(scene, images, change)
    if not count:
        raise MendError(say("textures.convert.already", format=to.upper()))
    return Outcome(after, (_bytes(scene, after), Figure("images converted", "0", f"{count:,}")), tuple(remarks))


def _named_right(image: Image, to: str) -> bool:
    name = (image.found_at or image.reference).lower()
    return "." not in name or name.endswith((ENDINGS[to], ".jpeg") if to == "jpeg" else ENDINGS[to])


def _bytes(before: Scene, after: Scene) -> Figure:
    size = lambda s: f"{sum(len(i.bytes() or b'') for i in s.images) / 2**20:,.2f} MiB"
    return Figure("all image files", size(before), size(after))


@mend(
    "textures.resize",
    title="Resize images",
    button="Resize {images}",
    keeps=_KEEPS,
    costs="detail, where they get smaller",
    safe=False,
    parameters=[
        Parameter("pixels", "number", "longest side that is allowed", default=65536.0, zero=False),
        Parameter("power_of_two", "flag", "bring both sides to the nearest power of two", default=False),
        IMAGES,
    ],
    after=("textures.find",),
    touches="images",
)
def resize(scene: Scene, pixels: float, power_of_two: bool, images: Sequence[str] = ()) -> Outcome:
    """Shrink images whose longer side is over a limit, keeping their shape, or bring their sides to powers of two.

    Colours are averaged with their alpha and on the curve that they are stored on; directions of a normal map are made unit
    length again.
    """
    from PIL import Image as Pillow

    normals = {texture.image for material in scene.materials for texture in material.inputs if texture.role == "normal"}
    changed: list[tuple[tuple[int, int], tuple[int, int]]] = []
    number = {id(i): k for k, i in enumerate(scene.images)}

    def change(image: Image) -> Image | None:
        picture = decoded(image)
        wide, high = picture.size
        share = min(1.0, abs(pixels) / max(wide, high))
        size = [max(round(n * share), 1) for n in (wide, high)]
        if power_of_two:
            size = [_power(n, int(abs(pixels))) for n in size]
        if (wide, high) == tuple(size):
            return None
        changed.append(((wide, high), (size[0], size[1])))
        if picture.mode.startswith("I"):
            # Sixteen bits of grey stay sixteen.
            smaller = Pillow.fromarray(np.asarray(picture).astype(np.float32)).resize(tuple(size), Pillow.Resampling.LANCZOS)
            return repainted(image, Pillow.fromarray(np.rint(np.asarray(smaller)).clip(0, 65535).astype(np.uint16)), "png")
        has_alpha = "A" in picture.getbands() or "transparency" in picture.info
        mode = "RGBa" if has_alpha else "RGB"
        made = picture.convert("RGBA" if has_alpha else "RGB").convert(mode).resize(tuple(size), Pillow.Resampling.LANCZOS)
        made = made.convert("RGBA" if has_alpha else "RGB")
        if number[id(image)] in normals:
            made = Pillow.fromarray(unit_directions(np.asarray(made)))
        return repainted(image, made, kind_of(image))

    after, count = each_image(scene, images, change)
    if not count:
        raise MendError(say("textures.resize.none") if not power_of_two else say("textures.resize.already"))
    figures = [Figure("images resized", "0", f"{count:,}"), _bytes(scene, after)]
    if len(changed) == 1:
        words = [f"{w:,} × {h:,}" for w, h in changed[0]]
        figures.insert(0, Figure("pixels", words[0], words[1]))
    return Outcome(after, tuple(figures))


def _power(n: int, limit: int) -> int:
    """The power of two nearest to n by ratio, not over the limit."""
    power = 1 << max(round(float(np.log2(n))), 0)
    while power > limit and power > 1:
        power //= 2
    return power


#: Where an input for normals sits, by the format that has heights as well.
_NORMAL_PATHS = {"obj": ("norm",), "dae": ("normal",)}


@mend(
    "textures.as-normal",
    title="Read as normal map",
    keeps="the image and how it is laid on",
    costs="its use as heights, where it was one",
    safe=False,
    parameters=[IMAGES],
)
def as_normal(scene: Scene, images: Sequence[str] = ()) -> Outcome:
    """Plug images that are read as heights in as normal maps, in the place of any other that the material has."""
    about = set(chosen_images(scene, images))
    path = _NORMAL_PATHS.get(scene.format, ("normal",))
    changed, count = [], 0
    for material in scene.materials:
        found = next((texture for texture in material.inputs if texture.role == "bump" and texture.image in about), None)
        if found is not None:
            count += 1
            rest = tuple(texture for texture in material.inputs if texture is not found and texture.role != "normal")
            material = replace(material, inputs=(*rest, replace(found, role="normal", path=path, scale=None)))
        changed.append(material)
    if not count:
        raise MendError(say("textures.as-normal.none"))
    return Outcome(
        scene.with_(materials=tuple(changed)), (Figure("materials that read a normal map as heights", f"{count:,}", "0"),)
    )


@mend(
    "textures.turn-green",
    title="Invert the green channel",
    keeps=f"red, blue and alpha; {_KEEPS}",
    costs="nothing; doing it twice gives the first again",
    safe=False,
    parameters=[IMAGES],
    touches="images",
)
def turn_green(scene: Scene, images: Sequence[str] = ()) -> Outcome:
    """Turn the green channel of normal maps over, so that bumps are bumps where green is read the other way."""
    from PIL import Image as Pillow

    normals = {texture.image for material in scene.materials for texture in material.inputs if texture.role == "normal"}
    names = {id(i) for k, i in enumerate(scene.images) if k in normals}

    def change(image: Image) -> Image | None:
        if id(image) not in names:
            return None
        pixels = pixels_of(image).copy()
        pixels[:, :, 1] = 255 - pixels[:, :, 1]
        alpha = bool((pixels[:, :, 3] < 255).any())
        return repainted(image, Pillow.fromarray(pixels if alpha else pixels[:, :, :3]), kind_of(image))

    after, count = each_image(scene, images, change)
    if not count:
        raise MendError(say("textures.turn-green.none"))
    return Outcome(after, (Figure("normal maps turned", "0", f"{count:,}"),))

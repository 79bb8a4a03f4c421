"""Textures: where images are, what they are, and whether the destination takes them."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, value
from ...measures import Measures
from ...measures.pictures import twins
from ...measures.records import ImageFigures
from ...packages import URIS, spelling
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from .messages import say

Found = Iterator[Finding | Skipped]

#: Roles whose numbers are colours that are seen; all others are data, which must not be treated as sRGB.
COLOUR_ROLES = frozenset({"base-colour", "emissive", "specular", "ambient", "sheenColor", "specularColor"})
#: Roles that no destination of today draws: a picture that is missing there changes nothing that is seen (common practice).
UNSEEN_ROLES = frozenset({"ambient", "reflection", "decal"})
#: An image is no normal map where fewer of its pixels than this are directions, or look outward.
DIRECTIONS = 0.6
_PNG_LIKE = {
    "png": (".png",),
    "jpeg": (".jpg", ".jpeg"),
    "webp": (".webp",),
    "bmp": (".bmp",),
    "tga": (".tga",),
    "tiff": (".tif", ".tiff"),
    "gif": (".gif",),
    "dds": (".dds",),
    "ktx2": (".ktx2",),
}


def images(indices: list[int]) -> Elements:
    """Images as elements of a finding, by number."""
    return Elements("images", np.array(indices, np.int32))


def name_of(measures: Measures, k: int) -> str:
    """How an image is referred to, its number where nothing refers to it."""
    return measures.images[k].reference or f"image {k}"


def _by_reference(measures: Measures, wrong: Callable[[ImageFigures], bool]) -> Iterator[list[int]]:
    """Images by what they refer to: one file that several entries name is told once."""
    groups: dict[str, list[int]] = {}
    for k, i in enumerate(measures.images):
        if wrong(i):
            groups.setdefault(i.reference, []).append(k)
    yield from groups.values()


def _users(measures: Measures, found: list[int]) -> str:
    users = list(dict.fromkeys(u or "a material" for k in found for u in measures.images[k].used_by))
    return f", used by {', '.join(users[:3])}{' …' if len(users) > 3 else ''}" if users else "; no material uses it"


def _is_seen(measures: Measures, found: list[int]) -> bool:
    """Whether a destination would draw any of some images: one is used, and as more than the light of a room that is not there."""
    return any(set(measures.images[k].roles) - UNSEEN_ROLES for k in found)


def _each(measures: Measures, wrong: Callable[[ImageFigures], bool]) -> Iterator[tuple[int, ImageFigures]]:
    for k, i in enumerate(measures.images):
        if wrong(i):
            yield k, i


@check("textures.missing", title="Missing images", result="stop", mends=("textures.find",), explains={"white": BY_ITSELF})
def missing(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """References to images that did not come along.

    Why: the surface comes in white, grey, or in the destination's colour for missing images.
    Measured: the reference as written, percent-decoded, and in any letter case, against the files that came. A note where no material uses it, or only as light of a room that is not there.
    Source: RFC 3986 §5 (relative references); glTF 2.0 §2.8; common practice elsewhere.
    """
    for found in _by_reference(measures, lambda i: i.status == "missing"):
        k = found[0]
        out = spelling(measures.images[k].reference).outside
        words = "leads out of the package: send the folder above it too" if out else "did not come along"
        yield Finding(
            say("textures.missing", image=name_of(measures, k), what=words, users=_users(measures, found)),
            value("missing", "text"),
            value("found", "text"),
            len(found),
            elements=images(found),
            key=name_of(measures, k),
            mends=(Call("textures.find", {}),)
            if any(measures.images[k].used_by for k in found)
            else (Call("arrival.remove", {"what": "unused"}),),
            result="" if _is_seen(measures, found) else "note",
        )


@check(
    "textures.absolute",
    title="Images named by an absolute path",
    result="caution",
    mends=("textures.find", "textures.embed"),
    explains={"white": BY_ITSELF},
)
def absolute(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """References that begin at the root, with a drive letter or with file:, whether or not the image lies beside the model.

    Why: the path exists only on the machine that wrote it.
    Measured: the reference's beginning.
    Source: RFC 3986 §4.2 and §4.3; glTF 2.0 §2.8 (relative paths); common practice elsewhere.
    """
    for found in _by_reference(measures, lambda i: i.status == "absolute"):
        k, i = found[0], measures.images[found[0]]
        there = f"; the file is there as {i.found_at}" if i.found_at else "; the file did not come along"
        yield Finding(
            say("textures.absolute", image=name_of(measures, k), more=there),
            value(i.reference, "text"),
            value(i.found_at or "a relative path", "text"),
            len(found),
            elements=images(found),
            key=name_of(measures, k),
            mends=(Call("textures.find", {}),),
            result="" if i.found_at is not None else "stop" if _is_seen(measures, found) else "note",
        )


@check(
    "textures.other-case",
    title="Image names in another letter case",
    result="caution",
    mends=("textures.find",),
    explains={"white": BY_ITSELF},
)
def other_case(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """References whose letters are right but whose capitals are not.

    Why: it is found on systems that ignore letter case and missing on the others.
    Measured: the reference against the files that came, once as written and once with case folded.
    Source: Unicode 15, section 5.18 (case folding); which systems fold is common practice, no published source.
    """
    for found in _by_reference(measures, lambda i: i.status == "other-case"):
        k, i = found[0], measures.images[found[0]]
        yield Finding(
            say("textures.other-case", image=name_of(measures, k), found_at=i.found_at),
            value(i.reference, "text"),
            value(i.found_at, "text"),
            len(found),
            elements=images(found),
            key=name_of(measures, k),
            mends=(Call("textures.find", {}),),
        )


@check(
    "textures.spelling",
    title="References that only some programs can read",
    result="note",
    mends=("textures.find",),
    explains={"white": BY_ITSELF},
)
def spelled(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """References with backslashes, or with percent signs that stand for letters.

    Why: a backslash is a separator on one system and a letter of the name on the others; percent signs are decoded by some readers only.
    Measured: the reference as written, for images that were found.
    Source: RFC 3986 §2.1 and §3.3; glTF 2.0 §2.8 asks for URIs, where percent signs are right.
    """
    for found in _by_reference(measures, lambda i: i.status == "found"):
        k, i = found[0], measures.images[found[0]]
        how = spelling(i.reference)
        percent = how.percent and measures.format not in URIS
        if how.backslash or percent:
            words = "backslashes" if how.backslash else "percent signs"
            yield Finding(
                say("textures.spelling", image=name_of(measures, k), what=words),
                value(i.reference, "text"),
                value(i.found_at, "text"),
                len(found),
                elements=images(found),
                key=name_of(measures, k),
                mends=(Call("textures.find", {}),),
            )


@check(
    "textures.unreadable", title="Images that cannot be opened", result="stop", explains={"white": BY_ITSELF, "refused": OFTEN}
)
def unreadable(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images that are there but damaged, cut short, or of no known kind.

    Why: they come in as if they were missing.
    Measured: each image decoded whole.
    Source: the formats' own descriptions (PNG, JPEG, WebP, BMP, TIFF, GIF).
    """
    for k, i in _each(measures, lambda i: i.unreadable is not None):
        yield Finding(
            say("textures.unreadable", image=name_of(measures, k), reason=i.unreadable),
            value(i.unreadable, "text"),
            value("an image", "text"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
        )


@check("textures.ending", title="File ending that does not match the content", result="caution")
def ending(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images whose ending is that of another file format than their content.

    Why: readers that go by the ending fail on it, others do not: it works in one place and not in the next.
    Measured: the first bytes against the name's ending.
    Source: the formats' signatures (PNG §5.2, JPEG SOI marker, RIFF WebP); common practice for endings.
    """
    for k, i in _each(measures, lambda i: i.look is not None):
        name = (i.found_at or i.reference).lower()
        dot = name.rpartition(".")[2]
        known = {ending[1:] for endings in _PNG_LIKE.values() for ending in endings}
        assert i.look is not None
        if dot in known and not name.endswith(_PNG_LIKE.get(i.look.kind, (dot,))):
            yield Finding(
                say("textures.ending", image=name_of(measures, k), kind=i.look.kind.upper()),
                value(i.look.kind, "text"),
                value(dot, "text"),
                1,
                elements=images([k]),
                key=name_of(measures, k),
                mends=(Call("textures.convert", {"to": "png", "images": name_of(measures, k)}),),
            )


@check(
    "textures.format",
    title="File formats that the destination does not take",
    result="caution",
    held_to=("textures.formats",),
    mends=("textures.convert",),
    explains={"white": OFTEN, "box": SELDOM, "refused": BY_ITSELF},
)
def format_taken(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images in a file format that the sheet does not list.

    Why: they are skipped, and the surface comes in white.
    Measured: the format by content against the sheet's list.
    Source: glTF 2.0 §3.8.3 (PNG and JPEG); elsewhere the sheet's own list, common practice.
    """
    taken = sheet.textures.formats
    if not taken:
        yield Skipped(say("textures.format.any", sheet=sheet.name))
        return
    for k, i in _each(measures, lambda i: i.look is not None and i.look.kind not in taken):
        assert i.look is not None
        to = "png" if "png" in taken else taken[0]
        yield Finding(
            say("textures.format", image=name_of(measures, k), kind=i.look.kind.upper()),
            value(i.look.kind, "text"),
            value(", ".join(taken), "text"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
            mends=(Call("textures.convert", {"to": to, "images": name_of(measures, k)}),),
        )


@check(
    "textures.size",
    title="Images with too many pixels",
    result="caution",
    held_to=("limits.texture_pixels",),
    mends=("textures.resize",),
    explains={"white": SELDOM, "blurred": OFTEN, "slow": OFTEN, "refused": BY_ITSELF},
)
def size(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images with a side longer than the destination takes.

    Why: the destination shrinks it in its own way, refuses it, or runs out of memory on a small device.
    Measured: width and height against the sheet's limit.
    Source: common practice, no published source.
    """
    limit = sheet.limits.texture_pixels
    if limit is None:
        yield Skipped(say("textures.no-limit", sheet=sheet.name))
        return
    for k, i in _each(measures, lambda i: max(i.width or 0, i.height or 0) > limit):
        yield Finding(
            say("textures.size", image=name_of(measures, k), width=i.width, height=i.height),
            value(max(i.width or 0, i.height or 0), "px"),
            value(limit, "px"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
            mends=(Call("textures.resize", {"pixels": float(limit), "images": name_of(measures, k)}),),
        )


@check(
    "textures.power-of-two",
    title="Sides that are no power of two",
    result="note",
    held_to=("textures.power_of_two",),
    mends=("textures.resize",),
    explains={"blurred": SELDOM, "refused": SELDOM},
)
def power_of_two(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images with a side that is no power of two.

    Why: mips and block compression halve the sides again and again; such an image is stretched or left uncompressed.
    Measured: width and height. A caution where the sheet asks for powers of two.
    Source: glTF 2.0 §3.8.4.5 (images whose sides are no powers of two); common practice elsewhere.
    """
    for k, i in _each(measures, lambda i: any(n is not None and n & (n - 1) for n in (i.width, i.height))):
        yield Finding(
            say("textures.size", image=name_of(measures, k), width=i.width, height=i.height),
            value(f"{i.width} × {i.height}", "text"),
            value("powers of two", "text"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
            mends=(Call("textures.resize", {"power_of_two": "true", "images": name_of(measures, k)}),),
            result="caution" if sheet.textures.power_of_two else "",
        )


@check(
    "textures.file-size",
    title="Image files that are too large",
    result="caution",
    held_to=("limits.texture_file_bytes",),
    mends=("textures.convert", "textures.resize"),
    explains={"blurred": SELDOM, "slow": SELDOM, "refused": BY_ITSELF},
)
def file_size(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Image files of more bytes than the destination takes.

    Why: they are refused on upload, or everybody waits for them.
    Measured: bytes of the file as it came.
    Source: common practice, no published source.
    """
    limit = sheet.limits.texture_file_bytes
    if limit is None:
        yield Skipped(say("textures.no-limit", sheet=sheet.name))
        return
    for k, i in _each(measures, lambda i: (i.bytes or 0) > limit):
        yield Finding(
            say("textures.file-size", image=name_of(measures, k), mebibytes=(i.bytes or 0) / 2**20),
            value(i.bytes, "bytes"),
            value(limit, "bytes"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
        )


@check(
    "textures.depth", title="More bits than the image uses", result="note", mends=("textures.convert",), explains={"slow": SELDOM}
)
def depth(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images of more than eight bits a channel.

    Why: the file is twice as large, and most destinations reduce it to eight bits on loading; some cannot read it.
    Measured: bits from the file's header.
    Source: PNG specification §11.2.2 (bit depth); that eight are used is common practice, no published source.
    """
    for k, i in _each(measures, lambda i: i.look is not None and i.look.bits > 8):
        assert i.look is not None
        yield Finding(
            say("textures.depth", image=name_of(measures, k), bits=i.look.bits),
            value(i.look.bits, "count"),
            value(8, "count"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
            mends=(Call("textures.convert", {"to": "png", "images": name_of(measures, k)}),),
        )


@check("textures.equal", title="Duplicate images", result="note", mends=("textures.merge-equal",), explains={"slow": SELDOM})
def equal(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images with the same content, or the same picture at another size or in another file format.

    Why: each is loaded and kept in memory by itself.
    Measured: SHA-256 of the files; else copies of 24 × 24 pixels that agree within 2.5 of 255 levels on average.
    Source: FIPS 180-4 for the digest; the limit of likeness is common practice, no published source.
    """
    same = twins([(k, i.look) for k, i in enumerate(measures.images) if i.look is not None and i.used_by])
    for k, twin in same:
        one, other = measures.images[k].look, measures.images[twin].look
        assert one is not None
        assert other is not None
        exact = one.digest == other.digest
        yield Finding(
            say("textures.equal", image=name_of(measures, k), exactly=exact, other=name_of(measures, twin)),
            value(name_of(measures, k), "text"),
            value(name_of(measures, twin), "text"),
            1,
            elements=images([k, twin]),
            key=name_of(measures, k),
            mends=(Call("textures.merge-equal", {}),) if exact else (),
        )


@check("textures.unused", title="Unused images", result="note", mends=("arrival.remove",))
def unused(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images in the file that no material uses.

    Why: they travel along and are loaded for nothing.
    Measured: materials that use each image.
    Source: common practice, no published source.
    """
    found = [k for k, i in enumerate(measures.images) if not i.used_by and (i.found_at or i.status == "embedded")]
    if found:
        names = ", ".join(name_of(measures, k) for k in found[:3]) + (" …" if len(found) > 3 else "")
        yield Finding(
            say("textures.unused", images=len(found), names=names),
            value(len(found), "count"),
            value(0, "count"),
            len(found),
            elements=images(found),
            mends=(Call("arrival.remove", {"what": "unused"}),),
        )


@check(
    "textures.two-uses", title="One image as colour and as data", result="caution", explains={"black": SELDOM, "shading": OFTEN}
)
def two_uses(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images that one input reads as colours and another as numbers.

    Why: colours are stored on a curve, numbers are not; one of the two uses gets wrong values.
    Measured: roles of each image: base colour and emission are colours; normals, roughness, metal, occlusion and masks are data.
    Source: glTF 2.0 §3.9.2 and §3.9.3 (sRGB for base colour and emission, linear for the rest).
    """
    for k, i in _each(
        measures,
        lambda i: (
            any(role in COLOUR_ROLES for role in i.roles)
            and any(role not in COLOUR_ROLES and role != "alpha" for role in i.roles)
        ),
    ):
        yield Finding(
            say("textures.two-uses", image=name_of(measures, k), roles=" and as ".join(i.roles)),
            value(", ".join(i.roles), "text"),
            value("one of them", "text"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
        )


@check("textures.not-normal", title="Not a normal map", result="caution", explains={"black": OFTEN, "shading": BY_ITSELF})
def not_normal(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images used as normal maps whose pixels are no directions.

    Why: a height map or a photograph read as directions lights the surface from nowhere.
    Measured: share of the middle 512 × 512 pixels that are of length 1 within 0.15 and point outward; six in ten are wanted.
    Source: glTF 2.0 §3.9.3 (normal texture: red and green from -1 to 1, blue from 0 to 1, unit length).
    """
    for k, i in _each(measures, lambda i: "normal" in i.roles and i.look is not None and i.look.normal is not None):
        assert i.look is not None
        n = i.look.normal
        assert n is not None
        share = min(n.unit, n.outward)
        if share < DIRECTIONS:
            kind = "a height map, by its greys" if i.look.grey else "no directions"
            yield Finding(
                say("textures.not-normal", image=name_of(measures, k), kind=kind),
                value(share, "share"),
                value(DIRECTIONS, "share"),
                n.looked_at,
                elements=images([k]),
                key=name_of(measures, k),
            )
        elif n.flat:
            yield Finding(
                say("textures.not-normal.flat", image=name_of(measures, k)),
                value("flat", "text"),
                value("slopes", "text"),
                1,
                elements=images([k]),
                key=name_of(measures, k),
                result="note",
                why="It takes memory and does nothing.",
            )


@check(
    "textures.bump-is-normal",
    title="Normal map read as heights",
    result="caution",
    mends=("textures.as-normal",),
    explains={"black": SELDOM, "shading": BY_ITSELF},
)
def bump_is_normal(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Normal maps that are plugged in where a height map belongs.

    Why: read as heights, its blue ground is one even slope and its colours are bumps; most destinations know normal maps only and
    leave heights out.
    Measured: share of the middle 512 × 512 pixels that are of length 1 within 0.15 and point outward; six in ten make a normal map.
    Source: glTF 2.0 §3.9.3 (normal texture); that writers of material libraries name normal maps under map_Bump is common practice.
    """
    for k, i in _each(
        measures, lambda i: "bump" in i.roles and "normal" not in i.roles and i.look is not None and not i.look.grey
    ):
        n = i.look.normal if i.look is not None else None
        if n is not None and min(n.unit, n.outward) >= DIRECTIONS:
            yield Finding(
                say("textures.bump-is-normal", image=name_of(measures, k)),
                value("heights", "text"),
                value("directions", "text"),
                n.looked_at,
                elements=images([k]),
                key=name_of(measures, k),
                mends=(Call("textures.as-normal", {"images": name_of(measures, k)}),),
            )


@check(
    "textures.green",
    title="Normal map with the green channel inverted",
    result="caution",
    held_to=("textures.green",),
    mends=("textures.turn-green",),
    explains={"shading": BY_ITSELF},
)
def green(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Normal maps whose green channel points to the other side than the destination reads.

    Why: bumps look like dents when lit from above, and dents like bumps.
    Measured: curl of the slopes with green up and with green down; told only where one leaves less than two thirds of the other.
    Source: Frankot and Chellappa 1988 (integrability); glTF 2.0 §3.9.3 (+Y is up).
    """
    for k, i in _each(measures, lambda i: "normal" in i.roles and i.look is not None and i.look.normal is not None):
        assert i.look is not None
        n = i.look.normal
        assert n is not None
        if min(n.unit, n.outward) >= DIRECTIONS and n.green not in ("undecided", sheet.textures.green):
            yield Finding(
                say("textures.green", image=name_of(measures, k), green=n.green),
                value(n.green, "text"),
                value(sheet.textures.green, "text"),
                n.looked_at,
                elements=images([k]),
                key=name_of(measures, k),
                mends=(Call("textures.turn-green", {"images": name_of(measures, k)}),),
            )


@check(
    "textures.idle-alpha",
    title="Alpha channel that is not used",
    result="note",
    mends=("textures.convert",),
    explains={"box": SELDOM},
)
def idle_alpha(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images with an alpha channel in which every pixel is solid.

    Why: it takes a quarter of the memory for nothing, and a destination that goes by the file alone draws the material
    transparent.
    Measured: alpha of every pixel.
    Source: glTF 2.0 §3.9.4 (alpha coverage); the cost is common practice, no published source.
    """
    for k, i in _each(measures, lambda i: bool(i.has_alpha) and i.see_through_share == 0.0 and (i.width or 0) > 16):
        yield Finding(
            say("textures.idle-alpha", image=name_of(measures, k)),
            value(i.channels, "count"),
            value((i.channels or 2) - 1, "count"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
            mends=(Call("textures.convert", {"to": "png", "images": name_of(measures, k)}),),
        )


@check("textures.aspect", title="Long and thin images", result="note", explains={"blurred": OFTEN})
def aspect(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images more than eight times as long as they are wide.

    Why: their mips run out on the short side, so they blur early along the long one; many destinations make them square.
    Measured: longer side over shorter.
    Source: common practice, no published source.
    """
    for k, i in _each(
        measures, lambda i: bool(i.width and i.height) and max(i.width or 1, i.height or 1) > 8 * min(i.width or 1, i.height or 1)
    ):
        share = max(i.width or 1, i.height or 1) / min(i.width or 1, i.height or 1)
        yield Finding(
            say("textures.size", image=name_of(measures, k), width=i.width, height=i.height),
            value(share, "factor"),
            value(8.0, "factor"),
            1,
            elements=images([k]),
            key=name_of(measures, k),
        )

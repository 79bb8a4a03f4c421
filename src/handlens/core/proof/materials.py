"""Every value of every material, and every use of an image: which, by which UV set, how laid on, how sampled, how strong."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ..scene import Material, Scene, TextureInput
from ..scene.wrapping import CLAMP, MIRROR, REPEAT
from .compared import Compared
from .pairing import digest, image_name
from .rows import Row, counted, differs, listed, same
from .tolerances import VALUE
from .words import alike, value

GROUP = "Materials"
_WRAPS = {REPEAT: "repeated", MIRROR: "mirrored", CLAMP: "held at the edge"}


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of materials and their inputs."""
    a, b = compared.a, compared.b
    if not a.materials and not b.materials:
        return
    gone = [material.name for k, material in enumerate(a.materials) if k not in compared.materials]
    there = set(compared.materials.values())
    came = [material.name for k, material in enumerate(b.materials) if k not in there]
    if gone or came:
        words = [f"gone: {listed(gone)}"] * bool(gone) + [f"new: {listed(came)}"] * bool(came)
        yield differs(GROUP, "Materials", f"{len(a.materials):,}", f"{len(b.materials):,}", "; ".join(words))
    else:
        yield counted(GROUP, "Materials", [len(a.materials), len(b.materials)])
    pairs = sorted(compared.materials.items())
    renamed = [(a.materials[i].name, b.materials[j].name) for i, j in pairs if a.materials[i].name != b.materials[j].name]
    if renamed:
        first = f"{renamed[0][0] or 'one without a name'} is {renamed[0][1] or 'without a name'}"
        yield differs(
            GROUP, "Names of materials", f"{len(a.materials):,}", f"{len(b.materials):,}", f"{len(renamed):,} renamed", first
        )
    # Written as 32-bit floats or as text of them, multiplied out of one colour space into another.
    step = VALUE
    yield from _rows(pairs, a, b, VALUES, step, "Values")
    inputs = [x for i, j in pairs for x in _inputs(compared, a.materials[i], b.materials[j])]
    yield from _used(compared, inputs, step)


#: What a row is called, and what it compares of a material. Two formats that state nothing say the same.
VALUES: dict[str, Callable[[Material], Any]] = {
    "Base colour": lambda m: m.base_colour[:3],
    "Opacity": lambda m: m.base_colour[3],
    "Metalness": lambda m: m.metallic,
    "Roughness": lambda m: m.roughness,
    "Glow": lambda m: m.emissive,
    "Way of drawing": lambda m: m.alpha_mode,
    "Threshold": lambda m: m.alpha_cutoff if m.alpha_mode == "mask" else None,
    "Both sides": lambda m: bool(m.double_sided),
    "Defined": lambda m: m.defined,
    "Other values": lambda m: {k: v for k, v in m.source.items() if k != "library"},
}


def _rows(
    pairs: list[tuple[int, int]], a: Scene, b: Scene, table: dict[str, Callable[[Material], Any]], step: float, what: str
) -> Iterator[Row]:
    fine = True
    for key, of in table.items():
        other = [
            (i, of(a.materials[i]), of(b.materials[j]))
            for i, j in pairs
            if not alike(of(a.materials[i]), of(b.materials[j]), step)
        ]
        if other:
            fine = False
            i, x, y = other[0]
            where = f"first {a.materials[i].name or 'one without a name'}"
            yield differs(GROUP, key, _short(x), _short(y), f"{len(other):,} differ{'s' if len(other) == 1 else ''}", where)
    if fine:
        yield same(GROUP, what, f"{len(pairs) * len(table):,}")


def _short(v: Any) -> str:
    text = value(v)
    return text if len(text) <= 60 else text[:57] + "…"


def _inputs(
    compared: Compared, material: Material, n: Material
) -> Iterator[tuple[Material, TextureInput | None, TextureInput | None]]:
    """Inputs of two materials that stand for each other: of one role, those of one path first."""
    waiting = list(n.inputs)
    for exact in (True, False):
        for texture in material.inputs:
            if (
                exact
                and (other := next((u for u in waiting if (u.role, u.path) == (texture.role, texture.path)), None)) is not None
            ):
                waiting = [u for u in waiting if u is not other]
                yield material, texture, other
            elif not exact and not any((u.role, u.path) == (texture.role, texture.path) for u in n.inputs):
                other = next((u for u in waiting if u.role == texture.role), None)
                waiting = [u for u in waiting if u is not other]
                yield material, texture, other
    yield from ((material, None, u) for u in waiting)


def _wrap(texture: TextureInput) -> Any:
    own = (texture.sampler.get("wrapS", REPEAT), texture.sampler.get("wrapT", REPEAT))
    return [_WRAPS.get(w, w) if isinstance(w, int) else w for w in own]


def _transform(texture: TextureInput) -> Any:
    told = texture.transform or {}
    return {
        "offset": list(told.get("offset", (0.0, 0.0))),
        "rotation": told.get("rotation", 0.0),
        "scale": list(told.get("scale", (1.0, 1.0))),
    }


USES: dict[str, Callable[[TextureInput], Any]] = {
    "UV set of an image": lambda t: t.uv_set,
    "Channel of an image": lambda t: t.channel,
    "Texture transform": _transform,
    "Wrapping": _wrap,
    "Filters": lambda t: {k: v for k, v in t.sampler.items() if k not in ("wrapS", "wrapT", "name")},
    "Strength of an image": lambda t: 1.0 if t.scale is None else t.scale,
    "Other options of an image": lambda t: dict(t.options),
}


def _used(
    compared: Compared, inputs: list[tuple[Material, TextureInput | None, TextureInput | None]], step: float
) -> Iterator[Row]:
    if not inputs:
        return
    count = [sum(x[k] is not None for x in inputs) for k in (1, 2)]
    words = lambda m, t: f"{t.role} of {m.name or 'one without a name'}"
    gone = [words(m, t) for m, t, u in inputs if t is not None and u is None]
    came = [words(m, u) for m, t, u in inputs if t is None and u is not None]
    both = [(m, t, u) for m, t, u in inputs if t is not None and u is not None]
    if gone or came:
        told = [f"gone: {listed(gone)}"] * bool(gone) + [f"new: {listed(came)}"] * bool(came)
        yield differs(GROUP, "Images in use", f"{count[0]:,}", f"{count[1]:,}", "; ".join(told))
    else:
        yield counted(GROUP, "Images in use", count)
    fine = True
    other = [(m, t, u) for m, t, u in both if not _one_image(compared, t, u)]
    if other:
        fine = False
        material, sent, read_back = other[0]
        name = lambda s, k: "none" if k is None else image_name(s.images[k])
        yield differs(
            GROUP,
            "Image of an input",
            name(compared.a, sent.image),
            name(compared.b, read_back.image),
            f"{len(other):,} with another",
            f"first {words(material, sent)}",
        )
    for key, of in USES.items():
        wrong = [(m, t, u) for m, t, u in both if not alike(of(t), of(u), step)]
        if wrong:
            fine = False
            material, sent, read_back = wrong[0]
            yield differs(
                GROUP,
                key,
                _short(of(sent)),
                _short(of(read_back)),
                f"{len(wrong):,} differ{'s' if len(wrong) == 1 else ''}",
                f"first {words(material, sent)}",
            )
    if fine:
        yield same(GROUP, "How images are laid on", f"{len(both):,}")


def _one_image(compared: Compared, texture: TextureInput, other: TextureInput) -> bool:
    """Whether two inputs have images that stand for each other; of several that are the same, any does."""
    if texture.image is None or other.image is None:
        return texture.image is other.image
    if compared.images.get(texture.image) == other.image:
        return True
    x, y = compared.a.images[texture.image], compared.b.images[other.image]
    return image_name(x) == image_name(y) and digest(x) == digest(y) and (x.load is not None or x.reference == y.reference)

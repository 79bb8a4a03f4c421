"""Which image and which material of one scene stands for which of another."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Hashable, Mapping, Sequence
from hashlib import sha256
from typing import Any

from ..scene import Image, Material, Scene


def pair_by(a: Sequence[Hashable], b: Sequence[Hashable]) -> list[tuple[int, int]]:
    """Positions of equal keys on both sides, in order: the second of a key with the second."""
    waiting: dict[Hashable, list[int]] = defaultdict(list)
    for j in range(len(b) - 1, -1, -1):
        waiting[b[j]].append(j)
    return [(i, waiting[k].pop()) for i, k in enumerate(a) if waiting[k]]


def _rest(taken: Mapping[int, int], a: int, b: int) -> tuple[list[int], list[int]]:
    used = set(taken.values())
    return [i for i in range(a) if i not in taken], [j for j in range(b) if j not in used]


def _further(found: dict[int, int], a: Sequence[Hashable], b: Sequence[Hashable], alone: bool = False) -> None:
    """Pair what is left by a key; alone: only keys that one on each side has."""
    left, right = _rest(found, len(a), len(b))
    ka, kb = [a[i] for i in left], [b[j] for j in right]
    if alone:
        ca, cb = Counter(ka), Counter(kb)
        once = {k for k, n in ca.items() if n == 1 and cb.get(k) == 1}
        ka, kb = [k if k in once else (0, n) for n, k in enumerate(ka)], [k if k in once else (1, n) for n, k in enumerate(kb)]
    for x, y in pair_by(ka, kb):
        found[left[x]] = right[y]


def image_name(image: Image) -> str:
    """The last piece of an image's name or reference."""
    return (image.name or image.reference).replace("\\", "/").rpartition("/")[2]


def digest(image: Image) -> str:
    """SHA-256 of an image's bytes in hexadecimal, "" where it has none."""
    data = image.bytes()
    return "" if data is None else sha256(data).hexdigest()


def pair_images(a: Scene, b: Scene) -> dict[int, int]:
    """Images by name and bytes, then by name, then by bytes, then by the inputs of equally named materials, then in order."""
    da, db = [digest(i) for i in a.images], [digest(i) for i in b.images]
    na, nb = [image_name(i) for i in a.images], [image_name(i) for i in b.images]
    found: dict[int, int] = {}
    _further(found, list(zip(na, da, strict=True)), list(zip(nb, db, strict=True)))
    _further(found, na, nb)
    _further(found, [d or f"{k} missing" for k, d in enumerate(da)], [d or f"{k} gone" for k, d in enumerate(db)])
    taken = set(found.values())
    for i, j in _by_inputs(a, b):
        if i not in found and j not in taken:
            found[i] = j
            taken.add(j)
    _further(found, [0] * len(da), [0] * len(db))
    return found


def _by_inputs(a: Scene, b: Scene) -> list[tuple[int, int]]:
    named = lambda s: {material.name: material for material in reversed(s.materials)}
    one, other = named(a), named(b)
    out = []
    for name, owner in one.items():
        if name in other:
            theirs = {texture.role: texture.image for texture in other[name].inputs}
            out += [
                (texture.image, theirs[texture.role])
                for texture in owner.inputs
                if texture.image is not None and theirs.get(texture.role) is not None
            ]
    return out


def pair_materials(
    a: Scene, b: Scene, images: Mapping[int, int], shared: Callable[[], list[tuple[int, int, int]]]
) -> dict[int, int]:
    """Materials by name and what they say, then by name, by what they say, by the faces that have them, then in order."""
    back = {j: i for i, j in images.items()}
    ta = [material_key(material, lambda k: k) for material in a.materials]
    tb = [material_key(material, lambda k: back.get(k, -1 - k)) for material in b.materials]
    na, nb = [material.name for material in a.materials], [material.name for material in b.materials]
    found: dict[int, int] = {}
    _further(found, list(zip(na, ta, strict=True)), list(zip(nb, tb, strict=True)))
    _further(found, na, nb, alone=True)
    _further(found, ta, tb)
    if len(found) < min(len(na), len(nb)):
        used = set(found.values())
        for x, y, _ in sorted(shared(), key=lambda r: -r[2]):
            if x not in found and y not in used:
                found[x] = y
                used.add(y)
        _further(found, na, nb)
        _further(found, [0] * len(na), [0] * len(nb))
    return found


def material_key(material: Material, image: Callable[[int], int]) -> str:
    """All that a material says but its name, with numbers to six digits, as a key."""
    of = lambda t: (
        t.role,
        None if t.image is None else image(t.image),
        t.uv_set,
        t.channel,
        _short(dict(t.sampler)),
        _short(t.transform),
        t.scale,
    )
    inputs: list[Any] = sorted((of(texture) for texture in material.inputs), key=repr)
    values = (
        material.base_colour,
        material.metallic,
        material.roughness,
        material.emissive,
        material.alpha_mode,
        material.alpha_cutoff,
        bool(material.double_sided),
        material.defined,
    )
    return repr((_short(values), _short(inputs), _short(dict(material.source))))


def _short(tree: Any) -> Any:
    if isinstance(tree, bool) or tree is None:
        return tree
    if isinstance(tree, int | float):
        return f"{float(tree):.6g}"
    if isinstance(tree, Mapping):
        return sorted((str(k), _short(v)) for k, v in tree.items())
    return [_short(v) for v in tree] if isinstance(tree, list | tuple) else tree

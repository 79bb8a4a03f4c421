"""File names for images that are written beside a model: plain, relative, none twice."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from ..scene import Image
from .pictures import media_type


def file_names(images: Sequence[Image], endings: Mapping[str, str], taken: set[str], folder: str = "") -> dict[int, str]:
    """A file name for each image: its own where it has one, made safe, with the ending its content calls for."""
    names: dict[int, str] = {}
    used = {t.casefold() for t in taken}
    next_of: dict[str, int] = {}
    for k, image in enumerate(images):
        base = (image.found_at or image.reference or image.name).replace("\\", "/").rpartition("/")[2]
        base = as_file(base) or f"image_{k}"
        if "." not in base:
            data = image.bytes()
            base += endings.get(media_type(data) or "" if data else "", ".bin")
        stem, dot, ending = base.rpartition(".")
        # Goes on where the last of that name ended, so that a thousand of one name are no half million of tries.
        name, n = base, next_of.get(base.casefold(), 2)
        while name.casefold() in used:
            name, n = f"{stem}_{n}{dot}{ending}", n + 1
        next_of[base.casefold()] = n
        used.add(name.casefold())
        names[k] = f"{folder}/{name}" if folder else name
    return names


#: Bytes of a file's name: every file system takes 255, and an ending or a number may still come behind.
_LONGEST = 200


def as_file(name: str) -> str:
    """A name as every file system takes it: no letters that mean something, no half of a pair of surrogates, no dots alone, not too
    long; empty where nothing is left of it."""
    plain = re.sub(r'[\x00-\x1f\x7f<>:"|?*#%\ud800-\udfff]', "_", name).rstrip(" ")
    if not plain.strip("."):
        return ""
    if len(plain.encode()) <= _LONGEST:
        return plain
    stem, dot, ending = plain.rpartition(".")
    end = dot + ending if stem and len(ending) <= 8 else ""
    kept = (stem if end else plain).encode()[: _LONGEST - len(end.encode())]
    return kept.decode(errors="ignore") + end


def in_a_statement(name: str) -> str:
    """A name as a statement of an OBJ file or its library holds it: no blanks at the ends and no two together, and no backslash
    at the end, which would join the next line to it.
    """
    return " ".join(name.split()).rstrip("\\ ")


def stem_of(name: str) -> str:
    """A file's name without its ending, where it has one: at most four letters behind the last dot."""
    stem, dot, ending = name.rpartition(".")
    return stem if dot and len(ending) <= 4 and not set("/\\") & set(ending) else name

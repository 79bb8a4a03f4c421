"""A block world's loader: the model at the top of the package, its pictures in `textures/`, plain names, whole triangles."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..rules.sheet import RuleSheet
from .answer import Line, Variant
from .engine import not_used, unknown_extensions
from .limits_met import Package, all_rules, as_it_can
from .reading import ending

_FOLDER = "textures/"
_PICTURES = ("png", "jpg", "jpeg", "webp", "bmp", "tga", "tif", "tiff", "gif", "dds", "ktx2")


def receive(package: Package, sheet: RuleSheet, variant: Variant) -> Iterator[Line]:
    """What a block world's loader says to a package."""
    if "/" in package.main:
        yield Line("refused", f"{package.main} lies in a folder; the model is looked for at the top of the package")
    for path in package.files:
        if ending(path) in _PICTURES and not path.startswith(_FOLDER):
            yield Line("refused", f"{path} does not lie in {_FOLDER}, where pictures are looked for", about=path)
        name = path.rpartition("/")[2]
        if not re.fullmatch(r"[a-z0-9_.]+", name):
            yield Line("refused", f"{name}: file names may have a to z, 0 to 9 and _ alone", "arrival.illegal-names", path)
    if variant == "older" and ending(package.main) != "obj":
        yield Line("refused", f"Only .obj is taken; this is .{ending(package.main)}")
    yield from unknown_extensions(package, variant)
    yield from as_it_can(all_rules(package, sheet))
    yield from not_used(package)

"""An engine's import: takes nearly everything, and draws it as it can."""

from __future__ import annotations

from collections.abc import Iterator

from ..limits import plural
from ..rules.export import UNIT_WORDS
from ..rules.sheet import RuleSheet
from .answer import Line, Variant
from .limits_met import Package, all_rules, as_it_can

#: Vertices that an index of 16 bits reaches, where 65,535 itself is kept free (glTF 2.0 §3.7.2.1).
_SHORT_INDEX = 65_535
#: Extensions of glTF that one of some years ago knows.
_LONG_KNOWN = ("KHR_texture_transform", "KHR_materials_unlit", "KHR_mesh_quantization", "KHR_lights_punctual")
_NEWLY_KNOWN = ("KHR_materials_", "EXT_texture_webp", "EXT_mesh_gpu_instancing", "MSFT_lod", "KHR_animation_pointer")


def receive(package: Package, sheet: RuleSheet, variant: Variant) -> Iterator[Line]:
    """What an engine says to a package."""
    received = package.received
    yield from unknown_extensions(package, variant)
    if received.metres is None:
        yield Line(
            "taken",
            f"The file states no unit; its numbers are read as {UNIT_WORDS[sheet.unit]}, with {sheet.up_axis} up",
            "size.undeclared-unit",
        )
    yield from as_it_can(all_rules(package, sheet))
    if variant == "older":
        for number, mesh in enumerate(received.meshes):
            for piece in mesh:
                if len(piece.corners) and int(piece.corners.max()) >= _SHORT_INDEX:
                    yield Line(
                        "refused", f"mesh[{number}] has more vertices than an index of 16 bits reaches", "budget.vertices-mesh"
                    )
    yield from not_used(package)


def unknown_extensions(package: Package, variant: Variant) -> Iterator[Line]:
    """Refusals of what a file requires and the destination does not know."""
    known = _LONG_KNOWN if variant == "older" else (*_LONG_KNOWN, *_NEWLY_KNOWN)
    for name in package.received.required:
        if not name.startswith(known):
            yield Line("refused", f"The file requires {name}, which is not known here")


def not_used(package: Package) -> Iterator[Line]:
    """What a scene of its own replaces."""
    for count, word, check in (
        (package.received.cameras, "camera", "arrival.cameras"),
        (package.received.lights, "light", "arrival.lights"),
    ):
        if count:
            yield Line("left-out", f"{plural(count, word)} in the file, not used", check)

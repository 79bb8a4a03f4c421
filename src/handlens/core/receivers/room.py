"""A modelling room: opens nearly everything, shows both sides, and asks in which unit a file is where it does not say."""

from __future__ import annotations

from collections.abc import Iterator

from ..limits import plural
from ..rules.export import UNIT_WORDS
from ..rules.sheet import RuleSheet
from .answer import Line, Variant
from .limits_met import Package, all_rules, as_it_can


def receive(package: Package, sheet: RuleSheet, variant: Variant) -> Iterator[Line]:
    """What a modelling room says to a package."""
    received = package.received
    if received.metres is None:
        yield Line(
            "taken",
            f"The file states no unit; its numbers are read as {UNIT_WORDS[sheet.unit]}, with {sheet.up_axis} up",
            "size.undeclared-unit",
        )
    elif received.up != sheet.up_axis:
        yield Line("taken", f"Turned from {received.up} up to {sheet.up_axis} up as it is opened", "size.up-axis")
    yield from as_it_can(all_rules(package, sheet))
    lines = sum(piece.lines for mesh in received.meshes for piece in mesh)
    if lines:
        yield Line("taken", f"{plural(lines, 'end')} of lines and points kept as curves", "arrival.lines")
    if variant == "older" and received.clips:
        yield Line("left-out", f"{plural(len(received.clips), 'clip')}: only the pose of the file is opened")

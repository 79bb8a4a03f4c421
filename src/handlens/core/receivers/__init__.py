"""Simulated destinations: what each says to a package that it is sent, and what it draws. They read the package by themselves."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import msgspec

from ..limits import InputError
from ..rules.sheet import Limits, RuleSheet
from . import blocks, engine, gate, room, viewer
from .answer import Answer, Line, Variant, accepted
from .limits_met import Package
from .picture import picture
from .reading import READERS, ending, model_of

#: What a sheet calls a destination: how people call it, and what it says to a package.
DESTINATIONS: dict[str, tuple[str, Callable[[Package, RuleSheet, Variant], Iterator[Line]]]] = {
    "engine": ("the engine's import", engine.receive),
    "viewer": ("the viewer", viewer.receive),
    "gate": ("the gate", gate.receive),
    "room": ("the modelling room", room.receive),
    "blocks": ("the block world's loader", blocks.receive),
}
#: Limits that count what is drawn or sent: those that a stricter destination halves.
_NOT_HALVED = ("float_spacing_mm", "influences_vertex")


def answer(files: Mapping[str, bytes], sheet: RuleSheet, variant: Variant = "current", drawn: bool = True) -> Answer:
    """What the destination of a sheet says to a package. Never raises for what is wrong with the package: that is refused.

    files: the package, by path. drawn: whether its picture is wanted.
    """
    called, receive = DESTINATIONS[sheet.receiver.kind]
    asked = _stricter(sheet) if variant == "stricter" else sheet
    told = lambda lines, taken, seen=b"": Answer(sheet.slug, called, variant, taken, lines, seen)
    try:
        main = model_of(files)
    except InputError as error:
        return told([Line("refused", str(error))], False)
    if ending(main) not in sheet.formats:
        return told([Line("refused", f".{ending(main)} is not taken here; taken are {', '.join(sheet.formats)}")], False)
    try:
        package = Package(files, main, READERS[ending(main)](files, main))
        lines = list(dict.fromkeys(receive(package, asked, variant)))
    except InputError as error:
        return told([Line("refused", str(error))], False)
    lines.append(Line("taken", f"{len(package.received.drawn):,} parts, {len(package.received.surfaces):,} materials"))
    return told(lines, accepted(lines), picture(package.received, asked) if drawn else b"")


def _stricter(sheet: RuleSheet) -> RuleSheet:
    """A sheet with half of each limit that counts what is drawn or sent."""
    limits = {
        name: max(value // 2, 1)
        for name in Limits.__struct_fields__
        if name not in _NOT_HALVED and isinstance(value := getattr(sheet.limits, name), int)
    }
    return msgspec.structs.replace(sheet, limits=msgspec.structs.replace(sheet.limits, **limits))

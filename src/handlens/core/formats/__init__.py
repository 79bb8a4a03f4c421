"""One module a format: read(package, path, data) -> Scene, write(scene, target) -> files; `conform` makes a scene one that it can hold."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from types import ModuleType

import numpy as np

from ..limits import InputError
from ..packages import Package, clean_path
from ..rules.export import PLAIN, ExportOptions
from ..scene import Scene
from .conform import ConformedScene, Target, conform, export_losses
from .messages import say
from .recognise import recognise
from .table import BY_ENDING, BY_NAME, READABLE, WRITABLE, WRITERS, Format
from .unread import what_it_is


def _module(family: str, does: str) -> ModuleType:
    # Imported when wanted: a run that reads a GLB should not pay for the other formats.
    return importlib.import_module(f".{family}.{does}", __name__)


def load(format_name: str) -> None:
    """Load the reader of a format before it is asked for."""
    _module(BY_NAME[format_name].family, "read")


def read(package: Package, path: str) -> Scene:
    """Read a model file of a package. Raises InputError with one sentence where it cannot be read."""
    if not package.has(path):
        raise InputError(say("formats.no-such-file", path=path))
    if package.size(path) == 0:
        raise InputError(say("formats.empty", path=path))
    data = package.read(path)
    found = format_of(data, path)
    try:
        # A file may hold any number, of which the checks tell: nothing is to be said while reading.
        with np.errstate(all="ignore"):
            scene: Scene = _module(found.family, "read").read(package, path, data)
    except RecursionError as error:
        raise InputError(say("formats.nested-too-deep", path=path)) from error
    except MemoryError as error:
        raise InputError(say("formats.too-much-memory", path=path)) from error
    return scene


def format_of(data: bytes, path: str) -> Format:
    """The format of a model file by its content and its ending. Raises InputError with what it is and what to send instead."""
    named = BY_ENDING.get("." + path.rpartition(".")[2].lower())
    by_content = recognise(data, path)
    found = by_content or named
    # What is a model by its content may begin with any letters, as the head of a binary STL does.
    unread = what_it_is(data) if by_content is None else None
    if unread is not None:
        raise InputError(say("formats.another-kind", path=path, title=unread.title, instead=unread.instead))
    if found is None:
        raise InputError(say("formats.no-model", path=path, readable=READABLE))
    if named and named.family != found.family:
        raise InputError(say("formats.wrong-ending", path=path, ending=named.endings[0], title=found.title))
    return found


def write(scene: Scene, format_name: str, stem: str, options: ExportOptions = PLAIN, home: str | None = None) -> dict[str, bytes]:
    """The files of a scene in a format, main file first, by their paths from the folder of that one.

    home: that folder in the package that the scene came in, where it goes back there. Raises InputError for an unknown format or a
    folder that leads elsewhere.
    """
    where = target(scene, format_name, stem, options, home)
    return write_conformed(conform(scene, where), where)


def target(
    scene: Scene, format_name: str, stem: str = "model", options: ExportOptions = PLAIN, home: str | None = None
) -> Target:
    """Where a scene goes. home: as `write` has it. Raises InputError for an unknown format or a folder that leads elsewhere."""
    chosen = BY_NAME.get(format_name)
    if chosen is None or not chosen.written:
        raise InputError(say("formats.not-written", format_name=format_name, writable=WRITABLE))
    folder = options.folder.replace("{model}", stem).strip("/")
    if folder:
        clean_path(f"{folder}/x")
    return Target(chosen, options, stem, BY_NAME[scene.format].single, scene.format, home)


def conformed(scene: Scene, format_name: str, stem: str = "model", options: ExportOptions = PLAIN) -> ConformedScene:
    """The scene as a format can hold it, and what is said of the way there. Raises InputError as `write` does."""
    return conform(scene, target(scene, format_name, stem, options))


def write_conformed(conformed: ConformedScene, where: Target) -> dict[str, bytes]:
    """The files of a scene that was made one that the format can hold, main file first."""
    files: dict[str, bytes] = _module(where.format.family, "write").write(conformed.scene, where)
    return files


def what_is_lost(scene: Scene, format_name: str, options: ExportOptions = PLAIN) -> list[str]:
    """One sentence for each thing in the scene that the format cannot hold, or that is written otherwise."""
    return list(dict.fromkeys(str(loss.text) for loss in export_losses(scene, target(scene, format_name, options=options))))


def lost_by_sheet(scene: Scene, options: Mapping[str, ExportOptions]) -> dict[str, dict[str, list[str]]]:
    """What is lost in each format that can be written, under the options of each rule sheet, by its slug."""
    made: dict[tuple[str, ExportOptions], list[str]] = {}
    for wanted in options.values():
        for name in WRITERS:
            if (name, wanted) not in made:
                made[name, wanted] = what_is_lost(scene, name, wanted)
    return {slug: {name: made[name, wanted] for name in WRITERS} for slug, wanted in options.items()}


__all__ = [
    "conformed",
    "export_losses",
    "format_of",
    "load",
    "lost_by_sheet",
    "read",
    "recognise",
    "target",
    "what_is_lost",
    "write",
    "write_conformed",
]

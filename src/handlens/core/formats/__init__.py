"""One module a format: read(package, path) -> Scene, write(scene, ...) -> files, what_is_lost(scene)."""

from __future__ import annotations

import importlib
from types import ModuleType

import numpy as np

from ..colour import vertex_colours_as
from ..format_table import BY_ENDING, BY_NAME, READABLE, WRITABLE
from ..limits import InputError
from ..packages import Package
from ..scene import Scene
from .layout import PLAIN, Layout
from .one_set import drawn_set_first
from .recognise import recognise


def _module(name: str) -> ModuleType:
    # Imported when wanted: a run that reads a GLB should not pay for the other formats.
    return importlib.import_module(f".{name}", __name__)


def read(package: Package, path: str) -> Scene:
    """Read a model file of a package. Raises InputError with one sentence where it cannot be read."""
    if not package.has(path):
        raise InputError(f"There is no file {path} in the package.")
    if package.size(path) == 0:
        raise InputError(f"{path} is empty (0 bytes); export it again.")
    named = BY_ENDING.get("." + path.rpartition(".")[2].lower())
    data = package.read(path)
    found = recognise(data, path) or named
    if found is None or found.reader is None:
        raise InputError(f"{path} is not a model that can be read; export it as one of: {READABLE}.")
    if named and named.reader != found.reader:
        raise InputError(f"{path} is named {named.endings[0]} but holds {found.title}; give it its true ending.")
    try:
        # A file may hold any number, of which the checks tell: nothing is to be said while reading.
        with np.errstate(all="ignore"):
            scene: Scene = _module(found.reader).read(package, path, data)
    except RecursionError as error:
        raise InputError(f"{path} is nested too deep to be read.") from error
    except MemoryError as error:
        raise InputError(f"{path} asks for more memory than there is.") from error
    return scene


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """The files of a scene in a format, main file first. Raises InputError for an unknown format."""
    writer = _writer(format_name)
    scene = vertex_colours_as(scene, BY_NAME[scene.format].linear, BY_NAME[format_name].linear)
    if "UV sets" not in BY_NAME[format_name].holds:
        scene = drawn_set_first(scene)
    files: dict[str, bytes] = writer.write(scene, format_name, stem, layout)
    return files


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that the format cannot hold."""
    lost: list[str] = _writer(format_name).what_is_lost(scene, format_name)
    return lost


def _writer(format_name: str) -> ModuleType:
    chosen = BY_NAME.get(format_name)
    if chosen is None or chosen.writer is None:
        raise InputError(f"The format {format_name} cannot be written; use one of: {WRITABLE}.")
    return _module(chosen.writer)


__all__ = ["read", "recognise", "what_is_lost", "write"]

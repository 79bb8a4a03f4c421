"""One module a format: read(package, path) -> Scene, write(scene, ...) -> files, what_is_lost(scene)."""

from __future__ import annotations

import importlib
from types import ModuleType

from ..limits import InputError
from ..packages import Package
from ..scene import Scene

#: Module of each ending that can be read.
READERS = {".obj": "obj", ".gltf": "gltf_read", ".glb": "gltf_read"}
#: Module of each format that can be written.
WRITERS = {"obj": "obj_write", "glb": "gltf_write", "gltf": "gltf_write"}


def _module(name: str) -> ModuleType:
    # Imported when wanted: a run that reads a GLB should not pay for the other formats.
    return importlib.import_module(f".{name}", __name__)


def read(package: Package, path: str) -> Scene:
    """Read a model file of a package. Raises InputError with one sentence where it cannot be read."""
    if not package.has(path):
        raise InputError(f"There is no file {path} in the package.")
    size = package.size(path)
    if size == 0:
        raise InputError(f"{path} is empty (0 bytes); export it again.")
    ending = "." + path.rpartition(".")[2].lower()
    data = package.read(path)
    by_content = recognise(data)
    reader = by_content or READERS.get(ending)
    if reader is None:
        raise InputError(f"{path} is not a model that can be read; export it as one of: obj, gltf, glb.")
    if ending in READERS and READERS[ending] != reader:
        raise InputError(
            f"{path} is named {ending} but holds {'glTF' if reader == 'gltf_read' else 'another format'}; "
            "give it its true ending."
        )
    try:
        scene: Scene = _module(reader).read(package, path, data)
    except RecursionError as error:
        raise InputError(f"{path} is nested too deep to be read.") from error
    except MemoryError as error:
        raise InputError(f"{path} asks for more memory than there is.") from error
    return scene


def recognise(data: bytes) -> str | None:
    """The reader that the first bytes call for, whatever the ending says; None where they do not tell."""
    if data[:4] == b"glTF":
        return "gltf_read"
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head[:1] == b"{" and b'"asset"' in data[: 1 << 20] + data[-4096:]:
        return "gltf_read"
    return None


def write(scene: Scene, format_name: str, stem: str, **options: object) -> dict[str, bytes]:
    """The files of a scene in a format, main file first. Raises InputError for an unknown format."""
    if format_name not in WRITERS:
        raise InputError(f"The format {format_name} cannot be written; use one of: {', '.join(WRITERS)}.")
    files: dict[str, bytes] = _module(WRITERS[format_name]).write(scene, format_name, stem, **options)
    return files


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that the format cannot hold."""
    if format_name not in WRITERS:
        raise InputError(f"The format {format_name} cannot be written; use one of: {', '.join(WRITERS)}.")
    lost: list[str] = _module(WRITERS[format_name]).what_is_lost(scene, format_name)
    return lost

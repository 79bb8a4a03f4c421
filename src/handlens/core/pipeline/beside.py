"""Files that came with a model and that it does not name: images that a lost reference may mean, and text that may use its names."""

from __future__ import annotations

from collections.abc import Iterable

from ..formats.files import role_of
from ..limits import InputError
from ..packages import FilePackage, Package
from ..scene import Neighbour, Scene
from ..stations.textures.services import near_names
from ..words.own_reports import is_own_report

#: Most neighbours that are kept, and the largest text that is looked at.
_MOST = 2_000
MAX_TEXT_BYTES = 4 * 1024**2
#: Most texts that are looked at, and their bytes together.
_MOST_TEXTS, _ALL_TEXT_BYTES = 200, 16 * 1024**2


def with_neighbours(scene: Scene, package: Package, main: str, more: Iterable[tuple[str, Package]] = ()) -> Scene:
    """The scene with the image and text files of its package that it does not name; they are opened only when asked for.

    main: the model file itself. more: further packages to look for images in, each with the word that says where it is from. A lone file is not taken to
    own all that lies in its folder: only where it misses an image are others looked for there, and text only beside it.
    """
    named = {main} | {path for path, _ in scene.files} | {i.found_at for i in scene.images if i.found_at}
    lost = any(i.status in ("missing", "absolute") and i.load is None for i in scene.images)
    found: list[Neighbour] = []
    names = package.beside(lost) if isinstance(package, FilePackage) else package.names()
    texts, bytes_left = 0, _ALL_TEXT_BYTES
    for name in names:
        role = role_of(name)
        if name in named or role not in ("image", "side-file", "model"):
            continue
        size = package.size(name)
        if role == "side-file":
            # A crowded folder must not cost minutes: the first texts by name are looked at.
            if texts >= _MOST_TEXTS or size > min(MAX_TEXT_BYTES, bytes_left) or _own_report(package, name):
                continue
            texts, bytes_left = texts + 1, bytes_left - size
        found.append(Neighbour(name, role, "package", size, lambda name=name: package.read(name)))  # type: ignore[misc]
    missing = [i.reference for i in scene.images if i.status in ("missing", "absolute") and i.load is None]
    for origin, other in more:
        for name in near_names(missing, [name for name in other.names() if role_of(name) == "image"]):
            found.append(Neighbour(name, "image", origin, other.size(name), lambda name=name, other=other: other.read(name)))  # type: ignore[misc]
    sizes = {name: known for name in sorted(named) if (known := _size(package, name)) is not None}
    return scene.with_(beside=tuple(found[:_MOST]), main=main, file_bytes=sizes)


def _size(package: Package, name: str) -> int | None:
    """Bytes of a file; None where it is not there. A lone file's folder is not listed for it."""
    try:
        return package.size(name)
    except (InputError, KeyError, OSError):
        return None


def _own_report(package: Package, name: str) -> bool:
    """Whether a text file is a report of ours that was left beside the model: it names everything and binds nothing."""
    if not name.lower().endswith((".json", ".csv", ".xml", ".sarif", ".html")):
        return False
    try:
        return is_own_report(package.read(name))
    except InputError:
        return False

"""From a path, or from files that came, to a scene: the one way in for the command line, the jobs and the library."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from .. import formats, packages
from ..formats.files import model_files
from ..formats.table import MODEL_ENDINGS
from ..limits import InputError
from ..packages import ARCHIVES, FilePackage, Library, Package
from ..scene import Scene
from .beside import with_neighbours
from .fits import check_fits
from .messages import say


def open_scene(path: str | Path, search: Sequence[str] = ()) -> tuple[Package, str, Scene]:
    """Open a file, folder or zip and read its main model. Raises InputError.

    search: folders whose files are looked through for references that lead nowhere.
    """
    package, main = _package(path)
    if search:
        package = SearchPackage(package, _folders(search))
    return package, main, open_main(package, main)


def models_of(path: str | Path, search: Sequence[str] = ()) -> list[tuple[Package, str]]:
    """Every model of a file, folder or zip, each as its package and its main file, the likeliest first. Raises InputError."""
    package, main = packages.open_package(Path(path))
    mains = [main] if main else model_files(package)
    if search:
        package = SearchPackage(package, _folders(search))
    return [(package, name) for name in mains]


def models_below(path: str | Path, search: Sequence[str] = ()) -> list[tuple[str, Package, str]]:
    """Every model below a folder, where each folder that holds a model itself, and each zip, is a package of its own: where that is, the
    package, and its main file. Links are not followed. Raises InputError where there is none."""
    root = Path(path)
    if not root.is_dir():
        return [(str(path), package, main) for package, main in models_of(path, search)]
    out: list[tuple[str, Package, str]] = []
    for folder, below, names in os.walk(root):
        below[:] = sorted(name for name in below if not name.startswith("."))
        direct = {name for name in names if name.lower().endswith(MODEL_ENDINGS)}
        if direct:
            out += [(folder, package, main) for package, main in models_of(folder, search) if main in direct]
        for name in sorted(names):
            if name.lower().endswith(ARCHIVES) and not (Path(folder) / name).is_symlink():
                place = str(Path(folder) / name)
                try:
                    out += [(place, package, main) for package, main in models_of(place, search)]
                except InputError as error:
                    # Told in its turn as one that cannot be read: it takes none of the others along.
                    out.append((place, _Unreadable(str(error)), name))
    if not out:
        raise InputError(say("pipeline.no-model-below", path=path))
    return out


def open_to_mend(path: str | Path, search: Sequence[str] = ()) -> tuple[Package, str, Scene]:
    """As `open_scene`, but what lies in searched folders is only offered to mends, never taken as found. Raises InputError."""
    package, main = _package(path)
    return package, main, open_main(package, main, [("search", Library(folder)) for folder in _folders(search)])


def open_main(package: Package, main: str, more: Iterable[tuple[str, Package]] = ()) -> Scene:
    """The model of a package, with what lies beside it. Raises InputError where it cannot be read, or is too large to be measured.

    more: further packages to look for images in, each with the word that says where it is from.
    """
    scene = formats.read(package, main)
    check_fits(scene)
    return with_neighbours(scene, package, main, more)


def _package(path: str | Path) -> tuple[Package, str]:
    package, main = packages.open_package(Path(path))
    return package, main or model_files(package)[0]


def _folders(search: Sequence[str]) -> list[Path]:
    for folder in search:
        if not Path(folder).is_dir():
            raise InputError(say("pipeline.no-folder-to-search", folder=folder))
    return [Path(s) for s in search]


class _Unreadable(Package):
    """A package that could not be opened; whoever reads of it hears why."""

    def __init__(self, why: str) -> None:
        self.why = why

    def names(self) -> list[str]:
        raise InputError(self.why)

    def has(self, path: str) -> bool:
        raise InputError(self.why)

    def size(self, path: str) -> int:
        raise InputError(self.why)

    def read(self, path: str) -> bytes:
        raise InputError(self.why)


class SearchPackage(Package):
    """A package with further folders behind it, asked only for references that the package itself cannot resolve."""

    def __init__(self, inner: Package, folders: list[Path]) -> None:
        self.inner, self.folders = inner, [Library(folder) for folder in folders]
        if isinstance(inner, FilePackage):
            self.file = inner.file

    def names(self):  # type: ignore[no-untyped-def]
        return self.inner.names()

    def has(self, path: str) -> bool:
        return self.inner.has(path) or self._elsewhere(path) is not None

    def size(self, path: str) -> int:
        other = self._elsewhere(path)
        return self.inner.size(path) if other is None else other[0].size(other[1])

    def read(self, path: str) -> bytes:
        other = self._elsewhere(path)
        return self.inner.read(path) if other is None else other[0].read(other[1])

    def _elsewhere(self, path: str) -> tuple[Library, str] | None:
        if self.inner.has(path):
            return None
        name = path.rpartition("/")[2]
        for folder in self.folders:
            # Deeper in, a name that several files have means none of them for sure.
            below = folder.by_name.get(name, [])
            for candidate in (path, name, *(below if len(below) == 1 else ())):
                if folder.has(candidate):
                    return folder, candidate
        return None

"""From a path to a scene, and from a scene to a report: what the command line and the jobs both do."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from .. import formats, packages
from ..formats.files import model_files
from ..limits import InputError
from ..packages import FilePackage, FolderPackage, Package
from ..scene import Scene
from .beside import with_neighbours
from .fits import check_fits

Progress = Callable[[str, float], None]


def open_scene(path: str | Path, search: list[str] | None = None) -> tuple[Package, str, Scene]:
    """Open a file, folder or zip and read its main model. Raises InputError.

    search: folders whose files are looked through for references that lead nowhere.
    """
    package, main = packages.open_package(Path(path))
    if search:
        package = SearchPackage(package, _folders(search))
    if main is None:
        main = model_files(package)[0]
    return package, main, with_neighbours(_read(package, main), package, main)


def open_to_mend(path: str | Path, search: list[str] | None = None) -> tuple[Package, str, Scene]:
    """As `open_scene`, but what lies in searched folders is only offered to mends, never taken as found. Raises InputError."""
    package, main = packages.open_package(Path(path))
    if main is None:
        main = model_files(package)[0]
    scene = _read(package, main)
    return package, main, with_neighbours(scene, package, main, [("search", FolderPackage(f)) for f in _folders(search or [])])


def _read(package: Package, main: str) -> Scene:
    scene = formats.read(package, main)
    check_fits(scene)
    return scene


def _folders(search: list[str]) -> list[Path]:
    for folder in search:
        if not Path(folder).is_dir():
            raise InputError(f"There is no folder {folder} to search.")
    return [Path(s) for s in search]


class SearchPackage(Package):
    """A package with further folders behind it, asked only for references that the package itself cannot resolve."""

    def __init__(self, inner: Package, folders: list[Path]) -> None:
        self.inner, self.folders = inner, [FolderPackage(f) for f in folders]
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

    def _elsewhere(self, path: str) -> tuple[FolderPackage, str] | None:
        if self.inner.has(path):
            return None
        for folder in self.folders:
            for candidate in (path, path.rpartition("/")[2]):
                if folder.has(candidate):
                    return folder, candidate
        return None

"""The files of a package that is handed to a destination: a folder, a zip, or one file by itself."""

from __future__ import annotations

from pathlib import Path

from ..limits import MAX_PACKAGE_BYTES, InputError
from ..packages import FolderPackage, Package, ZipPackage
from ..packages.plain import open_plain
from .messages import say

#: What we lay beside a package for ourselves; no destination reads it.
_OURS = "handlens-manifest.json"


def files_of(path: Path) -> dict[str, bytes]:
    """The files of a package by their paths in it. Raises InputError where it is none, or holds more than is taken.

    path: a folder, a zip (of which .usdz is none here: it is a model), or a file, which is all there is then.
    """
    if path.is_dir():
        package: Package = FolderPackage(path)
    elif path.suffix.lower() == ".zip":
        package = ZipPackage(path)
    else:
        try:
            with open_plain(path) as file:
                return {path.name: file.read()}
        except OSError as error:
            raise InputError(
                say("receivers.unreadable", path=path, reason=error.strerror or "it is not a regular file")
            ) from error
    names = [name for name in package.names() if name != _OURS]
    total = sum(package.size(name) for name in names)
    if total > MAX_PACKAGE_BYTES:
        raise InputError(say("receivers.too-large", name=path.name, total=total))
    return {name: package.read(name) for name in names}

"""Whether what lies at a destination is still what was sent there, file by file."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import msgspec

from ..limits import InputError
from ..packages import FolderPackage, Package, ZipPackage
from ..words.json_tree import Json
from .messages import say
from .packaged import MANIFEST

State = Literal["same", "older", "changed", "missing", "foreign"]
STATES: tuple[State, ...] = ("same", "older", "changed", "missing", "foreign")


class ManifestFile(msgspec.Struct, frozen=True):
    """One file that was sent. was: what it was before the mends, None where it is new. because: ids of mends."""

    path: str
    sha256: str
    bytes: int = 0
    was: str | None = None
    because: list[str] = []


class _Manifest(msgspec.Struct, frozen=True):
    schema: Literal[1]
    files: list[ManifestFile]


@dataclass(frozen=True)
class Compared:
    """A file by its path: how it is at the destination, its digest there and the one that was sent, None where there is none."""

    path: str
    state: State
    there: str | None
    sent: str | None

    def to_json(self) -> Json:
        """As `stale --json` prints it."""
        return {"path": self.path, "state": self.state, "sha256": self.there, "sent": self.sent}


def sent_files(path: Path) -> list[ManifestFile]:
    """What was sent: by a manifest, by a package with one in it, or by a package as it lies there. Raises InputError."""
    if path.is_file() and path.suffix.lower() == ".json":
        return _manifest(path.read_bytes(), path.name)
    package = _opened(path)
    if package.has(MANIFEST):
        return _manifest(package.read(MANIFEST), f"{path.name}/{MANIFEST}")
    return [ManifestFile(name, package.sha256(name)) for name in package.names()]


def compared(sent: list[ManifestFile], place: Path) -> list[Compared]:
    """Every file that was sent or lies at the place, by its path. Raises InputError where the place cannot be looked through."""
    package = _opened(place)
    there = {name: package.sha256(name) for name in package.names() if name != MANIFEST}
    out = [Compared(file.path, _state(file, there.get(file.path)), there.get(file.path), file.sha256) for file in sent]
    known = {file.path for file in sent}
    out += [Compared(name, "foreign", digest, None) for name, digest in there.items() if name not in known]
    return sorted(out, key=lambda one: one.path)


def counts(files: list[Compared]) -> dict[str, int]:
    """How many files are in each state."""
    found = Counter(file.state for file in files)
    return {state: found[state] for state in STATES}


def _state(file: ManifestFile, there: str | None) -> State:
    if there is None:
        return "missing"
    if there == file.sha256:
        return "same"
    return "older" if there == file.was else "changed"


def _opened(path: Path) -> Package:
    if path.is_dir():
        return FolderPackage(path)
    if path.is_file() and path.suffix.lower() == ".zip":
        return ZipPackage(path)
    raise InputError(say("pipeline.nothing-sent", path=path))


def _manifest(data: bytes, name: str) -> list[ManifestFile]:
    try:
        return msgspec.convert(json.loads(data), _Manifest).files
    except (ValueError, msgspec.ValidationError) as error:
        raise InputError(say("pipeline.no-manifest", name=name, error=str(error).rstrip("."))) from error

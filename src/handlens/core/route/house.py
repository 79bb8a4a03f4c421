"""House checks: a team's own checks and stations, from folders and from installed packages.

The environment's HANDLENS_HOUSE names folders, with a colon between. A folder in one of them with a `station.py` is a station, as ours
are; a Python file in one of them holds checks and mends for stations that there are. An installed package offers a `Station` by
the entry point group `handlens.stations`.
"""

from __future__ import annotations

import hashlib
import importlib.util
import os
import re
import sys
from dataclasses import dataclass
from functools import cache
from importlib.metadata import EntryPoint, entry_points
from pathlib import Path
from types import ModuleType
from typing import Any

from ..declare.check import slug_of
from ..declare.station import Station, checks_in, mends_in
from ..limits import InputError
from .messages import say

#: Names of the environment's value and of the entry points.
FOLDERS, GROUP = "HANDLENS_HOUSE", "handlens.stations"
#: What a slug is made of: ids of checks are written in it.
_SLUG = re.compile(r"[a-z]+(-[a-z]+)*")
#: Package that modules of folders are loaded under.
_ROOM = "handlens_house"


def house_folders() -> list[Path]:
    """The folders that the environment names."""
    return [Path(p).resolve() for p in os.environ.get(FOLDERS, "").split(os.pathsep) if p]


@dataclass(frozen=True)
class Found:
    """What was found at a place. whole: a station of its own, or else checks and mends for the one of that slug."""

    where: str
    station: Station
    whole: bool


def house_stations() -> list[Found]:
    """What the house brings, in the order in which it is found. Raises InputError."""
    found = [s for folder in house_folders() for s in _in_folder(folder)]
    for point in _points():
        found.append(_station(point.name, _loaded(point.name, point.load)))
    return found


@cache
def fingerprint() -> str:
    """Changes whenever what the house brings may have changed; empty where there is nothing of the house."""
    digest, any_of_it = hashlib.sha256(), False
    for folder in house_folders():
        for path in sorted(folder.rglob("*.py")) if folder.is_dir() else ():
            digest.update(f"{path.relative_to(folder)}".encode() + b"\0" + path.read_bytes())
            any_of_it = True
    for point in _points():
        digest.update(f"{point.name} {point.value} {point.dist.version if point.dist else ''}".encode())
        any_of_it = True
    return digest.hexdigest() if any_of_it else ""


def _points() -> list[EntryPoint]:
    return sorted(entry_points(group=GROUP), key=lambda p: p.name)


def _in_folder(folder: Path) -> list[Found]:
    if not folder.is_dir():
        raise InputError(say("house.no-folder", folder=folder, variable=FOLDERS))
    out: list[Found] = []
    for path in sorted(folder.iterdir()):
        if (path / "station.py").is_file():
            out.append(_station(str(path), getattr(_module(folder, path / "station.py", path), "STATION", None)))
        elif path.suffix == ".py" and not path.name.startswith("_"):
            out += [Found(str(path), more_of_our, False) for more_of_our in _more_of_ours(_module(folder, path, None))]
    return out


def _more_of_ours(module: ModuleType) -> list[Station]:
    """What a module adds to stations that there are, a station each."""
    checks, mends = checks_in(module), mends_in(module)
    ids = [check.id for check in checks] + [mend.id for mend in mends]
    return [
        Station(
            slug,
            0,
            tuple(check for check in checks if slug_of(check.id) == slug),
            tuple(mend for mend in mends if slug_of(mend.id) == slug),
        )
        for slug in dict.fromkeys(map(slug_of, ids))
    ]


def _module(folder: Path, path: Path, package: Path | None) -> ModuleType:
    """A file loaded as `handlens_house.<folder>.<file>`, or as the module of a package that its siblings can be imported from."""
    name = f"{_ROOM}.{folder.name}.{(package or path).stem}"
    for parent in (_ROOM, f"{_ROOM}.{folder.name}"):
        sys.modules.setdefault(parent, ModuleType(parent))
    if package is not None:
        holder = ModuleType(name)
        holder.__path__ = [str(package)]
        sys.modules[name] = holder
        name = f"{name}.station"
    spec = importlib.util.spec_from_file_location(name, path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    _loaded(str(path), lambda: spec.loader.exec_module(module))
    return module


def _loaded(what: str, load: Any) -> Any:
    try:
        return load()
    except Exception as error:
        raise InputError(say("house.cannot-load", what=what, kind=type(error).__name__, error=str(error))) from error


def _station(where: str, found: Any) -> Found:
    if not isinstance(found, Station):
        raise InputError(say("house.no-station", where=where))
    wrong = [x for x in found.ids if slug_of(x) != found.slug]
    if wrong:
        raise InputError(say("house.wrong-id", where=where, id=wrong[0], slug=found.slug))
    if not _SLUG.fullmatch(found.slug):
        raise InputError(say("house.wrong-slug", where=where, slug=found.slug))
    return Found(where, found, True)

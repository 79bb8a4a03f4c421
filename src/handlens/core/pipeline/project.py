"""The project file `handlens.toml`: what a team says once of all its models. Found upwards from where a command is called."""

from __future__ import annotations

import tomllib
from datetime import date
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta

from ..limits import InputError
from ..rules import Intent, load_intent
from ..rules.intent import intent_from_json
from ..words.json_tree import Json
from .messages import say

NAME = "handlens.toml"
_Text = Annotated[str, Meta(min_length=1, max_length=400)]


class ProjectWaiver(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A finding that is accepted. finding: its id or that of its check, `*` for any letters. reason: why. match: paths of models below the
    project's folder. until: the last day on which it holds."""

    finding: _Text
    reason: _Text
    match: _Text = "*"
    until: date | None = None


class ProjectIntent(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the models whose paths meet a pattern are meant to be. intent: as an intent file has it."""

    match: _Text
    intent: dict[str, Any]


class _File(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename="kebab"):
    sheet: _Text | None = None
    fail_on: Literal["stop", "caution", "note"] | None = None
    search: list[_Text] = []
    house: list[_Text] = []
    intents: list[ProjectIntent] = []
    waivers: list[ProjectWaiver] = []
    way: dict[_Text, _Text] = {}


class Project:
    """A project file and where it lies. way: by check the mend that is preferred where there is a choice. sheet: a name, or the path of a sheet. search, house: folders. fail_on: from which result on a model
    fails; None where nothing is said."""

    def __init__(self, path: Path, file: _File) -> None:
        self.path, self.folder = path, path.parent
        self.fail_on = file.fail_on
        self.search = [str(self.folder / name) for name in file.search]
        self.house = [self.folder / name for name in file.house]
        self.waivers = file.waivers
        self.way = file.way
        self._intents = [
            (entry.match, intent_from_json(msgspec.json.encode(entry.intent).decode()), frozenset(entry.intent))
            for entry in file.intents
        ]
        self.sheet = file.sheet
        if file.sheet is not None and file.sheet.endswith(".json"):
            self.sheet = str(self.folder / file.sheet)

    def intent_of(self, model: Path) -> Intent | None:
        """What a model is meant to be; the last pattern that its path meets counts. None where none does."""
        return next((intent for match, intent, _ in reversed(self._intents) if self._meets(model, match)), None)

    def answered(self, model: Path) -> frozenset[str]:
        """Keys that are said of what a model is meant to be."""
        return next((keys for match, _, keys in reversed(self._intents) if self._meets(model, match)), frozenset())

    def reasons(self, model: Path, findings: list[Json], today: date) -> dict[str, str]:
        """Reasons of the waivers that hold for findings of a model, by the ids of these."""
        out = {}
        for waiver in self.waivers:
            if self._meets(model, waiver.match) and (waiver.until is None or today <= waiver.until):
                for finding in findings:
                    if any(fnmatchcase(finding[key], waiver.finding) for key in ("id", "check")):
                        out[finding["id"]] = waiver.reason if waiver.until is None else f"{waiver.reason} (until {waiver.until})"
        return out

    def ended(self, today: date) -> list[str]:
        """Waivers whose last day is over, in sentences."""
        return [
            f"{self.path.name}: the waiver of {waiver.finding} ended on {waiver.until}; mend it, or say anew until when."
            for waiver in self.waivers
            if waiver.until is not None and today > waiver.until
        ]

    def _meets(self, model: Path, match: str) -> bool:
        path = model.resolve()
        inside = path.relative_to(self.folder).as_posix() if path.is_relative_to(self.folder) else path.as_posix()
        return fnmatchcase(inside, match) or fnmatchcase(path.name, match)


def find_project(start: Path, inputs: list[Path]) -> Project | None:
    """The project file of a folder or the nearest above it; None where there is none. Raises InputError naming the place that is wrong.

    inputs: what the command reads. A project file inside of one of them is none: what comes with a model says nothing about how it is judged.
    """
    read = [path.resolve() for path in inputs]
    for folder in (start.resolve(), *start.resolve().parents):
        path = folder / NAME
        if path.is_file() and not any(path.is_relative_to(one) and start.resolve() != folder for one in read):
            return read_project(path)
    return None


def read_project(path: Path) -> Project:
    """A project file. Raises InputError naming the place that is wrong."""
    try:
        tree = tomllib.loads(path.read_text(encoding="utf-8"))
        file = msgspec.convert(tree, _File)
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(
            say("pipeline.unreadable", path=path, reason=getattr(error, "strerror", None) or "it is no text")
        ) from error
    except tomllib.TOMLDecodeError as error:
        raise InputError(say("pipeline.no-toml", path=path, error=str(error))) from error
    except msgspec.ValidationError as error:
        what, _, place = str(error).partition(" - at `$")
        where = place.rstrip("`").lstrip(".") or "the top level"
        raise InputError(say("pipeline.wrong-value", path=path, where=where, fault=what[:1].lower() + what[1:])) from error
    try:
        return Project(path, file)
    except InputError as error:
        raise InputError(say("pipeline.unusable", path=path, error=str(error))) from error


def intent_for(model: Path, named: str | None, project: Project | None) -> Intent:
    """What a model is meant to be: as the call's own intent file says, else the project, else nothing. Raises InputError."""
    if named is not None or project is None:
        return load_intent(named)
    return project.intent_of(model) or Intent()


def answered_for(model: Path, named: str | None, project: Project | None) -> frozenset[str]:
    """Keys of the intent that `intent_for` gives which somebody has said, though it be what is taken where nothing is said. Raises InputError."""
    if named is None:
        return frozenset() if project is None else project.answered(model)
    load_intent(named)
    return frozenset(msgspec.json.decode(Path(named).read_bytes(), type=dict[str, Any]))

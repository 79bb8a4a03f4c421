"""What a mend is, and the list of all of them."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..limits import InputError, MendError
from ..scene import Scene
from ..words.calls import split_names

MODULES = (
    "size.mends",
    "placement.mends",
    "placement.mends_home",
    "pivots.mends",
    "facing.mends",
    "surface.mends",
    "surface.mends_tangles",
    "slots.mends",
    "textures.mends",
    "textures.mends_uvs",
    "see_through.mends",
    "arrival.mends",
    "arrival.mends_side_files",
)


@dataclass(frozen=True)
class Parameter:
    """One parameter: name, kind (number, text, choice, flag, parts, names), what it means, choices, default (None: required).

    kind "parts" takes the keys of nodes as findings name them, as a list or as one text with semicolons between (one that is part
    of a name is written \\;); no key at all means the whole model. Kind "names" takes names of other things in the same way.
    """

    name: str
    kind: str
    says: str
    choices: tuple[str, ...] = ()
    default: Any = None
    #: Whether a number may be 0: a factor or a distance may not.
    zero: bool = True

    def read(self, raw: Any, mend: str) -> Any:
        """The value in its own type. Raises InputError with one sentence."""
        if self.kind == "number":
            try:
                number = float(raw)
            except (TypeError, ValueError):
                raise InputError(f"{mend}: {self.name} must be a number, not {raw!r}.") from None
            if not abs(number) < 1e12:
                raise InputError(f"{mend}: {self.name} must be a finite number, not {raw!r}.")
            if number == 0 and not self.zero:
                raise InputError(f"{mend}: {self.name} must be another number than 0.")
            return number
        if self.kind == "flag":
            if str(raw).lower() not in ("true", "false", "yes", "no", "1", "0"):
                raise InputError(f"{mend}: {self.name} must be true or false, not {raw!r}.")
            return str(raw).lower() in ("true", "yes", "1")
        if self.kind == "choice":
            match = next((c for c in self.choices if c.casefold() == str(raw).casefold()), None)
            if match is None:
                raise InputError(f"{mend}: {self.name} must be one of {', '.join(self.choices)}, not {raw!r}.")
            return match
        if self.kind in ("parts", "names"):
            listed = raw if isinstance(raw, list | tuple) else split_names(str(raw))
            return list(dict.fromkeys(str(x) for x in listed if str(x)))
        return str(raw)


@dataclass(frozen=True)
class Figure:
    """One before → after figure, already in words."""

    what: str
    before: str
    after: str


@dataclass(frozen=True)
class Outcome:
    """What a mend did: the new scene, its figures, and sentences on what it could not do or had to pay."""

    scene: Scene
    figures: tuple[Figure, ...]
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Mend:
    id: str
    title: str
    says: str
    keeps: str
    costs: str
    safe: bool
    parameters: tuple[Parameter, ...]
    run: Callable[..., Outcome]

    def read(self, params: dict[str, Any]) -> dict[str, Any]:
        """Check and convert parameters. Raises InputError."""
        known = {p.name: p for p in self.parameters}
        for name in params:
            if name not in known:
                raise InputError(f"{self.id} has no parameter {name!r}; it takes {', '.join(known) or 'none'}.")
        out = {}
        for p in self.parameters:
            if p.name in params:
                out[p.name] = p.read(params[p.name], self.id)
            elif p.default is None:
                raise InputError(f"{self.id} needs {p.name}=….")
            else:
                out[p.name] = p.default
        return out


@dataclass(frozen=True)
class MendRun:
    """One slip of the tape after it was played: applied, or not with the reason."""

    mend: str
    params: dict[str, Any]
    applied: bool
    figures: tuple[Figure, ...] = ()
    remarks: tuple[str, ...] = ()
    because: str | None = None
    #: Where it did not apply: the slip before which it would have, as a position among those that were played.
    before: int | None = None


_MENDS: dict[str, Mend] = {}


def mend(
    id: str, *, title: str, keeps: str, costs: str, safe: bool, parameters: Sequence[Parameter] = ()
) -> Callable[[Callable[..., Outcome]], Callable[..., Outcome]]:
    """Register a mend; the first paragraph of its docstring says what it does."""

    def register(run: Callable[..., Outcome]) -> Callable[..., Outcome]:
        says = " ".join((run.__doc__ or "").split("\n\n")[0].split())
        _MENDS[id] = Mend(id, title, says, keeps, costs, safe, tuple(parameters), run)
        return run

    return register


def all_mends() -> tuple[Mend, ...]:
    for module in MODULES:
        importlib.import_module(f"handlens.core.stations.{module}")
    return tuple(_MENDS.values())


def find_mend(id: str) -> Mend:
    """The mend of that id. Raises InputError."""
    found = next((m for m in all_mends() if m.id == id), None)
    if found is None:
        raise InputError(f"There is no mend {id!r}; `handlens mends` lists them.")
    return found


def apply_mend(scene: Scene, id: str, params: dict[str, Any]) -> Outcome:
    """Apply one mend. Raises InputError for a wrong call, MendError where it does not apply."""
    chosen = find_mend(id)
    with np.errstate(all="ignore"):  # a file may hold any number
        return chosen.run(scene, **chosen.read(params))


def apply_tape(scene: Scene, tape: Sequence[tuple[str, dict[str, Any]]]) -> tuple[Scene, list[MendRun]]:
    """Play a tape in order. A mend that does not apply is passed over and says so; the scene goes on without it.

    Where it would have applied before an earlier slip, `before` says which: that slip takes away what it needs.
    """
    runs: list[MendRun] = []
    scenes = [scene]
    for id, params in tape:
        try:
            outcome = apply_mend(scenes[-1], id, params)
        except (MendError, InputError) as error:
            runs.append(MendRun(id, params, False, because=str(error), before=_conflict(scenes, runs, id, params)))
            scenes.append(scenes[-1])
            continue
        scenes.append(outcome.scene)
        runs.append(MendRun(id, params, True, outcome.figures, outcome.remarks))
    return scenes[-1], runs


def _conflict(scenes: list[Scene], runs: list[MendRun], id: str, params: dict[str, Any]) -> int | None:
    """The latest earlier slip before which a mend still applies, if there is one."""
    for k in range(len(runs) - 1, -1, -1):
        if not runs[k].applied:
            continue
        try:
            apply_mend(scenes[k], id, params)
        except (MendError, InputError):
            continue
        return k
    return None

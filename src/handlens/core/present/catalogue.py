"""What there is, as plain records: the command line, the web and the documentation print the same."""

from __future__ import annotations

from typing import Any

import msgspec

from ..declare.check import origin_of, station_of
from ..formats.table import WRITERS
from ..route.stations import all_checks, all_mends, stations
from ..rules import shipped


class StationEntry(msgspec.Struct, frozen=True):
    """One station of the route."""

    number: int
    slug: str
    name: str


class LensEntry(msgspec.Struct, frozen=True):
    """One way of looking at the model, and whose it is."""

    look: str
    name: str
    legend: str
    station: str


class CheckEntry(msgspec.Struct, frozen=True):
    """One check. origin: who brings it. held_to: paths of values in a sheet. results: what it gives at most, by the slug of each shipped sheet."""

    id: str
    station: str
    title: str
    does: str
    why: str
    measured: str
    source: str
    mends: list[str]
    results: dict[str, str]
    origin: str
    held_to: list[str]


class ParameterEntry(msgspec.Struct, frozen=True):
    """One parameter of a mend. default: None where it must be given."""

    name: str
    kind: str
    says: str
    choices: list[str]
    default: Any
    zero: bool


class MenuEntry(msgspec.Struct, frozen=True):
    """A button of a mend's own. place: station, tree or tables. One that ends in "…" asks for the parameters first."""

    place: str
    says: str


class MendEntry(msgspec.Struct, frozen=True):
    """One mend. origin: who brings it. menu: its own button, where it has one beside being
    offered. button: what a button says that knows the parameters, each in braces by its name; "" for the title."""

    id: str
    station: str
    title: str
    does: str
    keeps: str
    costs: str
    safe: bool
    parameters: list[ParameterEntry]
    origin: str
    menu: MenuEntry | None
    button: str


class FormatEntry(msgspec.Struct, frozen=True):
    """One format that can be written."""

    name: str
    short: str
    says: str


def route() -> list[StationEntry]:
    """Every station, in order."""
    return [StationEntry(number, station.slug, station.name) for number, station in enumerate(stations(), 1)]


def lenses() -> list[LensEntry]:
    """Every lens, in the order of the rack."""
    found = sorted(((lens.place, lens, station.slug) for station in stations() for lens in station.lenses), key=lambda x: x[0])
    return [LensEntry(lens.look, lens.name, lens.legend, slug) for _, lens, slug in found]


def checks() -> list[CheckEntry]:
    """Every check with its result on each shipped sheet."""
    on = lambda c: {s.slug: c.result_on(s) for s in shipped()}
    return [
        CheckEntry(
            declared.id,
            declared.station,
            declared.title,
            declared.does,
            declared.why,
            declared.measured,
            declared.source,
            list(declared.mends),
            on(declared),
            origin_of(declared.run),
            list(declared.held_to),
        )
        for declared in all_checks()
    ]


def mends() -> list[MendEntry]:
    """Every mend with its parameters."""
    takes = lambda m: [
        ParameterEntry(parameter.name, parameter.kind, parameter.says, list(parameter.choices), parameter.default, parameter.zero)
        for parameter in m.parameters
    ]
    return [
        MendEntry(
            mend.id,
            station_of(mend.id),
            mend.title,
            mend.says,
            mend.keeps,
            mend.costs,
            mend.safe,
            takes(mend),
            origin_of(mend.run),
            MenuEntry(*mend.menu) if mend.menu is not None else None,
            mend.button,
        )
        for mend in all_mends()
    ]


def formats() -> list[FormatEntry]:
    """Every format that can be written."""
    return [FormatEntry(f.name, f.short, f.says) for f in WRITERS.values()]

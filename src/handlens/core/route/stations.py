"""The route: every station in order. A station is found by its folder; nothing lists it by hand."""

from __future__ import annotations

import hashlib
import importlib
import pkgutil
from collections import Counter
from functools import cache

from .. import stations as _ours
from ..declare.check import Check
from ..declare.mend import Mend
from ..declare.station import Station
from ..limits import InputError
from ..measures.records import VERSION
from ..rules import RuleSheet
from .house import fingerprint, house_stations
from .messages import say


@cache
def stations() -> tuple[Station, ...]:
    """Every station in the order of the route, ours and the house's. Raises InputError where one of the house cannot be loaded."""
    ours = [
        importlib.import_module(f"{_ours.__name__}.{m.name}.station").STATION
        for m in pkgutil.iter_modules(_ours.__path__)
        if m.ispkg
    ]
    found: dict[str, Station] = {station.slug: station for station in ours}
    brought = house_stations()
    for one in (x for x in brought if x.whole):
        if one.station.slug in found:
            raise InputError(say("house.station-there", where=one.where, slug=one.station.slug))
        found[one.station.slug] = one.station
    for more in (x for x in brought if not x.whole):
        if more.station.slug not in found:
            raise InputError(say("house.no-such-station", where=more.where, slug=more.station.slug, id=more.station.ids[0]))
        found[more.station.slug] = found[more.station.slug].with_more(more.station)
    _refuse_twins("check", [check.id for s in found.values() for check in s.checks])
    _refuse_twins("mend", [mend.id for s in found.values() for mend in s.mends])
    return tuple(sorted(found.values(), key=lambda s: s.place))


def _refuse_twins(what: str, ids: list[str]) -> None:
    twin = next((id for id, times in Counter(ids).items() if times > 1), None)
    if twin is not None:
        raise InputError(say("house.twice", what=what, twin=twin))


def all_checks() -> tuple[Check, ...]:
    """Every check, in the order of the route and then as they stand in their modules."""
    return tuple(check for station in stations() for check in station.checks)


@cache
def checks_by_id() -> dict[str, Check]:
    """Every check by its id."""
    return {declared.id: declared for declared in all_checks()}


def refuse_unread_keys(sheet: RuleSheet) -> None:
    """Raises InputError where a sheet has keys of a house check that is not here, that reads none, or that reads others."""
    for id in sheet.house:
        check = checks_by_id().get(id)
        if check is None or check.keys is None:
            raise InputError(say("house.keys-of-nobody", name=sheet.name, id=id))
        sheet.keys_of(id, check.keys)


def all_mends() -> tuple[Mend, ...]:
    """Every mend, in the order of the route."""
    return tuple(mend for station in stations() for mend in station.mends)


@cache
def mends_by_id() -> dict[str, Mend]:
    """Every mend by its id."""
    return {each.id: each for each in all_mends()}


def find_mend(id: str) -> Mend:
    """The mend of that id. Raises InputError."""
    found = mends_by_id().get(id)
    if found is None:
        raise InputError(say("house.no-such-mend", id=id))
    return found


@cache
def route_key() -> str:
    """Changes with what is judged by: the ids of all checks and mends, and whatever the house brings."""
    ids = [[station.slug, *station.ids] for station in stations()]
    return hashlib.sha256(f"{ids} {fingerprint()}".encode()).hexdigest()


@cache
def measures_key() -> str:
    """Changes with what measures mean: the version of those that all stations read, and of those that each takes for itself."""
    return f"{VERSION} " + " ".join(f"{station.slug}={station.own.version}" for station in stations() if station.own is not None)


def forget() -> None:
    """Look for stations anew when they are asked for next: after the house's folders changed."""
    stations.cache_clear()
    fingerprint.cache_clear()
    route_key.cache_clear()
    measures_key.cache_clear()
    checks_by_id.cache_clear()
    mends_by_id.cache_clear()

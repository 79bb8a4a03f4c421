"""What a station is: one object that says all that it brings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from types import ModuleType
from typing import Any, TypeVar

from ..measures import Measures
from ..rules import Intent, RuleSheet
from .check import Check
from .mend import Mend
from .panel import Panel
from .station_measures import StationMeasures

T = TypeVar("T", Check, Mend)


@dataclass(frozen=True)
class Lens:
    """A way of looking at the model that a station brings. look: what the stage draws, by its name there. legend: how it reads, also
    without colour. place: where it stands in the rack.
    """

    look: str
    name: str
    legend: str
    place: int


@dataclass(frozen=True)
class Station:
    """One stop on the route. slug: the part of its checks' and mends' ids before the dot; place: where on the route it stands.

    own: measures that it takes for itself. panel: what the ledger shows; a station without one says `blank` instead. of_things: only parts that the intent counts as of the
    thing are looked at. concerns: whether a model has anything to be looked at here; None where each has. lenses: ways of looking that it brings.
    """

    slug: str
    place: int
    checks: tuple[Check, ...] = ()
    mends: tuple[Mend, ...] = ()
    panel: Callable[[Measures, RuleSheet, Intent], Panel] | None = None
    own: StationMeasures[Any] | None = None
    blank: str = "not inspected yet"
    of_things: bool = False
    concerns: Callable[[Measures], bool] | None = None
    lenses: tuple[Lens, ...] = ()

    @property
    def name(self) -> str:
        return self.slug.capitalize()

    @property
    def ids(self) -> list[str]:
        """Ids of all its checks and mends."""
        return [check.id for check in self.checks] + [mend.id for mend in self.mends]

    def with_more(self, other: Station) -> Station:
        """This station with what another of its slug brings besides."""
        return replace(self, checks=(*self.checks, *other.checks), mends=(*self.mends, *other.mends))


def checks_in(*modules: ModuleType) -> tuple[Check, ...]:
    """The checks that modules define, in the order in which they stand there."""
    return _in(Check, modules)


def mends_in(*modules: ModuleType) -> tuple[Mend, ...]:
    """The mends that modules define, in the order in which they stand there."""
    return _in(Mend, modules)


def _in(kind: type[T], modules: tuple[ModuleType, ...]) -> tuple[T, ...]:
    """What modules define of a kind, and not what they import."""
    return tuple(
        v for module in modules for v in vars(module).values() if isinstance(v, kind) and v.run.__module__ == module.__name__
    )

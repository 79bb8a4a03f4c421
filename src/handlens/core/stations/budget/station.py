from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, checks_redundant, mends, mends_atlas, mends_beside, mends_levels, mends_reduce
from .measures import OWN
from .panel import panel

LENSES = (Lens("density", "Density", "Every triangle in ink: dark where they are many.", 40),)
STATION = Station(
    "budget",
    100,
    checks=checks_in(checks, checks_redundant),
    mends=mends_in(mends, mends_reduce, mends_beside, mends_levels, mends_atlas),
    panel=panel,
    own=OWN,
    of_things=True,
    lenses=LENSES,
)

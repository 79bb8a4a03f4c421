from __future__ import annotations

from ...kit.station import Lens, Station, checks_in
from . import checks
from .panel import panel

LENSES = (Lens("density", "Density", "Every triangle in ink: dark where they are many.", 40),)
STATION = Station("budget", 100, checks=checks_in(checks), panel=panel, of_things=True, lenses=LENSES)

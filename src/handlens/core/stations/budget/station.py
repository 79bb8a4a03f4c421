from __future__ import annotations

from ...kit.station import Station, checks_in
from . import checks
from .panel import panel

STATION = Station("budget", 100, checks=checks_in(checks), panel=panel, of_things=True)

from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends
from .panel import panel

LENSES = (Lens("slots", "Slots", "Each slot has strokes of its own direction; cross-hatch has no material.", 50),)
STATION = Station("slots", 70, checks=checks_in(checks), mends=mends_in(mends), panel=panel, lenses=LENSES)

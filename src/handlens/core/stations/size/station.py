from __future__ import annotations

from ...declare.station import Station, checks_in, mends_in
from . import checks, mends
from .panel import panel

STATION = Station("size", 20, checks=checks_in(checks), mends=mends_in(mends), panel=panel, of_things=True)

from __future__ import annotations

from ...declare.station import Station, checks_in, mends_in
from . import checks, mends
from .measures import OWN
from .panel import panel

STATION = Station("motion", 120, checks=checks_in(checks), mends=mends_in(mends), panel=panel, own=OWN)

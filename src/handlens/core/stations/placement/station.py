from __future__ import annotations

from ...declare.station import Station, checks_in, mends_in
from . import checks, mends, mends_home, mends_place, mends_tree
from .measures import OWN
from .panel import panel

STATION = Station(
    "placement", 30, checks=checks_in(checks), mends=mends_in(mends, mends_home, mends_tree, mends_place), panel=panel, own=OWN
)

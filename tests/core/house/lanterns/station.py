"""A toy station of the house: every lantern on Mudlark Quay has a number."""

from __future__ import annotations

from handlens.core.declare.station import Station, checks_in, mends_in

from . import checks, mends
from .measures import OWN
from .panel import panel

STATION = Station("lanterns", 105, checks=checks_in(checks), mends=mends_in(mends), panel=panel, own=OWN)

from __future__ import annotations

from ...kit.station import Station, checks_in, mends_in
from . import checks, checks_uvs, mends, mends_uvs
from .panel import panel

STATION = Station("textures", 80, checks=checks_in(checks, checks_uvs), mends=mends_in(mends, mends_uvs), panel=panel)

from __future__ import annotations

from ...kit.station import Station

STATION = Station("motion", 120, concerns=lambda m: bool(m.clips))

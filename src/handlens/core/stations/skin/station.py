from __future__ import annotations

from ...kit.station import Station

STATION = Station("skin", 110, concerns=lambda m: bool(m.skins) or any(x.influences_max for x in m.meshes))

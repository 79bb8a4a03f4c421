from __future__ import annotations

from ...kit.station import Lens, Station

LENSES = (Lens("weights", "Weights", "The heaviest weight of each vertex in ten steps; cross-hatch has none.", 120),)
STATION = Station("skin", 110, concerns=lambda m: bool(m.skins) or any(x.influences_max for x in m.meshes), lenses=LENSES)

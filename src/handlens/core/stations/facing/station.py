from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends
from .panel import panel

LENSES = (
    Lens("facing", "Facing", "Plain paper faces you; hatching is the back of a face.", 20),
    Lens("normals", "Normals", "A stroke along the normal of each vertex.", 90),
)
STATION = Station("facing", 50, checks=checks_in(checks), mends=mends_in(mends), panel=panel, lenses=LENSES)

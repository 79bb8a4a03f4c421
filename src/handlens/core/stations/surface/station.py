from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends, mends_by_hand, mends_tangles
from .panel import panel

LENSES = (Lens("wire", "Edges", "The edges of the polygons as they are stored.", 30),)
STATION = Station(
    "surface", 60, checks=checks_in(checks), mends=mends_in(mends, mends_tangles, mends_by_hand), panel=panel, lenses=LENSES
)

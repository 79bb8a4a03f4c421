from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends
from .panel import panel

LENSES = (
    Lens(
        "pivots",
        "Pivots",
        "A plumb mark stands at the origin of each part; whole circle: what it sweeps; dashed: what it needs.",
        100,
    ),
)
STATION = Station("pivots", 40, checks=checks_in(checks), mends=mends_in(mends), panel=panel, lenses=LENSES)

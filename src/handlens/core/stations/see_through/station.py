from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends
from .measures import OWN
from .panel import panel

LENSES = (
    Lens(
        "alpha",
        "See-through",
        "Plain: opaque. Dots: cut-out. Strokes: blended. Cross-hatch: see-through pixels that an opaque material hides.",
        80,
    ),
)
STATION = Station("see-through", 90, checks=checks_in(checks), mends=mends_in(mends), panel=panel, own=OWN, lenses=LENSES)

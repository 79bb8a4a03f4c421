from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, mends
from .measures import OWN
from .panel import panel

LENSES = (
    Lens(
        "received",
        "As received",
        "Back faces are not drawn, lines are absent; a lost picture shows as a paper tile with its name.",
        10,
    ),
)
STATION = Station("handoff", 130, checks=checks_in(checks), mends=mends_in(mends), panel=panel, own=OWN, lenses=LENSES)

from __future__ import annotations

from ...declare.station import Lens, Station

LENSES = (
    Lens(
        "received",
        "As received",
        "Back faces are not drawn, lines are absent; a lost picture shows as a paper tile with its name.",
        10,
    ),
)
STATION = Station("handoff", 130, blank="not exported yet", concerns=lambda m: False, lenses=LENSES)

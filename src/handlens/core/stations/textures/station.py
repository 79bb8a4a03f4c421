from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, checks_uvs, mends, mends_by_hand, mends_inputs, mends_uvs
from .panel import panel

LENSES = (
    Lens("checker", "UV paper", "Squares of 32 texels of the own picture; cross-hatch has no UVs.", 60),
    Lens("layout", "UV layout", "The sheet lays the UVs flat; a face pointed at there is shown here.", 70),
)
STATION = Station(
    "textures",
    80,
    checks=checks_in(checks, checks_uvs),
    mends=mends_in(mends, mends_uvs, mends_by_hand, mends_inputs),
    panel=panel,
    lenses=LENSES,
)

from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks, checks_names, checks_side_files, mends, mends_lines, mends_names, mends_side_files
from .measures import OWN
from .panel import panel

LENSES = (Lens("names", "Names", "The largest parts carry their names.", 110),)
STATION = Station(
    "arrival",
    10,
    checks=checks_in(checks, checks_names, checks_side_files),
    mends=mends_in(mends, mends_names, mends_side_files, mends_lines),
    panel=panel,
    own=OWN,
    lenses=LENSES,
)

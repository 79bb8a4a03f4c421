from __future__ import annotations

from ...declare.station import Lens, Station, checks_in, mends_in
from . import checks_bind, checks_joints, checks_weights, mends_bind, mends_joints, mends_weights
from .measures import OWN
from .panel import panel

LENSES = (Lens("weights", "Weights", "The heaviest weight of each vertex in ten steps; cross-hatch has none.", 120),)
STATION = Station(
    "skin",
    110,
    checks=checks_in(checks_weights, checks_bind, checks_joints),
    mends=mends_in(mends_bind, mends_weights, mends_joints),
    panel=panel,
    own=OWN,
    concerns=lambda m: bool(m.skins) or any(x.influences_max for x in m.meshes),
    lenses=LENSES,
)

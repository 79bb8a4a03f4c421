"""What Placement measures for itself."""

from __future__ import annotations

import msgspec


class NudgeFigures(msgspec.Struct, frozen=True):
    """How far a skinned part travels when a group is moved by one unit: least and most over its vertices by the
    specification's rule, and the most where a receiver moves the part with its own node as well. off: the part's own node or
    one above it is moved, turned, scaled or animated.
    """

    group: int
    part: int
    low: float
    high: float
    applied: float
    joints_within: int
    joints: int
    off: bool


class PlacementMeasures(msgspec.Struct, frozen=True):
    """nudges: how far each skinned part travels with each group above it."""

    nudges: list[NudgeFigures]

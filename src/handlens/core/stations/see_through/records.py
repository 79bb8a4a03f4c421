"""What See-through measures for itself."""

from __future__ import annotations

import msgspec


class DrawOrderFigures(msgspec.Struct, frozen=True):
    """Two blended parts, or pieces of one (first and second are the same): rays that meet both, and those on which the order
    in which they are drawn is wrong. outer: the larger one. worst: direction towards the viewer in world axes. sides: for each
    side that was looked from, the share of its rays that are wrong, None where it meets none of both. numbered: the same where the
    two are drawn by the numbers that they carry and not by their middles; None where they carry none, or the same.
    """

    first: int
    second: int
    outer: int
    both: int
    wrong: int
    worst: list[float]
    sides: list[float | None]
    numbered: list[float | None] | None = None


class SeeThroughMeasures(msgspec.Struct, frozen=True):
    """draw_orders: pairs of blended things that a painter's order may get wrong."""

    draw_orders: list[DrawOrderFigures]

"""Directions in words, as one who walks round a model says them."""

from __future__ import annotations

import math

from .axes import to_y_up


def heading(direction: list[float] | None, up: str) -> str:
    """A direction towards the viewer in words: the side it is on, and how high. The front of a model faces +Z where Y is up
    (glTF 2.0 §3.4), and -Y where Z is up."""
    if direction is None:
        return "nowhere"
    right, high, ahead = (to_y_up(up) @ direction).tolist()
    angle = math.degrees(math.asin(max(-1.0, min(1.0, high))))
    if abs(angle) > 65:
        return "above" if angle > 0 else "below"
    turn = math.degrees(math.atan2(right, ahead)) % 360
    sides = (
        "the front",
        "the front right",
        "the right",
        "the back right",
        "the back",
        "the back left",
        "the left",
        "the front left",
    )
    side = sides[round(turn / 45) % 8]
    return side if abs(angle) < 12 else f"{side}, {abs(angle):.0f}° {'up' if angle > 0 else 'down'}"

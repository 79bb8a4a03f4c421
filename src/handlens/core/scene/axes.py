"""Turns between up axes, right-handed and without rounding: they exchange coordinates."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64, Array

#: Coordinate of each axis.
AXIS_INDEX = {"X": 0, "Y": 1, "Z": 2}

#: Turn that takes each up axis to Y. X up: right is -Y and Z stays (COLLADA 1.4.1, chapter 5, `up_axis`).
_TO_Y = {
    "Y": np.eye(3),
    "Z": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "X": np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]]),
}


def turn_between(now: str, to: str) -> F64:
    """(3, 3) rotation that takes what points up along one axis to another."""
    turn: Array = _TO_Y[to].T @ _TO_Y[now]
    return turn


def to_y_up(axis: str | None) -> F64:
    """(3, 3) rotation to Y up; none where no axis is stated."""
    return turn_between(axis or "Y", "Y")

"""Figures of differences in words: three digits, in a unit that people think in."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from ..words.lengths import metres


def length(amount: float, unit: float | None) -> str:
    """A length given in units of a scene."""
    if not math.isfinite(amount):
        return "to where no number is"
    return metres(amount * unit) if unit is not None else f"{figure(amount)} units"


_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def figure(value: float) -> str:
    """A plain number with three digits: "0.942", "4.49 × 10⁻⁷"."""
    if not math.isfinite(value):
        return "no number"
    digits, _, power = f"{value:.3g}".partition("e")
    return f"{digits} × 10{str(int(power)).translate(_RAISED)}" if power else digits


def degrees(value: float) -> str:
    """An angle in words. value: degrees."""
    return f"{value:.3g}°" if math.isfinite(value) else "no direction"


def greatest_and_mean(greatest: str, mean: str, count: int, of: str) -> str:
    """ "up to 3.2 mm, 1.1 mm on average, on 12 corners"."""
    mean_words = "" if count == 1 or mean == greatest else f", {mean} on average"
    return f"up to {greatest}{mean_words}, {count:,} {of}{'s' if count != 1 else ''}"


def value(stated: Any) -> str:
    """A value of a material, a camera or the like."""
    if stated is None:
        return "not stated"
    if isinstance(stated, bool):
        return "yes" if stated else "no"
    if isinstance(stated, int | float):
        return figure(float(stated))
    if isinstance(stated, Mapping):
        return ", ".join(f"{k} {value(x)}" for k, x in stated.items()) or "none"
    if isinstance(stated, Sequence) and not isinstance(stated, str):
        return ", ".join(value(x) for x in stated) or "none"
    return str(stated) or "none"


def alike(a: Any, b: Any, step: float) -> bool:
    """Whether two values are the same, numbers within a share of the larger of them and 1."""
    if isinstance(a, bool) or isinstance(b, bool) or a is None or b is None:
        return a is b or (isinstance(a, bool) and isinstance(b, bool) and a == b)
    if isinstance(a, int | float) and isinstance(b, int | float):
        if (math.isnan(a) and math.isnan(b)) or a == b:
            return True
        return abs(a - b) <= step * max(1.0, abs(a), abs(b))
    if isinstance(a, Mapping) and isinstance(b, Mapping):
        return a.keys() == b.keys() and all(alike(a[k], b[k], step) for k in a)
    if isinstance(a, list | tuple) and isinstance(b, list | tuple):
        return len(a) == len(b) and all(alike(x, y, step) for x, y in zip(a, b, strict=True))
    return bool(a == b)

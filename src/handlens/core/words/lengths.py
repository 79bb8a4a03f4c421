"""Lengths in words."""

from __future__ import annotations

import math


def metres(amount: float) -> str:
    """A length given in metres, in the unit that reads best: "62 nm", "9.4 mm", "0.94 m", "483 km"."""
    if amount == 0 or not math.isfinite(amount):
        return f"{amount:g} m"
    if amount < 0:
        return f"-{metres(-amount)}"
    if amount < 1e-6:
        return f"{amount * 1e9:.3g} nm"
    if amount < 1e-4:
        return f"{amount * 1e6:.3g} µm"
    if amount < 0.01:
        return f"{amount * 1000:.3g} mm"
    if amount < 1:
        return f"{amount:.2f} m" if amount >= 0.1 else f"{amount * 100:.3g} cm"
    if amount < 999.5:
        return f"{amount:.2f} m" if amount < 9.995 else f"{amount:.1f} m" if amount < 99.95 else f"{amount:.0f} m"
    return f"{amount / 1000:,.3g} km" if amount < 999_500 else f"{amount / 1000:,.0f} km"

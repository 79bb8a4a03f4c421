"""Figures as people read them: three digits, a unit that they think in, and nothing that nobody can act on."""

from __future__ import annotations

import math

from .lengths import metres

#: Lengths in metres below which nobody acts on the very figure: the reports keep it.
_SMALL = 1e-5


def percent(share: float) -> str:
    """A share as "24.6 %"; a tiny one is said to be so, and one that is not quite all is not called all."""
    if not math.isfinite(share):
        return "no share"
    if share <= 0:
        return "0 %"
    if share < 1e-4:
        return "under 0.01 %"
    if 0.9995 <= share < 1:
        return "over 99.9 %"
    return f"{100 * share:.3g} %" if share < 9.995 else f"{100 * share:,.0f} %"


def plain(amount: float) -> str:
    """A number of three significant digits, without an exponent: "34,100", "4.2", "0.00254", "under 0.000001"."""
    if amount == 0 or not math.isfinite(amount):
        return f"{amount:g}"
    size = abs(amount)
    if size < 1e-6:
        return "under 0.000001"
    if size >= 1000:
        rounded = float(f"{amount:.3g}")
        return f"{rounded:,.0f}"
    digits = max(2 - math.floor(math.log10(size)), 0)
    text = f"{amount:.{digits}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def percent_of(share: float) -> str:
    """A share as `percent` has it, for a place where the sign stands by itself."""
    return percent(share).removesuffix(" %")


def turn(degrees: float) -> str:
    """An angle given in degrees: "11.5°", "0°" for what nobody sees."""
    return "0°" if abs(degrees) < 0.005 else f"{plain(degrees)}°"


def about(amount: float) -> str:
    """A length given in metres, "under 0.01 mm" where it is less than that."""
    return f"under {metres(_SMALL)}" if 0 < abs(amount) < _SMALL else metres(amount)


def within(amount: float) -> str:
    """How near things lie, a length given in metres: "within 0.2 mm", "closer than 0.01 mm"."""
    return f"closer than {metres(_SMALL)}" if 0 < abs(amount) < _SMALL else f"within {metres(amount)}"

"""Lengths in words, and words read as lengths."""

from __future__ import annotations

import math
import os
import re

#: In which measures lengths are told: metres, or feet with inches and miles. A word in the environment, so that command line, server and
#: children tell alike; figures in files stay metres.
WISH = "HANDLENS_LENGTHS"
WISHES = ("metric", "feet")
_INCH, _FOOT, _MILE = 0.0254, 0.3048, 1609.344
#: Metres in one of each (NIST Special Publication 811, 2008, appendix B.8: the international inch, foot, yard and mile).
_UNITS = {
    **dict.fromkeys(("km",), 1000.0),
    **dict.fromkeys(("m", "metre", "metres"), 1.0),
    "cm": 0.01,
    "mm": 0.001,
    **dict.fromkeys(("in", "inch", "inches", '"', "″"), _INCH),
    **dict.fromkeys(("ft", "foot", "feet", "'", "′"), _FOOT),
    **dict.fromkeys(("yd", "yard", "yards"), 0.9144),
    **dict.fromkeys(("mi", "mile", "miles"), _MILE),
}
#: A number and its unit. A comma before three digits sets off thousands, as figures are told; any other is a decimal one.
_PIECE = re.compile(
    r"\s*(?P<number>[-+]?(?:(?P<grouped>[1-9]\d{0,2}(?:,\d{3})+(?!\d)(?:\.\d+)?)|\d+(?:[.,]\d+)?)(?:e[-+]?\d+)?)"
    r"\s*(?P<unit>[a-zA-Z]+|[\"'″′])\s*"
)


def metres(amount: float) -> str:
    """A length given in metres, in the unit that reads best: "62 nm", "9.4 mm", "0.94 m", "483 km"; by wish "7 ft 10.5 in"."""
    if amount == 0 or not math.isfinite(amount):
        return f"{amount:g} m"
    if amount < 0:
        return f"-{metres(-amount)}"
    if os.environ.get(WISH) == "feet":
        return _feet(amount)
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


def _feet(amount: float) -> str:
    if amount < _FOOT:
        return f"{amount / _INCH:.3g} in"
    if amount < 100 * _FOOT:
        tenths = round(amount / _INCH, 1)
        feet, inches = divmod(tenths, 12)
        return f"{feet:.0f} ft {inches:.3g} in" if round(inches, 1) else f"{feet:.0f} ft"
    return (
        f"{amount / _FOOT:,.0f} ft"
        if amount < _MILE
        else f"{amount / _MILE:,.3g} mi"
        if amount < 1000 * _MILE
        else f"{amount / _MILE:,.0f} mi"
    )


def read_length(text: str) -> float | None:
    """Metres that a length with its units says, as in "7 ft 10.5 in" or "24 cm"; None where it names none."""
    total, at, sign = 0.0, 0, 1.0
    while at < len(text):
        met = _PIECE.match(text, at)
        if met is None or met["unit"].lower() not in _UNITS:
            return None
        number = float(met["number"].replace(",", "" if met["grouped"] else "."))
        if at == 0 and met["number"].startswith("-"):
            sign = -1.0
        elif number < 0:
            return None
        total += abs(number) * _UNITS[met["unit"].lower()]
        at = met.end()
    return sign * total if at else None

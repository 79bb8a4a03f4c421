"""A walk round two blended parts, side by side, telling from where they are drawn in the wrong order."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from ...geometry.rays import sphere_directions
from ...scene.axes import to_y_up
from ...scene.headings import heading
from .draw_order import DIRECTIONS
from .records import DrawOrderFigures

#: Rows from top to bottom in which the walk goes round.
_ROWS = 5
#: The share of a side's rays above which its order counts as wrong.
WRONG_SIDE = 0.05
#: The share of up in a direction from which on it looks from above or below and from no heading.
_LEVEL = 0.9
#: The least width of a sector, in degrees: about what one side stands for.
_NARROW = 30.0


class Side(NamedTuple):
    """A side to look from: direction towards the viewer with Y up, share of rays that are wrong (None: none meets both), in words."""

    toward: tuple[float, float, float]
    share: float | None
    words: str


def sides(figures: DrawOrderFigures, up: str) -> list[Side]:
    """Every side that was looked from, in the order of a walk: round at each height, from the top down.

    up: the axis that points up in the file.
    """
    turned = sphere_directions(DIRECTIONS) @ to_y_up(up).T
    row = np.minimum((_ROWS * (1 - turned[:, 1]) / 2).astype(int), _ROWS - 1)
    turn = np.arctan2(turned[:, 0], turned[:, 2])
    order = np.lexsort((np.where(row % 2, -turn, turn), row))
    return [Side(tuple(turned[k].tolist()), figures.sides[k], heading(turned[k].tolist(), "Y")) for k in order.tolist()]


def right_sectors(shares: Sequence[float | None], up: str) -> list[tuple[float, float]]:
    """Headings from which the order is right at every height, the widest first: where each begins and ends, in degrees, round to the
    right from the front as one who walks round counts; a whole round is (0, 360).

    shares: (DIRECTIONS,) of the rays of each side those that are wrong, as the figures hold them. up: the axis that points up in the file.
    Straight above and below belongs to every heading and is left out.
    """
    turned = sphere_directions(DIRECTIONS) @ to_y_up(up).T
    level = np.abs(turned[:, 1]) < _LEVEL
    turn = np.degrees(np.arctan2(turned[:, 0], turned[:, 2])) % 360
    wrong = np.array([share is not None and share > WRONG_SIDE for share in shares])
    bad = np.sort(turn[level & wrong])
    good = np.sort(turn[level & ~wrong])
    if not len(bad):
        return [(0.0, 360.0)]
    out = []
    for begin, end in zip(bad.tolist(), np.roll(bad, -1).tolist(), strict=True):
        width = (end - begin) % 360 or 360.0
        inside = np.sort((good - begin) % 360)
        inside = inside[(inside > 0) & (inside < width)]
        # One side alone is no sector.
        if len(inside) > 1 and inside[-1] - inside[0] >= _NARROW:
            out.append((float((begin + inside[0]) % 360), float((begin + inside[-1]) % 360)))
    return sorted(out, key=lambda s: -((s[1] - s[0]) % 360))


def right_from(shares: Sequence[float | None], up: str) -> str:
    """From where the order is right, in words."""
    sectors = right_sectors(shares, up)
    if not sectors:
        return "from no heading at every height"
    if sectors[0] == (0.0, 360.0):
        return "from every side"
    begin, end = sectors[0]
    name = lambda turn: heading([math.sin(math.radians(turn)), 0.0, math.cos(math.radians(turn))], "Y")
    wide = (end - begin) % 360
    return f"from {name(begin)} by {name(begin + wide / 2)} to {name(end)}, {wide:.0f} of 360°"


def wrong_from(figures: DrawOrderFigures, up: str) -> str:
    """From where the order is wrong, in words: how many sides, and the rough headings that take in the most of them."""
    bad = [side for side in sides(figures, up) if side.share is not None and side.share > WRONG_SIDE]
    if not bad:
        return "–"
    seen: dict[str, float] = {}
    for sector in bad:
        name = sector.words.split(",")[0].removeprefix("the ")
        seen[name] = seen.get(name, 0.0) + (sector.share or 0.0)
    names = sorted(seen, key=lambda n: -seen[n])
    rest = len(names) - 2
    return f"{len(bad)} of {len(figures.sides)} sides: {', '.join(names[:2])}" + (f" + {rest}" if rest > 0 else "")

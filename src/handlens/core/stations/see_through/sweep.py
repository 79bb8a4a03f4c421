"""A walk round two blended parts, side by side, telling from where they are drawn in the wrong order."""

from __future__ import annotations

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


def wrong_from(figures: DrawOrderFigures, up: str) -> str:
    """From where the order is wrong, in words: how many sides, and the rough headings that take in the most of them."""
    bad = [side for side in sides(figures, up) if side.share is not None and side.share > WRONG_SIDE]
    if not bad:
        return "–"
    seen: dict[str, float] = {}
    for s in bad:
        name = s.words.split(",")[0].removeprefix("the ")
        seen[name] = seen.get(name, 0.0) + (s.share or 0.0)
    names = sorted(seen, key=lambda n: -seen[n])
    rest = len(names) - 2
    return f"{len(bad)} of {len(figures.sides)} sides: {', '.join(names[:2])}" + (f" + {rest}" if rest > 0 else "")

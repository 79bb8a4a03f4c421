"""A model seen from twelve sides, evenly spread: what is compared before and after mends."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..geometry.rays import RayScene
from ..surface.colour import to_shown
from ..words.arrays import F64, Array
from .soup import Paint, Soup, lit

#: Pixels of a picture along each side.
SIDE = 96
#: The page's paper.
PAPER = np.array([0xF6, 0xF1, 0xE7]) / 255
#: Surfaces looked through one behind the other.
_LAYERS = 4
_GOLDEN = (1 + 5**0.5) / 2
_CORNERS = np.array([[0, s, t * _GOLDEN] for s in (1, -1) for t in (1, -1)])
#: (12, 3) directions towards the viewer: the corners of an icosahedron, none straight along an axis of the model.
TOWARDS = np.concatenate([np.roll(_CORNERS, k, axis=1) for k in range(3)]) / np.hypot(1, _GOLDEN)


class Frame(NamedTuple):
    """What pictures show: a ball about a place. middle: (3,), radius: in the metres of a display copy."""

    middle: F64
    radius: float


def views(soup: Soup, paints: list[Paint], frame: Frame, side: int = SIDE) -> Array:
    """(12, side, side, 3) colours as they are shown, 0 to 1, by parallel rays; paper where nothing is. side: pixels."""
    rays = RayScene(soup.points, soup.corners)
    if rays.empty:
        return np.broadcast_to(PAPER, (len(TOWARDS), side, side, 3)).copy()
    return np.stack([_view(soup, rays, paints, frame, toward, side) for toward in TOWARDS])


def _view(soup: Soup, rays: RayScene, paints: list[Paint], frame: Frame, away: F64, side: int) -> F64:
    right = np.cross([0.0, 1.0, 0.0], away)
    right /= np.linalg.norm(right)
    up = np.cross(away, right)
    x, y = np.meshgrid((np.arange(side) + 0.5) / side * 2 - 1, 1 - (np.arange(side) + 0.5) / side * 2)
    # Far enough out for whatever lies beyond the frame too.
    start = frame.radius * (x.reshape(-1, 1) * right + y.reshape(-1, 1) * up) + frame.middle
    origins = rays.to_unit(start) + away * (2 + float(np.linalg.norm(rays.to_unit(frame.middle[None]))))
    shown, through = np.zeros((side * side, 3)), np.ones(side * side)
    open_rays, reached = np.arange(side * side), np.zeros(side * side)
    for layer in range(_LAYERS):
        hits = rays.first(origins[open_rays] - away * reached[open_rays, None], np.broadcast_to(-away, (len(open_rays), 3)))
        hit = hits.triangle >= 0
        own, found = open_rays[hit], hits.triangle[hit]
        reached[own] += hits.distance[hit] + 1e-4
        colour = lit(soup, rays, paints, found, origins[own] - away * reached[own, None], away)
        alpha = colour[:, 3] if layer < _LAYERS - 1 else np.ones(len(own))
        shown[own] += (through[own] * alpha)[:, None] * colour[:, :3]
        through[own] *= 1 - alpha
        open_rays = own[through[own] > 0.02]
        if not len(open_rays):
            break
    out: F64 = (to_shown(np.clip(shown, 0, 1)) + through[:, None] * PAPER).reshape(side, side, 3)
    return out

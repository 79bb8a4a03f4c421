"""The picture that stands on the Shelf, drawn from a display copy with rays: by the one who read the model, once, so that no browser has to."""

from __future__ import annotations

import io
from typing import NamedTuple

import numpy as np

from ..geometry.rays import RayScene
from ..machine.sections import Opened
from ..surface.colour import to_shown
from ..words.arrays import F64, I64, Bool
from .soup import SUN, Paint, Soup, lit, paints_of, soup_of

#: Pixels of the picture, and rays along each side of one.
WIDTH, HEIGHT, FINE = 354, 285, 2
#: The page's paper, and the shadow on it.
_PAPER, _SHADE = np.array([0xF6, 0xF1, 0xE7]) / 255, np.array([0x46, 0x37, 0x1E]) / 255
#: Seen from the right of the front and a little from above, in radians.
_YAW, _PITCH = 0.6, 0.2
#: An outline is the surface's own shade, darker and warmer; how much nearer a surface is than what it hides, as a share of the model.
_OUTLINE, _STEP = np.array([0.5, 0.42, 0.36]), 0.012
#: Surfaces looked through one behind the other.
_LAYERS = 4


def portrait(copy: bytes, width: int = WIDTH, height: int = HEIGHT, kind: str = "WEBP") -> bytes | None:
    """A picture of the model that a display copy shows, standing near the lower edge; None where it has no triangle that can be seen.

    width, height: in pixels. kind: what an image library calls its format.
    """
    from PIL import Image as Pillow

    opened = Opened(copy)
    soup = soup_of(opened)
    if soup is None:
        return None
    rays = RayScene(soup.points, soup.corners)
    if rays.empty:
        return None
    colour = _drawn(soup, rays, paints_of(opened), width * FINE, height * FINE)
    small = colour.reshape(height, FINE, width, FINE, 3).mean(axis=(1, 3))
    out = io.BytesIO()
    Pillow.fromarray(np.rint(255 * np.clip(small, 0, 1)).astype(np.uint8)).save(out, kind, quality=88)
    return out.getvalue()


def _drawn(soup: Soup, rays: RayScene, paints: list[Paint], across: int, down: int) -> F64:
    """(down, across, 3) colours as they are shown, with FINE × FINE rays to a pixel where something ends in it, and one where nothing does."""
    view = _View.of(rays, across, down)
    wide, high = across // FINE, down // FINE
    column, row = np.meshgrid(np.arange(wide) * FINE + (FINE - 1) / 2, np.arange(high) * FINE + (FINE - 1) / 2)
    coarse = _traced(soup, rays, paints, view, column.ravel(), row.ravel())
    refined = lambda values: np.repeat(np.repeat(values, FINE, axis=0), FINE, axis=1)
    own = np.flatnonzero(refined(_uneven(coarse, high, wide)))
    again = _traced(soup, rays, paints, view, (own % across).astype(float), (own // across).astype(float))
    colour = refined(coarse.colour.reshape(high, wide, 3)).reshape(-1, 3)
    depth, part = refined(coarse.depth.reshape(high, wide)).ravel(), refined(coarse.part.reshape(high, wide)).ravel()
    colour[own], depth[own], part[own] = again
    edges = _edges(depth.reshape(down, across), part.reshape(down, across)).ravel()
    colour[edges] *= _OUTLINE
    return colour.reshape(down, across, 3)


class _Traced(NamedTuple):
    """What rays met: (n, 3) colours as they are shown, (n,) depths and parts of the first surface."""

    colour: F64
    depth: F64
    part: I64


class _View(NamedTuple):
    """From where it is seen. away: towards the viewer; right, up: of the picture; middle, low: where its middle and its foot are along them;
    scale: fine pixels a unit; width, height: in fine pixels; ground: height of the floor."""

    away: F64
    right: F64
    up: F64
    middle: float
    low: float
    scale: float
    width: int
    height: int
    ground: float

    @classmethod
    def of(cls, rays: RayScene, width: int, height: int) -> _View:
        """The view that shows all of a model."""
        away = np.array([np.sin(_YAW) * np.cos(_PITCH), np.sin(_PITCH), np.cos(_YAW) * np.cos(_PITCH)])
        right = np.cross([0.0, 1.0, 0.0], away)
        right /= np.linalg.norm(right)
        up = np.cross(away, right)
        low, high = rays.unit_box
        corners = np.array([[(low, high)[(k >> a) & 1][a] for a in range(3)] for k in range(8)])
        x, y = corners @ right, corners @ up
        scale = 0.92 * min(width / max(np.ptp(x), 1e-6), height / max(np.ptp(y), 1e-6))
        return cls(away, right, up, (x.min() + x.max()) / 2, y.min() - 0.02 * height / scale, scale, width, height, low[1])


def _traced(soup: Soup, rays: RayScene, paints: list[Paint], view: _View, column: F64, row: F64) -> _Traced:
    """What rays through places of the picture meet. column, row: (n,) float64, in fine pixels from its left upper corner."""
    across = view.middle + (column + 0.5 - view.width / 2) / view.scale
    above = view.low + (view.height - 0.5 - row) / view.scale
    origins = across[:, None] * view.right + above[:, None] * view.up + 2 * view.away
    count, away = len(origins), view.away
    shown, through = np.zeros((count, 3)), np.ones(count)
    depth, part = np.full(count, np.inf), np.full(count, -1)
    open_rays, reached = np.arange(count), np.zeros(count)
    for layer in range(_LAYERS if count else 0):
        hits = rays.first(origins[open_rays] - away * reached[open_rays, None], np.broadcast_to(-away, (len(open_rays), 3)))
        hit = hits.triangle >= 0
        own, found, distance = open_rays[hit], hits.triangle[hit], hits.distance[hit]
        reached[own] += distance + 1e-4
        points = origins[own] - away * reached[own, None]
        colour = lit(soup, rays, paints, found, points, away)
        alpha = colour[:, 3] if layer < _LAYERS - 1 else np.ones(len(own))
        shown[own] += (through[own] * alpha)[:, None] * colour[:, :3]
        first = np.isinf(depth[own]) & (alpha > 0.3)
        depth[own[first]], part[own[first]] = reached[own[first]], soup.part[found[first]]
        through[own] *= 1 - alpha
        open_rays = own[through[own] > 0.02]
        if not len(open_rays):
            break
    shown = to_shown(np.clip(shown, 0, 1))
    clear = np.flatnonzero(through > 0)
    from_edge = np.minimum(column[clear], view.width - 1 - column[clear]) / (0.12 * view.width)
    behind = _floor(rays, origins[clear], away, view.ground, np.clip(from_edge, 0, 1))
    shown[clear] += through[clear, None] * behind
    return _Traced(shown, depth, part)


#: How much two neighbouring pixels may differ and still be one surface that is lit evenly.
_EVEN = 0.04


def _uneven(traced: _Traced, height: int, width: int) -> Bool:
    """(h, w) bool: pixels in which something may end, by what their neighbours show."""
    colour = traced.colour.reshape(height, width, 3)
    depth, part = traced.depth.reshape(height, width), traced.part.reshape(height, width)
    out = np.zeros((height, width), bool)
    for axis in (0, 1):
        for by in (1, -1):
            with np.errstate(invalid="ignore"):
                far = np.abs(np.roll(depth, by, axis) - depth) > _STEP / 2
            out |= far | (np.roll(part, by, axis) != part)
            out |= np.abs(np.roll(colour, by, axis) - colour).max(axis=2) > _EVEN
    return out


def _floor(rays: RayScene, origins: F64, direction: F64, ground: float, strength: F64) -> F64:
    """(n, 3) colours of the paper behind, with the model's shadow where it lies on the floor. strength: (n,) of the shadow."""
    along = (origins[:, 1] - ground) / direction[1]
    points = origins - along[:, None] * direction
    near = np.flatnonzero(np.linalg.norm(points[:, [0, 2]], axis=1) < 1.0)
    out = np.tile(_PAPER, (len(origins), 1))
    dark = near[rays.blocked(points[near] + [0, 1e-4, 0], np.broadcast_to(SUN, (len(near), 3)))]
    out[dark] += 0.2 * strength[dark, None] * (_SHADE - _PAPER)
    return out


def _edges(depth: F64, part: I64) -> Bool:
    """(h, w) bool: pixels on the nearer side of an outline, where a part ends or hides one behind it."""
    out = np.zeros(depth.shape, bool)
    for axis in (0, 1):
        for by in (1, -1):
            other, whose = np.roll(depth, by, axis), np.roll(part, by, axis)
            with np.errstate(invalid="ignore"):
                out |= np.isfinite(depth) & ((whose != part) & (depth <= other + 1e-4) | (other - depth > _STEP))
    return out

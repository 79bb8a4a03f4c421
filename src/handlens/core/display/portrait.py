"""The picture that stands on the Shelf, drawn from a display copy with rays: by the one who read the model, once, so that no browser has to."""

from __future__ import annotations

import io

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
    """(down, across, 3) colours as they are shown."""
    w, h = across, down
    away = np.array([np.sin(_YAW) * np.cos(_PITCH), np.sin(_PITCH), np.cos(_YAW) * np.cos(_PITCH)])
    right = np.cross([0.0, 1.0, 0.0], away)
    right /= np.linalg.norm(right)
    up = np.cross(away, right)
    low, high = rays.unit_box
    corners = np.array([[(low, high)[(k >> a) & 1][a] for a in range(3)] for k in range(8)])
    x, y = corners @ right, corners @ up
    scale = 0.92 * min(w / max(np.ptp(x), 1e-6), h / max(np.ptp(y), 1e-6))
    column, row = np.meshgrid((np.arange(w) + 0.5 - w / 2) / scale, (h - 0.5 - np.arange(h)) / scale)
    at = (x.min() + x.max()) / 2 + column.reshape(-1, 1), y.min() - 0.02 * h / scale + row.reshape(-1, 1)
    origins = at[0] * right + at[1] * up + 2 * away
    shown, through = np.zeros((w * h, 3)), np.ones(w * h)
    depth, part = np.full(w * h, np.inf), np.full(w * h, -1)
    open_rays, reached = np.arange(w * h), np.zeros(w * h)
    for layer in range(_LAYERS):
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
    behind = _floor(rays, origins, away, low[1], np.clip(np.minimum(np.arange(w), w - 1 - np.arange(w)) / (0.12 * w), 0, 1))
    picture = np.where(through[:, None] > 0, shown + through[:, None] * behind, shown).reshape(h, w, 3)
    return np.where(_edges(depth.reshape(h, w), part.reshape(h, w))[:, :, None], picture * _OUTLINE, picture)


def _floor(rays: RayScene, origins: F64, direction: F64, ground: float, strength: F64) -> F64:
    """(n, 3) colours of the paper behind, with the model's shadow where it lies on the floor. strength: of the shadow, by column."""
    along = (origins[:, 1] - ground) / direction[1]
    points = origins - along[:, None] * direction
    near = np.flatnonzero(np.linalg.norm(points[:, [0, 2]], axis=1) < 1.0)
    out = np.tile(_PAPER, (len(origins), 1))
    dark = near[rays.blocked(points[near] + [0, 1e-4, 0], np.broadcast_to(SUN, (len(near), 3)))]
    out[dark] += 0.2 * strength[dark % len(strength), None] * (_SHADE - _PAPER)
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

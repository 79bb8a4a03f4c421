"""The smallest ball and the smallest box about points."""

from __future__ import annotations

from itertools import combinations
from typing import NamedTuple

import numpy as np

from ..words.arrays import F64, I64, Array

#: Directions of faces of the hull that a box is laid along, the largest faces first.
_FACES = 400


class Ball(NamedTuple):
    middle: Array
    radius: float


class Box(NamedTuple):
    """middle: (3,). axes: (3, 3) unit rows, right-handed. half: (3,) half its sides along them."""

    middle: Array
    axes: Array
    half: Array

    @property
    def volume(self) -> float:
        return float(8 * np.prod(self.half))


def smallest_ball(points: F64) -> Ball:
    """The ball of the least radius that holds points (n, d), exact but for rounding: it is held by at most d + 1 of them (Welzl 1991),
    which are found by taking in the farthest point, again and again.

    points: (n, d) float64.
    """
    held = [int(np.argmax(np.linalg.norm(points - points[0], axis=1)))]
    ball = Ball(points[held[0]], 0.0)
    for _ in range(200):
        away = np.linalg.norm(points - ball.middle, axis=1)
        far = int(away.argmax())
        if away[far] <= ball.radius * (1 + 1e-10) + 1e-300:
            return ball
        ball, held = _smallest_ball(points, [*held, far])
    return Ball(ball.middle, float(np.linalg.norm(points - ball.middle, axis=1).max()))


def _smallest_ball(points: F64, chosen: list[int]) -> tuple[Ball, list[int]]:
    """The smallest ball about a few points, and those that hold it."""
    best: tuple[Ball, list[int]] | None = None
    few = points[chosen]
    for count in range(1, points.shape[1] + 2):
        for subset in combinations(range(len(chosen)), count):
            ball = _circumscribed_ball(few[list(subset)])
            if ball is None or (best is not None and ball.radius >= best[0].radius):
                continue
            if (np.linalg.norm(few - ball.middle, axis=1) <= ball.radius * (1 + 1e-9) + 1e-300).all():
                best = ball, [chosen[k] for k in subset]
    assert best is not None
    return best


def _circumscribed_ball(points: F64) -> Ball | None:
    """The smallest ball with points on its surface; None where they do not span one."""
    base = points[0]
    rows = points[1:] - base
    if not len(rows):
        return Ball(base, 0.0)
    gram = rows @ rows.T
    try:
        share = np.linalg.solve(2 * gram, np.diag(gram))
    except np.linalg.LinAlgError:
        return None
    middle = share @ rows
    return Ball(base + middle, float(np.linalg.norm(middle)))


def upright_box(points: F64) -> Box:
    """The box along the axes.

    points: (n, 3) float64.
    """
    low, high = points.min(axis=0), points.max(axis=0)
    return Box((low + high) / 2, np.eye(3), (high - low) / 2)


def smallest_box(points: F64, hull: I64) -> Box:
    """The box of the least volume that has a side along a face of the hull, turned about it to lie along an edge of the outline
    (O'Rourke 1985 shows that the smallest lies along two edges; along a face it is at most a little larger).

    points: (n, 3) of the hull; hull: (f, 3) its triangles.
    """
    point = points[hull]
    area = np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0])
    size = np.linalg.norm(area, axis=1)
    normals = (
        np.unique(np.round(_towards_one_side(area[size > 0] / size[size > 0][:, None]), 6), axis=0) if size.any() else np.eye(3)
    )
    best = upright_box(points)
    for n in normals[:_FACES]:
        box = _about(points, n / np.linalg.norm(n))
        if box.volume < best.volume * (1 - 1e-9):
            best = box
    return best


def _towards_one_side(normals: F64) -> F64:
    """Directions turned so that the first of their figures that is not 0 is above it: both ways along a line are one."""
    first = (np.abs(normals) > 1e-9).argmax(axis=1)
    sign = np.sign(normals[np.arange(len(normals)), first])
    out: Array = normals * np.where(sign == 0, 1.0, sign)[:, None]
    return out


def _about(points: F64, n: F64) -> Box:
    """The smallest box with a side square to a direction: the outline's edges one by one."""
    from scipy.spatial import ConvexHull, QhullError

    u = np.cross(n, np.eye(3)[int(np.abs(n).argmin())])
    u /= np.linalg.norm(u)
    v = np.cross(n, u)
    flat, height = np.stack([points @ u, points @ v], axis=1), points @ n
    try:
        outline = flat[ConvexHull(flat).vertices]
    except (QhullError, ValueError):
        outline = flat
    edge = np.roll(outline, -1, axis=0) - outline
    angle = np.unique(np.round(np.arctan2(edge[:, 1], edge[:, 0]) % (np.pi / 2), 9))
    cosine, sine = np.cos(angle), np.sin(angle)
    x = outline[:, 0] * cosine[:, None] + outline[:, 1] * sine[:, None]
    y = -outline[:, 0] * sine[:, None] + outline[:, 1] * cosine[:, None]
    sides = np.stack([np.ptp(x, axis=1), np.ptp(y, axis=1)], axis=1)
    k = int(np.prod(sides, axis=1).argmin())
    along, across = cosine[k] * u + sine[k] * v, -sine[k] * u + cosine[k] * v
    axes = np.stack([along, across, n])
    low, high = np.array([x[k].min(), y[k].min(), height.min()]), np.array([x[k].max(), y[k].max(), height.max()])
    return Box((low + high) / 2 @ axes, axes, (high - low) / 2)

"""Simple closed shapes that stand in for a part where things collide, and how well they fit."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from ..geometry.distinct import used_indices
from ..geometry.rays import RayScene, sphere_directions
from ..machine.extras import need
from ..words.arrays import F64, I64, Array
from .collapse import Reducer
from .enclosing import Box, smallest_ball, smallest_box, upright_box
from .price import Surface, distances

#: Shapes from the cheapest on; the last two are no one shape.
SHAPES = ("box", "turned box", "sphere", "capsule", "hull", "hulls", "mesh")
#: How shapes read.
WORDS = {
    "box": "an upright box",
    "turned box": "a turned box",
    "sphere": "a sphere",
    "capsule": "a capsule",
    "hull": "a convex hull",
    "hulls": "several convex hulls",
    "mesh": "a reduced mesh",
}
#: Points of a hull, at most; hulls of several; triangles of a reduced mesh.
HULL_POINTS, HULLS, MESH = 64, 8, 300
#: Sides of a round shape's rings.
_ROUND = 12
#: How many heights are compared each way across a part seen from above.
_GRID = 64
#: How hollow one of several hulls may be, as the library measures it, and how thoroughly it looks for cuts: a fifth of what it does by
#: itself, which takes minutes where this takes seconds and finds cuts that are hardly worse.
_HOLLOW = 0.08
_QUICK = {"mcts_iterations": 20, "mcts_max_depth": 1, "mcts_nodes": 8, "resolution": 500, "preprocess_resolution": 30}


class Shape(NamedTuple):
    """pieces: each a closed convex surface as points (n, 3) and triangles (m, 3) wound outward, but for the one of a mesh."""

    kind: str
    pieces: tuple[tuple[Array, Array], ...]

    @property
    def triangles(self) -> int:
        return sum(len(t) for _, t in self.pieces)

    @property
    def merged(self) -> tuple[Array, Array]:
        """All pieces as one list of points and triangles."""
        start = np.cumsum([0, *(len(p) for p, _ in self.pieces)])
        return (
            np.concatenate([p for p, _ in self.pieces]),
            np.concatenate([t + s for (_, t), s in zip(self.pieces, start, strict=False)]),
        )


class Fit(NamedTuple):
    """How a shape fits a part, in the unit of its points. volume: of the shape over that of the part. gap: how far they lie apart, at
    most. float_by, sink_by: how far above the part's top, or below it, something stands that is set on the shape, at most."""

    volume: float
    gap: float
    float_by: float
    sink_by: float


def hull_of(points: F64) -> tuple[F64, I64] | None:
    """The convex hull, points (n, 3) and triangles wound outward; None of points that lie in one plane.

    points: (n, 3) float64.
    """
    from scipy.spatial import ConvexHull, QhullError

    try:
        found = ConvexHull(points)
    except (QhullError, ValueError):
        return None
    number = np.full(len(points), -1)
    number[found.vertices] = np.arange(len(found.vertices))
    return _outward(points[found.vertices], number[found.simplices])


def _outward(points: F64, triangles: I64) -> tuple[F64, I64]:
    """A convex surface wound outward."""
    point = points[triangles]
    normal = np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0])
    inward = np.einsum("ij,ij->i", normal, point[:, 0] - points.mean(axis=0)) < 0
    triangles = triangles.copy()
    triangles[inward] = triangles[inward][:, ::-1]
    return points, triangles


def shape_of(kind: str, positions: F64, triangles: I64, up: int, reducer: Callable[[], Reducer]) -> Shape | None:
    """A shape about a part; None where the part is flat and the shape would be nothing.

    positions: (V, 3), triangles: (T, 3). up: the upright axis, 0, 1 or 2. reducer: of the part's mesh in the same frame.
    """
    points = positions[used_indices(triangles, len(positions))]
    if kind == "mesh":
        work = reducer()
        made = work.reduced(work.sound(work.triangles(MESH)))
        return Shape(kind, ((made.mesh.positions, made.mesh.corners.reshape(-1, 3).astype(np.int64)),))
    hull = hull_of(points)
    if hull is None:
        return None
    if kind == "hulls":
        return Shape(kind, tuple(_several(positions, triangles, hull)))
    make: dict[str, Callable[[], tuple[Array, Array]]] = {
        "box": lambda: _box(upright_box(hull[0])),
        "turned box": lambda: _box(smallest_box(*hull)),
        "sphere": lambda: _sphere(hull[0]),
        "capsule": lambda: _capsule(hull),
        "hull": lambda: _fewer(hull),
    }
    return Shape(kind, (make[kind](),))


def _box(box: Box) -> tuple[F64, I64]:
    corner = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
    points = box.middle + (corner * box.half) @ box.axes
    made = hull_of(points)
    return made if made is not None else (points, np.zeros((0, 3), np.int64))


def _sphere(points: F64) -> tuple[F64, I64]:
    """A sphere of 80 faces whose points lie on the smallest ball."""
    ball = smallest_ball(points)
    unit = _icosphere()
    return _outward(ball.middle + ball.radius * unit[0], unit[1])


def _icosphere() -> tuple[F64, I64]:
    golden = (1 + np.sqrt(5)) / 2
    twelve = [np.roll([0.0, a, b * golden], k) for k in range(3) for a in (-1, 1) for b in (-1, 1)]
    made = hull_of(np.array(twelve) / np.linalg.norm(twelve[0]))
    assert made is not None
    points, triangles = made
    pairs = np.unique(np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1), axis=0)
    middle = points[pairs].mean(axis=1)
    finer = hull_of(np.concatenate([points, middle / np.linalg.norm(middle, axis=1, keepdims=True)]))
    assert finer is not None
    return finer


def _capsule(hull: tuple[F64, I64]) -> tuple[F64, I64]:
    """The smallest capsule along one of the axes of the smallest box: about the smallest circle of what is seen along it."""
    box = smallest_box(*hull)
    best: tuple[float, Array, Array, float] | None = None
    for k in range(3):
        axis = box.axes[k]
        u, v = box.axes[(k + 1) % 3], box.axes[(k + 2) % 3]
        flat = np.stack([hull[0] @ u, hull[0] @ v], axis=1)
        ring = smallest_ball(flat)
        reach = np.sqrt(np.maximum(ring.radius**2 - ((flat - ring.middle) ** 2).sum(axis=1), 0))
        along = hull[0] @ axis
        # Each point asks that the middle of a cap lies no farther in than it is covered from.
        top, bottom = float((along - reach).max()), float((along + reach).min())
        if top < bottom:
            top = bottom = (top + bottom) / 2
        volume = np.pi * ring.radius**2 * (top - bottom) + 4 / 3 * np.pi * ring.radius**3
        if best is None or volume < best[0]:
            middle = ring.middle[0] * u + ring.middle[1] * v
            best = volume, middle + bottom * axis, middle + top * axis, ring.radius
    assert best is not None
    return _capsule_mesh(*best[1:])


def _capsule_mesh(bottom: F64, top: F64, radius: float) -> tuple[F64, I64]:
    axis = top - bottom
    length = float(np.linalg.norm(axis))
    axis = axis / length if length > 0 else np.array([0.0, 1.0, 0.0])
    u = np.cross(axis, np.eye(3)[int(np.abs(axis).argmin())])
    u /= np.linalg.norm(u)
    v = np.cross(axis, u)
    turn = 2 * np.pi * np.arange(_ROUND) / _ROUND
    ring = np.cos(turn)[:, None] * u + np.sin(turn)[:, None] * v
    tilt = np.pi / 2 * np.arange(4) / 4
    points = [
        middle + radius * (np.cos(t) * ring + sign * np.sin(t) * axis) for middle, sign in ((bottom, -1), (top, 1)) for t in tilt
    ]
    points += [(bottom - radius * axis)[None], (top + radius * axis)[None]]
    made = hull_of(np.concatenate(points))
    assert made is not None
    return made


def _fewer(hull: tuple[F64, I64]) -> tuple[F64, I64]:
    """A hull of at most `HULL_POINTS` points: those that lie farthest out in as many directions."""
    if len(hull[0]) <= HULL_POINTS:
        return hull
    chosen = np.unique((hull[0] @ sphere_directions(HULL_POINTS).T).argmax(axis=0))
    made = hull_of(hull[0][chosen])
    return made if made is not None else hull


def _several(positions: F64, triangles: I64, hull: tuple[F64, I64]) -> list[tuple[Array, Array]]:
    """A part taken apart into convex pieces by cuts that leave the least hollow in each (Wei et al. 2022), a hull of few points each."""
    need("coacd", "shapes", "A stand-in of several convex pieces")
    import coacd

    coacd.set_log_level("off")
    used, local = np.unique(triangles, return_inverse=True)
    mesh = coacd.Mesh(np.ascontiguousarray(positions[used], np.float64), np.ascontiguousarray(local.reshape(-1, 3), np.int32))
    found = coacd.run_coacd(mesh, threshold=_HOLLOW, max_convex_hull=HULLS, seed=1, **_QUICK)
    made = [_fewer(solid) for points, _ in found if (solid := hull_of(np.asarray(points, np.float64))) is not None]
    return made or [hull]


def volume_of(positions: F64, triangles: I64) -> float:
    """The volume within a closed surface wound outward (divergence theorem).

    positions: (V, 3) float64.
    triangles: (n, 3) int.
    """
    corners = positions[triangles] - positions[triangles[0, 0]]
    return float(np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6)


def fit_of(shape: Shape, positions: F64, triangles: I64, volume: float, up: int) -> Fit:
    """Measure how a shape fits a part. volume: the part's own, or that of its hull where it is not closed. up: the upright axis.

    positions: (V, 3) float64, of the part.
    triangles: (n, 3) int.
    """
    points, faces = shape.merged
    inside = sum(abs(volume_of(p, t)) for p, t in shape.pieces)
    gap = distances(Surface(positions, triangles), Surface(points, faces), 20_000, 20_000)[0]
    above, below = _heights(positions, triangles, points, faces, up)
    return Fit(inside / volume if volume > 0 else np.inf, gap, above, below)


def _heights(positions: F64, triangles: I64, points: F64, faces: I64, up: int) -> tuple[float, float]:
    """How far the top of a shape lies above the top of a part, and below it, at most, seen straight from above where both are."""
    both = np.concatenate([positions, points])
    low, high = both.min(axis=0), both.max(axis=0)
    across = [k for k in range(3) if k != up]
    step = (np.arange(_GRID) + 0.5) / _GRID
    grid = np.zeros((_GRID * _GRID, 3))
    x, y = np.meshgrid(*(low[k] + step * (high[k] - low[k]) for k in across), indexing="ij")
    grid[:, across[0]], grid[:, across[1]] = x.reshape(-1), y.reshape(-1)
    size = float(np.linalg.norm(high - low)) or 1.0
    grid[:, up] = high[up] + 0.05 * size
    down = np.zeros_like(grid)
    down[:, up] = -1.0
    tops = []
    for places, corners in ((positions, triangles), (points, faces)):
        scene = RayScene(np.concatenate([places, both]), corners)
        hit = scene.first(scene.to_unit(grid), down)
        tops.append(np.where(hit.triangle >= 0, grid[:, up] - hit.distance * scene.size, np.nan))
    off = tops[1] - tops[0]
    off = off[np.isfinite(off)]
    return (float(max(off.max(), 0.0)), float(max(-off.min(), 0.0))) if len(off) else (0.0, 0.0)


def stands(shape: Shape, up: int) -> bool:
    """Whether a shape stays upright when it is let go: the middle of its mass lies above the footprint that it stands on."""
    points, _ = shape.merged
    mass, middle = 0.0, np.zeros(3)
    for places, corners in shape.pieces:
        corner = places[corners]
        six = np.einsum("ij,ij->i", corner[:, 0], np.cross(corner[:, 1], corner[:, 2]))
        middle = middle + (six[:, None] * corner.sum(axis=1) / 4).sum(axis=0)
        mass += float(six.sum())
    if not mass:
        return False
    middle = middle / mass
    height = points[:, up]
    foot = points[height <= height.min() + 0.01 * float(np.ptp(height))]
    across = [k for k in range(3) if k != up]
    outline = hull_of_flat(foot[:, across])
    if outline is None:
        return False
    edge = np.roll(outline, -1, axis=0) - outline
    to = middle[across] - outline
    return bool((edge[:, 0] * to[:, 1] - edge[:, 1] * to[:, 0] >= 0).all())


def hull_of_flat(points: F64) -> F64 | None:
    """The outline of points (n, 2), against the clock; None where they lie on one line.

    points: (n, 2) float64.
    """
    from scipy.spatial import ConvexHull, QhullError

    try:
        found: Array = points[ConvexHull(points).vertices]
    except (QhullError, ValueError):
        return None
    return found

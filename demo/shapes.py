"""Small solids for the demo models: each a pair of points (V, 3) and polygons (lists of point numbers), wound outwards."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

Solid = tuple[np.ndarray, list[list[int]]]


def box(size: Sequence[float], at: Sequence[float] = (0, 0, 0), turn: float = 0.0, lean: float = 0.0) -> Solid:
    """A box about `at`, leaned about Z and turned about Y (radians)."""
    s = np.array(size) / 2
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)]) * s
    faces = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    return corners @ _about_z(lean).T @ _about_y(turn).T + np.array(at), faces


def tube(path: Sequence[Sequence[float]], radius: float | Sequence[float], sides: int = 8, closed: bool = False) -> Solid:
    """A round tube along a path; with ends capped unless the path is closed."""
    p = np.array(path, float)
    n = len(p)
    radii = np.broadcast_to(np.array(radius, float), (n,))
    ahead = np.roll(p, -1, axis=0) - np.roll(p, 1, axis=0) if closed else np.gradient(p, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    side = np.cross(ahead[0], [0.13, 1.0, 0.07] if abs(ahead[0][1]) < 0.9 else [1.0, 0.1, 0.2])
    rings = []
    for k in range(n):
        side = side - ahead[k] * (side @ ahead[k])
        side /= np.linalg.norm(side)
        other = np.cross(ahead[k], side)
        angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
        rings.append(p[k] + radii[k] * (np.cos(angles)[:, None] * side + np.sin(angles)[:, None] * other))
    points = np.concatenate(rings)
    faces = []
    for k in range(n if closed else n - 1):
        a, b = k * sides, (k + 1) % n * sides
        faces += [[a + i, a + (i + 1) % sides, b + (i + 1) % sides, b + i] for i in range(sides)]
    if not closed:
        faces += [list(range(sides))[::-1], list(range((n - 1) * sides, n * sides))]
    return points, faces


def lathe(profile: Sequence[Sequence[float]], sides: int = 24, at: Sequence[float] = (0, 0, 0)) -> Solid:
    """A profile of (radius, height) from bottom to top, turned about Y; radius 0 at either end closes it in a point."""
    points: list[list[float]] = []
    rings: list[list[int]] = []
    for r, y in profile:
        if r == 0:
            rings.append([len(points)])
            points.append([0, y, 0])
        else:
            rings.append(list(range(len(points), len(points) + sides)))
            points += [[r * np.cos(a), y, -r * np.sin(a)] for a in np.linspace(0, 2 * np.pi, sides, endpoint=False)]
    faces = []
    for low, high in itertools.pairwise(rings):
        for i in range(sides):
            j = (i + 1) % sides
            if len(low) == 1:
                faces.append([low[0], high[j], high[i]])
            elif len(high) == 1:
                faces.append([low[i], low[j], high[0]])
            else:
                faces.append([low[i], low[j], high[j], high[i]])
    if len(rings[0]) > 1:
        faces.append(rings[0][::-1])
    if len(rings[-1]) > 1:
        faces.append(rings[-1])
    return np.array(points) + np.array(at), faces


def ring(radius: float, thickness: float, at: Sequence[float], segments: int = 20, sides: int = 8, upright: bool = True) -> Solid:
    """A torus about Z (upright) or Y."""
    angles = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    c, s, o = np.cos(angles) * radius, np.sin(angles) * radius, np.zeros(segments)
    path = np.stack([c, s, o] if upright else [c, o, s], axis=1) + np.array(at)
    return tube(path, thickness, sides, closed=True)


def join(*solids: Solid) -> Solid:
    """Several solids as one mesh, unconnected."""
    points, faces, offset = [], [], 0
    for p, f in solids:
        points.append(p)
        faces += [[i + offset for i in face] for face in f]
        offset += len(p)
    return np.concatenate(points), faces


def ellipsoid(radii: Sequence[float], at: Sequence[float], rows: int = 10, sides: int = 16, lean: float = 0.0) -> Solid:
    """An egg about `at`, leaned about Z (radians)."""
    t = np.linspace(-np.pi / 2, np.pi / 2, rows + 1)
    points, faces = lathe([(max(0.0, np.cos(a)) if 0 < k < rows else 0, np.sin(a)) for k, a in enumerate(t)], sides)
    return points * np.array(radii) @ _about_z(lean).T + np.array(at), faces


def moved(solid: Solid, by: Sequence[float]) -> Solid:
    return solid[0] + np.array(by), solid[1]


def turned_over(solid: Solid, which: Sequence[int]) -> Solid:
    """Some faces wound the other way round."""
    chosen = set(which)
    return solid[0], [f[::-1] if k in chosen else f for k, f in enumerate(solid[1])]


def _about_y(a: float) -> np.ndarray:
    return np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])


def _about_z(a: float) -> np.ndarray:
    return np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])

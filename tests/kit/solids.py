"""Solids whose figures are known in closed form."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from handlens.core.scene import Mesh
from kit.scenes import mesh


def icosphere(steps: int) -> Mesh:
    """A unit sphere of 20 · 4^steps triangles, wound outwards."""
    g = (1 + 5**0.5) / 2
    points = [
        [-1, g, 0],
        [1, g, 0],
        [-1, -g, 0],
        [1, -g, 0],
        [0, -1, g],
        [0, 1, g],
        [0, -1, -g],
        [0, 1, -g],
        [g, 0, -1],
        [g, 0, 1],
        [-g, 0, -1],
        [-g, 0, 1],
    ]
    faces = [
        [0, 11, 5],
        [0, 5, 1],
        [0, 1, 7],
        [0, 7, 10],
        [0, 10, 11],
        [1, 5, 9],
        [5, 11, 4],
        [11, 10, 2],
        [10, 7, 6],
        [7, 1, 8],
        [3, 9, 4],
        [3, 4, 2],
        [3, 2, 6],
        [3, 6, 8],
        [3, 8, 9],
        [4, 9, 5],
        [2, 4, 11],
        [6, 2, 10],
        [8, 6, 7],
        [9, 8, 1],
    ]
    p = [list(map(float, x)) for x in points]
    for _ in range(steps):
        middles: dict[tuple[int, int], int] = {}

        def middle(a: int, b: int, middles=middles) -> int:
            key = (min(a, b), max(a, b))
            if key not in middles:
                middles[key] = len(p)
                p.append([(x + y) / 2 for x, y in zip(p[a], p[b], strict=True)])
            return middles[key]

        cut = []
        for a, b, c in faces:
            ab, bc, ca = middle(a, b), middle(b, c), middle(c, a)
            cut += [[a, ab, ca], [b, bc, ab], [c, ca, bc], [ab, bc, ca]]
        faces = cut
    points = np.array(p)
    return mesh(points / np.linalg.norm(points, axis=1, keepdims=True), faces, "float")


def torus(around: int, across: int, radius: float = 2.0, thick: float = 0.7) -> Mesh:
    """A torus of quads, wound outwards."""
    u, v = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = 2 * np.pi * u / around, 2 * np.pi * v / across
    r = radius + thick * np.cos(b)
    points = np.stack([r * np.cos(a), thick * np.sin(b), -r * np.sin(a)], axis=-1).reshape(-1, 3)
    at = lambda i, j: (i % around) * across + j % across
    faces = [[at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)] for i in range(around) for j in range(across)]
    return mesh(points, faces, "lifebelt")


def unjoined(made: Mesh) -> Mesh:
    """The same surface with a point of its own at every corner."""
    corners = np.arange(len(made.corners), dtype=np.int32)
    return replace(made, positions=made.positions[made.corners], corners=corners)

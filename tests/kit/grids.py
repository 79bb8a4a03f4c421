"""Flat grids of faces."""

from __future__ import annotations

import numpy as np

from kit.scenes import mesh


def grid(triangles, name="net"):
    """A flat sheet of exactly that many triangles."""
    n = triangles // 2
    points = np.array([[x, y, 0] for x in range(n + 1) for y in (0, 1)], float) * 0.01
    faces = []
    for k in range(n):
        faces += [[2 * k, 2 * k + 2, 2 * k + 1], [2 * k + 1, 2 * k + 2, 2 * k + 3]]
    return mesh(points, faces, name)

"""Texture transforms between formats whose v runs upwards and those whose v runs downwards."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np


def turned_over(transform: Mapping[str, Any]) -> dict[str, Any]:
    """The same transform of an image where v is 1 - v, before and after; turning over twice gives the first again.

    uv' = R S uv + t as in KHR_texture_transform ("offset", "rotation" in radians, "scale"). With D = diag(1, -1) and d = (0, 1)
    turning over is D uv + d, so the linear part becomes D R S D and the offset D (R S d + t) + d.
    """
    angle = float(transform.get("rotation", 0.0))
    scale = np.array(transform.get("scale", (1.0, 1.0)), np.float64)
    offset = np.array(transform.get("offset", (0.0, 0.0)), np.float64)
    c, s = np.cos(angle), np.sin(angle)
    linear = np.array([[c, -s], [s, c]]) * scale
    d, flip = np.array([0.0, 1.0]), np.array([1.0, -1.0])
    return {"rotation": -angle, "scale": scale.tolist(), "offset": (flip * (linear @ d + offset) + d).tolist()}

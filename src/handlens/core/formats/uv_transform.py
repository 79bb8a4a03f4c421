"""Texture transforms between formats whose v runs upwards and those whose v runs downwards."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from ..scene.model import Array


def turned_over(transform: Mapping[str, Any]) -> dict[str, Any]:
    """The same transform of an image where v is 1 - v, before and after; turning over twice gives the first again.

    uv' = R S uv + t as in KHR_texture_transform ("offset", "rotation" in radians, "scale"). With D = diag(1, -1) and d = (0, 1)
    turning over is D uv + d, so the linear part becomes D R S D and the offset D (R S d + t) + d.
    """
    linear, offset = _parts(transform)
    d, flip = np.array([0.0, 1.0]), np.array([1.0, -1.0])
    return {
        "rotation": -float(transform.get("rotation", 0.0)),
        "scale": [float(x) for x in transform.get("scale", (1.0, 1.0))],
        "offset": (flip * (linear @ d + offset) + d).tolist(),
    }


def placed(uv: Array, transform: Mapping[str, Any] | None) -> Array:
    """UVs (..., 2) where a texture transform puts them (KHR_texture_transform: scaled, turned, then shifted)."""
    if not transform:
        return uv
    linear, offset = _parts(transform)
    out: Array = uv @ linear.T + offset
    return out


def enlarges(transform: Mapping[str, Any] | None) -> float:
    """By how much a texture transform enlarges areas in the UVs."""
    return float(abs(np.linalg.det(_parts(transform)[0]))) if transform else 1.0


def _parts(transform: Mapping[str, Any]) -> tuple[Array, Array]:
    """(2, 2) turn and scale, and (2,) shift."""
    angle = float(transform.get("rotation", 0.0))
    c, s = np.cos(angle), np.sin(angle)
    scale = np.array(transform.get("scale", (1.0, 1.0)), np.float64)
    return np.array([[c, -s], [s, c]]) * scale, np.array(transform.get("offset", (0.0, 0.0)), np.float64)

"""Texture transforms: what they do to UVs, and how they read between formats whose v runs upwards and downwards.

A transform is a mapping with "offset", "rotation" in radians and "scale", as KHR_texture_transform has them, whatever the format.
It scales UVs, turns them counter-clockwise as the picture is looked at, and shifts them. Where v runs downwards (glTF) the same
turn is another matrix than where it runs upwards (UsdTransform2d of the UsdPreviewSurface specification, in degrees there), which
is why every function is told which way v runs.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from ..words.arrays import F64, Array
from ..words.json_tree import Json


def turned_over(transform: Mapping[str, Any], v_down: bool) -> Json:
    """The same transform of an image where v is 1 - v, before and after; turning over twice gives the first again.

    v_down: whether v runs downwards where the transform is from. With uv' = L uv + t, D = diag(1, -1) and d = (0, 1) turning over
    is D uv + d, so the linear part becomes D L D, which is the same turn and scale there, and the shift D (L d + t) + d.
    """
    linear, offset = _parts(transform, v_down)
    base, flip = np.array([0.0, 1.0]), np.array([1.0, -1.0])
    return {
        "rotation": float(transform.get("rotation", 0.0)),
        "scale": [float(x) for x in transform.get("scale", (1.0, 1.0))],
        "offset": (flip * (linear @ base + offset) + base).tolist(),
    }


def placed(uv: F64, transform: Mapping[str, Any] | None, v_down: bool) -> F64:
    """UVs (..., 2) where a texture transform puts them.

    uv: (..., 2) float.
    """
    if not transform:
        return uv
    linear, offset = _parts(transform, v_down)
    out: Array = uv @ linear.T + offset
    return out


def matrix(transform: Mapping[str, Any], v_down: bool) -> F64:
    """(2, 3) float64: what a texture transform does to a column (u, v, 1)."""
    linear, offset = _parts(transform, v_down)
    return np.column_stack([linear, offset])


def enlarges(transform: Mapping[str, Any] | None) -> float:
    """By how much a texture transform enlarges areas in the UVs."""
    return float(abs(np.linalg.det(_parts(transform, True)[0]))) if transform else 1.0


def _parts(transform: Mapping[str, Any], v_down: bool) -> tuple[F64, F64]:
    """(2, 2) turn and scale, and (2,) shift."""
    angle = float(transform.get("rotation", 0.0))
    cosine, sine = np.cos(angle), np.sin(angle) * (1 if v_down else -1)
    scale = np.array(transform.get("scale", (1.0, 1.0)), np.float64)
    return np.array([[cosine, sine], [-sine, cosine]]) * scale, np.array(transform.get("offset", (0.0, 0.0)), np.float64)

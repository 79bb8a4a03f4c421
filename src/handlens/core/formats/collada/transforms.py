"""Transform elements of a COLLADA node as matrices (1.4.1, chapter 5, `node`)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ...words.arrays import F64, Array


def product(transforms: list[tuple[str, str, Array]]) -> F64:
    """(4, 4) the product of transform elements, each after the one before it (chapter 5, `node`).

    transforms: tag, sid and values (float64) of each element, in order.
    """
    out = np.eye(4)
    for _, kind, values in transforms:
        with np.errstate(all="ignore"):
            out = out @ _MATRIX[kind](values)
    return out


def _translate(values: Array) -> Array:
    out = np.eye(4)
    out[:3, 3] = values
    return out


def _rotate(values: Array) -> Array:
    """An axis and an angle in degrees, counter-clockwise."""
    length = float(np.linalg.norm(values[:3]))
    out = np.eye(4)
    if length:
        x, y, z = values[:3] / length
        cosine, sine = float(np.cos(np.radians(values[3]))), float(np.sin(np.radians(values[3])))
        k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
        out[:3, :3] = np.eye(3) + sine * k + (1 - cosine) * (k @ k)
    return out


def _lookat(values: Array) -> Array:
    """Eye, point of interest and up vector: the place and orientation of what looks along -Z."""
    eye, interest, up = values[:3], values[3:6], values[6:]
    back = eye - interest
    back = back / (np.linalg.norm(back) or 1)
    right = np.cross(up, back)
    right = right / (np.linalg.norm(right) or 1)
    out = np.eye(4)
    out[:3, :3] = np.stack([right, np.cross(back, right), back], axis=1)
    out[:3, 3] = eye
    return out


def _skew(values: Array) -> Array:
    """An angle in degrees, the axis turned about, and the axis along which things slide."""
    angle, a, b = float(np.radians(values[0])), values[1:4], values[4:7]
    b = b / (np.linalg.norm(b) or 1)
    a = a - b * (a @ b)
    a = a / (np.linalg.norm(a) or 1)
    out = np.eye(4)
    out[:3, :3] += np.tan(angle) * np.outer(b, a)
    return out


_MATRIX: dict[str, Callable[[Array], Array]] = {
    "matrix": lambda v: v.reshape(4, 4),
    "translate": _translate,
    "rotate": _rotate,
    "scale": lambda v: np.diag([*v, 1.0]),
    "lookat": _lookat,
    "skew": _skew,
}

"""Areas of triangles in a UV set, in passes that stay in the cache."""

from __future__ import annotations

import numpy as np

from ..scene import Layer, Mesh
from ..scene.model import Array
from .triangles import fan

_BLOCK = 16_384


class UvAreas:
    """The areas of every UV set that has been asked for, so that each is summed once."""

    def __init__(self) -> None:
        self._of: dict[tuple[int, int], tuple[Mesh, Array]] = {}

    def twice(self, mesh: Mesh, uv_set: int) -> Array:
        """(T,) as `doubled_area` of the mesh's fanned triangles."""
        key = id(mesh), uv_set
        if key not in self._of:
            self._of[key] = mesh, doubled_area(mesh.uvs[uv_set], fan(mesh)[0])
        return self._of[key][1]


def doubled_area(layer: Layer, corners: Array) -> Array:
    """(T,) float64 twice the signed area of triangles in a UV set, NaN where a corner has no UV.

    corners: (T, 3) corners of the mesh.
    """
    out = np.empty(len(corners))
    if not len(layer.values):
        out.fill(np.nan)
        return out
    # Pairs as complex numbers: one look-up takes both.
    pairs = np.ascontiguousarray(layer.values, np.float64).view(np.complex128)[:, 0]
    lacks = bool((layer.index < 0).any())
    for at in range(0, len(corners), _BLOCK):
        index = layer.index[corners[at : at + _BLOCK]]
        p = pairs[index]
        a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        found = a.real * b.imag - a.imag * b.real
        if lacks:
            found[(index < 0).any(axis=1)] = np.nan
        out[at : at + _BLOCK] = found
    return out

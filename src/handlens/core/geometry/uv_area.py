"""Areas of triangles in a UV set, in passes that stay in the cache."""

from __future__ import annotations

import numpy as np

from ..scene import Layer, Mesh
from ..words.arrays import F64, I64, Array
from .triangles import fan

_BLOCK = 16_384


class UvAreas:
    """The areas of every UV set that has been asked for, so that each is summed once."""

    def __init__(self) -> None:
        #: By the mesh's own identity; it is held too, so that no other can come to have that.
        self._of: dict[int, tuple[Mesh, dict[int, Array]]] = {}

    def of(self, mesh: Mesh) -> dict[int, Array]:
        """The areas of a mesh that were asked for, by UV set."""
        return self._of.setdefault(id(mesh), (mesh, {}))[1]

    def twice(self, mesh: Mesh, uv_set: int) -> F64:
        """(T,) as `doubled_area` of the mesh's fanned triangles."""
        areas = self.of(mesh)
        if uv_set not in areas:
            areas[uv_set] = doubled_area(mesh.uvs[uv_set], fan(mesh)[0])
        return areas[uv_set]


def doubled_area(layer: Layer, corners: I64) -> F64:
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
        pair = pairs[index]
        a, b = pair[:, 1] - pair[:, 0], pair[:, 2] - pair[:, 0]
        found = a.real * b.imag - a.imag * b.real
        if lacks:
            found[(index < 0).any(axis=1)] = np.nan
        out[at : at + _BLOCK] = found
    return out

"""Surfaces laid flat in UVs by the library xatlas: cut where they bend, flattened, packed."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F32, I64, Array
from .distinct import distinct_rows
from .topology import surface
from .triangles import triangulate


def unwrapped(mesh: Mesh, layer: Layer | None, padding: int, pixels: int) -> Layer | None:
    """UVs in which the surface lies flat in pieces that do not overlap, packed into one tile; None where nothing has an area.

    layer: UVs whose pieces are placed anew as they are. padding: pixels between pieces, of a picture of `pixels` a side.
    """
    import xatlas

    corners, _ = triangulate(mesh)
    top = surface(mesh)
    # The library wants one vertex a place, and for repacking one a place and UV.
    if layer is None:
        ids, points, uv = top.ids[mesh.corners], None, None
    else:
        at = layer.at_corners().astype(np.float64)
        if not np.isfinite(at).all():
            return None
        ids = distinct_rows([top.ids[mesh.corners], at[:, 0], at[:, 1]])[0]
    count = int(ids.max()) + 1
    points = np.zeros((count, 3), np.float32)
    points[ids] = mesh.positions[mesh.corners]
    # In a frame where the part has size 1, so that 32-bit floats are fine enough.
    points = (points - points.min(axis=0)) / (float(np.ptp(points, axis=0).max()) or 1.0)
    if layer is not None:
        uv = np.zeros((count, 2), np.float32)
        uv[ids] = at
    triangles = ids[corners].astype(np.uint32)
    thin = (triangles[:, 0] == triangles[:, 1]) | (triangles[:, 1] == triangles[:, 2]) | (triangles[:, 0] == triangles[:, 2])
    if thin.all():
        return None
    atlas = xatlas.Atlas()
    atlas.add_mesh(points, triangles, None, uv)
    chart, pack = xatlas.ChartOptions(), xatlas.PackOptions()
    chart.use_input_mesh_uvs = layer is not None
    pack.padding, pack.resolution, pack.bilinear, pack.rotate_charts = padding, pixels, True, True
    atlas.generate(chart_options=chart, pack_options=pack)
    if not atlas.atlas_count:
        return None
    _, laid, made = atlas[0]
    return _at_corners(mesh, corners, np.asarray(laid), np.asarray(made, np.float32))


def _at_corners(mesh: Mesh, corners: I64, vertices: Array, uvs: F32) -> Layer:
    """The library's UVs of triangles put back on the polygons' corners; the corner of a polygon takes its first triangle's."""
    index = np.full(len(mesh.corners), -1, np.int32)
    # Backwards, so that the first triangle that has a corner is the last to write it.
    index[corners[::-1].reshape(-1)] = vertices[::-1].reshape(-1)
    used, number = np.unique(index, return_inverse=True)
    values: Any = uvs[used[used >= 0]]
    number = number.reshape(-1) - int(used[0] < 0)
    return Layer(frozen(values), frozen(number.astype(np.int32)))

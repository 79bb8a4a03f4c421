"""Corners to vertices: formats with one index for everything need a vertex for each distinct combination."""

from __future__ import annotations

import numpy as np

from ..scene import Layer, Mesh
from ..scene.model import Array
from .distinct import distinct_rows


def split_vertices(mesh: Mesh, layers: list[Layer], corners: Array | None = None) -> tuple[Array, Array]:
    """Give every distinct combination of position index and layer indices a vertex of its own.

    corners: (K,) positions in mesh.corners to look at, default all. Returns first (N,) int64, a position in
    mesh.corners that stands for each vertex, and index (K,) int64. Vertices are numbered by first use.
    """
    chosen = np.arange(len(mesh.corners), dtype=np.int64) if corners is None else corners
    columns = [mesh.corners[chosen], *(layer.index[chosen] for layer in layers)]
    ids, count = distinct_rows(columns) if len(chosen) else (np.zeros(0, np.int32), 0)
    first = np.full(count, len(chosen), np.int64)
    np.minimum.at(first, ids, np.arange(len(chosen)))
    order = np.argsort(first)
    rank = np.empty(count, np.int64)
    rank[order] = np.arange(count)
    return chosen[first[order]], rank[ids]

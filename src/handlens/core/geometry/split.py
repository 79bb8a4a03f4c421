"""Corners to vertices: formats with one index for everything need a vertex for each distinct combination."""

from __future__ import annotations

import numpy as np

from ..scene import Layer, Mesh
from ..words.arrays import I64
from .distinct import distinct_rows


def split_vertices(mesh: Mesh, layers: list[Layer], corners: I64 | None = None) -> tuple[I64, I64]:
    """Give every distinct combination of position index and layer indices a vertex of its own.

    corners: (K,) positions in mesh.corners to look at, default all. Returns first (N,) int64, a position in
    mesh.corners that stands for each vertex, and index (K,) int64. Vertices are numbered by first use.
    """
    chosen = np.arange(len(mesh.corners), dtype=np.int64) if corners is None else corners
    own = mesh.corners[chosen]
    others = (layer.index if corners is None else layer.index[chosen] for layer in layers)
    # Formats with one index for everything have it in every layer.
    ids, count = distinct_rows([own, *(other for other in others if not np.array_equal(other, own))])
    first = np.empty(count, np.int64)
    first[ids[::-1]] = np.arange(len(ids) - 1, -1, -1)
    return chosen[first], ids.astype(np.int64)

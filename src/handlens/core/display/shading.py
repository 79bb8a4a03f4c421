"""Normals to draw by where none are stored, and the heaviest weight of each vertex."""

from __future__ import annotations

import numpy as np

from ..geometry.adjacency import face_of_corner
from ..geometry.distinct import distinct_rows
from ..geometry.sums import sums_by
from ..geometry.triangles import newell_normals
from ..machine.blocks import each_block
from ..scene import Layer, Mesh
from ..scene.matrices import unit_vectors
from ..scene.weighing import vertex_of_weight
from ..words.arrays import F32, F64

_CREASE = np.cos(np.radians(40))


def usable(mesh: Mesh) -> bool:
    """Whether every corner has a stored normal that is a number."""
    n = mesh.normals
    return n is not None and len(n.values) > 0 and bool((n.index >= 0).all()) and bool(np.isfinite(n.values).all())


def shading_normals(mesh: Mesh, points: F64) -> Layer:
    """Normals to draw by where none are stored: smooth, but hard where faces meet at more than 40°.

    Values: one area-weighted normal a welded position, then one a face; corners choose between the two.

    points: (V, 3) float64, in the world.
    """
    if not mesh.face_count:
        return Layer(np.zeros((1, 3), np.float32), np.zeros(0, np.int32))
    newell = newell_normals(mesh)
    face = face_of_corner(mesh)
    ids, count = distinct_rows([points])
    at = ids[mesh.corners]
    summed = sums_by(at, np.repeat(newell, mesh.corner_counts, axis=0), count)
    values = np.concatenate([unit_vectors(summed), unit_vectors(newell)]).astype(np.float32)
    index = np.empty(len(at), np.int32)

    def work(some: slice) -> None:
        own = count + face[some]
        hard = np.einsum("ij,ij->i", values[at[some]], values[own]) < _CREASE
        index[some] = np.where(hard, own, at[some])

    each_block(len(at), work)
    return Layer(values, index)


def heaviest(mesh: Mesh) -> F32:
    """(V,) float32 largest weight of each vertex, -1 where it has none: what the weights lens shows."""
    weights = mesh.weights
    assert weights is not None
    out = np.full(len(mesh.positions), -1.0, np.float32)
    owner = vertex_of_weight(weights)
    np.maximum.at(out, owner, weights.weights)
    return out

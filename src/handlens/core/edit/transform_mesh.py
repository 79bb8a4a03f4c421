"""Meshes through a matrix: positions and all directions that hang on them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene.matrices import unit_vectors
from ..scene.model import Layer, Mesh, Morph, frozen
from ..words.arrays import F64, Array


def transform_mesh(mesh: Mesh, k: F64) -> Mesh:
    """A mesh with its positions multiplied by a (3, 3) matrix: normals by the inverse transpose, winding turned if mirrored.

    k: (3, 3) float64, applied to columns, about the mesh's origin.
    """
    if np.abs(k - np.eye(3)).max() <= 1e-12:
        return mesh
    determinant = float(np.linalg.det(k))
    mirrored = determinant < 0
    # A flat matrix leaves no direction for normals to go by: they stay.
    normal_matrix = np.linalg.inv(k).T if determinant and np.isfinite(k).all() else np.eye(3)
    corner_order = _reversed_corners(mesh) if mirrored else None

    def layer(source: Layer | None, values: Array | None = None) -> Layer | None:
        if source is None:
            return None
        index = source.index if corner_order is None else frozen(source.index[corner_order])
        return Layer(source.values if values is None else frozen(values), index)

    normals = None if mesh.normals is None else unit_vectors(mesh.normals.values.astype(np.float64) @ normal_matrix.T)
    tangents = None
    if mesh.tangents is not None:
        xyz = unit_vectors(mesh.tangents.values[:, :3].astype(np.float64) @ k.T)
        tangents = np.column_stack([xyz, mesh.tangents.values[:, 3] * (-1.0 if mirrored else 1.0)])
    return replace(
        mesh,
        positions=frozen(_times(mesh.positions, k)),
        corners=mesh.corners if corner_order is None else frozen(mesh.corners[corner_order]),
        normals=layer(mesh.normals, normals),
        tangents=layer(mesh.tangents, tangents),
        uvs=tuple(layer(u) for u in mesh.uvs),  # type: ignore[misc]
        colours=tuple(layer(colour) for colour in mesh.colours),  # type: ignore[misc]
        morphs=tuple(
            Morph(
                morph.name,
                frozen(morph.positions @ k.T),
                None if morph.normals is None else frozen(morph.normals @ normal_matrix.T),
            )
            for morph in mesh.morphs
        ),
    )


def _times(points: F64, k: F64) -> F64:
    """Points through a (3, 3) matrix; coordinates that are no numbers stay none, without a warning."""
    with np.errstate(invalid="ignore", over="ignore"):
        return points @ k.T


def _reversed_corners(mesh: Mesh) -> Array:
    """(C,) order that runs every face the other way round, first corner staying first."""
    n = mesh.corner_counts
    start = np.repeat(mesh.starts[:-1], n)
    within = np.arange(len(mesh.corners)) - start
    count = np.repeat(n, n)
    return start + (count - within) % count

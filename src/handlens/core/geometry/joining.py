"""Several meshes made one, in the frame of the first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..scene.matrices import apply, unit_vectors
from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F64, Array
from .recut import turned_corners, turned_faces


def joined(pieces: Sequence[tuple[Mesh, Array]]) -> Mesh:
    """Meshes as one, each through its (4, 4) matrix into the frame of the first, which stays as it is.

    Positions and normals go through the matrices; a mirror turns the winding back. Slots of one material become one.

    pieces: meshes, each with its (4, 4) float64 matrix; at least one.
    """
    return joined_meshes([mesh if k == 0 else _moved(mesh, matrix) for k, (mesh, matrix) in enumerate(pieces)])


def _moved(mesh: Mesh, matrix: F64) -> Mesh:
    linear = matrix[:3, :3]
    inverse = np.linalg.pinv(linear)

    def directions(layer: Layer | None, matrix: Array) -> Layer | None:
        if layer is None:
            return None
        v = layer.values.astype(np.float64)
        v[:, :3] = v[:, :3] @ matrix.T
        v[:, :3] = unit_vectors(v[:, :3])
        return Layer(frozen(v.astype(np.float32)), layer.index)

    made = replace(
        mesh,
        positions=frozen(apply(matrix, mesh.positions)),
        normals=directions(mesh.normals, inverse.T),
        tangents=directions(mesh.tangents, linear),
    )
    if np.linalg.det(linear) >= 0:
        return made
    # Turned so that it looks the same without the mirror; normals went by the inverse transpose already.
    turned = turned_faces(replace(made, normals=None, tangents=None), np.ones(mesh.face_count, bool))
    back = turned_corners(mesh)
    layer = lambda x: None if x is None else Layer(x.values, frozen(x.index[back]))
    return replace(turned, normals=layer(made.normals), tangents=layer(made.tangents))


def joined_meshes(pieces: list[Mesh]) -> Mesh:
    """Several meshes in one frame as one, in order; slots of one material become one. Weights and morph targets are not carried."""
    bases = np.cumsum([0, *(len(piece.positions) for piece in pieces)])
    materials = list(dict.fromkeys(x for piece in pieces for x in piece.slot_materials))
    slots = [np.array([materials.index(x) for x in piece.slot_materials] or [0], np.int32)[piece.slots] for piece in pieces]
    counts = np.concatenate([piece.corner_counts for piece in pieces])
    shift = lambda name: np.concatenate([getattr(piece, name) + b for piece, b in zip(pieces, bases, strict=False)]).astype(
        np.int32
    )
    smooth = None
    if any(piece.smooth is not None for piece in pieces):
        smooth = frozen(
            np.concatenate([np.zeros(piece.face_count, np.int32) if piece.smooth is None else piece.smooth for piece in pieces])
        )
    groups, group_names = _groups(pieces)
    sets, tints = max(len(piece.uvs) for piece in pieces), max(len(piece.colours) for piece in pieces)
    pick = lambda group, k: _together(
        pieces, [getattr(piece, group)[k] if k < len(getattr(piece, group)) else None for piece in pieces]
    )
    return Mesh(
        id="/".join(piece.id for piece in pieces[:2]),
        name=pieces[0].name,
        positions=frozen(np.concatenate([piece.positions for piece in pieces])),
        corners=frozen(shift("corners")),
        starts=frozen(np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)),
        slots=frozen(np.concatenate(slots)),
        slot_materials=tuple(materials),
        uvs=tuple(x for k in range(sets) if (x := pick("uvs", k)) is not None),
        colours=tuple(x for k in range(tints) if (x := pick("colours", k)) is not None),
        normals=_together(pieces, [piece.normals for piece in pieces]),
        tangents=_together(pieces, [piece.tangents for piece in pieces]),
        smooth=smooth,
        groups=groups,
        group_names=group_names,
        lines=frozen(shift("lines").reshape(-1, 2)),
        points=frozen(shift("points")),
        extras=pieces[0].extras,
    )


def _groups(pieces: list[Mesh]) -> tuple[Array | None, tuple[str, ...]]:
    """One table of named groups for several meshes; faces of a mesh without any are in the group without a name."""
    if all(piece.groups is None for piece in pieces):
        return None, ()
    own = [piece.group_names if piece.groups is not None else ("",) for piece in pieces]
    names = list(dict.fromkeys(name for table in own for name in table))
    into = [np.array([names.index(name) for name in table], np.int32) for table in own]
    groups = [
        np.full(piece.face_count, new[0], np.int32) if piece.groups is None else new[piece.groups]
        for piece, new in zip(pieces, into, strict=True)
    ]
    return frozen(np.concatenate(groups)), tuple(names)


def _together(pieces: list[Mesh], layers: list[Layer | None]) -> Layer | None:
    """One layer of several; corners of a mesh that has none get none."""
    if all(x is None for x in layers):
        return None
    width = max(x.values.shape[1] for x in layers if x is not None)
    values, index, base = [], [], 0
    for piece, x in zip(pieces, layers, strict=True):
        if x is None:
            index.append(np.full(len(piece.corners), -1, np.int32))
            continue
        v = x.values
        if v.shape[1] < width:
            v = np.column_stack([v, np.ones((len(v), width - v.shape[1]), v.dtype)])
        values.append(v)
        index.append(np.where(x.index >= 0, x.index + base, -1).astype(np.int32))
        base += len(v)
    return Layer(frozen(np.concatenate(values)), frozen(np.concatenate(index)))

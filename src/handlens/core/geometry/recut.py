"""New faces from the corners of old ones: everything that hangs on a corner comes along."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene.model import Layer, Mesh, Morph, Weights, frozen
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import face_of_corner
from .triangles import newell_normals


def recut(mesh: Mesh, order: I64, starts: I64, face: Array) -> Mesh:
    """The mesh whose faces take corners of the old one.

    order: (C',) int64 old corner of each new corner. starts: (F'+1,) first corner of each new face. face: (F',) old face of
    each new one, whose slot and groups it keeps. Positions, lines and points stay as they are.
    """
    layer = lambda x: Layer(x.values, frozen(x.index[order]))
    return replace(
        mesh,
        corners=frozen(mesh.corners[order]),
        starts=frozen(np.asarray(starts, np.int64)),
        slots=frozen(mesh.slots[face]) if len(mesh.slots) else mesh.slots,
        smooth=None if mesh.smooth is None else frozen(mesh.smooth[face]),
        groups=None if mesh.groups is None else frozen(mesh.groups[face]),
        uvs=tuple(layer(u) for u in mesh.uvs),
        colours=tuple(layer(colour) for colour in mesh.colours),
        normals=None if mesh.normals is None else layer(mesh.normals),
        tangents=None if mesh.tangents is None else layer(mesh.tangents),
    )


def only_faces(mesh: Mesh, keep: Bool) -> Mesh:
    """The mesh with the faces of a mask (F,) alone, in their order.

    keep: (F,) bool.
    """
    counts = mesh.corner_counts
    return recut(
        mesh, np.flatnonzero(np.repeat(keep, counts)), np.concatenate([[0], np.cumsum(counts[keep])]), np.flatnonzero(keep)
    )


def turned_faces(mesh: Mesh, turn: Bool) -> Mesh:
    """The mesh with the faces of a mask (F,) wound the other way, each still beginning at its first corner.

    Stored normals that went with the old winding are turned too, and those that already went against it are kept; the
    sign of a tangent follows its normal.

    turn: (F,) bool.
    """
    face = face_of_corner(mesh)
    corners = np.where(turn[face], turned_corners(mesh), np.arange(len(mesh.corners)))
    return _normals_along(recut(mesh, corners, mesh.starts, np.arange(mesh.face_count)), turn)


def turned_corners(mesh: Mesh) -> I64:
    """(C,) int64 corners of every face the other way round, each face still beginning at its first corner."""
    face = face_of_corner(mesh)
    corner, first = np.arange(len(mesh.corners)), mesh.starts[:-1][face]
    return np.where(corner == first, first, first + mesh.starts[1:][face] - corner)


def _normals_along(mesh: Mesh, turned: Bool) -> Mesh:
    """Turn the normals of faces that were wound anew where they now lie against them."""
    layer = mesh.normals
    if layer is None or not len(layer.values):
        return mesh
    face = face_of_corner(mesh)
    corners = np.flatnonzero(turned[face] & (layer.index >= 0))
    if not len(corners):
        return mesh
    newell = newell_normals(mesh)
    with np.errstate(all="ignore"):
        against = np.einsum("ij,ij->i", layer.values[layer.index[corners]].astype(np.float64), newell[face[corners]]) < 0
    wrong = corners[against]
    normals = _negated(layer, wrong, slice(0, 3))
    tangents = mesh.tangents
    if tangents is not None and tangents.values.shape[1] == 4:
        tangents = _negated(tangents, wrong[tangents.index[wrong] >= 0], slice(3, 4))
    return replace(mesh, normals=normals, tangents=tangents)


def _negated(layer: Layer, corners: I64, columns: slice) -> Layer:
    """The layer with some columns negated at some corners; values that other corners use as well stay for them."""
    if not len(corners):
        return layer
    used, local = np.unique(layer.index[corners], return_inverse=True)
    fresh = layer.values[used].copy()
    fresh[:, columns] *= -1
    index = layer.index.copy()
    index[corners] = len(layer.values) + local.reshape(-1)
    values = np.concatenate([layer.values, fresh])
    kept = np.zeros(len(values), bool)
    kept[index[index >= 0]] = True
    number = np.cumsum(kept) - 1
    return Layer(frozen(values[kept]), frozen(np.where(index >= 0, number[index], -1).astype(np.int32)))


def only_vertices(mesh: Mesh, keep: Bool) -> Mesh:
    """The mesh with the vertices of a mask (V,) alone, in their order; every face, line and point must use only those.

    keep: (V,) bool.
    """
    number = (np.cumsum(keep) - 1).astype(np.int32)
    weights = mesh.weights
    if weights is not None:
        counts = np.diff(weights.starts)
        entries = np.repeat(keep, counts)
        starts = np.concatenate([[0], np.cumsum(counts[keep])]).astype(np.int64)
        weights = Weights(frozen(starts), frozen(weights.joints[entries]), frozen(weights.weights[entries]))
    return replace(
        mesh,
        positions=frozen(mesh.positions[keep]),
        corners=frozen(number[mesh.corners]),
        lines=frozen(number[mesh.lines]),
        points=frozen(number[mesh.points]),
        weights=weights,
        morphs=tuple(Morph(morph.name, frozen(morph.positions[keep]), morph.normals) for morph in mesh.morphs),
    )


def more_vertices(mesh: Mesh, source: I32, positions: F64) -> Mesh:
    """The mesh with more vertices behind its own, which nothing uses yet.

    source: (n,) int, the vertex whose weights and morph offsets each new one takes. positions: (n, 3) float64.
    """
    weights = mesh.weights
    if weights is not None:
        counts = np.diff(weights.starts)[source]
        starts = np.concatenate([weights.starts, weights.starts[-1] + np.cumsum(counts)]).astype(np.int64)
        first = np.cumsum(counts) - counts
        entry = np.repeat(weights.starts[:-1][source] - first, counts) + np.arange(int(counts.sum()))
        joined = lambda x: frozen(np.concatenate([x, x[entry]]))
        weights = Weights(frozen(starts), joined(weights.joints), joined(weights.weights))
    return replace(
        mesh,
        positions=frozen(np.concatenate([mesh.positions, positions])),
        weights=weights,
        morphs=tuple(
            Morph(morph.name, frozen(np.concatenate([morph.positions, morph.positions[source]])), morph.normals)
            for morph in mesh.morphs
        ),
    )


def used_materials(mesh: Mesh) -> list[int]:
    """Materials that faces of a mesh have, each once; none for -1."""
    known = (mesh.slot_materials[used_slot] for used_slot in mesh.used_slots if used_slot < len(mesh.slot_materials))
    return list(dict.fromkeys(m for m in known if m >= 0))


def used_vertices(mesh: Mesh) -> Bool:
    """(V,) bool: vertices of a face, a line or a point."""
    used = np.zeros(len(mesh.positions), bool)
    used[mesh.corners] = True
    used[mesh.lines.reshape(-1)] = True
    used[mesh.points] = True
    return used


def only_used_values(mesh: Mesh) -> Mesh:
    """The mesh without layer values that no corner uses any more."""

    def tidy(layer: Layer | None) -> Layer | None:
        if layer is None:
            return None
        kept = np.zeros(len(layer.values), bool)
        kept[layer.index[layer.index >= 0]] = True
        if kept.all():
            return layer
        number = np.cumsum(kept) - 1
        return Layer(frozen(layer.values[kept]), frozen(np.where(layer.index >= 0, number[layer.index], -1).astype(np.int32)))

    def several(layers: tuple[Layer, ...]) -> tuple[Layer, ...]:
        return tuple(x for layer in layers if (x := tidy(layer)) is not None)

    # Offsets of morphed normals lie beside the normals' values, so both are left as they are.
    morphed = any(morph.normals is not None for morph in mesh.morphs)
    normals = mesh.normals if morphed else tidy(mesh.normals)
    return replace(mesh, uvs=several(mesh.uvs), colours=several(mesh.colours), normals=normals, tangents=tidy(mesh.tangents))

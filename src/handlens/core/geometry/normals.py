"""Stored normals against the faces that they light."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..scene.model import Array, Mesh
from .adjacency import Edges, face_of_corner, next_corner
from .recut import only_faces
from .triangles import corner_normals_of_turn

#: Length within which a normal counts as one of length 1.
UNIT = 1e-2
#: Faces that meet at more than this and are lit as if they were smooth, in degrees.
SHARP = 80.0


class Normals(NamedTuple):
    """What is wrong with stored normals. All (n,) int32.

    missing: whether some corner has none. broken: vertices whose normal is zero or no number. uneven: vertices whose normal is
    not of length 1. opposed: faces that lie against the normals of all their corners. smeared: welded vertex pairs, flat, of
    edges sharper than 80° that are lit as smooth. faceted: share of the edges whose faces meet at 1° to 60° that are lit hard. soft: where normals are missing, edges whose faces meet at 1° to 60°.
    """

    missing: bool
    broken: Array
    uneven: Array
    opposed: Array
    smeared: Array
    soft: int = 0
    faceted: float = 0.0


def normals(mesh: Mesh, edges: Edges) -> Normals:
    """Judge the normal layer; a mesh without one has nothing but `missing`."""
    none = np.zeros(0, np.int32)
    layer = mesh.normals
    if layer is None or not len(layer.values) or not mesh.face_count:
        return Normals(bool(mesh.face_count), none, none, none, none, _soft(mesh, edges))
    with np.errstate(all="ignore"):
        length = np.sqrt(np.einsum("ij,ij->i", layer.values, layer.values, dtype=np.float64))
    bad, off = ~(length > 1e-6) | ~np.isfinite(length), np.abs(length - 1) > UNIT
    broken, uneven = none, none
    if bad.any() or off.any():
        has = layer.index >= 0
        at = np.where(has, layer.index, 0)
        broken = np.unique(mesh.corners[has & bad[at]]).astype(np.int32)
        uneven = np.unique(mesh.corners[has & off[at] & ~bad[at]]).astype(np.int32)
    opposed = _opposed(mesh)
    return Normals(bool((layer.index < 0).any()), broken, uneven, opposed, _smeared(mesh, edges, bad), 0, _faceted(mesh, edges))


def _opposed(mesh: Mesh) -> Array:
    layer = mesh.normals
    assert layer is not None
    face_normal = _face_normals(mesh)
    face = face_of_corner(mesh)
    against = np.ones(mesh.face_count, bool)
    block = 65_536
    for at in range(0, len(face), block):
        f = face[at : at + block]
        index = layer.index[at : at + block]
        with np.errstate(all="ignore"):
            lean = np.einsum("ij,ij->i", layer.values[index], face_normal[f])
        against[f[~((lean < 0) & (index >= 0))]] = False
    return np.flatnonzero(against & (mesh.corner_counts > 0)).astype(np.int32)


def _face_normals(mesh: Mesh) -> Array:
    """(F, 3) float32, not of unit length."""
    if not mesh.only_triangles:
        newell = corner_normals_of_turn(mesh)[1]
    else:
        t = mesh.corners.reshape(-1, 3)
        a = mesh.positions[t[:, 0]]
        with np.errstate(all="ignore"):
            newell = np.cross(mesh.positions[t[:, 1]] - a, mesh.positions[t[:, 2]] - a)
    with np.errstate(all="ignore"):
        longest = np.abs(newell).max(axis=1, keepdims=True, initial=0.0)
        return np.divide(newell, longest, out=np.zeros_like(newell), where=longest > 0).astype(np.float32)


def _bends(mesh: Mesh, edges: Edges) -> tuple[Array, Array]:
    """First side of each edge whose two faces run it in opposite directions, and the cosine of the angle between the two."""
    assert edges.corner is not None
    first = edges.shared.first[~edges.shared.alike]
    face, n = face_of_corner(mesh), _unit(_face_normals(mesh))
    with np.errstate(all="ignore"):
        a, b = n[face[edges.corner[first]]], n[face[edges.corner[first + 1]]]
        cosine = np.einsum("ij,ij->i", a, b)
        # A face without a direction, as one with a corner at infinity, meets its neighbours at no angle.
        known = (np.einsum("ij,ij->i", a, a) > 0.5) & (np.einsum("ij,ij->i", b, b) > 0.5) & np.isfinite(cosine)
        return first, np.where(known, cosine, 1.0)


def _soft(mesh: Mesh, edges: Edges) -> int:
    """How many edges bend softly, estimated from 50,000 evenly chosen ones where there are more."""
    two = edges.shared
    step = max(len(two.first) // 50_000, 1)
    owner = face_of_corner(mesh)
    sides = np.stack([owner[two.one[::step]], owner[two.other[::step]]])
    faces, local = np.unique(sides, return_inverse=True)
    chosen = np.zeros(mesh.face_count, bool)
    chosen[faces] = True
    n = _unit(_face_normals(only_faces(mesh, chosen)))
    a, b = local.reshape(2, -1)
    with np.errstate(all="ignore"):
        cosine = np.einsum("ij,ij->i", n[a], n[b])
    return step * int(((cosine < np.cos(np.radians(1))) & (cosine > np.cos(np.radians(60)))).sum())


def _unit(n: Array) -> Array:
    return n / np.maximum(np.sqrt(np.einsum("ij,ij->i", n, n)), 1e-20)[:, None]


def _smeared(mesh: Mesh, edges: Edges, bad: Array) -> Array:
    """Edges between faces at more than 80° where both faces have the same normal at both ends."""
    layer = mesh.normals
    assert layer is not None
    assert edges.corner is not None
    first, cosine = _bends(mesh, edges)
    first = first[cosine < np.cos(np.radians(SHARP))]
    a, b = edges.corner[first], edges.corner[first + 1]
    if not len(a):
        return np.zeros(0, np.int32)
    after = next_corner(mesh)
    same = np.ones(len(a), bool)
    for one, other in ((a, after[b]), (after[a], b)):
        i, j = layer.index[one], layer.index[other]
        with np.errstate(all="ignore"):
            close = np.einsum("ij,ij->i", layer.values[i], layer.values[j]) > 0.999
        same &= (i >= 0) & (j >= 0) & ~bad[i] & ~bad[j] & close
    wanted = np.searchsorted(edges.begins, first[same])
    return edges.pairs(wanted).reshape(-1).astype(np.int32)


def _faceted(mesh: Mesh, edges: Edges) -> float:
    """Share of softly bent edges at which both ends have another normal on either side, of 50,000 evenly chosen ones at most."""
    layer = mesh.normals
    assert layer is not None
    assert edges.corner is not None
    first, cosine = _bends(mesh, edges)
    soft = (cosine < np.cos(np.radians(1))) & (cosine > np.cos(np.radians(60)))
    first = first[soft]
    first = first[:: max(len(first) // 50_000, 1)]
    if not len(first) or soft.mean() < 0.5:
        return 0.0
    a, b = edges.corner[first], edges.corner[first + 1]
    after = next_corner(mesh)
    hard = np.ones(len(a), bool)
    for one, other in ((a, after[b]), (after[a], b)):
        i, j = layer.index[one], layer.index[other]
        with np.errstate(all="ignore"):
            hard &= (i >= 0) & (j >= 0) & (np.einsum("ij,ij->i", layer.values[i], layer.values[j]) < np.cos(np.radians(0.9)))
    return float(hard.mean())

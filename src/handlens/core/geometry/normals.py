"""Stored normals against the faces that they light."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..machine.blocks import each_block
from ..scene.model import Mesh
from ..words.arrays import F32, I32, I64, Array, Bool
from .adjacency import Edges, face_of_corner, next_corner
from .triangles import cross, newell_normals

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


@dataclass(frozen=True, eq=False)
class Bends:
    """How a surface bends at its edges.

    face: (F,) int32 of each corner's face. normal: (F, 3) float32 unit normal of each face, zero where it has none.
    first: (n,) int64 first side of each edge whose two faces run it in opposite directions. cosine: (n,) float32 of the angle
    between the two, 1 where one of them has no direction.
    """

    face: I32
    normal: F32
    first: I64
    cosine: F32

    @property
    def soft(self) -> Bool:
        """(n,) bool: edges that could be meant smooth or sharp, whose faces meet at 1° to 60°."""
        answer: Bool = (self.cosine < np.cos(np.radians(1))) & (self.cosine > np.cos(np.radians(60)))
        return answer


def bends(mesh: Mesh, edges: Edges) -> Bends:
    """Look at every edge of two faces once. edges: with corners."""
    assert edges.corner is not None
    corner, face, n = edges.corner, face_of_corner(mesh), _face_normals(mesh)
    first = edges.shared.first if not edges.shared.alike.any() else edges.shared.first[~edges.shared.alike]
    cosine = np.empty(len(first), np.float32)

    def work(some: slice) -> None:
        with np.errstate(all="ignore"):
            a, b = n[face[corner[first[some]]]], n[face[corner[first[some] + 1]]]
            found = np.einsum("ij,ij->i", a, b)
            # A face without a direction, as one with a corner at infinity, meets its neighbours at no angle.
            known = (np.einsum("ij,ij->i", a, a) > 0.5) & (np.einsum("ij,ij->i", b, b) > 0.5) & np.isfinite(found)
            cosine[some] = np.where(known, found, 1.0)

    each_block(len(first), work)
    return Bends(face, n, first, cosine)


def normals(mesh: Mesh, edges: Edges, bent: Bends) -> Normals:
    """Judge the normal layer; a mesh without one has nothing but `missing`. bent: of the same edges."""
    none = np.zeros(0, np.int32)
    layer = mesh.normals
    if layer is None or not len(layer.values) or not mesh.face_count:
        return Normals(bool(mesh.face_count), none, none, none, none, int(np.count_nonzero(bent.soft)))
    with np.errstate(all="ignore"):
        length = np.sqrt(np.einsum("ij,ij->i", layer.values, layer.values, dtype=np.float64))
    bad, off = ~(length > 1e-6) | ~np.isfinite(length), np.abs(length - 1) > UNIT
    broken, uneven = none, none
    if bad.any() or off.any():
        has = layer.index >= 0
        at = np.where(has, layer.index, 0)
        broken = np.unique(mesh.corners[has & bad[at]]).astype(np.int32)
        uneven = np.unique(mesh.corners[has & off[at] & ~bad[at]]).astype(np.int32)
    opposed = _opposed(mesh, bent)
    smeared, faceted = _smooth_sharp_edges(mesh, edges, bad, bent), _faceted(mesh, edges, bent)
    return Normals(bool((layer.index < 0).any()), broken, uneven, opposed, smeared, 0, faceted)


def _opposed(mesh: Mesh, bent: Bends) -> I32:
    layer = mesh.normals
    assert layer is not None
    against = np.empty(len(mesh.corners), bool)

    def work(some: slice) -> None:
        index = layer.index[some]
        with np.errstate(all="ignore"):
            lean = np.einsum("ij,ij->i", layer.values[index], bent.normal[bent.face[some]])
            against[some] = (lean < 0) & (index >= 0)

    each_block(len(against), work)
    for_it = np.ones(mesh.face_count, bool)
    for_it[mesh.corner_counts > 0] = False
    for_it[bent.face[~against]] = True
    return np.flatnonzero(~for_it).astype(np.int32)


def _face_normals(mesh: Mesh) -> F32:
    """(F, 3) float32 of unit length, zero where a face has no direction."""
    out = np.empty((mesh.face_count, 3), np.float32)
    newell = None if mesh.only_triangles else newell_normals(mesh)
    triangles = mesh.corners.reshape(-1, 3) if newell is None else mesh.corners

    def work(some: slice) -> None:
        with np.errstate(all="ignore"):
            if newell is None:
                a, b, c = (mesh.positions[triangles[some, k]] for k in range(3))
                n = cross(b - a, c - a)
            else:
                n = newell[some]
            longest = np.abs(n).max(axis=1, keepdims=True, initial=0.0)
            n = np.divide(n, longest, out=np.zeros_like(n), where=longest > 0).astype(np.float32)
            out[some] = n / np.maximum(np.sqrt(np.einsum("ij,ij->i", n, n)), 1e-20)[:, None]

    each_block(len(out), work)
    return out


def _smooth_sharp_edges(mesh: Mesh, edges: Edges, bad: Bool, bent: Bends) -> I32:
    """Edges between faces at more than 80° where both faces have the same normal at both ends."""
    layer = mesh.normals
    assert layer is not None
    assert edges.corner is not None
    first = bent.first[bent.cosine < np.cos(np.radians(SHARP))]
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


def _faceted(mesh: Mesh, edges: Edges, bent: Bends) -> float:
    """Share of softly bent edges at which both ends have another normal on either side, of 50,000 evenly chosen ones at most."""
    layer = mesh.normals
    assert layer is not None
    assert edges.corner is not None
    soft = bent.soft
    first = bent.first[soft]
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

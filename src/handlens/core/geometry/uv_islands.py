"""How faces hang together in a UV set, and the outlines of what they cover there."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..scene import Layer, Mesh
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import Edges, at_next_corner, face_of_corner, joined_faces
from .sums import sums_by
from .triangles import clip_ears
from .uv_raster import Outline, around

#: Triangles of this doubled area or less, as a share of a tile, cover nothing.
NO_AREA = 1e-12


class Islands(NamedTuple):
    """Faces by the edges over which their UVs run on.

    of_face: (F,) int32 island of each face. seams: edges of two faces over which UVs do not run on. across: (C,) int32 for each
    corner the face beyond the side that begins there, if UVs run on into it, else the corner's own face.
    """

    of_face: I32
    seams: int
    across: I32

    @property
    def number(self) -> int:
        return int(self.of_face.max(initial=-1)) + 1


def islands(mesh: Mesh, layer: Layer, edges: Edges) -> Islands:
    """Islands of a UV set. edges: of the faces that have an area, with corners."""
    two = edges.shared
    begin, end = layer.index, at_next_corner(mesh, layer.index)
    a, b = begin[two.one], end[two.one]
    c, d = end[two.other], begin[two.other]
    if two.alike.any():
        c, d = np.where(two.alike, d, c), np.where(two.alike, c, d)
    apart = np.flatnonzero((a != c) | (b != d))
    # Other values may still be equal ones: programs write one for each corner.
    apart = apart[~(_equal(layer.values, a[apart], c[apart]) & _equal(layer.values, b[apart], d[apart]))]
    across = edges.across
    if len(apart):
        across, owner = across.copy(), face_of_corner(mesh)
        for side in (two.one[apart], two.other[apart]):
            across[side] = owner[side]
    return Islands(joined_faces(across, mesh.starts), len(apart), across)


def _equal(values: Array, a: I32, b: I32) -> Bool:
    """(n,) bool: values at two lists of indices are the same; what is no number is the same as itself, -1 as -1."""
    there = (a >= 0) & (b >= 0)
    out: Array = (a < 0) & (b < 0)
    x, y = values[a[there]], values[b[there]]
    out[there] = ((x == y) | (np.isnan(x) & np.isnan(y))).all(axis=1)
    return out


class Layout(NamedTuple):
    """A UV set as areas to draw.

    outline: sides of the areas, without those that cancel out. face: (n,) face of each side.
    """

    outline: Outline
    face: Array


def layout(
    mesh: Mesh, layer: Layer, triangles: tuple[I64, I32], twice: F64, usable: Bool, joined: Islands, edges: Edges
) -> Layout:
    """Outlines of a UV set, slot by slot.

    triangles: corners (T, 3) and face (T,), as `fan` returns them. twice: (T,) doubled signed areas, 0 where there is none.
    usable: (F,) faces of which every corner has a UV that is a number.
    """
    corners, face = triangles
    owner, beyond = face_of_corner(mesh), joined.across
    if mesh.only_triangles:
        facing, torn = np.sign(twice).astype(np.int8), np.zeros(0, np.int64)
    else:
        facing, torn = _facing_of_polygons(mesh, layer, face, twice, usable)
    # Two sides that run against each other round areas that run alike add nothing together, whatever lies on either side.
    kept = (owner == beyond) | (facing[owner] != facing[beyond])
    if len(mesh.slots) and bool((mesh.slots != mesh.slots[0]).any()):
        kept |= mesh.slots[owner] != mesh.slots[beyond]
    alike = edges.shared.alike
    kept[edges.shared.one[alike]] = True
    kept[edges.shared.other[alike]] = True
    side = np.flatnonzero(kept)
    side = side[facing[owner[side]] != 0]
    uv, index = layer.values, layer.index
    whole = Outline(uv[index[side]], uv[at_next_corner(mesh, index)[side]], facing[owner[side]])
    if not len(torn):
        return Layout(whole, owner[side])
    rest = around(uv[index[corners[torn]]], np.sign(twice[torn]))
    both = (np.concatenate([a, b]) for a, b in zip(whole, rest, strict=True))
    return Layout(Outline(*both), np.concatenate([owner[side], np.repeat(face[torn], 3)]))


def _facing_of_polygons(mesh: Mesh, layer: Layer, face: I32, twice: F64, usable: Bool) -> tuple[Array, I64]:
    """(F,) int8 facing of polygons, and the triangles of those that no outline stands for: they cross themselves or lack UVs."""
    there = np.bincount(face[twice != 0], minlength=mesh.face_count)
    balance = sums_by(face, np.sign(twice), mesh.face_count)
    facing = np.where(usable & (np.abs(balance) == there), np.sign(balance), 0).astype(np.int8)
    torn = ~usable
    for polygon in np.flatnonzero(usable & (np.abs(balance) != there)).tolist():
        sign = _simple(layer.values[layer.index[mesh.starts[polygon] : mesh.starts[polygon + 1]]].astype(np.float64))
        facing[polygon], torn[polygon] = sign, sign == 0
    return facing, np.flatnonzero(torn[face] & (twice != 0))


def _simple(polygon: F64) -> int:
    """+1 or -1 for the way a polygon (n, 2) runs round its inside; 0 where it crosses itself."""
    following = np.roll(polygon, -1, axis=0)
    signed = float((polygon[:, 0] * following[:, 1] - polygon[:, 1] * following[:, 0]).sum())
    ears = clip_ears(np.pad(polygon, ((0, 0), (0, 1))))
    if ears is None:
        return 0
    corners = polygon[ears]
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    covered = float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum())
    # Of a polygon that crosses itself no cutting into triangles has the area that its sides enclose.
    return int(np.sign(signed)) if abs(covered - abs(signed)) <= 1e-6 * covered else 0

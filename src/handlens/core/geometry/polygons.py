"""Shapes of single faces: polygons that are cut differently by each program, needles, and faces that are there twice."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import face_of_corner
from .recut import only_faces
from .sums import sums_by
from .topology import Topology, flat_triangles
from .triangles import concave, fan, newell_normals

#: A polygon is bent where a corner lies off its mean plane by more than this share of its own size.
BENT = 0.01
#: Corners of a polygon up to which it is searched for sides that cross: the search takes the square of them.
_CROSSING_UP_TO = 128
_BLOCK = 16_384


class Polygons(NamedTuple):
    """Polygons of a mesh that are hard to cut. All (n,) int32 faces.

    by_corners: how many faces have 5, 6, 7, … corners. concave: a corner turns inwards. crossing: sides cross each other.
    bent: a corner lies off the mean plane by more than 1 % of the face's size. most_bent: greatest such distance, mesh units;
    bent_share: greatest as a share of the polygon's own size.
    What common ways of cutting make of them: fan_out, how many of those that turn inwards get a triangle outside themselves
    when cut into a fan about their first corner; diagonals, how far apart the two diagonals of a bent quad pass, mesh units.
    """

    by_corners: dict[int, int]
    concave: Array
    crossing: Array
    bent: Array
    most_bent: float
    bent_share: float
    fan_out: int = 0
    diagonals: float = 0.0


def polygons(mesh: Mesh) -> Polygons:
    """Look at every face of more than three corners."""
    none = np.zeros(0, np.int32)
    if mesh.only_triangles or not mesh.face_count:
        return Polygons({}, none, none, none, 0.0, 0.0)
    n = mesh.corner_counts
    sizes, many = np.unique(n[n > 4], return_counts=True)
    by_corners = {int(a): int(b) for a, b in zip(sizes, many, strict=True)}
    crossing = _crossing(mesh)
    inward = np.setdiff1d(np.flatnonzero(concave(mesh)), crossing).astype(np.int32)
    off, size = _off_plane(mesh)
    bent = np.flatnonzero((n > 3) & (off > BENT * size)).astype(np.int32)
    most = float(off[bent].max(initial=0.0))
    share = float((off[bent] / size[bent]).max(initial=0.0))
    return Polygons(by_corners, inward, crossing, bent, most, share, _fan_out(mesh, inward), _diagonals(mesh, bent[n[bent] == 4]))


def _fan_out(mesh: Mesh, faces: I32) -> int:
    """How many of some polygons get a triangle that runs against them when cut into a fan about their first corner."""
    chosen = np.zeros(mesh.face_count, bool)
    chosen[faces] = True
    some = only_faces(mesh, chosen)
    corners, face = fan(some)
    a, b, c = (some.positions[some.corners[corners[:, k]]] for k in range(3))
    newell = newell_normals(some)
    against = np.einsum("ij,ij->i", np.cross(b - a, c - a), newell[face]) < 0
    return len(np.unique(face[against]))


def _diagonals(mesh: Mesh, quads: I32) -> float:
    """Greatest distance between the lines of the two diagonals of quads: what is between the two ways of cutting them."""
    corners = mesh.positions[mesh.corners[mesh.starts[quads][:, None] + np.arange(4)]] if len(quads) else np.zeros((0, 4, 3))
    across = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    length = np.linalg.norm(across, axis=1)
    apart = np.abs(np.einsum("ij,ij->i", corners[:, 1] - corners[:, 0], across))
    found = np.divide(apart, length, out=np.zeros_like(apart), where=length > 0)
    return float(np.nan_to_num(found, posinf=0.0).max(initial=0.0))


def _off_plane(mesh: Mesh) -> tuple[F64, F64]:
    """(F,) greatest distance of a corner from the face's plane by Newell's normal, and (F,) its farthest corner from its middle."""
    face = face_of_corner(mesh)
    position = mesh.positions[mesh.corners]
    count = np.maximum(mesh.corner_counts, 1)
    with np.errstate(all="ignore"):
        middle = sums_by(face, position, mesh.face_count) / count[:, None]
        normal = newell_normals(mesh)
        length = np.linalg.norm(normal, axis=1)
        normal = np.divide(normal, length[:, None], out=np.zeros_like(normal), where=length[:, None] > 0)
        away = position - middle[face]
        distance = np.abs(np.einsum("ij,ij->i", away, normal[face]))
        reach = np.linalg.norm(away, axis=1)
    off, size = np.zeros(mesh.face_count), np.zeros(mesh.face_count)
    np.maximum.at(off, face, np.nan_to_num(distance, posinf=0.0))
    np.maximum.at(size, face, np.nan_to_num(reach, posinf=0.0))
    return off, size


def _crossing(mesh: Mesh) -> I32:
    """(n,) int32 faces of which two sides that are no neighbours cross, seen along the face's normal."""
    n = mesh.corner_counts
    out = []
    for corners in np.unique(n[(n > 3) & (n <= _CROSSING_UP_TO)]).tolist():
        faces = np.flatnonzero(n == corners)
        for at in range(0, len(faces), max(_BLOCK // corners**2, 1)):
            some = faces[at : at + max(_BLOCK // corners**2, 1)]
            out.append(some[_any_crossing(_flattened(mesh, some, corners))])
    return np.sort(np.concatenate(out)).astype(np.int32) if out else np.zeros(0, np.int32)


def _flattened(mesh: Mesh, faces: I64, corners: int) -> F64:
    """(n, corners, 2) corners of faces with the axis left out that their normal leans to most."""
    places = mesh.positions[mesh.corners[mesh.starts[faces][:, None] + np.arange(corners)]]
    with np.errstate(all="ignore"):
        places = places - places[:, :1]
        normal = np.abs(np.cross(places, np.roll(places, -1, axis=1)).sum(axis=1))
        extent = np.ptp(places, axis=1)
        # A bow whose halves cancel out has no normal: the axis along which it reaches least is left out instead.
        level = normal.max(axis=1) <= 1e-9 * (extent**2).sum(axis=1)
    drop = np.where(level, np.nan_to_num(extent).argmin(axis=1), np.nan_to_num(normal).argmax(axis=1))
    keep = np.array([[1, 2], [0, 2], [0, 1]])[drop]
    return np.take_along_axis(places, keep[:, None, :], axis=2)


def _any_crossing(polygons: F64) -> Any:
    count = polygons.shape[1]
    i, j = np.triu_indices(count, 2)
    apart = ~((i == 0) & (j == count - 1))
    i, j = i[apart], j[apart]
    a, b = polygons[:, i], polygons[:, (i + 1) % count]
    next_start, next_end = polygons[:, j], polygons[:, (j + 1) % count]

    def side(origin: Array, first: Array, second: Array) -> Array:
        u, v = first - origin, second - origin
        answer: Array = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
        return answer

    with np.errstate(all="ignore"):
        one, other = side(a, b, next_start) * side(a, b, next_end), side(next_start, next_end, a) * side(next_start, next_end, b)
    return ((one < 0) & (other < 0)).any(axis=1)


def needles(mesh: Mesh, top: Topology) -> I32:
    """(n,) int32 faces of up to four corners with a triangle whose height is under 1/500 of its longest side.

    Larger polygons are left out: which triangles they will have is not known.
    """
    if top.thin is not None:
        return np.flatnonzero(top.thin & ~top.flat).astype(np.int32)
    corners, face = fan(mesh)
    small = mesh.corner_counts[face] <= 4
    corners, face = corners[small], face[small]
    out = []
    for at in range(0, len(face), _BLOCK):
        thin = flat_triangles(mesh.positions, mesh.corners[corners[at : at + _BLOCK]])[1]
        out.append(face[at : at + _BLOCK][thin])
    found = np.unique(np.concatenate(out)) if out else np.zeros(0, np.int32)
    return found[~top.flat[found]].astype(np.int32)


class Doubled(NamedTuple):
    """(n,) int32 faces over the same welded vertices as an earlier face: wound alike, or back to back; and the faces that those
    are back to back with."""

    alike: Array
    opposed: Array
    behind: Array


def doubled(mesh: Mesh, ids: I32, flat: Bool) -> Doubled:
    """Faces that are there twice. Where several lie together, all but the first are told.

    ids: (V,) int, the welded number of each vertex.
    flat: (F,) bool, faces without area, which count for nothing.
    """
    none = np.zeros(0, np.int32)
    if not mesh.face_count:
        return Doubled(none, none, none)
    at = ids[mesh.corners].astype(np.uint64)
    # A sum of mixed numbers is the same for the same set of vertices in any order; equal sums are then compared in full.
    mixed = (at + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15)
    mixed ^= mixed >> np.uint64(31)
    mixed *= np.uint64(0xBF58476D1CE4E5B9)
    full = mesh.corner_counts > 0
    key = np.zeros(mesh.face_count, np.uint64)
    key[full] = np.add.reduceat(mixed, mesh.starts[:-1][full])
    ordered = np.sort(key)
    if not (ordered[1:] == ordered[:-1]).any():
        return Doubled(none, none, none)
    order = np.argsort(key, kind="stable")
    same = np.concatenate([[False], key[order][1:] == key[order][:-1]])
    first = np.maximum.accumulate(np.where(same, 0, np.arange(len(order))))
    one, other = order[first[same]], order[same]
    n = mesh.corner_counts
    fits = (n[one] == n[other]) & ~flat[one] & ~flat[other]
    one, other = one[fits], other[fits]
    alike, opposed = np.zeros(len(one), bool), np.zeros(len(one), bool)
    for corners in np.unique(n[one]).tolist():
        here = np.flatnonzero(n[one] == corners)
        a, b = (at[mesh.starts[f[here]][:, None] + np.arange(corners)] for f in (one, other))
        for turn in range(corners):
            alike[here] |= (np.roll(b, turn, axis=1) == a).all(axis=1)
            opposed[here] |= (np.roll(b[:, ::-1], turn, axis=1) == a).all(axis=1)
    back = np.flatnonzero(opposed & ~alike)
    faces, place = np.unique(other[back], return_index=True)
    return Doubled(np.unique(other[alike]).astype(np.int32), faces.astype(np.int32), one[back[place]].astype(np.int32))

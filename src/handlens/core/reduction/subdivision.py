"""Regular subdivision recognised and taken back: each face that was cut into a regular pattern becomes one again.

Two patterns: a triangle cut into four at the middles of its sides, and a polygon cut into a quad for each corner about a point
in its middle. Which points were there before is worked out from how the faces hang together alone, spreading from one face of
each piece, so that surfaces that were smoothed while they were subdivided are recognised too.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..geometry.adjacency import edges, face_of_corner
from ..geometry.components import components
from ..geometry.distinct import distinct_rows
from ..geometry.recut import only_used_values, only_vertices, recut, used_vertices
from ..geometry.sums import sums_by
from ..geometry.topology import Topology
from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Array, Bool

#: Within one face of before, UVs may not jump by more than this: a seam runs there.
_JUMP = 1e-4


class Coarser(NamedTuple):
    """mesh: with the faces of before. bent: how far the greatest of the points that went lay off the middle of its side, in the
    mesh's unit. faces: (n,) int32 faces of the old mesh that were taken back."""

    mesh: Mesh
    bent: float
    faces: I32


def coarser(mesh: Mesh, top: Topology | None = None) -> Coarser | None:
    """Take one step of subdivision back on every connected piece that is wholly subdivided; None where there is none.

    Faces of before keep the corners that they had: UVs, normals, colours and weights at their points. Pieces in which slots,
    groups or seams of UVs run across a face of before stay as they are. top: the mesh's topology with corners, where it is known.
    """
    counts = np.unique(mesh.corner_counts)
    if len(counts) != 1 or counts[0] not in (3, 4) or not np.isfinite(mesh.positions).all():
        return None
    around = _Around.of(mesh, top)
    pieces = int(around.piece.max()) + 1
    best = np.full(pieces, np.inf)
    role = np.full(mesh.face_count, -1, np.int64)
    for state in range(4):
        found = around.spread(state)
        off = around.off(found, pieces)
        better = off < best
        best = np.where(better, off, best)
        role = np.where(better[around.piece], found, role)
    good = np.isfinite(best)[around.piece]
    if not good.any():
        return None
    return _taken_back(mesh, around, np.where(good, role, -1), good)


def most_that_was_cut(mesh: Mesh, piece: I32) -> int:
    """A bound on the triangles that `coarser` takes back: cutting a triangle makes four, so that a piece of any other number was
    never cut. piece: (F,) int which piece each face is of, pieces being joined over edges of two faces."""
    if mesh.only_triangles:
        count = np.bincount(piece)
        return int(count[count % 4 == 0].sum()) * 3 // 4
    return mesh.triangle_count if (mesh.corner_counts == 4).all() else 0


@dataclass
class _Around:
    """Faces of one number of corners, and what lies beyond each side: twin (C,) corner that the same side begins at in the next face,
    -1 at a border. at: (C,) welded points. piece: (F,) connected piece of each face."""

    mesh: Mesh
    sides: int
    at: I32
    twin: I64
    piece: I64
    crowded: Bool

    @staticmethod
    def of(mesh: Mesh, top: Topology | None) -> _Around:
        if top is not None and not top.zero_area:
            ids, found = top.ids, top.edges
        else:
            ids, _ = distinct_rows([mesh.positions])
            found = edges(mesh, ids)
        one, other, alike = found.shared.one, found.shared.other, found.shared.alike
        twin = np.full(len(mesh.corners), -1, np.int64)
        twin[one[~alike]], twin[other[~alike]] = other[~alike], one[~alike]
        owner = face_of_corner(mesh)
        piece = components(mesh.face_count, owner[one], owner[other]).astype(np.int64)
        # Sides of more than two faces, or of two that are wound against each other, belong to no regular pattern.
        crowded = np.zeros(int(piece.max()) + 1, bool)
        crowded[piece[owner[one[alike]]]] = True
        begins = found.begins
        many = np.repeat(found.uses > 2, found.uses)
        if found.corner is not None and many.any():
            crowded[piece[owner[found.corner[: begins[-1]][many]]]] = True
        return _Around(mesh, int(mesh.corner_counts[0]), ids[mesh.corners], twin, piece, crowded)

    def turn(self, corner: I64, by: int) -> I64:
        """Corners so many steps further round their face.

        corner: (...) int, of any shape.
        """
        k = self.sides
        answer: Array = corner - corner % k + (corner + by) % k
        return answer

    def spread(self, state: int) -> I64:
        """(F,) int64 for each face the corner of it that was there before, 3 for the triangle in the middle of four (triangles), -1
        where what spreads from the first face of its piece meets itself in contradiction. state: of the first faces."""
        role = np.full(self.mesh.face_count, -1, np.int64)
        broken = self.crowded.copy()
        front = np.unique(self.piece, return_index=True)[1]
        role[front] = state
        while len(front):
            at, said = self._expectations(front, role[front], broken)
            known = role[at] >= 0
            broken[self.piece[at[known & (role[at] != said)]]] = True
            at, said = at[~known], said[~known]
            order = np.argsort(at, kind="stable")
            at, said = at[order], said[order]
            first = np.ones(len(at), bool)
            first[1:] = at[1:] != at[:-1]
            role[at[first]] = said[first]
            broken[self.piece[at[role[at] != said]]] = True
            front = at[first]
            front = front[~broken[self.piece[front]]]
        role[broken[self.piece]] = -1
        return role

    def _expectations(self, faces: I64, role: I64, broken: Bool) -> tuple[I64, I64]:
        """What faces say of their neighbours: the faces beyond their sides, and the role each must have."""
        k = self.sides
        at, said = [], []

        def tell(corner: Array, further: int, middle: bool = False, needed: bool = False) -> None:
            beyond = self.twin[corner]
            there = beyond >= 0
            if needed:
                broken[self.piece[corner[~there] // k]] = True
            beyond = beyond[there]
            at.append(beyond // k)
            said.append(np.full(len(beyond), 3) if middle else self.turn(beyond, further) % k)

        if k == 3:
            middle = faces[role == 3]
            for side in range(3):
                tell(3 * middle + side, 2, needed=True)
            even = 3 * faces[role < 3] + role[role < 3]
            tell(self.turn(even, 1), 0, middle=True, needed=True)
            tell(even, 1)
            tell(self.turn(even, 2), 0)
        else:
            even = 4 * faces + role
            tell(even, 1)
            tell(self.turn(even, 3), 0)
            tell(self.turn(even, 1), 2, needed=True)
            tell(self.turn(even, 2), 3, needed=True)
        return np.concatenate(at), np.concatenate(said)

    def off(self, role: I64, pieces: int) -> F64:
        """(pieces,) how well roles explain each piece: the sum of squares by which the middles of sides lie off them; inf where roles do
        not hold.

        role: (V,) int, what each vertex is taken for.
        """
        k = self.sides
        bad = np.zeros(pieces, bool)
        bad[self.piece[role < 0]] = True
        held = ~bad[self.piece]
        out = np.where(bad, np.inf, 0.0)
        if not held.any():
            return out
        even, odd, other = self._sides(role, held)
        total = int(self.at.max()) + 1
        was, new = np.zeros(total, bool), np.zeros(total, bool)
        was[self.at[even]] = True
        new[self.at[odd]] = True
        both = was & new
        clash = both[self.at] & np.repeat(held, k)
        bad[self.piece[np.flatnonzero(clash) // k]] = True
        # A side from a point to itself, or two old points in one place, were never a face.
        bad[self.piece[even[self.at[even] == self.at[other]] // k]] = True
        positions = self.mesh.positions
        v = self.mesh.corners
        away = positions[v[odd]] - (positions[v[even]] + positions[v[other]]) / 2
        squares = sums_by(self.piece[odd // k], np.einsum("ij,ij->i", away, away), pieces)
        if k == 3:
            middle = np.flatnonzero(held & (role == 3))
            old = self.at[self.turn(self.twin[3 * middle[:, None] + np.arange(3)], 2)]
            bad[self.piece[middle[(np.sort(old, axis=1)[:, 1:] == np.sort(old, axis=1)[:, :-1]).any(axis=1)]]] = True
        jumps = self._jumps(role, held)
        bad[self.piece[jumps]] = True
        return np.where(bad, np.inf, squares)

    def _sides(self, role: I64, usable: Bool) -> tuple[I64, I64, I64]:
        """Half sides of before: corners at their old end, at their middle, and at the old end beyond it."""
        k = self.sides
        faces = np.flatnonzero(usable & (role < 3)) if k == 3 else np.flatnonzero(usable)
        even = k * faces + role[faces]
        odd = self.turn(even, 1)
        if k == 3:
            # Beyond the middle: across the middle triangle's next side, whose neighbour has the next old point.
            middle = self.twin[odd]
            other = self.turn(self.twin[self.turn(middle, 1)], 2)
            return even, odd, other
        # Round the face point to the next quad of the same face, whose old point is the side's other end.
        nxt = self.twin[odd]
        return even, odd, self.turn(nxt, 2)

    def _jumps(self, role: I64, usable: Bool) -> I64:
        """Faces at whose inner sides, those within one face of before, slots, groups or layers are not the same on both sides."""
        k = self.sides
        faces = np.flatnonzero(usable & (role < 3)) if k == 3 else np.flatnonzero(usable)
        even = k * faces + role[faces]
        inner = self.turn(even, 1)
        beyond = self.twin[inner]
        mesh = self.mesh
        off = np.zeros(len(inner), bool)
        for of_face in (mesh.slots if len(mesh.slots) else None, mesh.smooth, mesh.groups):
            if of_face is not None:
                off |= of_face[inner // k] != of_face[beyond // k]
        for layer in (*mesh.uvs, *mesh.colours):
            values = np.nan_to_num(layer.at_corners().astype(np.float64), nan=-1e9)
            off |= (np.abs(values[inner] - values[self.turn(beyond, 1)]) > _JUMP).any(axis=1)
            off |= (np.abs(values[self.turn(inner, 1)] - values[beyond]) > _JUMP).any(axis=1)
        return inner[off] // k


def _taken_back(mesh: Mesh, around: _Around, role: I64, good: Bool) -> Coarser:
    k = around.sides
    kept = np.flatnonzero(~good)
    if k == 3:
        middle = np.flatnonzero(good & (role == 3))
        side = 3 * middle[:, None] + np.arange(3)
        new = around.turn(around.twin[side], 2).reshape(-1)
        counts = np.full(len(middle), 3)
        face = middle
    else:
        new, counts, face = _round_face_points(around, role, good)
    even, odd, other = around._sides(role, good)
    positions, v = mesh.positions, mesh.corners
    away = positions[v[odd]] - (positions[v[even]] + positions[v[other]]) / 2
    bent = float(np.sqrt(np.einsum("ij,ij->i", away, away).max(initial=0.0)))
    corners = np.concatenate([np.flatnonzero(np.repeat(~good, k)), new])
    sizes = np.concatenate([np.full(len(kept), k), counts])
    made = recut(mesh, corners, np.concatenate([[0], np.cumsum(sizes)]), np.concatenate([kept, face]))
    made = only_used_values(only_vertices(made, used_vertices(made) | ~used_vertices(mesh)))
    return Coarser(made, bent, np.flatnonzero(good).astype(np.int32))


def _round_face_points(around: _Around, role: I64, good: Bool) -> tuple[I64, I64, I64]:
    """Polygons of before from the quads about each face point: their corners in order, how many each has, and a quad of each."""
    faces = np.flatnonzero(good)
    even = 4 * faces + role[faces]
    # From each quad to the next about its face point, along the winding.
    step = np.full(around.mesh.face_count, -1, np.int64)
    step[faces] = around.twin[around.turn(even, 1)] // 4
    first = np.zeros(int(around.at.max()) + 1, np.int64)
    points = around.at[around.turn(even, 2)]
    first[points[::-1]] = faces[::-1]
    starts = first[np.unique(points)]
    rings, at = [starts], step[starts]
    while (open_ := at != starts).any():
        rings.append(np.where(open_, at, -1))
        at = np.where(open_, step[np.maximum(at, 0)], starts)
    table = np.stack(rings, axis=1)
    inside = table >= 0
    return 4 * table[inside] + role[table[inside]], inside.sum(axis=1), starts

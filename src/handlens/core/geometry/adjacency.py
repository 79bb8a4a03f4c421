"""Which faces meet at which edges, by one sort of packed keys: the base of closedness, winding, patches and holes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..scene.model import Array, Mesh, frozen
from .components import components


class Shared(NamedTuple):
    """Edges that exactly two sides run along.

    first: (n,) int64 the first of the two sides. one, other: (n,) int64 corners that the two begin at. alike: (n,) bool where
    both run the edge in the same direction.
    """

    first: Array
    one: Array
    other: Array
    alike: Array


@dataclass(frozen=True, eq=False)
class Edges:
    """Sides of faces, sorted so that sides along the same edge stand together. Sides without length are left out.

    mesh: whose faces they are of. key: (S,) uint64, smaller welded vertex in the high word, larger one shifted left by one, lowest bit set where the side
    runs from the larger to the smaller. corner: (S,) int64 corner that each side begins at, or None where only the keys
    were wanted.
    """

    mesh: Mesh
    key: Array
    corner: Array | None = None

    @cached_property
    def begins(self) -> Array:
        """(E + 1,) int64 first side of each edge, and the number of sides."""
        edge = self.key >> np.uint64(1)
        return (
            np.concatenate([[0], np.flatnonzero(edge[1:] != edge[:-1]) + 1, [len(edge)]]) if len(edge) else np.zeros(1, np.int64)
        )

    @cached_property
    def uses(self) -> Array:
        """(E,) int64 how many sides run along each edge."""
        return np.diff(self.begins)

    def pairs(self, which: Array) -> Array:
        """(n, 2) int64 welded vertices of edges, given as positions."""
        key = self.key[self.begins[:-1][which]]
        return np.stack([key >> np.uint64(32), (key & np.uint64(0xFFFFFFFF)) >> np.uint64(1)], axis=1).astype(np.int64)

    @cached_property
    def shared(self) -> Shared:
        """The edges of two sides; corners must have been asked for."""
        assert self.corner is not None
        first = self.begins[:-1][self.uses == 2]
        return Shared(first, self.corner[first], self.corner[first + 1], self.key[first] == self.key[first + 1])

    @cached_property
    def across(self) -> Array:
        """(C,) int32 for each corner the face beyond the side that begins there where exactly one is, else the corner's own face."""
        owner, (_, one, other, _) = face_of_corner(self.mesh), self.shared
        out = owner.copy()
        out[one], out[other] = owner[other], owner[one]
        return frozen(out)

    @cached_property
    def closed(self) -> bool:
        """Every edge is shared by exactly two sides; a mesh without sides is not closed."""
        return len(self.key) > 0 and bool((self.uses == 2).all())

    @cached_property
    def consistent(self) -> bool:
        """No edge is run in the same direction by two sides."""
        return not bool((self.key[1:] == self.key[:-1]).any())


def edges(mesh: Mesh, ids: Array, left_out: Array | None = None, corners: bool = True) -> Edges:
    """The sides of a mesh's faces by the edge they run along.

    ids: (V,) int32, the same number for positions that count as one. left_out: (F,) bool faces that do not count.
    corners: whether the corner of each side is wanted too, which costs twice the time.
    """
    start, end, corner = _sides(mesh, ids, left_out)
    low, high = np.minimum(start, end), np.maximum(start, end)
    backward = start > end
    if not corners:
        return Edges(mesh, np.sort(_packed(low, high, backward)))
    count, places = int(ids.max(initial=-1)) + 1, max(len(start), 1)
    if count * count * 2 * places >= 2**64:
        key = _packed(low, high, backward)
        order = np.argsort(key)
        return Edges(mesh, key[order], order if corner is None else corner[order])
    # Everything in one number, which sorts several times faster than places by their keys do.
    whole = low * np.uint64(count)
    whole += high
    whole *= np.uint64(2)
    whole += backward
    whole *= np.uint64(places)
    whole += np.arange(len(start), dtype=np.uint64)
    whole.sort()
    order = (whole % np.uint64(places)).astype(np.int64)
    key = _packed(low[order], high[order], backward[order])
    return Edges(mesh, key, order if corner is None else corner[order])


def _packed(low: Array, high: Array, backward: Array) -> Array:
    key = low << np.uint64(32)
    key |= high << np.uint64(1)
    key |= backward
    return key


def _sides(mesh: Mesh, ids: Array, left_out: Array | None) -> tuple[Array, Array, Array | None]:
    """(S,) uint64 welded vertices at which sides begin and end, and the corner each begins at where some are left out."""
    start = ids[mesh.corners].astype(np.uint64)
    end = at_next_corner(mesh, start)
    kept = start != end if left_out is None else (start != end) & ~np.repeat(left_out, mesh.corner_counts)
    if kept.all():
        return start, end, None
    corner = np.flatnonzero(kept)
    return start[corner], end[corner], corner


def next_corner(mesh: Mesh) -> Array:
    """(C,) int64 the corner that follows each one round its face."""
    following = np.arange(1, len(mesh.corners) + 1)
    if mesh.only_triangles:
        following[2::3] -= 3
        return following
    full = mesh.corner_counts > 0
    following[mesh.starts[1:][full] - 1] = mesh.starts[:-1][full]
    return following


def at_next_corner(mesh: Mesh, values: Array) -> Array:
    """(C,) of each corner the value at the corner that follows it round its face. values: (C,)."""
    if mesh.only_triangles:
        return values.reshape(-1, 3)[:, [1, 2, 0]].reshape(-1)
    out: Array = values[next_corner(mesh)]
    return out


def face_of_corner(mesh: Mesh) -> Array:
    """(C,) int32 face of each corner."""
    if mesh.only_triangles:
        return np.repeat(np.arange(mesh.face_count, dtype=np.int32), 3)
    return np.repeat(np.arange(mesh.face_count, dtype=np.int32), mesh.corner_counts)


def joined_faces(across: Array, starts: Array) -> Array:
    """(F,) int32 component of each face, numbered by their lowest face.

    across: (C,) int32 for each corner the face beyond its side, or its own, each join in it both ways.
    """
    faces = len(starts) - 1
    owner = np.repeat(np.arange(faces, dtype=np.int32), np.diff(starts))
    # Each join once: it stands in both faces.
    once = across > owner
    return components(faces, owner[once], across[once])

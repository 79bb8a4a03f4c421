"""Which faces meet at which edges, by one sort of packed keys: the base of closedness, winding, patches and holes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np

from ..scene.model import Mesh, frozen
from ..words.arrays import I32, I64, Array, Bool
from .components import components


class Shared(NamedTuple):
    """Edges that exactly two sides run along.

    first: (n,) int64 the first of the two sides. one, other: (n,) int64 corners that the two begin at. alike: (n,) bool where
    both run the edge in the same direction.
    """

    first: I64
    one: I64
    other: I64
    alike: Bool


@dataclass(frozen=True, eq=False)
class Edges:
    """Sides of faces, sorted so that sides along the same edge stand together. Sides without length are left out.

    mesh: whose faces they are of. key: (S,) uint64, smaller welded vertex in the high word, larger one shifted left by one, lowest bit set where the side
    runs from the larger to the smaller. corner: (S,) int64 corner that each side begins at, or None where only the keys
    were wanted.
    """

    mesh: Mesh
    key: Array
    corner: I64 | None = None

    @cached_property
    def begins(self) -> I64:
        """(E + 1,) int64 first side of each edge, and the number of sides."""
        edge = self.key >> np.uint64(1)
        return (
            np.concatenate([[0], np.flatnonzero(edge[1:] != edge[:-1]) + 1, [len(edge)]]) if len(edge) else np.zeros(1, np.int64)
        )

    @cached_property
    def uses(self) -> I64:
        """(E,) int64 how many sides run along each edge."""
        return np.diff(self.begins)

    def pairs(self, which: I64) -> I64:
        """(n, 2) int64 welded vertices of edges, given as positions.

        which: (n,) int, numbers of edges.
        """
        key = self.key[self.begins[:-1][which]]
        return np.stack([key >> np.uint64(32), (key & np.uint64(0xFFFFFFFF)) >> np.uint64(1)], axis=1).astype(np.int64)

    @cached_property
    def shared(self) -> Shared:
        """The edges of two sides; corners must have been asked for."""
        assert self.corner is not None
        first = self.begins[:-1][self.uses == 2]
        return Shared(first, self.corner[first], self.corner[first + 1], self.key[first] == self.key[first + 1])

    @cached_property
    def across(self) -> I32:
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


def edges(mesh: Mesh, ids: I32, left_out: Bool | None = None, corners: bool = True) -> Edges:
    """The sides of a mesh's faces by the edge they run along.

    ids: (V,) int32, the same number for positions that count as one. left_out: (F,) bool faces that do not count.
    corners: whether the corner of each side is wanted too, which costs twice the time.
    """
    start, end, corner = _sides(mesh, ids, left_out)
    low, high, backward = np.minimum(start, end), np.maximum(start, end), start > end
    del start, end
    if not corners:
        key = _packed(low, high, backward)
        key.sort()
        return Edges(mesh, key)
    key, order = _sorted(low, high, backward)
    return Edges(mesh, key, order if corner is None else corner[order])


def _packed(low: I32, high: I32, backward: Bool) -> Array:
    key = low.astype(np.uint64)
    key <<= np.uint64(32)
    key |= high.astype(np.uint64) << np.uint64(1)
    key |= backward
    return key


def _sorted(low: I32, high: I32, backward: Bool) -> tuple[Array, I64]:
    """Packed keys of sides in order, and (S,) int64 the side that each is of; sides of equal keys keep their order.

    Key and side together in one number sort several times faster than sides by their keys do. Where one number is too short for
    that, the sides are first dealt out by their lower vertex.
    """
    wide, places = max(int(high.max(initial=0)).bit_length(), 1), max(len(low).bit_length(), 1)
    over = 2 * wide + 1 + places - 64
    if over <= 0:
        return _sorted_in_one(low, high, backward, np.uint64(wide), np.uint64(places))
    shift = wide - over
    dealt = (low >> shift).astype(np.uint16)
    by_part = np.argsort(dealt, kind="stable")
    ends = np.searchsorted(dealt[by_part], np.arange(int(dealt.max()) + 2))
    key, order = np.empty(len(low), np.uint64), np.empty(len(low), np.int64)
    for a, b in pairwise(ends.tolist()):
        mine = by_part[a:b]
        if not len(mine):
            continue
        base = int(low[mine[0]] >> shift) << shift
        part, place = _sorted_in_one(low[mine] - base, high[mine], backward[mine], np.uint64(wide), np.uint64(places))
        part += np.uint64(base << 32)
        key[a:b], order[a:b] = part, mine[place]
    return key, order


def _sorted_in_one(low: I32, high: I32, backward: Bool, wide: Any, places: Any) -> tuple[Array, I64]:
    """wide, places: bits of a vertex, and of a side."""
    one = np.uint64(1)
    whole = low.astype(np.uint64)
    whole <<= wide
    whole |= high.astype(np.uint64)
    whole <<= one
    whole |= backward
    whole <<= places
    whole |= np.arange(len(low), dtype=np.uint64)
    whole.sort()
    order = (whole & ((one << places) - one)).astype(np.int64)
    whole >>= places
    key = whole >> (wide + one)
    key <<= np.uint64(32)
    key |= whole & ((one << (wide + one)) - one)
    return key, order


def _sides(mesh: Mesh, ids: I32, left_out: Bool | None) -> tuple[Array, Array, Array | None]:
    """(S,) int32 welded vertices at which sides begin and end, and the corner each begins at where some are left out."""
    start = ids[mesh.corners]
    end = at_next_corner(mesh, start)
    kept = start != end if left_out is None else (start != end) & ~np.repeat(left_out, mesh.corner_counts)
    if kept.all():
        return start, end, None
    corner = np.flatnonzero(kept)
    return start[corner], end[corner], corner


def next_corner(mesh: Mesh) -> I64:
    """(C,) int64 the corner that follows each one round its face."""
    following = np.arange(1, len(mesh.corners) + 1)
    if mesh.only_triangles:
        following[2::3] -= 3
        return following
    full = mesh.corner_counts > 0
    following[mesh.starts[1:][full] - 1] = mesh.starts[:-1][full]
    return following


def at_next_corner(mesh: Mesh, values: I32) -> I32:
    """(C,) of each corner the value at the corner that follows it round its face. values: (C,)."""
    if mesh.only_triangles:
        return values.reshape(-1, 3)[:, [1, 2, 0]].reshape(-1)
    out: Array = values[next_corner(mesh)]
    return out


def face_of_corner(mesh: Mesh) -> I32:
    """(C,) int32 face of each corner."""
    if mesh.only_triangles:
        return np.repeat(np.arange(mesh.face_count, dtype=np.int32), 3)
    return np.repeat(np.arange(mesh.face_count, dtype=np.int32), mesh.corner_counts)


def joined_faces(across: I32, starts: I64) -> I32:
    """(F,) int32 component of each face, numbered by their lowest face.

    across: (C,) int32 for each corner the face beyond its side, or its own, each join in it both ways.
    starts: (F,) int64 first corner of each face.
    """
    faces = len(starts) - 1
    owner = np.repeat(np.arange(faces, dtype=np.int32), np.diff(starts))
    # Each join once: it stands in both faces.
    once = across > owner
    return components(faces, owner[once], across[once])

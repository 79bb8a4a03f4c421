"""Which faces meet at which edges, by one sort of packed keys: the base of closedness, winding, patches and holes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..scene.model import Array, Mesh


@dataclass(frozen=True, eq=False)
class Edges:
    """Sides of faces, sorted so that sides along the same edge stand together. Sides without length are left out.

    key: (S,) uint64, smaller welded vertex in the high word, larger one shifted left by one, lowest bit set where the side
    runs from the larger to the smaller. corner: (S,) int64 corner that each side begins at, or None where only the keys
    were wanted.
    """

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
        return Edges(np.sort(_packed(low, high, backward)))
    count, places = int(ids.max(initial=-1)) + 1, max(len(start), 1)
    if count * count * 2 * places >= 2**64:
        key = _packed(low, high, backward)
        order = np.argsort(key)
        return Edges(key[order], order if corner is None else corner[order])
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
    return Edges(key, order if corner is None else corner[order])


def _packed(low: Array, high: Array, backward: Array) -> Array:
    key = low << np.uint64(32)
    key |= high << np.uint64(1)
    key |= backward
    return key


def _sides(mesh: Mesh, ids: Array, left_out: Array | None) -> tuple[Array, Array, Array | None]:
    """(S,) uint64 welded vertices at which sides begin and end, and the corner each begins at where some are left out."""
    start = ids[mesh.corners].astype(np.uint64)
    end = start[next_corner(mesh)] if not mesh.only_triangles else start.reshape(-1, 3)[:, [1, 2, 0]].reshape(-1)
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


def face_of_corner(mesh: Mesh) -> Array:
    """(C,) int32 face of each corner."""
    if mesh.only_triangles:
        return np.repeat(np.arange(mesh.face_count, dtype=np.int32), 3)
    return np.repeat(np.arange(mesh.face_count, dtype=np.int32), mesh.corner_counts)

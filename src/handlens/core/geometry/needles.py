"""Needle triangles taken out of a surface: their longest side is swapped with the neighbour's, or their shortest is closed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import Edges, face_of_corner
from .distinct import distinct_rows
from .flips import thinness
from .recut import only_faces, only_used_values, only_vertices, recut, used_vertices
from .topology import NEEDLE, surface

#: Most rounds: in each one, changes that have no point in common are made together.
_ROUNDS = 16
#: A side is closed only where it is at most this share of the needle's longest side: nothing wider moves.
_SHORT = 2 * NEEDLE


def without_needles(mesh: Mesh) -> Mesh:
    """The mesh with fewer needle triangles, with those left that cannot be mended without bending or tearing the surface.

    A needle with one short side loses it: its two points become one, the first. Any other swaps its longest side for the
    other diagonal of the four corners that it and its neighbour have. No seam of UVs, normals, colours or slots is crossed,
    no face is turned over, and nothing moves further than 1/250 of a needle's length.
    """
    for _ in range(_ROUNDS):
        made = _round(mesh)
        if made is None:
            break
        mesh = made
    return mesh


def _thin(triangles: F64) -> F64:
    """(n,) `thinness` of triangles (n, 3, 3)."""
    return thinness(triangles[:, 0], triangles[:, 1], triangles[:, 2])


def _round(mesh: Mesh) -> Mesh | None:
    """One round, or None where nothing could be changed."""
    top = surface(mesh, corners=True)
    three = np.flatnonzero((mesh.corner_counts == 3) & ~top.flat)
    corners = mesh.starts[three][:, None] + np.arange(3)
    thin = three[_thin(mesh.positions[mesh.corners[corners]]) < NEEDLE]
    if not len(thin):
        return None
    work = _Work(mesh, top.ids, top.edges, top.flat)
    for face in thin.tolist():
        work.close_short_side(face) or work.swap_long_side(face)
    return work.done()


class _Work:
    """What one round changes. Points that a change has touched are left alone until the next."""

    def __init__(self, mesh: Mesh, ids: I32, edges: Edges, flat: Bool) -> None:
        self.mesh, self.at = mesh, ids[mesh.corners]
        self.flat = flat
        self.order = np.arange(len(mesh.corners))
        self.vertices = mesh.corners.copy()
        self.drop = np.zeros(mesh.face_count, bool)
        self.taken: set[int] = set()
        self.changed = False
        self.owner = face_of_corner(mesh)
        # The other side of each corner's edge where exactly one runs the other way, else -1.
        self.across = np.full(len(mesh.corners), -1, np.int64)
        opposite = ~edges.shared.alike
        one, other = edges.shared.one[opposite], edges.shared.other[opposite]
        self.across[one], self.across[other] = other, one
        by = np.argsort(self.at, kind="stable")
        self.round_about = (np.searchsorted(self.at[by], np.arange(int(self.at.max(initial=-1)) + 2)), by)
        self.layers = [_same_values(x) for x in mesh.layers()]

    def _corners_at(self, point: int) -> I64:
        begins, by = self.round_about
        return by[begins[point] : begins[point + 1]]

    def _points(self, corners: I64) -> F64:
        position: Array = self.mesh.positions[self.mesh.corners[corners]]
        return position

    def _free(self, points: set[int]) -> bool:
        return not points & self.taken

    def close_short_side(self, face: int) -> bool:
        """Make one point of the two ends of a needle's shortest side, if nothing about them turns over."""
        mine = self.mesh.starts[face] + np.arange(3)
        corners = self._points(mine)
        sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
        short = int(sides.argmin())
        if sides[short] > _SHORT * sides.max():
            return False
        stays, goes = int(self.at[mine[short]]), int(self.at[mine[(short + 1) % 3]])
        if stays > goes:
            stays, goes = goes, stays
        about = np.unique(self.owner[np.concatenate([self._corners_at(stays), self._corners_at(goes)])])
        if (self.mesh.corner_counts[about] != 3).any():
            return False
        ring = self.mesh.starts[about][:, None] + np.arange(3)
        points = self.at[ring]
        touched = set(points.ravel().tolist())
        if not self._free(touched) or self._on_rim(goes):
            return False
        both = (points == stays).any(axis=1) & (points == goes).any(axis=1)
        # Manifold on the other side too: the two ends have no neighbours in common but across these faces (link condition).
        near = lambda point: set(points[(points == point).any(axis=1)].ravel().tolist()) - {stays, goes}
        if len(near(stays) & near(goes)) != int(both.sum()):
            return False
        moved = np.where(
            (points == goes)[:, :, None],
            corners[short] if stays == self.at[mine[short]] else corners[(short + 1) % 3],
            self._points(ring),
        )
        if not _same_side(self._points(ring)[~both], moved[~both]):
            return False
        vertex = self.vertices[self._corners_at(stays)[0]]
        self.vertices[self._corners_at(goes)] = vertex
        self.drop[about[both]] = True
        self._claim(touched)
        return True

    def swap_long_side(self, face: int) -> bool:
        """Give a needle and the neighbour across its longest side the other diagonal of their four corners."""
        mine = self.mesh.starts[face] + np.arange(3)
        corners = self._points(mine)
        long = int(np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1).argmax())
        a, b, c = (int(mine[(long + k) % 3]) for k in range(3))
        back = int(self.across[a])
        if back < 0:
            return False
        other = int(self.owner[back])
        if self.mesh.corner_counts[other] != 3 or self.mesh.slots[other] != self.mesh.slots[face]:
            return False
        if any(x is not None and x[other] != x[face] for x in (self.mesh.smooth, self.mesh.groups)):
            return False
        start = int(self.mesh.starts[other])
        b2, a2, d = (start + (back - start + k) % 3 for k in range(3))
        if any(x[a] != x[a2] or x[b] != x[b2] for x in self.layers):
            return False
        touched = {int(self.at[k]) for k in (a, b, c, d)}
        if len(touched) < 4 or not self._free(touched) or self.at[c] == self.at[d]:
            return False
        fresh = np.array([[c, a, d], [d, b2, c]])
        before, after = self._points(np.array([[a, b, c], [b2, a2, d]])), self._points(fresh)
        if _thin(after).min() <= 1.5 * _thin(before).min() or not _same_side(before[[1, 1]], after):
            return False
        if self._joined(int(self.at[c]), int(self.at[d])):
            return False
        self.order[mine], self.order[start : start + 3] = fresh[0], fresh[1]
        self._claim(touched)
        return True

    def _on_rim(self, point: int) -> bool:
        """Whether a point lies on a rim, a crowded edge or an edge wound against itself."""
        corners = self._corners_at(point)
        return bool((self.across[corners] < 0).any())

    def _joined(self, one: int, other: int) -> bool:
        """Whether an edge already runs between two points."""
        faces = self.owner[self._corners_at(one)]
        return any(other in self.at[self.mesh.starts[f] : self.mesh.starts[f + 1]] for f in faces.tolist())

    def _claim(self, points: set[int]) -> None:
        self.taken |= points
        self.changed = True

    def done(self) -> Mesh | None:
        if not self.changed:
            return None
        faces = np.arange(self.mesh.face_count)
        made = recut(replace(self.mesh, corners=frozen(self.vertices)), self.order, self.mesh.starts, faces)
        if self.drop.any():
            was = used_vertices(self.mesh)
            made = only_used_values(only_faces(made, ~self.drop))
            made = only_vertices(made, used_vertices(made) | ~was)
        return made


def _same_values(layer: Layer) -> I32:
    """(C,) int32, the same number for corners with equal values; -1 where a corner has none."""
    number = distinct_rows([layer.values])[0] if len(layer.values) else np.zeros(0, np.int32)
    return np.where(layer.index >= 0, number[layer.index] if len(number) else -1, -1)


def _same_side(before: F64, after: F64) -> bool:
    """Whether triangles (n, 3, 3) keep the side that they look to, within 60 degrees, needles before not counted."""
    normal = lambda p: np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    one, other = normal(before), normal(after)
    dot = np.einsum("ij,ij->i", one, other)
    sizes = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
    counts = _thin(before) >= NEEDLE
    return bool(((dot > 0.5 * sizes) | ~counts).all() and (np.linalg.norm(other, axis=1) > 0).all())

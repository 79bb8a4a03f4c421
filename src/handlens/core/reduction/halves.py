"""A mesh that is the same on both sides of a plane, as one half and the way back to the whole."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..geometry.distinct import distinct_rows
from ..geometry.joining import joined
from ..geometry.recut import only_faces, only_used_values, only_vertices, used_vertices
from ..geometry.triangles import triangulate
from ..geometry.welding import welded
from ..scene.model import Mesh
from ..words.arrays import Array

#: How exactly both sides must agree, as a share of the mesh's largest coordinate.
_SAME = 1e-5
#: Steps in which UVs and colours of both sides are compared.
_STEPS = 8_192


@dataclass(frozen=True, eq=False)
class Halves:
    """half: the side of larger coordinates along an axis: 0, 1 or 2. mesh: the whole as it came."""

    half: Mesh
    axis: int
    mesh: Mesh

    def mirrored(self, half: Mesh) -> Mesh:
        """The half, which may have been changed since, and its mirror image, joined along the plane."""
        mirror = np.eye(4)
        mirror[self.axis, self.axis] = -1
        both = joined([(half, np.eye(4)), (half, mirror)])
        reach = float(np.abs(half.positions).max(initial=0.0))
        return replace(welded(both, reach * _SAME / 4), id=self.mesh.id, name=self.mesh.name)


def halves(mesh: Mesh, axis: int) -> Halves | None:
    """The half of a mesh on the side of larger coordinates along an axis of its own. None where the other side is not its mirror
    image in points, faces, slots, UVs and colours, where faces run across the plane, and where joints or morph targets move it.
    """
    if not mesh.face_count or mesh.weights is not None or mesh.morphs or len(mesh.lines) or len(mesh.points):
        return None
    reach = float(np.abs(mesh.positions).max(initial=0.0))
    if not np.isfinite(reach) or reach == 0:
        return None
    near = reach * _SAME
    corners, face = triangulate(mesh)
    x = mesh.positions[mesh.corners[corners]][:, :, axis]
    right, left = (x > near).any(axis=1), (x < -near).any(axis=1)
    # What lies in the plane itself belongs to neither side.
    if (right & left).any() or not (right | left).all() or right.sum() != left.sum():
        return None
    if not _mirrored(mesh, (corners[right], face[right]), (corners[left], face[left]), axis, near):
        return None
    mine = np.zeros(mesh.face_count, bool)
    mine[face[right]] = True
    half = only_used_values(only_faces(mesh, mine))
    return Halves(only_vertices(half, used_vertices(half)), axis, mesh)


def _mirrored(mesh: Mesh, right: tuple[Array, Array], left: tuple[Array, Array], axis: int, near: float) -> bool:
    """Whether triangles (corners (n, 3), faces (n,)) of both sides are the same but for the sign of a coordinate."""

    def rows(corners: Array, face: Array, sign: float) -> Array:
        places = mesh.positions[mesh.corners[corners]].copy()
        places[:, :, axis] *= sign
        slot = mesh.slots[face] if len(mesh.slots) else np.zeros(len(face))
        columns = [np.round(places / (4 * near)), np.broadcast_to(slot[:, None, None], (*corners.shape, 1))]
        columns += [np.round(np.nan_to_num(x.at_corners()[corners]) * _STEPS) for x in (*mesh.uvs, *mesh.colours)]
        corner = np.concatenate(columns, axis=2) + 0.0
        # Corners in an order of their own, whichever each triangle begins at and whichever way it runs.
        order = np.lexsort(corner.transpose(2, 0, 1)[::-1], axis=1)
        return np.take_along_axis(corner, order[:, :, None], axis=1).reshape(len(corners), -1)

    both = np.concatenate([rows(*right, 1.0), rows(*left, -1.0)])
    ids, count = distinct_rows([both])
    here, there = (np.bincount(x, minlength=count) for x in (ids[: len(right[0])], ids[len(right[0]) :]))
    return bool(np.array_equal(here, there))

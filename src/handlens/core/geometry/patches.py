"""Connected patches of a surface and how its faces are wound within each."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..machine.blocks import BLOCK, each_block
from ..scene.model import Mesh
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import Edges, face_of_corner, joined_faces
from .components import components
from .finite import finite_points
from .sums import sums_by
from .triangles import cross, fan


class Patches(NamedTuple):
    """Faces joined across edges that exactly two of them share.

    label: (F,) int32 patch of each face. turned: (F,) bool, faces wound against the first face of their patch; faces that are
    left out are patches of their own. orientable: (P,) bool, false where no winding suits all faces. closed: (P,) bool, every
    edge of it is shared by exactly two faces. disagreeing: (n, 2) int64 welded vertices of edges whose two faces run it in
    the same direction.
    """

    label: I32
    turned: Bool
    orientable: Bool
    closed: Bool
    disagreeing: I64

    @property
    def number(self) -> int:
        return len(self.orientable)


def patches(mesh: Mesh, edges: Edges) -> Patches:
    """Solve the relative winding over all edges that two faces share.

    A graph with two nodes a face, "as stored" and "turned": an edge whose faces run it in opposite directions joins like with
    like, one that they run in the same direction joins each with the other's turned node. Components of the graph are the
    patches, each in two copies that are each other's mirror; a patch whose copies are one has no winding that suits all.
    """
    faces = mesh.face_count
    assert edges.corner is not None
    owner, two = face_of_corner(mesh), edges.shared
    if two.alike.any():
        label, turned, orientable = _both_ways(faces, owner[two.one], owner[two.other], two.alike)
    else:
        label = joined_faces(edges.across, mesh.starts)
        turned, orientable = np.zeros(faces, bool), np.ones(int(label.max(initial=-1)) + 1, bool)
    closed = np.ones(len(orientable), bool)
    loose = np.repeat(edges.uses != 2, edges.uses)
    closed[label[owner[edges.corner[loose]]]] = False
    # A face of which no side counts belongs to nothing that could be closed.
    lone = np.ones(faces, bool)
    lone[owner[edges.corner]] = False
    closed[label[lone]] = False
    return Patches(label, turned, orientable, closed, edges.pairs(np.flatnonzero(edges.uses == 2)[two.alike]))


def _both_ways(faces: int, a: I32, b: I32, same: Bool) -> tuple[I32, Bool, Bool]:
    crossed = np.where(same, faces, 0)
    side = components(2 * faces, np.concatenate([a, a + faces]), np.concatenate([b + crossed, b + faces - crossed]))
    stored, turned = side[:faces], side[faces:]
    # The copy that holds the patch's first face as stored is the one to which "turned" is relative.
    low = np.minimum(stored, turned)
    _, patch = np.unique(low, return_inverse=True)
    label = patch.reshape(-1).astype(np.int32)
    count = int(label.max(initial=-1)) + 1
    first = np.full(count, faces)
    np.minimum.at(first, label, np.arange(faces))
    orientable = stored[first] != turned[first]
    return label, (stored != stored[first][label]) & orientable[label], orientable


def volumes_and_area(mesh: Mesh, points: F64, patches: Patches) -> tuple[Array, float]:
    """(P,) six times the signed volume of each patch, turned faces counted the other way, meaningful where it is closed; and the
    area of all faces.

    points: (V, 3) positions in the frame wanted. The sum of the triple products of fanned triangles about the middle of the
    box (divergence theorem), in blocks that stay in the cache.
    """
    corners, face = fan(mesh)
    mixed = bool(patches.turned.any())
    finite = finite_points(points)
    middle = (finite.min(axis=0) + finite.max(axis=0)) / 2 if len(finite) else np.zeros(3)

    def work(block: slice) -> tuple[Array, float]:
        some = face[block]
        a, b, c = (points[mesh.corners[corners[block, k]]] - middle for k in range(3))
        with np.errstate(all="ignore"):
            normal = cross(b - a, c - a)
            # a · (b − a) × (c − a) is a · b × c: the other products have a in them twice.
            product = np.einsum("ij,ij->i", a, normal)
            here = float(np.sqrt(np.einsum("ij,ij->i", normal, normal)).sum()) / 2
            if mixed:
                product = np.where(patches.turned[some], -product, product)
            if patches.number == 1:
                return np.array([product.sum()]), here
            return sums_by(patches.label[some], product, patches.number), here

    # Many patches in many blocks are summed as they come: a row of all of them for each block would fill the memory.
    out, area = np.zeros(patches.number), 0.0
    size = max(BLOCK, patches.number)
    for volume, here in each_block(len(face), work, size):
        out += volume
        area += here
    return out, area

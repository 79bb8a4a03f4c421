"""A stand-in as it is drawn: the edges of its shape, through which the part itself is seen."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..geometry.adjacency import edges, face_of_corner
from ..geometry.distinct import distinct_rows
from ..geometry.triangles import newell_normals
from ..scene.matrices import unit_vectors
from ..scene.model import Mesh, frozen

#: Cosine from which on two faces lie in one plane.
_FLAT = 0.9998


def cage(mesh: Mesh) -> Mesh:
    """The mesh without faces, a line along each edge at which it bends or ends."""
    ids, _ = distinct_rows([mesh.positions])
    first = np.zeros(int(ids.max(initial=-1)) + 1, np.int32)
    first[ids[::-1]] = np.arange(len(ids) - 1, -1, -1)
    found = edges(mesh, ids)
    area = newell_normals(mesh)
    unit = unit_vectors(area)
    bends = np.ones(len(found.uses), bool)
    owner = face_of_corner(mesh)
    shared = found.shared
    bends[found.uses == 2] = np.einsum("ij,ij->i", unit[owner[shared.one]], unit[owner[shared.other]]) < _FLAT
    lines = first[found.pairs(np.flatnonzero(bends))].astype(np.int32)
    none = frozen(np.zeros(0, np.int32))
    bare = replace(
        mesh, corners=none, starts=frozen(np.zeros(1, np.int64)), slots=none, uvs=(), colours=(), normals=None, tangents=None
    )
    return replace(bare, smooth=None, groups=None, lines=frozen(lines.reshape(-1, 2)), points=none)

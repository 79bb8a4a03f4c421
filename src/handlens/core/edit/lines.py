"""Lines taken out of meshes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..geometry.recut import only_vertices, used_vertices
from ..scene import Mesh
from ..scene.model import frozen


def without_lines(mesh: Mesh) -> Mesh:
    """The mesh without its lines and without the vertices that only they used."""
    if not len(mesh.lines):
        return mesh
    of_lines = np.zeros(len(mesh.positions), bool)
    of_lines[mesh.lines.reshape(-1)] = True
    bare = replace(mesh, lines=frozen(np.zeros((0, 2), np.int32)))
    used = used_vertices(bare)
    return only_vertices(bare, used | ~of_lines) if not (used | ~of_lines).all() else bare

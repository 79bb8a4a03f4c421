"""The neutral scene into a binary STL: triangles of all parts in one list, in file units."""

from __future__ import annotations

import struct

import numpy as np

from ..scene import Scene
from ..scene.triangles import triangulate
from .flat import flat_parts
from .layout import PLAIN, Layout
from .losses import losses
from .stl import FACET


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}. Normals are those of the triangles; a triangle without area has none (0, 0, 0)."""
    pieces = []
    for _, mesh in flat_parts(scene):
        triangles, _ = triangulate(mesh)
        corners = mesh.positions[mesh.corners[triangles]]
        with np.errstate(invalid="ignore", over="ignore"):
            normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            length = np.linalg.norm(normals, axis=1, keepdims=True)
            normals = np.divide(normals, length, out=np.zeros_like(normals), where=length > 0)
            rows = np.zeros(len(corners), FACET)
            rows["normal"], rows["corners"] = normals, corners
        pieces.append(rows)
    body = np.concatenate(pieces) if pieces else np.zeros(0, FACET)
    # A binary file whose header began with "solid" would be taken for text by many readers (common practice, no published source).
    name = stem.encode("latin-1", "replace")[:79]
    header = b"_" + name if name.lower().startswith(b"solid") else name
    return {f"{stem}.stl": header[:80].ljust(80, b"\x00") + struct.pack("<I", len(body)) + body.tobytes()}


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that an STL cannot hold."""
    return losses(scene, format_name)

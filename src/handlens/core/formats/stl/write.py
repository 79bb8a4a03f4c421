"""The neutral scene into a binary STL: triangles of all parts in one list, in file units."""

from __future__ import annotations

import struct

import numpy as np

from ...scene import Scene
from ..conform.steps import Target
from .read import FACET


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes} of a scene that an STL can hold (`formats.conform`): one mesh of triangles with their own normals."""
    mesh = scene.meshes[0] if scene.meshes else None
    rows = np.zeros(0 if mesh is None else mesh.face_count, FACET)
    if mesh is not None and len(rows):
        with np.errstate(invalid="ignore", over="ignore"):
            rows["corners"] = mesh.positions[mesh.corners].reshape(-1, 3, 3)
            if mesh.normals is not None:
                rows["normal"] = mesh.normals.at_corners()[::3]
    # A binary file whose header began with "solid" would be taken for text by many readers (common practice, no published source).
    name = target.stem.encode("latin-1", "replace")[:79]
    header = b"_" + name if name.lower().startswith(b"solid") else name
    return {f"{target.stem}.stl": header[:80].ljust(80, b"\x00") + struct.pack("<I", len(rows)) + rows.tobytes()}

"""Evidence on a reduced copy: the marked elements themselves, cut out of the full one, so that marks sit where they belong."""

from __future__ import annotations

import numpy as np

from ..machine.sections import Opened
from ..words.arrays import F32, I32


def marked(full: bytes, node: int, kind: str, indices: I32) -> F32:
    """(N, 3) float32 drawn positions of marked elements of a part, from its mesh's centre, in metres with Y up.

    kind: "faces" gives three corners a triangle, "edges" two a pair, "vertices" one a vertex. Empty for a part that is
    not drawn and for kinds that are not drawn on one part.
    indices: (n,) int32, as a finding's elements have them.
    """
    opened = Opened(full)
    part = next((p for p in opened.header["parts"] if p["node"] == node), None)
    if part is None or kind not in ("faces", "edges", "vertices"):
        return np.zeros((0, 3), np.float32)
    mesh = opened.header["meshes"][part["mesh"]]
    positions = opened.array(mesh["positions"], np.float32).reshape(-1, 3)
    if kind == "faces":
        faces = opened.array(mesh["faces"], np.uint32)
        wanted = np.zeros(int(max(faces.max(initial=0), indices.max(initial=0))) + 1, bool)
        wanted[indices] = True
        index = opened.array(mesh["index"], np.uint32).reshape(-1, 3)[wanted[faces]].reshape(-1)
    else:
        vertex = opened.array(mesh["vertex"], np.uint32)
        place = np.zeros(int(max(vertex.max(initial=0), indices.max(initial=0))) + 1, np.int64)
        place[vertex[::-1]] = np.arange(len(vertex))[::-1]
        index = place[indices]
    return np.ascontiguousarray(positions[index], np.float32)

"""UVs of single faces moved, turned, and laid so that each face shows the whole picture."""

from __future__ import annotations

from collections import deque

import numpy as np

from ..scene import Layer, Mesh
from ..scene.model import frozen
from ..words.arrays import F64, I64, Array, Bool
from .adjacency import face_of_corner
from .topology import surface
from .triangles import newell_normals

#: Degrees by which two triangles may be turned against each other and still make one four-sided face.
_QUAD = 5.0
#: The whole picture at the corners of a face: its lower left, lower right, upper right and upper left, v running up.
_WHOLE = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])


def at_chosen(layer: Layer, corners: Bool, values: F64) -> Layer:
    """The layer with other values at some corners; values that other corners use as well stay for them.

    corners: (C,) bool. values: (n, k) float64, one for each of these corners.
    """
    distinct, number = np.unique(values, axis=0, return_inverse=True)
    index = layer.index.copy()
    index[corners] = len(layer.values) + number.reshape(-1)
    both = np.concatenate([layer.values, distinct.astype(layer.values.dtype)])
    kept = np.zeros(len(both), bool)
    kept[index[index >= 0]] = True
    renumbered = np.cumsum(kept) - 1
    return Layer(frozen(both[kept]), frozen(np.where(index >= 0, renumbered[index], -1).astype(np.int32)))


def quads(mesh: Mesh, mask: Bool) -> list[list[int]]:
    """Four-sided faces among those of a mask, each as its corners in order: polygons of four, and pairs of triangles that lie flat and share
    their longest side.

    mask: (F,) bool.
    """
    out = [list(range(int(mesh.starts[f]), int(mesh.starts[f + 1]))) for f in np.flatnonzero(mask & (mesh.corner_counts == 4))]
    threes = np.flatnonzero(mask & (mesh.corner_counts == 3))
    if not len(threes):
        return out
    ids = surface(mesh).ids
    first = mesh.starts[:-1][threes]
    corners = first[:, None] + np.arange(3)
    points = mesh.positions[mesh.corners[corners]]
    lengths = np.linalg.norm(np.roll(points, -1, axis=1) - points, axis=2)
    normals = newell_normals(mesh)[threes]
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    longest = lengths.argmax(axis=1)
    begin = corners[np.arange(len(threes)), longest]
    end = corners[np.arange(len(threes)), (longest + 1) % 3]
    waiting: dict[tuple[int, int], int] = {}
    for k in range(len(threes)):
        a, b = int(ids[mesh.corners[begin[k]]]), int(ids[mesh.corners[end[k]]])
        other = waiting.pop((b, a), None)
        if other is None:
            waiting[a, b] = k
        elif float(normals[k] @ normals[other]) > np.cos(np.radians(_QUAD)):
            apex = lambda n: int(corners[n, (longest[n] + 2) % 3])
            # Two corners at either end of the diagonal, one of each triangle: the first triangle's stand for both.
            out.append([int(begin[other]), int(apex(k)), int(end[other]), int(apex(other))])
    return out


def full_image_uvs(mesh: Mesh, mask: Bool, quarter_turns: int) -> tuple[Array, F64, int]:
    """UVs by which each four-sided face of a mask shows the whole picture, the same way up along a strip.

    mask: (F,) bool. quarter_turns: how often the picture is turned by 90 degrees counter-clockwise.
    Returns (n,) int corners, their (n, 2) float64 UVs with v running up, and how many faces were laid.
    """
    faces = quads(mesh, mask)
    ids = surface(mesh).ids
    owner = face_of_corner(mesh)
    place = lambda corner: int(ids[mesh.corners[corner]])
    sides: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for number, loop in enumerate(faces):
        for k in range(4):
            a, b = place(loop[k]), place(loop[(k + 1) % 4])
            sides.setdefault((min(a, b), max(a, b)), []).append((number, k))
    # Which of its corners is the picture's lower left: carried on from a face to its neighbours, so that pictures stand one beside the other.
    start: dict[int, int] = {}
    for number in range(len(faces)):
        if number in start:
            continue
        start[number] = 0
        waiting = deque([number])
        while waiting:
            here = waiting.popleft()
            loop = faces[here]
            for k in range(4):
                a, b = place(loop[k]), place(loop[(k + 1) % 4])
                side = (k - start[here]) % 4
                for other, own in sides[min(a, b), max(a, b)]:
                    if other == here or other in start:
                        continue
                    # What is this one's right side is the other's left side, and so on round.
                    start[other] = (own - (side + 2)) % 4
                    waiting.append(other)
    corners: list[int] = []
    values: list[F64] = []
    for number, loop in enumerate(faces):
        for k, corner in enumerate(loop):
            uv = _WHOLE[(k - start[number] - quarter_turns) % 4]
            for same in _same_place(mesh, ids, owner, mask, loop, corner):
                corners.append(same)
                values.append(uv)
    return np.array(corners, np.int64), np.array(values, np.float64).reshape(-1, 2), len(faces)


def _same_place(mesh: Mesh, ids: Array, owner: Array, mask: Bool, loop: list[int], corner: int) -> list[int]:
    """Corners of the faces that a loop runs round which lie where one of its corners lies."""
    place = ids[mesh.corners[corner]]
    out = []
    for face in {int(owner[k]) for k in loop}:
        own: I64 = np.arange(mesh.starts[face], mesh.starts[face + 1])
        out += own[ids[mesh.corners[own]] == place].tolist()
    return out

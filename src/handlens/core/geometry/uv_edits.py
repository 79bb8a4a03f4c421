"""UVs of single faces moved, turned, and laid so that each face shows the whole picture."""

from __future__ import annotations

from collections import deque

import numpy as np

from ..scene import Layer, Mesh
from ..scene.model import frozen
from ..words.arrays import F64, Array, Bool
from .distinct import distinct_rows
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


def quads(mesh: Mesh, mask: Bool, ids: Array) -> list[list[list[int]]]:
    """Four-sided faces among those of a mask, each as its four places in order, each place as the corners that lie there: polygons of four,
    and pairs of triangles that lie flat and share their longest side.

    mask: (F,) bool. ids: (V,) int, equal where vertices lie in one place.
    """
    fours = mesh.starts[:-1][mask & (mesh.corner_counts == 4)]
    out = [[[first], [first + 1], [first + 2], [first + 3]] for first in fours.tolist()]
    threes = np.flatnonzero(mask & (mesh.corner_counts == 3))
    if not len(threes):
        return out
    corners = mesh.starts[:-1][threes][:, None] + np.arange(3)
    points = mesh.positions[mesh.corners[corners]]
    lengths = np.linalg.norm(np.roll(points, -1, axis=1) - points, axis=2)
    normals = newell_normals(mesh)[threes]
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    longest = lengths.argmax(axis=1)
    row = np.arange(len(threes))
    begin, end, apex = (corners[row, (longest + k) % 3] for k in range(3))
    side = np.stack([ids[mesh.corners[begin]], ids[mesh.corners[end]]], axis=1).tolist()
    waiting: dict[tuple[int, int], int] = {}
    for k, (a, b) in enumerate(side):
        other = waiting.pop((b, a), None)
        if other is None:
            waiting[a, b] = k
        elif float(normals[k] @ normals[other]) > np.cos(np.radians(_QUAD)):
            # One corner of each triangle lies at either end of the diagonal.
            shared = [int(begin[other]), int(end[k])], [int(end[other]), int(begin[k])]
            out.append([shared[0], [int(apex[k])], shared[1], [int(apex[other])]])
    return out


def full_image_uvs(mesh: Mesh, mask: Bool, quarter_turns: int) -> tuple[Array, F64, int]:
    """UVs by which each four-sided face of a mask shows the whole picture, the same way up along a strip.

    mask: (F,) bool. quarter_turns: how often the picture is turned by 90 degrees counter-clockwise.
    Returns (n,) int corners, their (n, 2) float64 UVs with v running up, and how many faces were laid.
    """
    ids = distinct_rows([mesh.positions])[0]
    faces = quads(mesh, mask, ids)
    places = ids[mesh.corners[[[place[0] for place in face] for face in faces]]].reshape(-1, 4).tolist()
    sides: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for number, face in enumerate(places):
        for k in range(4):
            a, b = face[k], face[(k + 1) % 4]
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
            face = places[here]
            for k in range(4):
                a, b = face[k], face[(k + 1) % 4]
                side = (k - start[here]) % 4
                # Once one face has told its neighbours along a side nobody need be told again.
                for other, own in sides.pop((min(a, b), max(a, b)), ()):
                    if other in start:
                        continue
                    # What is this one's right side is the other's left side, and so on round.
                    start[other] = (own - (side + 2)) % 4
                    waiting.append(other)
    corners: list[int] = []
    turned: list[int] = []
    for number, face in enumerate(faces):
        for k, place in enumerate(face):
            corners += place
            turned += [(k - start[number] - quarter_turns) % 4] * len(place)
    return np.array(corners, np.int64), _WHOLE[turned].reshape(-1, 2), len(faces)

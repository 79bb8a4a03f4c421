"""Openings closed with flat triangles."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene import Layer, Mesh
from ..scene.matrices import UP_NORMAL, unit_vectors
from ..scene.model import frozen
from ..words.arrays import F64, I32, I64, Array
from .adjacency import Edges, face_of_corner, joined_faces, next_corner
from .holes import widths
from .sums import sums_by
from .topology import surface
from .triangles import clip_ears, newell_normals


def filled(mesh: Mesh, across: float) -> tuple[Mesh, int, int]:
    """The mesh with its openings up to a size across closed; how many were, and how many of that size have a rim that branches.

    The new triangles come last. They run against the sides of the rim, take the vertices, UVs, normals and colours that the
    rim's own faces have there, and the slot of one of them.
    """
    top = surface(mesh, corners=True)
    edges = top.edges
    assert edges.corner is not None
    sides = edges.corner[edges.begins[:-1][edges.uses == 1]]
    if not len(sides):
        return mesh, 0, 0
    after, face = next_corner(mesh), face_of_corner(mesh)
    loops, branching = _loops(sides, top.ids[mesh.corners[sides]], top.ids[mesh.corners[after[sides]]])
    corners: list[Array] = []
    face_of_ear: list[int] = []
    skipped = sum(_across(mesh, rim) <= across for rim in branching)
    sheets = flat_sheets(mesh, top.edges)
    closed = 0
    for rim in loops:
        if _across(mesh, rim) > across or _outlines(mesh, rim, sheets[face[rim[0]]]):
            continue
        back = rim[::-1]
        ears = clip_ears(mesh.positions[mesh.corners[back]])
        if ears is None or len(ears) != len(rim) - 2:
            middle = np.arange(1, len(rim) - 1)
            ears = np.stack([np.zeros_like(middle), middle, middle + 1], axis=1)
        corners.append(back[ears].reshape(-1))
        face_of_ear += [int(face[rim[0]])] * len(ears)
        closed += 1
    if not closed:
        return mesh, 0, skipped
    new = np.concatenate(corners)
    layer = lambda x: None if x is None else Layer(x.values, frozen(np.concatenate([x.index, x.index[new]])))
    several = lambda xs: tuple(y for x in xs if (y := layer(x)) is not None)
    own = np.array(face_of_ear)
    made = replace(
        mesh,
        corners=frozen(np.concatenate([mesh.corners, mesh.corners[new]])),
        starts=frozen(np.concatenate([mesh.starts, mesh.starts[-1] + 3 * np.arange(1, len(own) + 1)])),
        slots=frozen(np.concatenate([mesh.slots, mesh.slots[own]])) if len(mesh.slots) else mesh.slots,
        smooth=None if mesh.smooth is None else frozen(np.concatenate([mesh.smooth, mesh.smooth[own]])),
        groups=None if mesh.groups is None else frozen(np.concatenate([mesh.groups, mesh.groups[own]])),
        uvs=several(mesh.uvs),
        colours=several(mesh.colours),
        tangents=layer(mesh.tangents),
        normals=_flat_normals(mesh, new),
    )
    return made, closed, skipped


def _flat_normals(mesh: Mesh, new: I64) -> Layer | None:
    """A flat patch is lit flat: each of its triangles has a normal of its own."""
    layer = mesh.normals
    if layer is None:
        return None
    points = mesh.positions[mesh.corners[new]].reshape(-1, 3, 3)
    normal = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    normal = unit_vectors(normal, UP_NORMAL)
    index = len(layer.values) + np.repeat(np.arange(len(normal), dtype=np.int32), 3)
    values = np.concatenate([layer.values, normal.astype(layer.values.dtype)])
    return Layer(frozen(values), frozen(np.concatenate([layer.index, index])))


def _across(mesh: Mesh, rim: I64) -> float:
    return float(widths(mesh.positions[mesh.corners[rim]], np.zeros(len(rim), np.int64), 1)[0])


def flat_sheets(mesh: Mesh, edges: Edges) -> F64:
    """(F,) float64 area of the flat piece that each face belongs to, 0 for faces of pieces that are not flat.

    A piece hangs together over edges; it is flat where its area is all but the length of the sum of its faces' area vectors.
    """
    turn = newell_normals(mesh) / 2
    label = joined_faces(edges.across, mesh.starts)
    count = int(label.max(initial=-1)) + 1
    whole = sums_by(label, turn, count)
    area = sums_by(label, np.linalg.norm(turn, axis=1), count)
    flat = np.linalg.norm(whole, axis=1) >= 0.9999 * area
    found: Array = np.where(flat, area, 0.0)[label]
    return found


def _outlines(mesh: Mesh, rim: I64, sheet: float) -> bool:
    """Whether a rim runs round a flat piece rather than round an opening in it: it spans at least as much as the piece has."""
    if not sheet:
        return False
    position = mesh.positions[mesh.corners[rim]]
    spans = float(np.linalg.norm(np.cross(position - position[0], np.roll(position, -1, axis=0) - position[0]).sum(axis=0))) / 2
    return spans >= 0.999 * sheet


def _loops(sides: I64, begin: I32, end: I32) -> tuple[list[Array], list[Array]]:
    """Rims as loops of corners in the direction of their sides, and those that branch or do not close."""
    following: dict[int, list[int]] = {}
    for k, at in enumerate(begin.tolist()):
        following.setdefault(at, []).append(k)
    ends = end.tolist()
    # At a point where many rims meet each is looked at once, however often one comes by.
    passed: dict[int, int] = {}
    left = set(range(len(sides)))
    loops: list[Array] = []
    branching: list[Array] = []
    for k in range(len(sides)):
        if k not in left:
            continue
        path, first = [], int(begin[k])
        simple = True
        while k in left:
            left.discard(k)
            path.append(k)
            onward = following.get(ends[k], [])
            simple &= len(onward) == 1
            if ends[k] == first or not onward:
                break
            at = passed.get(ends[k], 0)
            while at < len(onward) and onward[at] not in left:
                at += 1
            passed[ends[k]] = at
            k = onward[at] if at < len(onward) else onward[0]
        simple &= ends[path[-1]] == first and len(path) >= 3
        (loops if simple else branching).append(sides[np.array(path)])
    return loops, branching

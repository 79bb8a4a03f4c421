"""Unit, up axis, handedness, and the size and place of the whole that they give."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..scene import Scene
from ..scene.axes import to_y_up
from ..scene.matrices import apply
from ..scene.skinning import world_positions
from ..scene.transforms import walk, world_matrices
from ..words.arrays import F64
from .compared import Compared
from .rows import Row, differs, same
from .tolerances import EXTENT, UNIT
from .words import length

GROUP = "Size"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of unit, axes and the size of the whole."""
    a, b = compared.a, compared.b
    stated = lambda s: f"{s.unit_metres:g} m" if s.unit_metres is not None else "not stated"
    yield _stated("Unit", stated(a), stated(b), a.unit_metres == b.unit_metres or _close(a.unit_metres, b.unit_metres))
    yield _stated("Up axis", a.up_axis or "not stated", b.up_axis or "not stated", a.up_axis == b.up_axis)
    yield _stated("Handedness", a.handedness, b.handedness, a.handedness == b.handedness)
    box_a, box_b = _box(a), _box(b)
    if box_a is None or box_b is None:
        if (box_a is None) != (box_b is None):
            there = lambda x: "no" if x is None else "yes"
            yield differs(GROUP, "Something to draw", there(box_a), there(box_b), "lost" if box_b is None else "came")
        return
    unit_a, unit_b = a.unit_metres or 1.0, (b.unit_metres if b.unit_metres is not None else a.unit_metres) or 1.0
    shown = lambda v, unit, s: length(v * unit, 1.0 if s.unit_metres is not None else None)
    size_a, size_b = (box_a[1] - box_a[0]) * unit_a, (box_b[1] - box_b[0]) * unit_b
    farthest = max(float(np.abs(box_a).max()) * unit_a, 1e-12)
    tolerance = EXTENT * compared.step * farthest
    for what, axis in (("Height", 1), ("Width", 0), ("Depth", 2)):
        x, y = float(size_a[axis]), float(size_b[axis])
        words = shown(x, 1.0, a), shown(y, 1.0, b)
        off = abs(x - y)
        far = length(off, 1.0 if a.unit_metres is not None else None)
        yield same(GROUP, what, words[0]) if off <= tolerance else differs(GROUP, what, words[0], words[1], far)
    shift = float(np.abs((box_a[0] + box_a[1]) / 2 * unit_a - (box_b[0] + box_b[1]) / 2 * unit_b).max())
    if shift > tolerance:
        yield differs(GROUP, "Place of the middle", "", "", f"moved {length(shift, 1.0 if a.unit_metres is not None else None)}")
    else:
        yield same(GROUP, "Place of the middle", "")


def _stated(what: str, x: str, y: str, alike: bool) -> Row:
    return same(GROUP, what, x) if alike else differs(GROUP, what, x, y, "another")


def _close(x: float | None, y: float | None) -> bool:
    return x is not None and y is not None and abs(x - y) <= UNIT * abs(x)


def _box(scene: Scene) -> F64 | None:
    """(2, 3) lowest and highest corner of everything that is drawn, in units of the scene, Y up."""
    world = world_matrices(scene)
    turn = to_y_up(scene.up_axis)
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for i in walk(scene):
        number = scene.nodes[i].mesh
        if number is None or not scene.meshes[number].face_count:
            continue
        mesh = scene.meshes[number]
        points = mesh.positions if len(mesh.positions) <= 2 * len(mesh.corners) else mesh.positions[np.unique(mesh.corners)]
        if scene.nodes[i].skin is not None and mesh.weights is not None:
            places = world_positions(scene, i, world)
        else:
            places = points if (world[i] == np.eye(4)).all() else apply(world[i], points)
        places = places if (turn == np.eye(3)).all() else places @ turn.T
        with np.errstate(all="ignore"):
            box = _ends(places)
            if len(places) and not np.isfinite(box).all():
                places = places[np.isfinite(places).all(axis=1)]
                box = _ends(places)
        if len(places):
            low, high = np.minimum(low, box[0]), np.maximum(high, box[1])
    return None if np.isinf(low).any() else np.stack([low, high])


def _ends(points: F64) -> F64:
    """(2, 3) lowest and highest of (V, 3), column by column, which is many times faster than by rows."""
    if not len(points):
        return np.zeros((2, 3))
    return np.array([[points[:, k].min() for k in range(3)], [points[:, k].max() for k in range(3)]])

"""What hangs on corners, compared corner by corner: normals, tangents, UV sets, colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..scene import Layer, Mesh
from ..words.arrays import F64, I64, Array
from .faces import Faces, same_array


@dataclass(frozen=True)
class LayerDifference:
    """lost, made: corners of the first mesh that have a value in only one of the two. off: (C,) how far values lie apart,
    0 where they are the same within what the number type holds.
    """

    there: int
    there_now: int
    lost: I64
    made: I64
    off: F64

    @property
    def none(self) -> bool:
        return not (len(self.lost) or len(self.made) or self.off.any())

    def corners(self) -> I64:
        """Corners that differ in any way."""
        return np.union1d(np.union1d(self.lost, self.made), np.flatnonzero(self.off))


def layer_difference(a: Layer | None, b: Layer | None, faces: Faces, step: float, angle: bool = False) -> LayerDifference:
    """Compare a layer of two meshes at the corners that stand for each other.

    step: what a number type may cost of a value of 1; larger values may be off by as many times more. angle: directions, whose
    difference is told in degrees.
    """
    corner = faces.corner
    nothing = np.zeros(0, np.int64)
    there = lambda layer: layer is not None and bool(len(layer.values))
    count = lambda layer: int(np.count_nonzero(layer.index >= 0)) if layer is not None and len(layer.values) else 0
    if not there(a) and not there(b):
        return LayerDifference(0, 0, nothing, nothing, np.zeros(0))
    if a is not None and b is not None and _the_same(a, b, faces):
        return LayerDifference(count(a), count(b), nothing, nothing, np.zeros(0))
    met = corner >= 0
    own = a.index >= 0 if a is not None and there(a) else np.zeros(len(corner), bool)
    other = np.zeros(len(corner), bool)
    if b is not None and there(b):
        other[met] = b.index[corner[met]] >= 0
    lost, made = np.flatnonzero(met & own & ~other), np.flatnonzero(met & other & ~own)
    off = np.zeros(len(corner))
    both = np.flatnonzero(met & own & other)
    if len(both) and a is not None and b is not None:
        va, vb = a.values[a.index[both]], b.values[b.index[corner[both]]]
        off[both] = _row_distances(va, vb, step, angle)
    return LayerDifference(count(a), count(b), lost, made, off if off.any() else np.zeros(0))


def quantisation_step(layer: Layer | None) -> float:
    """How far a value may lie from what it was before it became a whole number of 8 or 16 bits, half a step; 0 where it is none.

    Source: glTF 2.0 §3.6.2.2, normalised integers: f = c / 255 and f = c / 65535.
    """
    if layer is None or not len(layer.values) or not np.isfinite(layer.values).all():
        return 0.0
    values = layer.values.astype(np.float64)
    for most in (255, 65_535):
        # To within what a 32-bit float holds of the quotient.
        if (np.abs(values * most - np.rint(values * most)) <= most * 2.0**-23).all():
            return 0.5 / most + 2.0**-22
    return 0.0


def _the_same(a: Layer, b: Layer, faces: Faces) -> bool:
    if a.values.shape != b.values.shape or len(a.index) != len(b.index) or not faces.straight:
        return False
    return np.array_equal(a.index, b.index) and (same_array(a.values, b.values) or np.array_equal(a.values, b.values))


def _row_distances(a: Array, b: Array, step: float, angle: bool) -> F64:
    """(n,) how far rows lie apart, 0 within the step. A missing fourth column counts as 1: alpha of a colour."""
    if a.shape[1] != b.shape[1]:
        wide = max(a.shape[1], b.shape[1])
        more = lambda v: np.column_stack([v, np.ones((len(v), wide - v.shape[1]))]) if v.shape[1] < wide else v
        a, b = more(a), more(b)
    with np.errstate(all="ignore"):
        apart = np.abs(a.astype(np.float64) - b)
        reach = np.maximum(1.0, np.abs(a))
        fine = (apart <= step * reach) | (a == b) | (np.isnan(a) & np.isnan(b))
        out = np.zeros(len(a))
        wrong = ~fine.all(axis=1)
        if not wrong.any():
            return out
        x, y = a[wrong].astype(np.float64), b[wrong].astype(np.float64)
        plain = np.nan_to_num(np.abs(x - y), nan=np.inf).max(axis=1)
        if angle:
            cross = np.linalg.norm(np.cross(x[:, :3], y[:, :3]), axis=1)
            turn = np.degrees(np.arctan2(cross, (x[:, :3] * y[:, :3]).sum(axis=1)))
            # A direction that only became longer, or lost its length, or changed its sign column, differs all the same.
            out[wrong] = np.where(turn > 0, turn, plain)
        else:
            out[wrong] = plain
    return out


def corner_attributes(mesh: Mesh, label: I64) -> F64:
    """(C, k) everything that hangs on the corners of a mesh, beside a label (F,) of each face; NaN for nothing.

    label: (F,) int.
    """
    columns = [np.repeat(label.astype(np.float64), mesh.corner_counts)[:, None]]
    columns += [layer.at_corners().astype(np.float64) for layer in mesh.layers() if len(layer.values)]
    return np.column_stack(columns)

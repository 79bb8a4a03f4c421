"""Keys that a curve needs: those that may go without moving anything farther than a tolerance."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from ..scene.model import Channel, Scene, frozen
from ..scene.motion import hermite, sample
from ..scene.sampled import fewer_vertices
from ..scene.skinning import posed
from ..scene.transforms import parents, walk, world_matrices
from ..scene.weighing import joint_reach, skeleton_of
from ..words.arrays import F64, I64, Array

#: Vertices of a mesh that a joint's reach is measured with.
_SAMPLES = 20_000


def reaches(scene: Scene) -> F64:
    """(N,) how far a turn of each node by a radian moves anything that it carries, at most, in the world at rest.

    Of a skin that rests as it was bound it is the greatest Σ w · |x - p| over the vertices, the sum being over the joint and all that
    hang on it, and of one that was posed since about that; of plain
    parts, and of nodes above joints, it is bounded from above by the ways down the tree. 0 for a node that carries nothing.
    """
    world, up = world_matrices(scene), parents(scene)
    plain, skinned = np.zeros(len(scene.nodes)), np.zeros(len(scene.nodes))
    joints = {j for skin in scene.skins for j in skin.joints}
    few = fewer_vertices(scene, _SAMPLES)
    for i, n in enumerate(few.nodes):
        if n.mesh is None or not len(few.meshes[n.mesh].positions):
            continue
        mesh = few.meshes[n.mesh]
        if n.skin is None or mesh.weights is None:
            with np.errstate(all="ignore"):
                plain[i] = max(plain[i], _finite(np.linalg.norm(mesh.positions @ world[i][:3, :3].T, axis=1).max()))
        elif few.skins[n.skin].joints:
            own = joint_reach(posed(few, i, world), mesh.weights, skeleton_of(few.skins[n.skin].joints, up, world))
            np.maximum.at(skinned, np.array(few.skins[n.skin].joints, np.int64), own)
    for i in reversed(walk(scene)):
        k = up[i]
        if k < 0:
            continue
        way = _finite(np.linalg.norm(world[i][:3, 3] - world[k][:3, 3]))
        if plain[i] > 0:
            plain[k] = max(plain[k], plain[i] + way)
        if skinned[i] > 0 and k not in joints:
            skinned[k] = max(skinned[k], skinned[i] + way)
    return np.asarray(np.maximum(plain, skinned))


def _finite(x: np.floating[Any]) -> float:
    return float(x) if np.isfinite(x) else 0.0


def tolerance_of(path: str, within: float, reach: float, above: float) -> float:
    """What a channel's values may be off so that nothing moves farther than `within`: an angle in radians, a length in the parent's
    frame, or a scale. reach: as `reaches` has it, above: how much the frame that the node hangs in enlarges.
    """
    if path == "translation":
        return within / max(above, 1e-12)
    return within / max(reach, 1e-12)


def needed(channel: Channel, tolerance: float) -> I64:
    """(k,) the keys of a channel that must stay so that it is nowhere off by more than a tolerance, by index.

    Rotations are held against each other as angles in radians, others as distances. From each key that stays, the farthest is looked
    for up to which a straight way serves all between: in doubled steps and then by halves, so that the work grows as n log n.
    Of a cubic spline the keys that stay keep their tangents, and it is held against the curve at all keys and between each two.
    A channel whose keys are not in order or hold no numbers keeps all.
    """
    times, values = channel.times.astype(np.float64), channel.values.astype(np.float64)
    count = len(times)
    every: Array = np.arange(count)
    cubic = channel.interpolation == "CUBICSPLINE"
    whole = values.ndim == 2 and len(values) == count * (3 if cubic else 1)
    if count < 3 or not whole or not np.isfinite(values).all() or not np.isfinite(times).all() or (np.diff(times) <= 0).any():
        return every
    if channel.interpolation == "STEP":
        changed = np.r_[True, _distances(channel.path, values[1:], values[:-1]) > tolerance]
        changed[-1] = True
        return np.flatnonzero(changed)
    serves = (
        _Curve(channel, times, values, tolerance).serves if cubic else _Straight(channel.path, times, values, tolerance).serves
    )
    stay, at = [0], 0
    while at < count - 1:
        step = 1
        while at + step < count - 1 and serves(at, min(at + 2 * step, count - 1)):
            step *= 2
        low, high = min(at + step, count - 1), min(at + 2 * step, count - 1)
        while low < high:
            middle = (low + high + 1) // 2
            if serves(at, middle):
                low = middle
            else:
                high = middle - 1
        at = low
        stay.append(at)
    return np.array(stay)


#: Keys up to which they are looked at one by one.
_FEW = 12


class _Straight:
    """Keys with straight ways between them. serves: whether the way from key a to key b meets all between."""

    def __init__(self, path: str, times: F64, values: F64, tolerance: float) -> None:
        self.path, self.times, self.values, self.tolerance = path, times, values, tolerance
        #: The same as plain numbers, rotations of length one: of a few keys at a time arrays cost more than what is worked out.
        self.turning = path == "rotation" and values.shape[1] == 4
        lengths = np.linalg.norm(values, axis=1, keepdims=True) if self.turning else 1.0
        self.at, self.rows = times.tolist(), (values / np.maximum(lengths, 1e-300)).tolist()

    def serves(self, a: int, b: int) -> bool:
        if b - a < 2:
            return True
        # The middle one first, which mostly tells.
        middle = (a + b) // 2
        if b - a > 8 and not self.meets(a, b, slice(middle, middle + 1)):
            return False
        return self.meets(a, b, slice(a + 1, b))

    def meets(self, a: int, b: int, at: slice) -> bool:
        if at.stop - at.start > _FEW:
            return _meets(self.path, self.times, self.values, a, b, at, self.tolerance)
        if self.turning:
            return self._turns(a, b, at)
        begin, end, length = self.rows[a], self.rows[b], self.at[b] - self.at[a]
        for k in range(at.start, at.stop):
            share = (self.at[k] - self.at[a]) / length
            off = [p + share * (q - p) - x for p, q, x in zip(begin, end, self.rows[k], strict=True)]
            far = math.sqrt(sum(x * x for x in off)) if self.path == "translation" else max(map(abs, off))
            if not far <= self.tolerance:
                return False
        return True

    def _turns(self, a: int, b: int, at: slice) -> bool:
        """As `_meets` does it for rotations."""
        px, py, pz, pw = self.rows[a]
        qx, qy, qz, qw = self.rows[b]
        dot = px * qx + py * qy + pz * qz + pw * qw
        if dot < 0:
            qx, qy, qz, qw, dot = -qx, -qy, -qz, -qw, -dot
        angle = math.acos(min(dot, 1.0))
        sine = math.sin(angle)
        begin, length = self.at[a], self.at[b] - self.at[a]
        for k in range(at.start, at.stop):
            share = (self.at[k] - begin) / length
            u, v = (1 - share, share) if sine < 1e-6 else (math.sin((1 - share) * angle) / sine, math.sin(share * angle) / sine)
            x, y, z, w = u * px + v * qx, u * py + v * qy, u * pz + v * qz, u * pw + v * qw
            tx, ty, tz, tw = self.rows[k]
            cosine = abs(x * tx + y * ty + z * tz + w * tw) / max(math.sqrt(x * x + y * y + z * z + w * w), 1e-300)
            if not 4 * math.asin(min(math.sqrt(max((1 - cosine) / 2, 0.0)), 1.0)) <= self.tolerance:
                return False
        return True


class _Curve:
    """A cubic spline. serves: whether one cubic from key a to key b meets the curve at all keys between and halfway between each two."""

    def __init__(self, channel: Channel, times: F64, values: F64, tolerance: float) -> None:
        self.path, self.tolerance = channel.path, tolerance
        self.rows = values.reshape(len(times), 3, -1)
        # Keys and the moments halfway between them, in turn.
        self.times = np.empty(2 * len(times) - 1)
        self.times[::2], self.times[1::2] = times, (times[1:] + times[:-1]) / 2
        self.values = sample(channel, self.times)

    def serves(self, a: int, b: int) -> bool:
        if b - a < 2:
            return True
        middle = a + b
        return (b - a <= 8 or self.meets(a, b, slice(middle, middle + 1))) and self.meets(a, b, slice(2 * a + 1, 2 * b))

    def meets(self, a: int, b: int, at: slice) -> bool:
        length = self.times[2 * b] - self.times[2 * a]
        share = ((self.times[at] - self.times[2 * a]) / length)[:, None]
        way = hermite(share, length, self.rows[a, 1], self.rows[a, 2], self.rows[b, 1], self.rows[b, 0])
        return bool((_distances(self.path, way, self.values[at]) <= self.tolerance).all())


def _meets(path: str, times: F64, values: F64, a: int, b: int, at: slice, tolerance: float) -> bool:
    share = ((times[at] - times[a]) / (times[b] - times[a]))[:, None]
    first, second = values[a], values[b]
    if path != "rotation" or len(first) != 4:
        return bool((_distances(path, first + share * (second - first), values[at]) <= tolerance).all())
    first, second = first / max(float(np.sqrt(first @ first)), 1e-300), second / max(float(np.sqrt(second @ second)), 1e-300)
    dot = float(first @ second)
    second, dot = (-second, -dot) if dot < 0 else (second, dot)
    angle = float(np.arccos(min(dot, 1.0)))
    sine = float(np.sin(angle))
    way = (
        first + share * (second - first)
        if sine < 1e-6
        else (np.sin((1 - share) * angle) * first + np.sin(share * angle) * second) / sine
    )
    return bool((_distances(path, way, values[at]) <= tolerance).all())


def _distances(path: str, a: F64, b: F64) -> F64:
    """(n,) angles between rotations in radians, else the greatest difference of a value."""
    if path == "rotation" and a.shape[1] == 4:
        na, nb = np.linalg.norm(a, axis=1), np.linalg.norm(b, axis=1)
        with np.errstate(all="ignore"):
            dot = np.abs(np.einsum("ij,ij->i", a, b)) / np.maximum(na * nb, 1e-300)
        # Twice the angle of the quaternion, by its sine: an arc cosine cannot tell angles under 0.02 degrees.
        return np.asarray(4 * np.arcsin(np.clip(np.sqrt(np.clip((1 - dot) / 2, 0, 1)), 0, 1)))
    return np.asarray(np.linalg.norm(a - b, axis=1) if path == "translation" else np.abs(a - b).max(axis=1))


def thinned(channel: Channel, tolerance: float) -> Channel:
    """The channel with the keys alone that it needs."""
    stay = needed(channel, tolerance)
    if len(stay) == len(channel.times):
        return channel
    rows = channel.values.reshape(len(channel.times), -1, channel.values.shape[1])[stay]
    return replace(channel, times=frozen(channel.times[stay].copy()), values=frozen(rows.reshape(-1, rows.shape[2])))

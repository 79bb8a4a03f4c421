"""Keys that a curve needs: those that may go without moving anything farther than a tolerance."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from .model import Array, Channel, Scene, frozen
from .motion import sample
from .transforms import parents, walk, world_matrices
from .weighing import owners

#: Vertices of a mesh that a joint's reach is measured with.
_SAMPLES = 20_000


def reaches(scene: Scene) -> Array:
    """(N,) how far from each node, in the world at rest, lies the farthest thing that it carries, bound from above: vertices of
    its mesh and of all below, and those that hang on a joint. 0 for a node that carries nothing.
    """
    world, up = world_matrices(scene), parents(scene)
    out = np.zeros(len(scene.nodes))
    for i, n in enumerate(scene.nodes):
        if n.mesh is None or not len(scene.meshes[n.mesh].positions):
            continue
        mesh = scene.meshes[n.mesh]
        if n.skin is None or mesh.weights is None:
            linear = np.abs(world[i][:3, :3])
            with np.errstate(all="ignore"):
                out[i] = max(out[i], _finite(np.linalg.norm(linear @ np.abs(mesh.positions).max(axis=0))))
            continue
        skin = scene.skins[n.skin]
        step = max(len(mesh.positions) // _SAMPLES, 1)
        owner = owners(mesh.weights)
        use = (owner % step == 0) & (mesh.weights.joints >= 0) & (mesh.weights.joints < len(skin.joints))
        use &= np.abs(mesh.weights.weights) > 1e-3
        nodes = np.array(skin.joints, np.int64)
        inverse = np.tile(np.eye(4), (len(nodes), 1, 1)) if skin.inverse_bind is None else skin.inverse_bind
        joint = mesh.weights.joints[use]
        local = np.einsum("eij,ej->ei", inverse[joint][:, :3, :3], mesh.positions[owner[use]]) + inverse[joint][:, :3, 3]
        away = np.linalg.norm(np.einsum("eij,ej->ei", world[nodes[joint]][:, :3, :3], local), axis=1)
        np.maximum.at(out, nodes[joint], np.where(np.isfinite(away), away, 0.0))
    for i in reversed(walk(scene)):
        if up[i] >= 0 and out[i] > 0:
            out[up[i]] = max(out[up[i]], out[i] + _finite(np.linalg.norm(world[i][:3, 3] - world[up[i]][:3, 3])))
    return out


def _finite(x: np.floating[Any]) -> float:
    return float(x) if np.isfinite(x) else 0.0


def tolerance_of(path: str, within: float, reach: float, above: float) -> float:
    """What a channel's values may be off so that nothing moves farther than `within`: an angle in radians, a length in the parent's
    frame, or a scale. reach: as `reaches` has it, above: how much the frame that the node hangs in enlarges.
    """
    if path == "translation":
        return within / max(above, 1e-12)
    return within / max(reach, 1e-12)


def needed(channel: Channel, tolerance: float) -> Array:
    """(k,) the keys of a linear or stepped channel that must stay so that it is nowhere off by more than a tolerance, by index.

    Rotations are held against each other as angles in radians, others as distances. From each key that stays, the farthest is looked
    for up to which a straight way serves all between: in doubled steps and then by halves, so that the work grows as n log n.
    A channel whose keys are not in order, hold no numbers, or are curved keeps all.
    """
    times, values = channel.times.astype(np.float64), channel.values.astype(np.float64)
    count = len(times)
    every: Array = np.arange(count)
    sound = values.ndim == 2 and len(values) == count and np.isfinite(values).all() and np.isfinite(times).all()
    if count < 3 or channel.interpolation == "CUBICSPLINE" or not sound or (np.diff(times) <= 0).any():
        return every
    if channel.interpolation == "STEP":
        changed = np.r_[True, _apart(channel.path, values[1:], values[:-1]) > tolerance]
        changed[-1] = True
        return np.flatnonzero(changed)
    stay, at = [0], 0
    while at < count - 1:
        step = 1
        while at + step < count - 1 and _serves(channel, times, values, at, min(at + 2 * step, count - 1), tolerance):
            step *= 2
        low, high = min(at + step, count - 1), min(at + 2 * step, count - 1)
        while low < high:
            middle = (low + high + 1) // 2
            if _serves(channel, times, values, at, middle, tolerance):
                low = middle
            else:
                high = middle - 1
        at = low
        stay.append(at)
    return np.array(stay)


def _serves(c: Channel, times: Array, values: Array, a: int, b: int, tolerance: float) -> bool:
    """Whether the straight way from key a to key b meets all between."""
    if b - a < 2:
        return True
    ends = replace(c, times=times[[a, b]], values=values[[a, b]])
    between = slice(a + 1, b)
    return bool((_apart(c.path, sample(ends, times[between]), values[between]) <= tolerance).all())


def _apart(path: str, a: Array, b: Array) -> Array:
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
    return replace(channel, times=frozen(channel.times[stay].copy()), values=frozen(channel.values[stay].copy()))

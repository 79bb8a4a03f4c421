"""Where morphed and skinned vertices stand: what the stage draws, and what a mend must leave unmoved."""

from __future__ import annotations

import numpy as np

from .matrices import apply, compose
from .model import Array, Channel, Clip, Scene, Skin
from .transforms import parents, world_matrices

#: Weights that are worked through together.
_AT_A_TIME = 1 << 18


def morph_weights(scene: Scene, node: int) -> tuple[float, ...]:
    """Weights of a node's morph targets, all zero left out: the node's own win over the mesh's (glTF 2.0 §3.7.2.2)."""
    n = scene.nodes[node]
    if n.mesh is None or not scene.meshes[n.mesh].morphs:
        return ()
    weights = n.morph_weights or scene.meshes[n.mesh].morph_weights
    return weights if any(weights) else ()


def shaped(scene: Scene, node: int) -> Array:
    """(V, 3) mesh-space positions with the stored morph weights applied: p + Σ wₖ · offsetₖ."""
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    points = mesh.positions
    for morph, weight in zip(mesh.morphs, morph_weights(scene, node), strict=False):
        if weight:
            points = points + weight * morph.positions
    return points


def posed(scene: Scene, node: int, world: Array | None = None) -> Array:
    """(V, 3) world positions of a node's mesh, its skin evaluated in the given pose.

    A skinned mesh ignores its own node's transform (glTF 2.0 §3.7.3.3): v' = Σ w_j · World_j · InverseBind_j · v.
    A vertex without weights stays at its own node. Morph targets are applied first, with their stored weights.
    """
    world = world_matrices(scene) if world is None else world
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    positions = shaped(scene, node)
    rigid = apply(world[node], positions)
    if n.skin is None or mesh.weights is None:
        return rigid
    skin, w = scene.skins[n.skin], mesh.weights
    joints = joint_matrices(skin, world)
    count = len(mesh.positions)
    owner = np.repeat(np.arange(count), np.diff(w.starts))
    out = np.zeros((count, 3))
    # So many weights at a time: their matrices would fill many times the memory of the mesh.
    for begin in range(0, len(owner), _AT_A_TIME):
        part = slice(begin, begin + _AT_A_TIME)
        named = w.joints[part]
        known = (named >= 0) & (named < len(joints))
        whose = owner[part][known]
        m = joints[named[known]]
        moved = np.einsum("eij,ej->ei", m[:, :3, :3], positions[whose]) + m[:, :3, 3]
        moved *= w.weights[part][known, None].astype(np.float64)
        for axis in range(3):
            out[:, axis] += np.bincount(whose, weights=moved[:, axis], minlength=count)
    free = np.bincount(owner, weights=np.abs(w.weights), minlength=count) == 0
    out[free] = rigid[free]
    return out


def joint_matrices(skin: Skin, world: Array) -> Array:
    """(J, 4, 4) World_j · InverseBind_j of a skin's joints."""
    joints = world[np.array(skin.joints, np.int64)].reshape(-1, 4, 4)
    return joints if skin.inverse_bind is None else joints @ skin.inverse_bind


def standing(scene: Scene, node: int, world: Array) -> Array:
    """(V, 3) world positions at which a node's mesh is measured: skinned where it has a skin, without morph targets elsewhere."""
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    if n.skin is None or mesh.weights is None:
        return apply(world[node], mesh.positions)
    return posed(scene, node, world)


def pose_at(scene: Scene, clip: Clip, seconds: float) -> Array:
    """(N, 4, 4) world matrices with a clip's channels sampled at a time."""
    local = {i: [n.translation, n.rotation, n.scale] for i, n in enumerate(scene.nodes)}
    driven: set[int] = set()
    for channel in clip.channels:
        if channel.node is None or channel.path not in ("translation", "rotation", "scale"):
            continue
        value = sample(channel, seconds)
        local[channel.node][("translation", "rotation", "scale").index(channel.path)] = tuple(value)
        driven.add(channel.node)
    up = parents(scene)
    world = np.tile(np.eye(4), (len(scene.nodes), 1, 1))
    stack = [i for i in range(len(scene.nodes)) if up[i] < 0]
    while stack:
        i = stack.pop()
        node = scene.nodes[i]
        own = compose(*local[i]) if i in driven or node.matrix is None else node.local
        world[i] = world[up[i]] @ own if up[i] >= 0 else own
        stack.extend(node.children)
    return world


def sample(channel: Channel, seconds: float) -> Array:
    """(n,) value of a channel at a time: STEP, LINEAR (slerp for rotations) or CUBICSPLINE (glTF 2.0 appendix C)."""
    t = channel.times.astype(np.float64)
    k = len(t)
    v = channel.values.astype(np.float64)
    cubic = channel.interpolation == "CUBICSPLINE"
    at = (lambda i: v[3 * i + 1]) if cubic else (lambda i: v[i])
    if seconds <= t[0]:
        return at(0)
    if seconds >= t[-1]:
        return at(k - 1)
    i = int(np.searchsorted(t, seconds, side="right")) - 1
    span = t[i + 1] - t[i]
    u = (seconds - t[i]) / span if span > 0 else 0.0
    if channel.interpolation == "STEP":
        return at(i)
    if cubic:
        p0, m0, p1, m1 = v[3 * i + 1], span * v[3 * i + 2], v[3 * i + 4], span * v[3 * i + 3]
        out = (2 * u**3 - 3 * u**2 + 1) * p0 + (u**3 - 2 * u**2 + u) * m0 + (-2 * u**3 + 3 * u**2) * p1 + (u**3 - u**2) * m1
        return out / np.linalg.norm(out) if channel.path == "rotation" else out
    a, b = at(i), at(i + 1)
    if channel.path != "rotation":
        return a + (b - a) * u
    d = float(a @ b)
    if d < 0:
        b, d = -b, -d
    if d > 0.9995:
        out = a + (b - a) * u
    else:
        angle = np.arccos(d)
        out = (np.sin((1 - u) * angle) * a + np.sin(u * angle) * b) / np.sin(angle)
    return out / np.linalg.norm(out)

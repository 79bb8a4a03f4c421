"""Where morphed and skinned vertices stand: what the stage draws, and what a mend must leave unmoved."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np

from ..words.arrays import F64, Array
from .matrices import apply
from .model import Scene, Skin, frozen
from .transforms import world_matrices
from .weighing import vertex_of_weight

#: Weights that are worked through together.
_AT_A_TIME = 1 << 18


def morph_weights(scene: Scene, node: int) -> tuple[float, ...]:
    """Weights of a node's morph targets, all zero left out: the node's own win over the mesh's (glTF 2.0 §3.7.2.2)."""
    n = scene.nodes[node]
    if n.mesh is None or not scene.meshes[n.mesh].morphs:
        return ()
    weights = n.morph_weights or scene.meshes[n.mesh].morph_weights
    return weights if any(weights) else ()


def morphed_positions(scene: Scene, node: int) -> F64:
    """(V, 3) mesh-space positions with the stored morph weights applied: p + Σ wₖ · offsetₖ."""
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    points = mesh.positions
    for morph, weight in zip(mesh.morphs, morph_weights(scene, node), strict=False):
        if weight:
            points = points + weight * morph.positions
    return points


def posed(scene: Scene, node: int, world: F64 | None = None) -> F64:
    """(V, 3) world positions of a node's mesh, its skin evaluated in the given pose.

    A skinned mesh ignores its own node's transform (glTF 2.0 §3.7.3.3): v' = Σ w_j · World_j · InverseBind_j · v.
    A vertex without weights stays at its own node. Morph targets are applied first, with their stored weights.

    world: (N, 4, 4) float64 world matrices of all nodes; those at rest where None.
    """
    world = world_matrices(scene) if world is None else world
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    positions = morphed_positions(scene, node)
    rigid = apply(world[node], positions)
    if n.skin is None or mesh.weights is None:
        return rigid
    skin, weights = scene.skins[n.skin], mesh.weights
    joints = joint_matrices(skin, world)
    count = len(mesh.positions)
    owner = vertex_of_weight(weights)
    out = np.zeros((count, 3))
    # So many weights at a time: their matrices would fill many times the memory of the mesh.
    for begin in range(0, len(owner), _AT_A_TIME):
        part = slice(begin, begin + _AT_A_TIME)
        named = weights.joints[part]
        known = (named >= 0) & (named < len(joints))
        whose = owner[part][known]
        joint = joints[named[known]]
        moved = np.einsum("eij,ej->ei", joint[:, :3, :3], positions[whose]) + joint[:, :3, 3]
        moved *= weights.weights[part][known, None].astype(np.float64)
        for axis in range(3):
            out[:, axis] += np.bincount(whose, weights=moved[:, axis], minlength=count)
    free = np.bincount(owner, weights=np.abs(weights.weights), minlength=count) == 0
    out[free] = rigid[free]
    return out


def joint_matrices(skin: Skin, world: F64) -> F64:
    """(J, 4, 4) World_j · InverseBind_j of a skin's joints.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    joints = world[np.array(skin.joints, np.int64)].reshape(-1, 4, 4)
    return joints if skin.inverse_bind is None else joints @ skin.inverse_bind


#: Skinned parts at rest, for as long as somebody measures: several stations ask for the same.
_at_rest: WeakKeyDictionary[Scene, dict[int, Array]] = WeakKeyDictionary()


def posed_at_rest(scene: Scene, node: int, world: F64) -> F64:
    """(V, 3) as `posed` has it for the pose at rest, worked out once for all who measure, until `forget_poses`. world: (N, 4, 4) at rest."""
    kept = _at_rest.setdefault(scene, {})
    if node not in kept:
        kept[node] = frozen(posed(scene, node, world))
    return kept[node]


def forget_poses() -> None:
    """Let go of what `posed_at_rest` keeps, 24 bytes a vertex."""
    _at_rest.clear()


def world_positions(scene: Scene, node: int, world: F64) -> F64:
    """(V, 3) world positions at which a node's mesh is measured: skinned where it has a skin, without morph targets elsewhere.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    if n.skin is None or mesh.weights is None:
        return apply(world[node], mesh.positions)
    return posed(scene, node, world)


def rest_world_positions(scene: Scene, node: int, world: F64) -> F64:
    """As `world_positions`, of skinned parts worked out once for all who measure. world: (N, 4, 4) at rest."""
    n = scene.nodes[node]
    skinned = n.mesh is not None and n.skin is not None and scene.meshes[n.mesh].weights is not None
    return posed_at_rest(scene, node, world) if skinned else world_positions(scene, node, world)

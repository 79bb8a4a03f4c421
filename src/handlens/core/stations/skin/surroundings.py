"""What stands round a skeleton: parts that it leaves behind, nodes that undo it, and its two sides."""

from __future__ import annotations

import numpy as np

from ...geometry.finite import finite_points
from ...measures import Measures
from ...scene import Scene
from ...scene.binding import bound_at
from ...scene.model import Array
from ...scene.skinning import posed
from ...scene.transforms import parents
from ...scene.weighing import Skeleton, heaviest_joint, owners
from ...words.sides import on_the_left, other_side
from .records import InverseFigures, LooseFigures, SidesFigures, WeightFigures

#: A loose part touches a skinned one where the gap is under this share of the model, and is part of it where it is no larger.
_TOUCHES, _LARGER = 0.05, 1.0
_SAMPLES = 2_000
_OF_THE_SKIN = 20_000
#: Weights of mirrored vertices that differ by more than this, where the surface agrees within such a share of its size.
_DIFFERS, _SAME_PLACE, _MIRRORED = 0.05, 2e-3, 0.8
#: Pairs of sides that are compared.
_MOST_PAIRS = 200


def loose_parts(
    scene: Scene, m: Measures, world: Array, skeletons: list[Skeleton], parts: list[WeightFigures]
) -> list[LooseFigures]:
    """Parts that touch a skinned one and that no joint carries, with the joint that carries what they touch."""
    up = parents(scene)
    joints = {j for s in scene.skins for j in s.joints}
    carried = [p for p in parts if p.skin is not None and p.weighted and scene.skins[p.skin].joints]
    carried = [p for p in carried if p.bare < p.vertices]
    own = {p.node for p in parts if p.skin is not None}
    free = [p for p in m.parts if p.node not in own and p.bounds_min is not None and not _hangs(p.node, joints, up)]
    if not carried or not free:
        return []
    clouds, whose = [], []
    for p in carried:
        points = posed(scene, p.node, world)
        step = max(len(points) * len(carried) // _OF_THE_SKIN, 1)
        heavy = heaviest_joint(scene.meshes[p.mesh])[::step]
        use = np.isfinite(points[::step]).all(axis=1) & (heavy >= 0) & (heavy < len(scene.skins[p.skin or 0].joints))
        clouds.append(points[::step][use])
        whose.append(np.array(scene.skins[p.skin or 0].joints, np.int64)[heavy[use]])
    cloud, node_of = np.concatenate(clouds), np.concatenate(whose)
    if not len(cloud):
        return []
    from scipy.spatial import cKDTree

    tree = cKDTree(cloud)
    low, high = cloud.min(axis=0), cloud.max(axis=0)
    size = float(np.linalg.norm(high - low))
    out = []
    for x in free:
        a, b = np.array(x.bounds_min), np.array(x.bounds_max)
        if np.linalg.norm(b - a) > _LARGER * size or (np.maximum(a - high, low - b) > _TOUCHES * size).any():
            continue
        mesh = scene.meshes[x.mesh]
        points = finite_points(mesh.positions[:: max(len(mesh.positions) // _SAMPLES, 1)])
        with np.errstate(all="ignore"):
            gaps, nearest = tree.query(points @ world[x.node][:3, :3].T + world[x.node][:3, 3])
        if len(gaps) and gaps.min() <= _TOUCHES * size:
            out.append(LooseFigures(x.node, int(node_of[nearest[gaps.argmin()]]), float(gaps.min())))
    return out


def _hangs(node: int, joints: set[int], up: list[int]) -> bool:
    """Whether a node is a joint or hangs on one."""
    while node >= 0:
        if node in joints:
            return True
        node = up[node]
    return False


def inverses(scene: Scene, up: list[int], parts: list[WeightFigures]) -> list[InverseFigures]:
    """Skinned parts whose own node undoes the scale of a node above it that their joints hang on too."""
    over_joints: set[int] = set()
    for s in scene.skins:
        for j in s.joints:
            k = up[j]
            while k >= 0 and k not in over_joints:
                over_joints.add(k)
                k = up[k]
    out = []
    for p in parts:
        own = _even(scene, p.node)
        above, i = 1.0, up[p.node]
        if p.skin is None or own is None or abs(own - 1) < 0.01:
            continue
        while i >= 0:
            factor = _even(scene, i)
            above *= factor or 1.0
            if i in over_joints and factor is not None and abs(factor - 1) > 0.01 and abs(own * above - 1) < 1e-3:
                out.append(InverseFigures(p.node, i, own, factor))
                break
            i = up[i]
    return out


def _even(scene: Scene, node: int) -> float | None:
    """The one scale of a node; None where it has several."""
    sizes = np.linalg.norm(scene.nodes[node].local[:3, :3], axis=0)
    return float(sizes[0]) if np.isfinite(sizes).all() and np.ptp(sizes) <= 1e-4 * sizes.max() else None


def sides(scene: Scene, parts: list[WeightFigures], skeletons: list[Skeleton]) -> list[SidesFigures]:
    """Pairs of joints of both sides whose weights differ although the surface is the same on both, by mirrored vertices."""
    out = []
    seen: set[int] = set()
    for p in parts:
        if p.skin is None or not p.weighted or p.mesh in seen:
            continue
        seen.add(p.mesh)
        out += _sides_of(scene, p, skeletons[p.skin])
    return out


def _sides_of(scene: Scene, p: WeightFigures, bones: Skeleton) -> list[SidesFigures]:
    skin, mesh = scene.skins[p.skin or 0], scene.meshes[p.mesh]
    names = [scene.part_name(j) for j in skin.joints]
    at = {name: k for k, name in reversed(list(enumerate(names)))}
    pairs = [(k, at[o]) for k, n in enumerate(names) if on_the_left(n) and (o := other_side(n)) in at][:_MOST_PAIRS]
    w = mesh.weights
    if not pairs or w is None or not np.isfinite(mesh.positions).all() or len(mesh.positions) < 8:
        return []
    from .symmetry import mirror_of

    places = bound_at(skin)[:, :3, 3]
    with np.errstate(all="ignore"):
        apart = np.nan_to_num(np.abs(sum(places[a] - places[b] for a, b in pairs)))
    here, there = mirror_of(mesh.positions, int(np.argmax(apart)), _SAME_PLACE, _SAMPLES)
    matched = there >= 0
    if np.count_nonzero(matched) < _MIRRORED * len(here):
        return []
    here, there = here[matched], there[matched]
    out = []
    owner, count = owners(w), len(mesh.positions)
    for left, right in pairs:
        on_left = np.bincount(owner, np.where(w.joints == left, w.weights, 0), count)
        on_right = np.bincount(owner, np.where(w.joints == right, w.weights, 0), count)
        apart = np.abs(on_left[here] - on_right[there])
        wrong = int(np.count_nonzero(apart > _DIFFERS))
        if wrong:
            out.append(SidesFigures(p.node, skin.joints[left], skin.joints[right], wrong, float(apart.max()), len(here)))
    return out

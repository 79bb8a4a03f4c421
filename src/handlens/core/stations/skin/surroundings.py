"""What stands round a skeleton: parts that it leaves behind, nodes that undo it, and its two sides."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from ...geometry.sums import sums_by
from ...geometry.triangles import triangulate
from ...measures import Measures
from ...reduction.nearest import Tree
from ...scene import Mesh, Scene
from ...scene.binding import bound_at
from ...scene.skinning import posed_at_rest
from ...scene.transforms import parents
from ...scene.weighing import Skeleton, heaviest_joint, vertex_of_weight
from ...words.arrays import F64, Array
from ...words.sides import on_the_left, other_side
from .records import InverseFigures, LooseFigures, SidesFigures, WeightFigures

#: A loose part touches a skinned one where the gap is under this share of the model, and is part of it where it is no larger.
_TOUCHES, _LARGER = 0.05, 1.0
_SAMPLES = 2_000
#: Weights of mirrored vertices that differ by more than this, where the surface agrees within such a share of its size.
_DIFFERS, _SAME_PLACE, _MIRRORED = 0.05, 2e-3, 0.8
#: Pairs of sides that are compared.
_MOST_PAIRS = 200


def loose_parts(
    scene: Scene, measures: Measures, world: F64, skeletons: list[Skeleton], parts: list[WeightFigures]
) -> list[LooseFigures]:
    """Parts that touch a skinned one and that no joint carries, with the joint that carries what they touch.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    up = parents(scene)
    joints = {j for skin in scene.skins for j in skin.joints}
    carried = [part for part in parts if part.skin is not None and part.weighted and scene.skins[part.skin].joints]
    carried = [p for p in carried if p.bare < p.vertices]
    own = {part.node for part in parts if part.skin is not None}
    free = [
        part
        for part in measures.parts
        if part.node not in own and part.bounds_min is not None and not _hangs(part.node, joints, up)
    ]
    if not carried or not free:
        return []
    bodies = [_Body(scene, p, world) for p in carried]
    bodies = [b for b in bodies if len(b.triangles)]
    if not bodies:
        return []
    low, high = np.min([b.low for b in bodies], axis=0), np.max([b.high for b in bodies], axis=0)
    size = float(np.linalg.norm(high - low))
    out = []
    for x in free:
        a, b = np.array(x.bounds_min), np.array(x.bounds_max)
        if np.linalg.norm(b - a) > _LARGER * size or (np.maximum(a - high, low - b) > _TOUCHES * size).any():
            continue
        mesh = scene.meshes[x.mesh]
        with np.errstate(all="ignore"):
            points = mesh.positions @ world[x.node][:3, :3].T + world[x.node][:3, 3]
        near = [body.gap(points, mesh, _TOUCHES * size) for body in bodies if body.reaches(a, b, _TOUCHES * size)]
        gap, joint = min((n for n in near if n is not None), default=(np.inf, -1))
        if gap <= _TOUCHES * size:
            out.append(LooseFigures(x.node, joint, gap))
    return out


class _Body:
    """The surface of a skinned part, as it stands at rest."""

    def __init__(self, scene: Scene, part: WeightFigures, world: F64) -> None:
        mesh, joints = scene.meshes[part.mesh], scene.skins[part.skin or 0].joints
        self.points = posed_at_rest(scene, part.node, world)
        heavy = heaviest_joint(mesh)
        known = (heavy >= 0) & (heavy < len(joints))
        self.joint = np.where(known, np.array(joints, np.int64)[np.where(known, heavy, 0)], -1)
        triangles = mesh.corners[triangulate(mesh)[0]].astype(np.int64)
        sound = known & np.isfinite(self.points).all(axis=1)
        self.triangles = triangles[sound[triangles].all(axis=1)]
        used = self.points[self.triangles.reshape(-1)] if len(self.triangles) else np.zeros((1, 3))
        self.low: Array = used.min(axis=0)
        self.high: Array = used.max(axis=0)

    @cached_property
    def tree(self) -> Tree:
        return Tree(self.points, self.triangles)

    def reaches(self, low: F64, high: F64, within: float) -> bool:
        """Whether a box lies within a distance of the surface's own.

        low, high: (3,) float64, in the world.
        within: in the world's unit.
        """
        return not (np.maximum(low - self.high, self.low - high) > within).any()

    def gap(self, points: F64, mesh: Mesh, within: float) -> tuple[float, int] | None:
        """How far another surface is from this one, and the joint that carries what is nearest; None where nothing can be told.

        points: (V, 3) of its vertices in the world. Both ways: a large face may lie by a small thing without a vertex near it.
        """
        found: list[tuple[float, int]] = []
        sound = np.asarray(np.isfinite(points).all(axis=1))
        some = points[sound][:: max(int(sound.sum()) // _SAMPLES, 1)]
        if len(some):
            near = self.tree.nearest(some)
            k = int(near.distance.argmin())
            corner = self.triangles[near.triangle[k], int(near.weight[k].argmax())]
            found.append((float(near.distance[k]), int(self.joint[corner])))
        faces = mesh.corners[triangulate(mesh)[0]].astype(np.int64)
        faces = faces[sound[faces].all(axis=1)]
        if len(faces):
            corners, close = points[faces.reshape(-1)], np.unique(self.triangles)
            low, high = corners.min(axis=0), corners.max(axis=0)
            outside: Array = np.maximum(low - self.points[close], self.points[close] - high).max(axis=1)
            close = np.asarray(close)[outside <= within]
            close = close[:: max(len(close) // _SAMPLES, 1)]
            if len(close):
                near = Tree(points, faces).nearest(self.points[close])
                k = int(near.distance.argmin())
                found.append((float(near.distance[k]), int(self.joint[close[k]])))
        return min(found, default=None)


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
    for skin in scene.skins:
        for j in skin.joints:
            k = up[j]
            while k >= 0 and k not in over_joints:
                over_joints.add(k)
                k = up[k]
    out = []
    for part in parts:
        own = _even(scene, part.node)
        above, i = 1.0, up[part.node]
        if part.skin is None or own is None or abs(own - 1) < 0.01:
            continue
        while i >= 0:
            factor = _even(scene, i)
            above *= factor or 1.0
            if i in over_joints and factor is not None and abs(factor - 1) > 0.01 and abs(own * above - 1) < 1e-3:
                out.append(InverseFigures(part.node, i, own, factor))
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
    for part in parts:
        if part.skin is None or not part.weighted or part.mesh in seen:
            continue
        seen.add(part.mesh)
        out += _sides_of(scene, part, skeletons[part.skin])
    return out


def _sides_of(scene: Scene, figures: WeightFigures, bones: Skeleton) -> list[SidesFigures]:
    skin, mesh = scene.skins[figures.skin or 0], scene.meshes[figures.mesh]
    names = [scene.part_name(j) for j in skin.joints]
    at = {name: k for k, name in reversed(list(enumerate(names)))}
    pairs = [(k, at[opposite]) for k, n in enumerate(names) if on_the_left(n) and (opposite := other_side(n)) in at][:_MOST_PAIRS]
    weights = mesh.weights
    if not pairs or weights is None or not np.isfinite(mesh.positions).all() or len(mesh.positions) < 8:
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
    owner, count = vertex_of_weight(weights), len(mesh.positions)
    for left, right in pairs:
        on_left = sums_by(owner, np.where(weights.joints == left, weights.weights, 0), count)
        on_right = sums_by(owner, np.where(weights.joints == right, weights.weights, 0), count)
        apart = np.abs(on_left[here] - on_right[there])
        wrong = int(np.count_nonzero(apart > _DIFFERS))
        if wrong:
            out.append(SidesFigures(figures.node, skin.joints[left], skin.joints[right], wrong, float(apart.max()), len(here)))
    return out

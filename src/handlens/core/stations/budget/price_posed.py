"""What reducing costs where a part moves: the distance between its surface before and after in poses of its clips, and with each joint turned."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import NamedTuple

import numpy as np

from ...declare.mend import Figure
from ...edit.tree import below
from ...geometry.triangles import triangulate
from ...limits import plural
from ...reduction.price import Surface, distances
from ...scene import Mesh, Scene, Skin
from ...scene.matrices import compose
from ...scene.motion import worlds_at
from ...scene.skinning import posed
from ...scene.transforms import world_matrices
from ...words.arrays import F64, Array
from ...words.figures import about

#: By how much a joint is turned about each of its axes (common practice, no published source).
PULL_DEGREES = 30.0
#: Skinned parts that are looked at, the largest first; triangles in all poses together, and poses at the least and at the most.
_PARTS, _TRIANGLES, _FEWEST, _MOST = 4, 1_500_000, 8, 32
#: Samples of each surface in one pose, and as many points of it besides: so many a triangle, and at the most.
_EACH, _SAMPLES = 2, 4_000


class Pose(NamedTuple):
    """what: in words. world: (N, 4, 4) world matrices of all nodes."""

    what: str
    world: Array


class Worst(NamedTuple):
    """greatest: distance in world units. what: in which pose. poses: how many were looked at."""

    greatest: float
    what: str
    poses: int


def posed_price(before: Scene, after: Scene, reduced: set[int]) -> list[Figure]:
    """A figure on skinned parts in motion; none where no reduced mesh is skinned. reduced: numbers of meshes."""
    skinned = [
        i for i, n in enumerate(before.nodes) if n.mesh in reduced and n.skin is not None and _mesh(before, i).weights is not None
    ]
    skinned = sorted(skinned, key=lambda i: -_mesh(before, i).triangle_count)[:_PARTS]
    total = sum(_mesh(before, i).triangle_count for i in skinned)
    most = int(np.clip(_TRIANGLES / max(total, 1), _FEWEST, _MOST))
    found = [worst_posed(before, after, i, most) for i in skinned]
    if not found:
        return []
    worst = max(found, key=lambda w: w.greatest)
    poses = plural(sum(w.poses for w in found), "pose")
    far = about(worst.greatest * (before.unit_metres or 1.0)) if worst.greatest > 1e-9 else "0"
    return [
        Figure(f"greatest distance in {poses}, of clips and of joints turned by {PULL_DEGREES:g}°", "0", f"{far}, {worst.what}")
    ]


def worst_posed(before: Scene, after: Scene, node: int, most: int = _MOST) -> Worst:
    """The greatest distance between a skinned part before and after. node: which shows it on both sides. most: poses that are looked at."""
    greatest, what, count = 0.0, "at rest", 0
    samples = min(_EACH * _mesh(before, node).triangle_count, _SAMPLES)
    for pose in poses_of(before, node, most):
        off = distances(_surface(before, node, pose.world), _surface(after, node, pose.world), samples, samples)[0]
        count += 1
        if off > greatest:
            greatest, what = off, pose.what
    return Worst(greatest, what, count)


def poses_of(scene: Scene, node: int, most: int) -> list[Pose]:
    """About so many poses of a node's skin: moments of every clip that moves a joint of it, half of all at most, and its joints turned, the
    heaviest first, about each of their own axes."""
    clips = list(_clips(scene, node, most // 2))
    return [*clips, *islice(_pulls(scene, node), most - len(clips))]


def _clips(scene: Scene, node: int, most: int) -> Iterator[Pose]:
    joints = _skin(scene, node).joints
    moving = [clip for clip in scene.clips if any(x.node in joints for x in clip.channels) and clip.seconds > 0]
    for clip in moving[:most]:
        at = np.linspace(0, clip.seconds, max(most // len(moving), 1) + 1)[1:]
        for moment, world in zip(at, worlds_at(scene, clip, at), strict=True):
            yield Pose(f"{clip.name or 'a clip'} at {moment:.2f} s", world)


def _pulls(scene: Scene, node: int) -> Iterator[Pose]:
    skin, weights = _skin(scene, node), _mesh(scene, node).weights
    assert weights is not None
    rest = world_matrices(scene)
    known = (weights.joints >= 0) & (weights.joints < len(skin.joints))
    held = np.bincount(weights.joints[known], np.abs(weights.weights[known]), minlength=len(skin.joints))
    for k in np.argsort(-held, kind="stable").tolist():
        joint = skin.joints[k]
        if held[k] > 0 and abs(np.linalg.det(rest[joint])) > 1e-30:
            for axis in range(3):
                yield Pose(
                    f"{scene.nodes[joint].name or 'a joint'} turned about its {'XYZ'[axis]}",
                    pulled_world(scene, rest, joint, axis),
                )


def pulled_world(scene: Scene, rest: F64, joint: int, axis: int) -> F64:
    """(N, 4, 4) world matrices with a joint turned about one of its own axes, and all that hangs on it. rest: (N, 4, 4) as it stands."""
    half = np.radians(PULL_DEGREES) / 2
    turn = [0.0, 0.0, 0.0, float(np.cos(half))]
    turn[axis] = float(np.sin(half))
    own = compose((0.0, 0.0, 0.0), tuple(turn), (1.0, 1.0, 1.0))
    carried = sorted({joint, *below(scene, [joint])})
    out = rest.copy()
    out[carried] = rest[joint] @ own @ np.linalg.inv(rest[joint]) @ rest[carried]
    return out


def _skin(scene: Scene, node: int) -> Skin:
    skin = scene.nodes[node].skin
    assert skin is not None
    return scene.skins[skin]


def _mesh(scene: Scene, node: int) -> Mesh:
    mesh = scene.nodes[node].mesh
    assert mesh is not None
    return scene.meshes[mesh]


def _surface(scene: Scene, node: int, world: F64) -> Surface:
    mesh = _mesh(scene, node)
    return Surface(posed(scene, node, world), mesh.corners[triangulate(mesh)[0]].astype(np.int64))

"""What Skin measures: the weights of each part, and the joints of each skin."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from ...declare.station_measures import StationMeasures
from ...geometry.finite import finite_points
from ...geometry.sums import sums_by
from ...measures import Measures
from ...scene import Mesh, Scene, Skin, Weights
from ...scene.binding import bound_at, departures, own_departures, placed_by, placings, singular, stretches
from ...scene.matrices import Polar, apply
from ...scene.skinning import joint_matrices, morphed_positions, posed_at_rest
from ...scene.transforms import parents, walk, world_matrices
from ...scene.weighing import Skeleton, displacement, limited, ranks, row_sums, skeleton_of, vertex_of_weight, weights_where
from ...words.arrays import F64, I64, Array
from .records import CutFigures, JointFigures, RigFigures, SkinMeasures, SkinOfModel, WeightFigures
from .surroundings import inverses, loose_parts, sides

#: Sums of weights that lie farther from 1 than this are told, and those that make something visible. A byte holds steps of 0.004.
SLIGHTLY, OFF = 1e-3, 1e-2
#: A weight under this moves nothing that could be seen, and takes a place.
DUST = 1e-3
#: Limits for which the price is measured, and vertices that are looked at for each: those that lose most.
LIMITS = (1, 2, 3, 4, 8)
_LOOKED_AT = 4_096
#: Influences up to which weights are laid out as a table.
_DENSE = 16
_LONGEST_HISTOGRAM = 64


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> SkinMeasures:
    """Measure what Skin alone asks for. arrays: where elements go, int32."""
    world, up = world_matrices(scene), parents(scene)
    here = walk(scene)
    order = [i for i in here if scene.nodes[i].mesh is not None]
    skeletons = [skeleton_of(skin.joints, up, world) for skin in scene.skins]
    placing = placings(scene, world)
    parts = [
        _weights(scene, i, world, skeletons, placing, arrays)
        for i in order
        if scene.nodes[i].skin is not None or scene.meshes[scene.nodes[i].mesh or 0].weights is not None
    ]
    of_skin: dict[int | None, list[WeightFigures]] = {}
    for x in parts:
        of_skin.setdefault(x.skin, []).append(x)
    boxes = {part.node: (part.bounds_min, part.bounds_max) for part in measures.parts if part.bounds_min is not None}
    held = set(here)
    skins = [
        _skin(scene, k, up, world, skeletons[k], placing[k], of_skin.get(k, []), boxes, held) for k in range(len(scene.skins))
    ]
    skins = _agreement(scene, skins)
    return SkinMeasures(
        parts,
        skins,
        loose_parts(scene, measures, world, skeletons, parts),
        inverses(scene, up, parts),
        sides(scene, parts, skeletons),
    )


OWN = StationMeasures("skin", SkinMeasures, take, reads=("nodes", "meshes", "skins"))


def _weights(
    scene: Scene, node: int, world: F64, skeletons: list[Skeleton], placing: list[F64], arrays: dict[str, Array]
) -> WeightFigures:
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    made = WeightFigures(node, scene.part_name(node), n.mesh, n.skin, len(mesh.positions), mesh.weights is not None)
    if mesh.weights is None:
        return made
    made = _rows(made, mesh, len(scene.skins[n.skin].joints) if n.skin is not None else None, arrays)
    if n.skin is None or not scene.skins[n.skin].joints:
        return made
    bones, skin = skeletons[n.skin], scene.skins[n.skin]
    points = posed_at_rest(scene, node, world)
    made = _cuts(made, mesh, points, bones)
    matrices = joint_matrices(skin, world)
    # Without bind matrices the surface was made where its own node stands.
    placed = world[node] if skin.inverse_bind is None else placing[n.skin]
    if np.abs(matrices - placed).max(initial=0.0) > 1e-9 * max(float(np.abs(matrices).max(initial=0.0)), 1e-300):
        away = points - apply(placed, morphed_positions(scene, node))
        carried = row_sums(mesh.weights, mesh.weights.weights.astype(np.float64)) > 0.5
        made = replace(made, bind_moves=_farthest(away[carried]))
    # The node's own transform moves its box's corners farthest.
    own = finite_points(points)
    if len(own):
        low, high = own.min(axis=0), own.max(axis=0)
        corners = np.array([[(low, high)[(k >> a) & 1][a] for a in range(3)] for k in range(8)])
        made = replace(made, own_moves=_farthest(apply(world[node], corners) - corners))
    return made


def _farthest(distances: F64) -> float:
    with np.errstate(all="ignore"):
        far = np.sqrt(np.einsum("ij,ij->i", distances, distances)) if len(distances) else np.zeros(0)
    far = far[np.isfinite(far)]
    return float(far.max(initial=0.0))


def _rows(figures: WeightFigures, mesh: Mesh, joints: int | None, arrays: dict[str, Array]) -> WeightFigures:
    """Figures of the weights by themselves. joints: how many the skin has, None where there is no skin."""
    weights = mesh.weights
    assert weights is not None
    vertices, owner, values = len(mesh.positions), vertex_of_weight(weights), weights.weights.astype(np.float64)
    real = np.isfinite(values)
    total = sums_by(owner, np.where(real, values, 0.0), vertices)
    heavy = sums_by(owner, np.where(real, np.abs(values), 0.0), vertices)
    some = lambda entries: np.unique(owner[entries])
    not_finite = some(~real)
    bare = np.setdiff1d(np.flatnonzero(heavy == 0), not_finite)
    off = np.abs(total - 1)
    off[bare] = 0.0
    off[not_finite] = 0.0
    wrong, slightly = np.flatnonzero(off > OFF), np.flatnonzero((off > SLIGHTLY) & (off <= OFF))
    negative = some(real & (values < 0))
    dust = some(real & (values > 0) & (values < DUST))
    beyond = some((weights.joints < 0) | (weights.joints >= joints)) if joints is not None else np.zeros(0, np.int64)
    pairs = owner * (int(weights.joints.max(initial=0)) + 2) + weights.joints
    order = np.sort(pairs)
    repeated = np.unique(owner[np.isin(pairs, order[1:][order[1:] == order[:-1]])]) if len(order) else np.zeros(0, np.int64)
    for name, found in (
        ("bare", bare),
        ("off-sum", wrong),
        ("slightly", slightly),
        ("negative", negative),
        ("not-finite", not_finite),
        ("dust", dust),
        ("beyond", beyond),
        ("repeated", repeated),
        ("influences", _most_first(np.diff(weights.starts))),
    ):
        if len(found):
            arrays[f"{figures.node}:{name}"] = found
    counts = np.minimum(np.diff(weights.starts), _LONGEST_HISTOGRAM)
    used = np.unique(weights.joints) if len(weights.joints) else np.zeros(0, np.int32)
    whole = len(bare) == 0 and len(used) == 1 and bool((np.diff(weights.starts) == 1).all()) and len(wrong) == 0
    return replace(
        figures,
        bare=len(bare),
        off_sum=len(wrong),
        worst_sum=float(total[int(off.argmax())]) if vertices and off.any() else 1.0,
        slightly_off=len(slightly),
        negative=len(negative),
        least=float(values[real].min(initial=0.0)),
        not_finite=len(not_finite),
        dust=len(dust),
        smallest=float(values[real & (values > 0)].min(initial=1.0)),
        beyond=len(beyond),
        beyond_joint=int(weights.joints.max(initial=-1)) if len(beyond) else -1,
        repeated=len(repeated),
        histogram=np.bincount(counts).tolist() if vertices else [],
        only_joint=int(used[0]) if whole else -1,
    )


def _most_first(counts: I64) -> I64:
    """Vertices that more than one joint carries, those with most first: whatever the limit is, those past it lead."""
    several = np.flatnonzero(counts > 1)
    return several[np.argsort(-counts[several], kind="stable")]


def _cuts(figures: WeightFigures, mesh: Mesh, points: F64, bones: Skeleton) -> WeightFigures:
    """What limiting influences and dropping dust would move."""
    weights = mesh.weights
    assert weights is not None
    counts, out = np.diff(weights.starts), []
    if not len(counts) or not np.isfinite(weights.weights).all():
        return figures
    lost = _beyond_the_heaviest(weights, counts) if len(counts) > _LOOKED_AT else None
    for most in LIMITS:
        over = np.flatnonzero(counts > most)
        if not len(over):
            break
        chosen = over
        if lost is not None and len(over) > _LOOKED_AT:
            chosen = over[np.argpartition(-lost(most)[over], _LOOKED_AT)[:_LOOKED_AT]]
        rows = _only(weights, chosen)
        far = displacement(points[chosen], rows, limited(rows, most), bones, np.arange(len(chosen)))
        out.append(CutFigures(most, len(over), float(far.max(initial=0.0)), len(chosen)))
    moved = 0.0
    if figures.dust:
        chosen = np.unique(vertex_of_weight(weights)[(weights.weights > 0) & (weights.weights < DUST)])[:_LOOKED_AT]
        rows = _only(weights, chosen)
        moved = float(
            displacement(points[chosen], rows, weights_where(rows, rows.weights >= DUST), bones, np.arange(len(chosen))).max()
        )
    return replace(figures, cuts=out, dust_moves=moved)


def _beyond_the_heaviest(weights: Weights, counts: I64) -> Callable[[int], Array]:
    """A function from a limit to the (V,) weight that each vertex loses by it."""
    widest = int(counts.max(initial=0))
    values, owner = np.abs(weights.weights), vertex_of_weight(weights)
    if widest > _DENSE:
        place = ranks(weights)
        return lambda most: sums_by(owner, np.where(place >= most, values, 0.0), len(counts))
    # A few columns are sorted many times faster than one long list by two keys.
    rows = np.zeros((len(counts), widest), np.float32)
    rows[owner, np.arange(len(owner)) - weights.starts[owner]] = values
    rows.sort(axis=1)
    return lambda most: rows[:, : max(widest - most, 0)].sum(axis=1)


def _only(weights: Weights, chosen: I64) -> Weights:
    """The rows of some vertices, numbered anew."""
    counts = np.diff(weights.starts)[chosen]
    ends = np.cumsum(counts)
    entry = np.repeat(weights.starts[chosen] - (ends - counts), counts) + np.arange(int(counts.sum()))
    return Weights(np.concatenate([[0], ends]), weights.joints[entry], weights.weights[entry])


def _skin(
    scene: Scene,
    k: int,
    up: list[int],
    world: F64,
    bones: Skeleton,
    placing: F64,
    figures: list[WeightFigures],
    boxes: Mapping[int, tuple[Any, Any]],
    here: set[int],
) -> SkinOfModel:
    """figures: the parts of the skin. boxes: lowest and highest corner of parts, by their node. here: nodes that the scene holds."""
    skin = scene.skins[k]
    carried = np.zeros(len(skin.joints), np.int64)
    for mesh in {figure.mesh for figure in figures if figure.weighted}:
        weights = scene.meshes[mesh].weights
        assert weights is not None
        use = (weights.weights != 0) & (weights.joints >= 0) & (weights.joints < len(carried))
        carried += np.bincount(weights.joints[use], minlength=len(carried))
    off, degrees = departures(world, skin, placing)
    own_off, own_degrees = own_departures(world, skin, placing, bones.up)
    stretch = stretches(world, skin, placing)
    lengths = np.full(len(skin.joints), np.inf)
    below = bones.up >= 0
    ways = np.linalg.norm(bones.places[below] - bones.places[bones.up[below]], axis=1)
    np.minimum.at(lengths, bones.up[below], ways)
    # As large as what it carries, or as far as its joints reach.
    carried_boxes = [boxes[x.node] for x in figures if x.node in boxes]
    spread = finite_points(np.concatenate([bones.places, np.array(carried_boxes, np.float64).reshape(-1, 3)]))
    size = float(np.linalg.norm(np.ptp(spread, axis=0))) if len(spread) else 0.0
    rig = _rig(scene, skin, up, world, bones)
    top = next((j for j, u in zip(skin.joints, bones.up, strict=True) if u < 0), -1)
    origin = world[up[top]][:3, 3] if top >= 0 and up[top] >= 0 else np.zeros(3)
    near = np.linalg.norm(bones.places - origin, axis=1) <= 1e-6 * max(size, 1e-12) if len(skin.joints) else np.zeros(0, bool)
    bad = singular(skin)
    joints = [
        JointFigures(
            node=j,
            name=scene.part_name(j),
            up=int(bones.up[i]),
            carries=int(carried[i]),
            off=float(off[i]),
            degrees=float(degrees[i]),
            stretch=stretch[i].tolist(),
            length=float(lengths[i]) if np.isfinite(lengths[i]) else None,
            at_origin=bool(near[i]),
            singular=bool(bad[i]),
            own_off=float(own_off[i]),
            own_degrees=float(own_degrees[i]),
        )
        for i, j in enumerate(skin.joints)
    ]
    outside = [i for i, j in enumerate(skin.joints) if j not in here] if any(figure.node in here for figure in figures) else []
    return SkinOfModel(
        skin.name or f"skin {k}",
        joints,
        skin.inverse_bind is not None,
        rig,
        sorted(figure.node for figure in figures),
        size,
        outside=outside,
        root=skin.skeleton if skin.skeleton is not None and not holds_joints(skin.skeleton, skin, up) else None,
    )


def holds_joints(root: int, skin: Skin, up: list[int]) -> bool:
    """Whether every joint of a skin is a node or hangs on it; each way is walked once. up: parents of all nodes."""
    held, astray = {root}, set[int]()
    for j in skin.joints:
        way = []
        while j >= 0 and j not in held and j not in astray:
            way.append(j)
            j = up[j]
        (held if j in held else astray).update(way)
        if j not in held:
            return False
    return True


def _rig(scene: Scene, skin: Skin, up: list[int], world: F64, bones: Skeleton) -> RigFigures:
    """The nodes above the top joints that are scaled or turned, and what they make together."""
    above: list[int] = []
    tops = [j for j, u in zip(skin.joints, bones.up, strict=True) if u < 0]
    i = up[tops[0]] if tops else -1
    linear = world[i][:3, :3] if i >= 0 else np.eye(3)
    while i >= 0:
        if np.abs(scene.nodes[i].local[:3, :3] - np.eye(3)).max() > 1e-4:
            above.append(i)
        i = up[i]
    whole = Polar(linear)
    scale = float(np.cbrt(abs(whole.determinant))) if np.isfinite(whole.determinant) else 0.0
    axes = np.linalg.norm(linear, axis=0)
    uneven = np.isfinite(axes).all() and np.ptp(axes) > 1e-3 * axes.max()
    named = [scene.part_name(k) for k in above[::-1]]
    return RigFigures(above[::-1], named, scale, whole.angle_degrees, axes.tolist() if uneven else None)


def _agreement(scene: Scene, skins: list[SkinOfModel]) -> list[SkinOfModel]:
    """Each skin against the first that shares a joint with it: the same joints, and whether both are bound alike.

    Two skins are bound alike where one's bind matrices are the other's through one matrix: their meshes then only lie in frames of
    their own.
    """
    first: dict[int, int] = {}
    out = []
    for k, (made, skin) in enumerate(zip(skins, scene.skins, strict=True)):
        with_whom = next((first[j] for j in skin.joints if j in first), None)
        for j in skin.joints:
            first.setdefault(j, k)
        if with_whom is not None:
            other = scene.skins[with_whom]
            made = replace(made, same=with_whom if set(other.joints) == set(skin.joints) else None)
            by = _greatest_bind_distance(skin, other)
            if by > 1e-4 * max(made.size, 1e-12):
                made = replace(made, disagrees=with_whom, disagrees_by=by)
        out.append(made)
    return out


def _greatest_bind_distance(skin: Skin, other: Skin) -> float:
    """Greatest distance between places at which two skins were bound to the joints that they share, in the frame of the other's mesh."""
    at = {j: i for i, j in enumerate(other.joints)}
    shared = [(i, at[j]) for i, j in enumerate(skin.joints) if j in at]
    here, there = bound_at(skin)[[a for a, _ in shared]], bound_at(other)[[b for _, b in shared]]
    with np.errstate(all="ignore"):
        ways = there @ np.linalg.pinv(here) if np.isfinite(here).all() and np.isfinite(there).all() else np.zeros((0, 4, 4))
    if not len(ways):
        return 0.0
    away = np.linalg.norm(apply(placed_by(ways), here[:, :3, 3]) - there[:, :3, 3], axis=1)
    return float(away[np.isfinite(away)].max(initial=0.0))

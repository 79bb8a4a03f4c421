"""Skin: weights set right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...edit.moved import with_local
from ...edit.splitting import without_unplaced
from ...geometry.adjacency import face_of_corner
from ...geometry.nearest_points import nearest_points
from ...geometry.sums import sums_by
from ...kit.choice import PARTS, chosen_nodes
from ...limits import InputError, MendError
from ...scene import Mesh, Scene, Weights
from ...scene.model import frozen
from ...scene.skinning import posed
from ...scene.transforms import parents, world_matrices
from ...scene.weighing import displacement, limited, normalised, row_sums, skeleton_of, vertex_of_weight, weights_where, with_rows
from ...words.arrays import I64, Bool
from ...words.figures import about
from .measures import DUST
from .messages import say

#: Rounds of smoothing over weights that were filled in.
_ROUNDS = 8


def _weighed(scene: Scene, parts: Sequence[str]) -> list[tuple[int, int | None]]:
    """Meshes with weights of chosen parts, each with the skin of the first part that shows it. Raises MendError where there is none."""
    found: dict[int, int | None] = {}
    for i in sorted(chosen_nodes(scene, parts)):
        n = scene.nodes[i]
        if n.mesh is not None and scene.meshes[n.mesh].weights is not None and found.get(n.mesh) is None:
            found[n.mesh] = n.skin
    if not found:
        raise MendError(say("skin.weighed.none-parts-weights") if parts else say("skin.weighed.nothing-here-weights"))
    return list(found.items())


def _changed(
    scene: Scene, parts: Sequence[str], change: Callable[[Mesh, int | None], Weights | None]
) -> tuple[Scene, dict[int, tuple[Weights, Weights]]]:
    """The scene with the weights of some meshes changed, and for each of them those before and after."""
    meshes, done = list(scene.meshes), {}
    for k, skin in _weighed(scene, parts):
        before = scene.meshes[k].weights
        after = change(scene.meshes[k], skin)
        if after is not None and before is not None:
            meshes[k] = replace(meshes[k], weights=after)
            done[k] = (before, after)
    return scene.with_(meshes=tuple(meshes)), done


def _price(scene: Scene, done: dict[int, tuple[Weights, Weights]]) -> str:
    """How far a change of weights leads a vertex astray, at most, where one joint is turned by 60°."""
    world, up, far = world_matrices(scene), parents(scene), 0.0
    for i, n in enumerate(scene.nodes):
        if n.mesh in done and n.skin is not None and scene.skins[n.skin].joints:
            before, after = done[n.mesh]
            bones = skeleton_of(scene.skins[n.skin].joints, up, world)
            points = posed(scene, i, world)
            far = max(far, float(displacement(points, before, after, bones, np.arange(len(points))).max(initial=0.0)))
    return about(far * (scene.unit_metres or 1.0)) if far else "0 mm"


def _merged(weights: Weights) -> Weights:
    """One entry for each joint of a vertex: those of the same joint are added up."""
    owner = vertex_of_weight(weights)
    width = int(weights.joints.max(initial=0)) + 1
    pairs, at = np.unique(owner * width + weights.joints, return_inverse=True)
    if len(pairs) == len(owner):
        return weights
    return with_rows(len(weights.starts) - 1, pairs // width, pairs % width, np.bincount(at, weights.weights.astype(np.float64)))


@mend(
    "skin.normalise",
    title="Normalise weights",
    keeps="shape, joints, bind matrices, clips, and how weights stand to each other",
    costs="vertices whose sum was off stand where a receiver that normalises already put them",
    safe=False,
    parameters=[PARTS],
)
def normalise(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Bring the weights of each vertex to a sum of 1. Weights below 0 and those that are no numbers go, two of one joint become one."""
    wrong = 0

    def change(mesh: Mesh, skin: int | None) -> Weights | None:
        nonlocal wrong
        weights = mesh.weights
        assert weights is not None
        good = _merged(weights_where(weights, np.isfinite(weights.weights) & (weights.weights > 0)))
        off = np.abs(row_sums(good, good.weights.astype(np.float64)) - 1)
        many = int(np.count_nonzero((off > 1e-6) & (np.diff(good.starts) > 0))) + len(weights.weights) - len(good.weights)
        if not many:
            return None
        wrong += many
        return normalised(good, off > 1e-6)

    after, done = _changed(scene, parts, change)
    if not done:
        raise MendError(say("skin.normalise.already"))
    return Outcome(after, (Figure("weights and sums that were off", f"{wrong:,}", "0"),))


@mend(
    "skin.prune",
    title="Remove tiny weights",
    keeps="shape, joints, bind matrices, clips",
    costs="the others of a vertex are brought to the sum that all had",
    safe=False,
    parameters=[Parameter("under", "number", "weights below this go", default=DUST), PARTS],
)
def prune(scene: Scene, under: float, parts: Sequence[str] = ()) -> Outcome:
    """Leave out weights that move nothing one could see; the heaviest of a vertex always stays."""
    if not 0 < under < 0.5:
        raise InputError(say("skin.under"))
    gone = 0

    def change(mesh: Mesh, skin: int | None) -> Weights | None:
        nonlocal gone
        weights = mesh.weights
        assert weights is not None
        most = np.zeros(len(mesh.positions))
        np.maximum.at(most, vertex_of_weight(weights), weights.weights)
        keep = ~(weights.weights < under) | (weights.weights >= most[vertex_of_weight(weights)])
        if keep.all():
            return None
        gone += int(np.count_nonzero(~keep))
        return _to_the_sums_of(weights, weights_where(weights, keep))

    after, done = _changed(scene, parts, change)
    if not done:
        raise MendError(say("skin.prune.none", under=under))
    return Outcome(after, (Figure("dust weights", f"{gone:,}", "0"), Figure("moves, at most", "0 mm", _price(scene, done))))


def _to_the_sums_of(weights: Weights, cut: Weights) -> Weights:
    """Weights of some entries, brought to the sums that all had."""
    before, after = row_sums(weights, weights.weights.astype(np.float64)), row_sums(cut, cut.weights.astype(np.float64))
    grow = np.where(after > 1e-12, before / np.where(after > 1e-12, after, 1.0), 1.0)
    return Weights(cut.starts, cut.joints, frozen((cut.weights * grow[vertex_of_weight(cut)]).astype(np.float32)))


@mend(
    "skin.limit",
    title="Limit influences per vertex",
    keeps="shape, joints, bind matrices, clips, and the sum of each vertex's weights",
    costs="what the lighter joints moved; the figure says how far at most",
    safe=False,
    after=("skin.prune", "skin.fill"),
    parameters=[Parameter("influences", "number", "most joints that may carry one vertex", default=4.0, zero=False), PARTS],
)
def limit(scene: Scene, influences: float, parts: Sequence[str] = ()) -> Outcome:
    """Keep the heaviest influences of each vertex and bring them to the sum that all had."""
    most = int(influences)
    if most != influences or not 1 <= most <= 64:
        raise InputError(say("skin.influences-range"))
    over = 0

    def change(mesh: Mesh, skin: int | None) -> Weights | None:
        nonlocal over
        weights = mesh.weights
        assert weights is not None
        many = int(np.count_nonzero(np.diff(weights.starts) > most))
        over += many
        return limited(weights, most) if many else None

    after, done = _changed(scene, parts, change)
    if not done:
        raise MendError(say("skin.limit.none", most=most))
    return Outcome(
        after,
        (
            Figure(f"vertices with more than {most}", f"{over:,}", "0"),
            Figure("moves, at most", "0 mm", _price(scene, done)),
        ),
    )


@mend(
    "skin.drop-beyond",
    title="Drop weights of missing joints",
    keeps="shape, joints, bind matrices, clips",
    costs="vertices that hang on nothing else hang on the first joint from then on",
    safe=False,
    parameters=[PARTS],
)
def drop_beyond(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Drop weights that name a joint which the skin does not have, and bring the others of the vertex to their sum."""
    gone = alone = 0

    def change(mesh: Mesh, skin: int | None) -> Weights | None:
        nonlocal gone, alone
        weights = mesh.weights
        if weights is None or skin is None or not scene.skins[skin].joints:
            return None
        bad = (weights.joints < 0) | (weights.joints >= len(scene.skins[skin].joints))
        if not bad.any():
            return None
        gone += int(np.count_nonzero(bad))
        owner = vertex_of_weight(weights)
        total = sums_by(owner[~bad], np.abs(weights.weights[~bad]), len(mesh.positions))
        had = sums_by(owner[bad], np.abs(weights.weights[bad]), len(mesh.positions))
        lost = np.flatnonzero((total == 0) & (had > 0))
        alone += len(lost)
        cut = _to_the_sums_of(weights, weights_where(weights, ~bad)) if (~bad).any() else weights_where(weights, ~bad)
        return with_rows(
            len(mesh.positions),
            np.concatenate([vertex_of_weight(cut), lost]),
            np.concatenate([cut.joints, np.zeros(len(lost), np.int32)]),
            np.concatenate([cut.weights, np.ones(len(lost), np.float32)]),
        )

    after, done = _changed(scene, parts, change)
    if not done:
        raise MendError(say("skin.drop-beyond.none"))
    remarks = (say("skin.drop-beyond.first-joint", vertices=alone),) if alone else ()
    return Outcome(after, (Figure("weights for joints that are not there", f"{gone:,}", "0"),), remarks)


@mend(
    "skin.drop-weights",
    title="Make it a plain part",
    keeps="where the part stands, its surface and its UVs",
    costs="no joint moves it from then on",
    promise=PLACES,
    safe=False,
    parameters=[PARTS],
)
def drop_weights(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Take weights from parts that name no skin, and the skin from parts that have no weights."""
    nodes, meshes, count = list(scene.nodes), list(scene.meshes), 0
    used = {n.mesh for n in scene.nodes if n.skin is not None}
    for i in sorted(chosen_nodes(scene, parts)):
        n = scene.nodes[i]
        if n.mesh is None:
            continue
        weighed = scene.meshes[n.mesh].weights is not None
        if n.skin is not None and not weighed:
            nodes[i] = replace(n, skin=None)
            count += 1
        elif n.skin is None and weighed and n.mesh not in used:
            meshes[n.mesh] = replace(meshes[n.mesh], weights=None)
            count += 1
    if not count:
        raise MendError(say("skin.drop-weights.none"))
    return Outcome(scene.with_(nodes=tuple(nodes), meshes=tuple(meshes)), (Figure("parts with half a skin", f"{count:,}", "0"),))


@mend(
    "skin.fill",
    title="Copy weights from neighbours",
    keeps="shape, joints, bind matrices, clips, and every weight that there is",
    costs="what was filled in is a guess from the surface round it: try it with a pull",
    safe=False,
    parameters=[PARTS],
)
def fill(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Give vertices without a weight those of the nearest weighted vertex along the surface, then smooth over what was filled in.

    Where no edge leads to a weighted vertex, the nearest in space is taken.
    """
    filled = 0

    def change(mesh: Mesh, skin: int | None) -> Weights | None:
        nonlocal filled
        weights = mesh.weights
        assert weights is not None
        good = weights_where(weights, np.isfinite(weights.weights) & (weights.weights != 0))
        bare = np.diff(good.starts) == 0
        if not bare.any():
            return None
        if bare.all():
            raise MendError(say("skin.fill.nothing-to-borrow", mesh=mesh.name or "this part"))
        filled += int(np.count_nonzero(bare))
        return _filled(mesh, good, bare)

    after, done = _changed(scene, parts, change)
    if not done:
        raise MendError(say("skin.fill.none"))
    return Outcome(after, (Figure("vertices without a weight", f"{filled:,}", "0"),))


def _edges(mesh: Mesh) -> I64:
    """(E, 2) sides of the faces, and lines."""
    face = face_of_corner(mesh)
    following = np.arange(len(mesh.corners)) + 1
    last = following == mesh.starts[face + 1] if len(face) else np.zeros(0, bool)
    following = np.where(last, mesh.starts[face], following)
    return np.concatenate([np.stack([mesh.corners, mesh.corners[following]], axis=1), mesh.lines]).astype(np.int64)


def _filled(mesh: Mesh, weights: Weights, bare: Bool) -> Weights:
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    count, points = len(mesh.positions), np.nan_to_num(mesh.positions)
    edges = _edges(mesh)
    edges = np.unique(np.sort(edges[edges[:, 0] != edges[:, 1]], axis=1), axis=0)
    # Vertices at one place are one point of the surface, however often a seam stores them.
    _, place = np.unique(points, axis=0, return_inverse=True)
    place = place.reshape(-1)
    a, b = place[edges[:, 0]], place[edges[:, 1]]
    length = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1) + 1e-12
    total = int(place.max()) + 1
    graph = csr_array((np.concatenate([length, length]), (np.concatenate([a, b]), np.concatenate([b, a]))), shape=(total, total))
    dressed = np.flatnonzero(~bare)
    holder = np.full(total, -1, np.int64)
    holder[place[dressed]] = dressed
    _, _, source = dijkstra(graph, indices=np.flatnonzero(holder >= 0), min_only=True, return_predecessors=True)
    nearest = np.where(source[place] >= 0, holder[np.maximum(source[place], 0)], -1)
    lost = np.flatnonzero(bare & (nearest < 0))
    if len(lost):
        nearest[lost] = dressed[nearest_points(points[dressed], points[lost])[1]]
    joints = int(weights.joints.max()) + 1
    rows = csr_array((weights.weights.astype(np.float64), weights.joints, weights.starts), shape=(count, joints))
    own = np.where(bare, nearest, np.arange(count))
    made = rows[own]
    # Each vertex that was filled in takes the mean of those beside it, round by round; the others stay.
    beside = csr_array((np.ones(2 * len(edges)), (edges.reshape(-1), edges[:, ::-1].reshape(-1))), shape=(count, count))
    degree = np.maximum(beside.sum(axis=1), 1)
    soft = np.where(bare & (np.asarray(beside.sum(axis=1)) > 0), 0.5, 0.0)
    for _ in range(_ROUNDS):
        mean = (beside @ made).multiply((soft / degree)[:, None])
        made = (made.multiply((1 - soft)[:, None]) + mean).tocsr()
    filled = made.tocoo()
    row, column = filled.coords
    take = bare[row] & (filled.data > DUST)
    out = with_rows(
        count,
        np.concatenate([vertex_of_weight(weights), row[take]]),
        np.concatenate([weights.joints, column[take]]),
        np.concatenate([weights.weights, filled.data[take]]),
    )
    return normalised(limited(out, max(int(np.diff(weights.starts).max()), 1)), bare)


def joint_named(scene: Scene, key: str, mend_id: str) -> int:
    """The joint that a key names. Raises InputError or MendError."""
    if not key:
        raise InputError(say("skin.no-joint", mend_id=mend_id))
    found = sorted(chosen_nodes(scene, [key]))
    joints = {j for skin in scene.skins for j in skin.joints}
    if not found or found[0] not in joints:
        raise MendError(say("skin.no-such-joint", joint=key))
    return found[0]


JOINT = Parameter("joint", "text", "which joint, by its name", default="")


@mend(
    "skin.bind-part",
    title="Bind a part to one joint",
    keeps="where the part stands at rest, its surface and its UVs",
    costs="it counts as skinned from then on",
    promise=PLACES,
    safe=False,
    parameters=[JOINT, PARTS],
)
def bind_part(scene: Scene, joint: str, parts: Sequence[str] = ()) -> Outcome:
    """Bind parts whole to one joint of a skin, so that they follow it and nothing else."""
    node = joint_named(scene, joint, "skin.bind-part")
    bound = next(skin for skin in scene.skins if node in skin.joints)
    world = world_matrices(scene)
    if abs(np.linalg.det(world[node][:3, :3])) < 1e-300:
        raise MendError(say("skin.bind-part.collapsed", joint=joint))
    nodes, meshes, skins = list(scene.nodes), list(scene.meshes), list(scene.skins)
    chosen = [i for i in sorted(chosen_nodes(scene, parts)) if scene.nodes[i].mesh is not None]
    chosen = [i for i in chosen if parts or scene.nodes[i].skin is None]
    if not chosen:
        raise MendError(say("skin.bind-part.no-mesh"))
    for i in chosen:
        mesh = scene.meshes[scene.nodes[i].mesh or 0]
        count = len(mesh.positions)
        points = posed(scene, i, world)
        whole = Weights(
            frozen(np.arange(count + 1, dtype=np.int64)), frozen(np.zeros(count, np.int32)), frozen(np.ones(count, np.float32))
        )
        skinned = scene.nodes[i].skin is not None
        # The part keeps its own frame: World_joint · bind is its matrix at rest.
        placing = np.eye(4) if skinned else world[i]
        inverse = np.linalg.inv(world[node]) @ placing
        meshes.append(
            replace(mesh, id=f"{mesh.id}/{nodes[i].id}", weights=whole, positions=frozen(points) if skinned else mesh.positions)
        )
        skins.append(type(bound)(f"{bound.id}/{nodes[i].id}", bound.name, (node,), frozen(inverse[None]), bound.skeleton))
        nodes[i] = replace(nodes[i], mesh=len(meshes) - 1, skin=len(skins) - 1)
    after = without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), skins=tuple(skins)))
    return Outcome(after, (Figure(f"parts bound to {joint}", "0", f"{len(chosen):,}"),))


@mend(
    "skin.parent-part",
    title="Parent a part to a joint",
    keeps="where the part stands at rest, its surface and its UVs",
    costs="it hangs on the joint from then on, and leaves the group that it hung on",
    promise=PLACES,
    safe=False,
    parameters=[JOINT, PARTS],
)
def parent_part(scene: Scene, joint: str, parts: Sequence[str] = ()) -> Outcome:
    """Make parts children of a joint, each where it stands; a part that is bound whole to that joint becomes a plain one.

    With W the part's place in the world and W_j the joint's, its own matrix becomes W_j⁻¹ W.
    """
    node = joint_named(scene, joint, "skin.parent-part")
    world, up = world_matrices(scene), parents(scene)
    if abs(np.linalg.det(world[node][:3, :3])) < 1e-300:
        raise MendError(say("skin.parent-part.collapsed", joint=joint))
    joints = {j for skin in scene.skins for j in skin.joints}
    chosen = [i for i in sorted(chosen_nodes(scene, parts)) if scene.nodes[i].mesh is not None and i not in joints]
    if not parts:
        chosen = [i for i in chosen if scene.nodes[i].skin is None]
    above, k = set(), node
    while k >= 0:
        above.add(k)
        k = up[k]
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    chosen = [i for i in chosen if i not in above and i not in driven]
    if not chosen:
        raise MendError(say("skin.parent-part.none"))
    nodes, meshes, roots = list(scene.nodes), list(scene.meshes), list(scene.roots)
    for i in chosen:
        n = scene.nodes[i]
        place = world[i]
        if n.skin is not None:
            mesh = scene.meshes[n.mesh or 0]
            one = mesh.weights
            if one is None or not (np.diff(one.starts) == 1).all() or len(np.unique(one.joints)) != 1:
                raise MendError(say("skin.parent-part.several", part=scene.part_name(i)))
            skin = scene.skins[n.skin]
            own = skin.joints[int(one.joints[0])]
            bind = np.eye(4) if skin.inverse_bind is None else skin.inverse_bind[int(one.joints[0])]
            place = world[own] @ bind
            meshes.append(replace(mesh, id=f"{mesh.id}/{n.id}", weights=None))
            n = replace(n, mesh=len(meshes) - 1, skin=None)
        local = np.linalg.inv(world[node]) @ place
        nodes[i] = with_local(n, local)
        if up[i] >= 0:
            nodes[up[i]] = replace(nodes[up[i]], children=tuple(child for child in nodes[up[i]].children if child != i))
        nodes[node] = replace(nodes[node], children=(*nodes[node].children, i))
        roots = [root for root in roots if root != i]
    after = without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), roots=tuple(roots)))
    after = without_unused_skins(after)
    return Outcome(after, (Figure(f"parts that hang on {joint}", "0", f"{len(chosen):,}"),))


def without_unused_skins(scene: Scene) -> Scene:
    """The scene without skins that no part names any more, where parts named them all before or some still do."""
    used = sorted({n.skin for n in scene.nodes if n.skin is not None})
    if len(used) == len(scene.skins):
        return scene
    number = {old: new for new, old in enumerate(used)}
    nodes = tuple(n if n.skin is None else replace(n, skin=number[n.skin]) for n in scene.nodes)
    return scene.with_(nodes=nodes, skins=tuple(scene.skins[k] for k in used))

"""Skin: how joints are bound, and the nodes above them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ...declare.mend import Figure, Outcome, mend
from ...declare.promises import PLACES, POSES
from ...edit.baking import Baking, baked
from ...edit.moved import with_local
from ...edit.splitting import without_unplaced
from ...edit.transform_mesh import transform_mesh
from ...geometry.sums import sums_by
from ...limits import MendError
from ...scene import Mesh, Scene, Skin
from ...scene.binding import bound_at, departures, placed_by, placings, singular, stretches, turn_between
from ...scene.matrices import Polar
from ...scene.model import Layer, frozen
from ...scene.skinning import joint_matrices
from ...scene.transforms import nodes_above, parents, world_matrices
from ...scene.weighing import row_sums, vertex_of_weight
from ...words.arrays import F64, Array
from ...words.figures import about, plain
from .mends_weights import without_unused_skins
from .messages import say

_STRAIGHT = 1e-6


def _farthest_off(scene: Scene, world: F64) -> float:
    """How far a joint of any skin rests from where it was bound, in metres."""
    far = 0.0
    for skin, placing in zip(scene.skins, placings(scene, world), strict=True):
        if skin.joints:
            off, _ = departures(world, skin, placing)
            far = max(far, float(off.max(initial=0.0)))
    return far * (scene.unit_metres or 1.0)


@mend(
    "skin.rebind",
    title="Rebind at rest",
    keeps="where every vertex stands at rest, weights, joints, clips",
    costs="between poses, vertices with several joints move a little otherwise: their bind pose is another",
    promise=PLACES,
    safe=False,
)
def rebind(scene: Scene) -> Outcome:
    """Take the pose at rest for the pose of binding: vertices are stored where they are seen, and bind matrices say where joints rest.

    With P the frame that the mesh was placed by, every bind matrix becomes World_joint⁻¹ P, and a vertex that stands at p' is stored as
    P⁻¹ p', with normals and morph targets by the same blend of matrices (glTF 2.0 §3.7.3.3). A joint whose bind matrix cannot be undone
    counts as bound where it rests.
    """
    after, matrices, frames = _bound_at_rest(scene)
    return _rebound(scene, _stored_as_seen(after, matrices, frames))


@mend(
    "skin.bind-as-stored",
    title="Bind as stored",
    keeps="vertices as the file has them, weights, joints, clips",
    costs="the model is seen at rest as it was made, and not as its joints had posed it",
    safe=False,
)
def bind_as_stored(scene: Scene) -> Outcome:
    """Take the pose at rest for the pose of binding, and leave vertices as they are stored: bind matrices say where joints rest.

    With P the frame that the mesh was placed by, every bind matrix becomes World_joint⁻¹ P.
    """
    return _rebound(scene, _bound_at_rest(scene)[0])


def _rebound(before: Scene, after: Scene) -> Outcome:
    far = (about(_farthest_off(s, world_matrices(s))) for s in (before, after))
    return Outcome(after, (Figure("farthest from where it was bound", *far),))


def _bound_at_rest(scene: Scene) -> tuple[Scene, dict[int, Array], list[Array]]:
    """The scene with bind matrices that say where joints rest; by skin the matrices that were, of those that change; and the frames."""
    world = world_matrices(scene)
    shown: dict[int, int] = {}
    for i, n in enumerate(scene.nodes):
        if n.skin is not None and n.mesh is not None:
            shown.setdefault(n.skin, i)
    frames = placings(scene, world)
    matrices: dict[int, Array] = {}
    skins = list(scene.skins)
    for k, skin in enumerate(scene.skins):
        if not skin.joints:
            continue
        if skin.inverse_bind is None and k in shown:
            frames[k] = world[shown[k]]
        places = world[np.array(skin.joints, np.int64)]
        flat = [
            scene.part_name(j)
            for j, place in zip(skin.joints, places, strict=True)
            if not abs(np.linalg.det(place[:3, :3])) > 1e-300
        ]
        if flat:
            raise MendError(say("skin.bound-at-rest.collapsed", joint=flat[0]))
        own = joint_matrices(skin, world).copy()
        own[singular(skin)] = frames[k]
        if _unlike(joint_matrices(skin, world), frames[k]):
            matrices[k] = own
            skins[k] = replace(skin, inverse_bind=frozen(np.linalg.inv(places) @ frames[k]))
    if not matrices:
        raise MendError(say("skin.bound-at-rest.already"))
    return scene.with_(skins=tuple(skins)), matrices, frames


def _stored_as_seen(scene: Scene, matrices: dict[int, Array], frames: list[F64]) -> Scene:
    """The scene with the vertices of some skins' meshes stored where those skins' old matrices put them."""
    meshes, nodes = list(scene.meshes), list(scene.nodes)
    users: dict[int, set[int | None]] = {}
    for n in scene.nodes:
        if n.mesh is not None:
            users.setdefault(n.mesh, set()).add(n.skin)
    made: dict[tuple[int, int], int] = {}
    for i, n in enumerate(scene.nodes):
        if n.mesh is None or n.skin not in matrices or scene.meshes[n.mesh].weights is None:
            continue
        key = (n.mesh, n.skin)
        if key not in made:
            mesh = _rested(scene.meshes[n.mesh], matrices[n.skin], frames[n.skin])
            # A mesh that is shown by another skin too, or by none, is stored once for each.
            alone = users[n.mesh] == {n.skin}
            made[key] = n.mesh if alone else len(meshes)
            if alone:
                meshes[n.mesh] = mesh
            else:
                meshes.append(replace(mesh, id=f"{mesh.id}/{n.id}"))
        nodes[i] = replace(n, mesh=made[key])
    return without_unplaced(scene, scene.with_(meshes=tuple(meshes), nodes=tuple(nodes)))


def _unlike(matrices: F64, placing: F64) -> bool:
    return bool(not np.isfinite(matrices).all() or np.abs(matrices - placing).max() > 1e-9 * max(np.abs(placing).max(), 1e-300))


def _rested(mesh: Mesh, matrices: F64, placing: F64) -> Mesh:
    """The mesh as its joints pose it, in the frame that it was placed by. matrices: (J, 4, 4) World · InverseBind."""
    weights = mesh.weights
    assert weights is not None
    known = (weights.joints >= 0) & (weights.joints < len(matrices))
    owner, count = vertex_of_weight(weights), len(mesh.positions)
    home = np.linalg.inv(placing)
    # What one receiver normalises and another does not must not be stored: sums go along as they are.
    with np.errstate(all="ignore"):
        sums = row_sums(weights, np.where(known, weights.weights.astype(np.float64), 0.0))
    blend = np.zeros((count, 3, 4))
    for a in range(3):
        for b in range(4):
            entry = np.where(known, (home @ matrices)[np.where(known, weights.joints, 0), a, b] * weights.weights, 0.0)
            blend[:, a, b] = sums_by(owner, entry, count)
    good = np.isfinite(sums) & (np.abs(sums) > 1e-9)
    blend[good] /= sums[good, None, None]
    blend[~good] = np.eye(3, 4)
    linear = blend[:, :, :3]
    points = np.einsum("vij,vj->vi", linear, mesh.positions) + blend[:, :, 3]
    changed: dict[str, Any] = {"positions": frozen(points)}
    if mesh.normals is not None:
        changed["normals"] = _turned(mesh, mesh.normals, _inverse_transposed(linear))
    if mesh.tangents is not None:
        changed["tangents"] = _turned(mesh, mesh.tangents, linear)
    changed["morphs"] = tuple(
        replace(morph, positions=frozen(np.einsum("vij,vj->vi", linear, morph.positions)), normals=morph.normals)
        for morph in mesh.morphs
    )
    return replace(mesh, **changed)


def _inverse_transposed(linear: F64) -> F64:
    with np.errstate(all="ignore"):
        det = np.linalg.det(linear)
        sound = np.isfinite(linear).all(axis=(1, 2)) & (np.abs(det) > 1e-300)
    out = np.tile(np.eye(3), (len(linear), 1, 1))
    out[sound] = np.linalg.inv(linear[sound]).transpose(0, 2, 1)
    return out


def _turned(mesh: Mesh, layer: Layer, linear: F64) -> Layer:
    """A layer of directions, each turned as the vertex at its corner is; corners that shared a value keep sharing it where they can."""
    there = layer.index >= 0
    pairs = np.stack([np.where(there, layer.index, 0), mesh.corners], axis=1)
    unique, at = np.unique(pairs[there], axis=0, return_inverse=True)
    values = layer.values[unique[:, 0]].astype(np.float64)
    xyz = np.einsum("nij,nj->ni", linear[unique[:, 1]], values[:, :3])
    length = np.linalg.norm(xyz, axis=1, keepdims=True)
    xyz = np.where(length > 1e-12, xyz / np.where(length > 1e-12, length, 1.0), values[:, :3])
    index = np.full(len(layer.index), -1, np.int32)
    index[there] = at.reshape(-1)
    return replace(layer, values=frozen(np.column_stack([xyz, values[:, 3:]]).astype(layer.values.dtype)), index=frozen(index))


@mend(
    "skin.adopt-bind",
    title="Return to the bind pose",
    keeps="vertices as they are stored, weights, bind matrices, clips",
    costs="the model stands at rest as it was when it was bound: what was posed is straightened",
    safe=False,
)
def adopt_bind(scene: Scene) -> Outcome:
    """Let joints rest where they were when the mesh was bound to them. What hangs on a joint goes along with it.

    World_joint becomes P · InverseBind⁻¹, P being the frame that most joints agree on; the node's own matrix is what that leaves.
    """
    world, up = world_matrices(scene), parents(scene)
    target: dict[int, Array] = {}
    for bound, placing in zip(scene.skins, placings(scene, world), strict=True):
        if not bound.joints:
            continue
        places = placing @ bound_at(bound)
        off, degrees = departures(world, bound, placing)
        grown = np.abs(stretches(world, bound, placing) - 1).max(axis=1)
        reach = max(float(np.abs(places[:, :3, 3]).max(initial=0.0)), 1e-12)
        for j, place, away, turn, more in zip(bound.joints, places, off, degrees, grown, strict=True):
            if (
                (away > 1e-7 * reach or turn > 1e-4 or more > 1e-5)
                and np.isfinite(place).all()
                and abs(np.linalg.det(place[:3, :3])) > 0
            ):
                target.setdefault(j, place)
    if not target:
        raise MendError(say("skin.bound-at-rest.already"))
    joints = {j for skin in scene.skins for j in skin.joints}
    nodes, now = list(scene.nodes), world.copy()
    stack = [i for i in range(len(nodes)) if up[i] < 0]
    while stack:
        i = stack.pop()
        above = now[up[i]] if up[i] >= 0 else np.eye(4)
        # Joints that were where they belong stay there, although one above them is moved.
        wanted = target.get(i, world[i] if i in joints and up[i] >= 0 and (now[up[i]] != world[up[i]]).any() else None)
        if wanted is not None:
            nodes[i] = with_local(scene.nodes[i], np.linalg.inv(above) @ wanted)
        now[i] = above @ nodes[i].local
        stack.extend(scene.nodes[i].children)
    after = scene.with_(nodes=tuple(nodes))
    return Outcome(
        after,
        (
            Figure("joints that rest elsewhere", f"{len(target):,}", "0"),
            Figure("farthest from where it was bound", about(_farthest_off(scene, world)), about(_farthest_off(after, now))),
        ),
    )


@mend(
    "skin.bake-rig",
    title="Bake the rig's scale and rotation",
    keeps="where every vertex stands, at rest and in every frame of every clip; weights; how joints are turned in the world",
    costs="nodes above the joints read scale 1 and rotation 0; whoever drove them by script must know",
    promise=POSES,
    safe=True,
    after=("skin.rebind", "skin.bind-as-stored", "skin.adopt-bind"),
)
def bake_rig(scene: Scene) -> Outcome:
    """Push the scale and turn of the nodes above the joints into the joints' places, bind matrices, clips and meshes.

    Joints keep how they are turned in the world and their own scale: what they hang in gives up its scale, and its turn goes into the
    topmost. Meshes are stored as they stand, and nodes of parts below read scale 1.
    """
    up = parents(scene)
    joints = {j for skin in scene.skins for j in skin.joints}
    tops = [i for i in sorted(nodes_above(joints, up)) if np.abs(scene.nodes[i].local[:3, :3] - np.eye(3)).max() > _STRAIGHT]
    # What hangs on a joint or stands as one keeps its turn; parts of surface take it up.
    chosen: set[int] = set()
    stack = list(tops)
    while stack:
        i = stack.pop()
        if i not in chosen:
            chosen.add(i)
            stack.extend(scene.nodes[i].children)
    still = {i for i in chosen if i in joints or _below_joint(i, joints, up)}
    if not tops:
        raise MendError(say("skin.bake-rig.already"))
    plan = Baking(scene, chosen, still)
    after = baked(scene, plan)
    world, now = world_matrices(scene), world_matrices(after)
    first = max(tops, key=lambda i: abs(np.log(max(abs(Polar(world[i][:3, :3]).determinant), 1e-300))))
    before = Polar(world[first][:3, :3])
    then = Polar(now[first][:3, :3])
    figures = (
        Figure(
            f"scale of {scene.part_name(first)}",
            plain(float(np.cbrt(abs(before.determinant)))),
            plain(float(np.cbrt(abs(then.determinant)))),
        ),
        Figure(f"turn of {scene.part_name(first)}", f"{plain(before.angle_degrees)}°", f"{plain(then.angle_degrees)}°"),
        Figure("farthest that a joint is turned otherwise", "0°", f"{plain(round(_turned_between(scene, world, now), 4))}°"),
    )
    return Outcome(after, figures, (plan.reason(),) if plan.kept else ())


def _turned_between(scene: Scene, before: F64, after: F64) -> float:
    """By how many degrees any joint is turned otherwise in the world."""
    joints = sorted({j for skin in scene.skins for j in skin.joints})
    return float(turn_between(before[joints][:, :3, :3], after[joints][:, :3, :3]).max(initial=0.0)) if joints else 0.0


def _below_joint(node: int, joints: set[int], up: list[int]) -> bool:
    while node >= 0:
        if node in joints:
            return True
        node = up[node]
    return False


@mend(
    "skin.merge-skins",
    title="One skin for the same joints",
    keeps="where every vertex stands, weights, joints, clips",
    costs="nothing: skins of the same joints that were bound alike become one",
    promise=POSES,
    safe=True,
)
def merge_skins(scene: Scene) -> Outcome:
    """Let parts share one skin where several skins name the same joints and were bound alike.

    Where their meshes lie in frames of their own, vertices are stored in the frame of the first.
    """
    first: dict[frozenset[int], int] = {}
    into: dict[int, tuple[int, Array]] = {}
    for k, skin in enumerate(scene.skins):
        to = first.setdefault(frozenset(skin.joints), k)
        if to == k or len(set(skin.joints)) != len(skin.joints):
            continue
        way = _way(skin, scene.skins[to])
        if way is not None:
            into[k] = (to, way)
    if not into:
        raise MendError(say("skin.merge-skins.none"))
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    made: dict[tuple[int, int], int] = {}
    for i, n in enumerate(scene.nodes):
        if n.skin not in into or n.mesh is None:
            continue
        to, way = into[n.skin]
        if (n.mesh, n.skin) not in made:
            mesh = _renumbered(_in_frame(scene.meshes[n.mesh], way), scene.skins[n.skin], scene.skins[to])
            # A mesh that stays as it is may go on being shared.
            made[n.mesh, n.skin] = n.mesh if mesh is scene.meshes[n.mesh] else len(meshes)
            if mesh is not scene.meshes[n.mesh]:
                meshes.append(replace(mesh, id=f"{mesh.id}/{n.id}"))
        nodes[i] = replace(n, mesh=made[n.mesh, n.skin], skin=to)
    after = without_unused_skins(without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes))))
    return Outcome(after, (Figure("skins", f"{len(scene.skins):,}", f"{len(after.skins):,}"),))


def _renumbered(mesh: Mesh, skin: Skin, other: Skin) -> Mesh:
    """The mesh with the numbers that another skin of the same joints has for them."""
    at = {j: k for k, j in enumerate(other.joints)}
    number = np.array([at[j] for j in skin.joints], np.int32)
    weights = mesh.weights
    if weights is None or (number == np.arange(len(number))).all():
        return mesh
    known = (weights.joints >= 0) & (weights.joints < len(number))
    return replace(
        mesh, weights=replace(weights, joints=frozen(np.where(known, number[np.where(known, weights.joints, 0)], weights.joints)))
    )


def _way(skin: Skin, other: Skin) -> Array | None:
    """(4, 4) the way from one skin's mesh frame to another's, where one matrix leads from all of its bind matrices to the other's."""
    at = {j: k for k, j in enumerate(other.joints)}
    order = [at[j] for j in skin.joints]
    here, there = bound_at(skin), bound_at(other)[order]
    with np.errstate(all="ignore"):
        ways = there @ np.linalg.pinv(here)
    if not len(ways) or not np.isfinite(ways).all():
        return None
    way = placed_by(ways)
    return way if np.abs(ways - way).max() <= 1e-5 * max(np.abs(way).max(), 1.0) else None


def _in_frame(mesh: Mesh, way: Array) -> Mesh:
    if np.abs(way - np.eye(4)).max() <= 1e-7:
        return mesh
    turned = transform_mesh(mesh, way[:3, :3])
    return replace(turned, positions=frozen(turned.positions + way[:3, 3]))

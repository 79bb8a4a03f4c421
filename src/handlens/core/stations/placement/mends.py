"""Placement: push node transforms into what hangs on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES, POSES
from ...edit.baking import Baking, baked
from ...edit.splitting import without_unplaced
from ...edit.transform_mesh import transform_mesh
from ...geometry.sums import sums_by
from ...kit.choice import PARTS, chosen_nodes
from ...limits import MendError, plural
from ...scene import Node, Scene, Weights
from ...scene.matrices import apply
from ...scene.model import frozen
from ...scene.skinning import joint_matrices, posed
from ...scene.transforms import parents, world_matrices
from ...scene.weighing import vertex_of_weight
from .messages import say

_TOLERANCE = 1e-6


@mend(
    "placement.bake",
    title="Bake transforms",
    keeps="every world position, pivots, facing, normals, UVs, weights, skinned poses and clips",
    costs="a mesh that several nodes use at different scales or turns is stored once for each",
    promise=POSES,
    safe=True,
    parameters=[PARTS],
    after=("skin.rebind", "skin.bind-as-stored", "skin.adopt-bind", "skin.bake-rig"),
)
def bake(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Push each node's scale, rotation and shear into the vertices below it, so that every node reads scale 1 and rotation 0.

    Of parts that are named, their own nodes and those that hang on them; what they hang on stays as it is.

    Nothing moves: translations are carried into the parents' new frames, normals go by the inverse transpose, winding
    turns where the determinant is negative, and joints, bind matrices and clips follow.

    With K the linear part that a node gives up and K_p its parent's, every local matrix L becomes K_p L K⁻¹, at rest
    and in every keyframe alike, mesh positions become K p, and a bind matrix B becomes K_joint B K_mesh⁻¹. A skinned surface is
    where World_joint B p is, whatever its own node says (glTF 2.0 §3.7.3.3): its K_mesh is the linear part of that, so that
    vertices are stored as they stand and bind matrices hold no scale.
    """
    plan = Baking(scene, chosen_nodes(scene, parts, below=True))
    if not plan.changes:
        if plan.kept:
            raise MendError(plan.reason())
        raise MendError(say("placement.bake.already", chosen=parts))
    after = baked(scene, plan)
    figures = [
        Figure("nodes scaled or turned", plural(_unbaked(scene), "node"), plural(_unbaked(after), "node")),
    ]
    if len(after.meshes) > len(scene.meshes):
        figures.append(Figure("meshes stored", f"{len(scene.meshes):,}", f"{len(after.meshes):,}"))
    return Outcome(after, tuple(figures), (plan.reason(),) if plan.kept else ())


@mend(
    "placement.one-drive",
    title="Leave one drive",
    keeps="where everything stands, UVs, normals' match with the surface, names",
    costs="joints: parts no longer hang in their groups; node: they no longer follow their joints",
    promise=PLACES,
    safe=False,
    parameters=[
        Parameter(
            "keep", "choice", "joints: the skin alone moves it; node: its own node alone does", ("joints", "node"), "joints"
        ),
        PARTS,
    ],
    touches="neither",
)
def one_drive(scene: Scene, keep: str, parts: Sequence[str] = ()) -> Outcome:
    """Have skinned parts moved by one thing alone: by their joints, taken out of all groups, or by their node, without their skin.

    By their joints they hang on nothing and their node stands at rest, as the specification has it that it counts for nothing
    (glTF 2.0 §3.7.3.3). By their node they are stored as they stand.
    """
    chosen = [
        i for i in sorted(chosen_nodes(scene, parts)) if scene.nodes[i].mesh is not None and scene.nodes[i].skin is not None
    ]
    if not chosen:
        raise MendError(say("placement.one-drive.no-skin"))
    loose = [i for i in chosen if (weights := scene.meshes[scene.nodes[i].mesh or 0].weights) is None or _unweighted(weights)]
    remarks: tuple[str, ...] = ()
    if keep == "joints" and loose:
        words = f"{scene.part_name(loose[0])} has vertices that no joint carries: they would stay behind."
        if len(loose) == len(chosen):
            raise MendError(words)
        left = set(loose)
        chosen = [i for i in chosen if i not in left]
        remarks = (say("placement.one-drive.left", parts=len(loose), reason=words),)
    after = _by_joints(scene, chosen) if keep == "joints" else _by_node(scene, chosen)
    return Outcome(
        after,
        (Figure(f"parts moved by their {'joints' if keep == 'joints' else 'node'} alone", "0", f"{len(chosen):,}"),),
        remarks,
    )


def _unweighted(weights: Weights) -> bool:
    """Whether some vertex has no weight at all."""
    owner = vertex_of_weight(weights)
    return bool((sums_by(owner, np.abs(weights.weights), len(weights.starts) - 1) == 0).any())


def _by_joints(scene: Scene, chosen: list[int]) -> Scene:
    up = parents(scene)
    joints = {j for skin in scene.skins for j in skin.joints}
    nodes, roots = list(scene.nodes), list(scene.roots)
    clips = scene.clips
    for i in chosen:
        n = nodes[i]
        if n.children or i in joints:
            # What hangs on it stays there, below a group of its name.
            nodes[i] = replace(n, mesh=None, skin=None, morph_weights=())
            roots.append(len(nodes))
            nodes.append(
                Node(f"{n.id}/skinned", n.name, mesh=n.mesh, skin=n.skin, morph_weights=n.morph_weights, extras=n.extras)
            )
            continue
        if up[i] >= 0:
            above = nodes[up[i]]
            nodes[up[i]] = replace(above, children=tuple(child for child in above.children if child != i))
            roots.append(i)
        nodes[i] = replace(n, translation=(0.0, 0.0, 0.0), rotation=(0.0, 0.0, 0.0, 1.0), scale=(1.0, 1.0, 1.0), matrix=None)
        moves = ("translation", "rotation", "scale")
        clips = tuple(
            replace(clip, channels=tuple(x for x in clip.channels if x.node != i or x.path not in moves)) for clip in clips
        )
    return scene.with_(nodes=tuple(nodes), roots=tuple(roots), clips=clips)


def _by_node(scene: Scene, chosen: list[int]) -> Scene:
    world = world_matrices(scene)
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    for i in chosen:
        n = nodes[i]
        assert n.mesh is not None
        assert n.skin is not None
        if abs(np.linalg.det(world[i][:3, :3])) < 1e-300:
            raise MendError(say("placement.by-node.collapsed", part=scene.part_name(i)))
        mesh = scene.meshes[n.mesh]
        home = np.linalg.inv(world[i])
        # Normals go as the surface of the first joint does; where joints turn apart they are made anew by whoever wants them exact.
        frame = (home @ joint_matrices(scene.skins[n.skin], world)[0])[:3, :3]
        turned = transform_mesh(replace(mesh, morphs=()), frame) if np.linalg.det(frame) > 0 else mesh
        flat = replace(n, morph_weights=())
        points = apply(home, posed(scene.with_(nodes=(*scene.nodes[:i], flat, *scene.nodes[i + 1 :])), i, world))
        morphs = tuple(replace(morph, positions=frozen(morph.positions @ frame.T)) for morph in mesh.morphs)
        meshes.append(replace(turned, id=f"{mesh.id}/{n.id}", positions=frozen(points), weights=None, morphs=morphs))
        nodes[i] = replace(n, mesh=len(meshes) - 1, skin=None)
    return without_unplaced(scene, scene.with_(nodes=tuple(nodes), meshes=tuple(meshes)))


@mend(
    "placement.restore-scale",
    title="Give back a size that was scaled away",
    keeps="every other transform",
    costs="what was hidden by scaling it to nothing is seen",
    safe=False,
    parameters=[PARTS],
)
def restore_scale(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Set scales of 0 to 1, on chosen nodes and on those that they hang on; what a clip scales is left to the clip."""
    up = parents(scene)
    driven = {channel.node for clip in scene.clips for channel in clip.channels if channel.path == "scale"}
    wanted = set()
    for i in chosen_nodes(scene, parts):
        while i >= 0 and i not in wanted:
            wanted.add(i)
            i = up[i]
    nodes, count = list(scene.nodes), 0
    for i in sorted(wanted - driven):
        n = scene.nodes[i]
        if n.matrix is None and any(s == 0 for s in n.scale):
            nodes[i] = replace(n, scale=(n.scale[0] or 1.0, n.scale[1] or 1.0, n.scale[2] or 1.0))
            count += 1
        elif n.matrix is not None and not n.matrix[:3, :3].any():
            whole = n.matrix.copy()
            whole[:3, :3] = np.eye(3)
            nodes[i] = replace(n, matrix=frozen(whole))
            count += 1
    if not count:
        raise MendError(say("placement.restore-scale.none"))
    return Outcome(scene.with_(nodes=tuple(nodes)), (Figure("nodes scaled to nothing", f"{count:,}", "0"),))


def _unbaked(scene: Scene) -> int:
    return sum(1 for n in scene.nodes if np.abs(n.local[:3, :3] - np.eye(3)).max() > _TOLERANCE)

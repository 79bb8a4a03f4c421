"""Placement: the node tree put in order, and parts brought to the origin together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import FORM, PLACES, POSES
from ...edit import tree
from ...edit.tree import below, common_parent, driven, reparent, topmost
from ...edit.without import without_meshes, without_nodes
from ...kit.choice import PARTS, chosen_nodes
from ...limits import MendError, plural
from ...scene import Node, Scene
from ...scene.transforms import parents, walk, world_matrices
from ...words.anchors import ANCHORS
from ...words.anchors import anchor as anchor_of
from ...words.lengths import metres
from .messages import say
from .placing import movable, moved_by

_NEEDED = Parameter("parts", "parts", "which nodes")


def _asked(scene: Scene, parts: Sequence[str]) -> set[int]:
    if not parts:
        raise MendError(say("placement.choose"))
    return chosen_nodes(scene, parts)


def _stayed(scene: Scene, nodes: list[int]) -> tuple[str, ...]:
    if not nodes:
        return ()
    return (
        f"{plural(len(nodes), 'node', 'nodes')} stayed ({scene.part_name(nodes[0])}): a clip moves it in its parent's frame, or the new parent has no size.",
    )


def _left(scene: Scene, nodes: Sequence[int], under: int) -> tuple[str, ...]:
    """Which clips no longer carry what was taken from under a node that they move."""
    up, moved = parents(scene), driven(scene)
    above: set[int] = set()
    at = under
    while at >= 0:
        above.add(at)
        at = up[at]
    lost, seen = set(), set[int]()
    for i in nodes:
        at = up[i]
        while at >= 0 and at not in seen:
            seen.add(at)
            if at in moved and at not in above:
                lost.add(at)
            at = up[at]
    return tuple(f"What was taken from {scene.part_name(i)} no longer follows the clip that moves it." for i in sorted(lost)[:3])


@mend(
    "placement.group",
    title="Group",
    menu=("tree", "Group …"),
    keeps="where everything stands, meshes, pivots, clips",
    costs="one node more",
    promise=POSES,
    safe=False,
    parameters=[_NEEDED, Parameter("name", "text", "what the group is called", default="group")],
)
def group(scene: Scene, parts: Sequence[str], name: str) -> Outcome:
    """Hang chosen nodes together on a new one of that name, below the lowest that all of them hang on. Nothing moves."""
    tops = topmost(scene, _asked(scene, parts))
    under = common_parent(scene, tops)
    siblings = scene.roots if under < 0 else scene.nodes[under].children
    first = set(tops)
    at = next((k for k, i in enumerate(siblings) if i in first), len(siblings))
    number = len(scene.nodes)
    nodes = [*scene.nodes, Node(f"group:{number}", name)]
    roots = scene.roots
    if under < 0:
        roots = (*roots[:at], number, *roots[at:])
    else:
        nodes[under] = replace(nodes[under], children=(*siblings[:at], number, *siblings[at:]))
    after, kept = reparent(scene.with_(nodes=tuple(nodes), roots=roots), tops, number)
    if len(kept) == len(tops):
        raise MendError(_stayed(scene, kept)[0])
    remarks = (*_stayed(scene, kept), *_left(scene, sorted(first - set(kept)), under))
    return Outcome(after, (Figure("nodes in the group", "0", f"{len(tops) - len(kept):,}"),), remarks)


@mend(
    "placement.ungroup",
    title="Ungroup",
    menu=("tree", "Ungroup"),
    keeps="where everything stands, meshes, pivots",
    costs="the groups and their names",
    promise=PLACES,
    safe=False,
    parameters=[PARTS],
)
def ungroup(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Take groups away, nodes that hold nothing themselves: what hangs on them hangs on what they hung on. Nothing moves.

    Joints and nodes that a clip moves are no groups. Of nodes that are named those that are groups, else every group.
    """
    joints = {j for skin in scene.skins for j in (*skin.joints, *([] if skin.skeleton is None else [skin.skeleton]))} | driven(
        scene
    )
    bare = lambda n: n.mesh is None and n.camera is None and n.light is None and bool(n.children)
    wanted = chosen_nodes(scene, parts)
    groups = [i for i in walk(scene) if i in wanted and bare(scene.nodes[i]) and i not in joints]
    if not groups:
        raise MendError(say("placement.ungroup.no-group-chosen") if parts else say("placement.ungroup.none"))
    after, gone = tree.ungroup(scene, groups)
    if not gone:
        raise MendError(say("placement.ungroup.moved"))
    left = len(groups) - len(gone)
    remarks = (say("placement.ungroup.stayed", groups=left),) if left else ()
    return Outcome(without_nodes(after, gone), (Figure("groups", f"{len(groups):,}", f"{left:,}"),), remarks)


@mend(
    "placement.hang",
    title="Parent to another node",
    menu=("tree", "Parent to …"),
    keeps="where everything stands, meshes, pivots",
    costs="what the old parent moves no longer moves them",
    promise=PLACES,
    safe=False,
    parameters=[_NEEDED, Parameter("under", "text", "key of the node that they are to hang on, nothing for none", default="")],
)
def hang(scene: Scene, parts: Sequence[str], under: str) -> Outcome:
    """Give chosen nodes another parent, or none. Nothing moves: each keeps its place, turn and size in the world."""
    tops = topmost(scene, _asked(scene, parts))
    parent = -1
    if under.strip():
        parent = next(iter(chosen_nodes(scene, [under])))
        if parent in below(scene, tops):
            raise MendError(say("placement.hang.below-itself", under=under))
    up = parents(scene)
    going = [i for i in tops if up[i] != parent]
    if not going:
        raise MendError(say("placement.hang.already"))
    after, kept = reparent(scene, going, parent)
    if len(kept) == len(going):
        raise MendError(_stayed(scene, kept)[0])
    stayed = set(kept)
    moved = [i for i in going if i not in stayed]
    where = under.strip() or "nothing"
    figures = tuple(Figure(scene.part_name(i), scene.part_name(up[i]) if up[i] >= 0 else "nothing", where) for i in moved[:20])
    return Outcome(after, figures, (*_stayed(scene, kept), *_left(scene, moved, parent)))


@mend(
    "placement.remove-below",
    title="Remove with its children",
    menu=("tree", "Remove with their children"),
    keeps="everything else, where it stands",
    costs="what is removed is gone from the export; the original keeps it",
    promise=PLACES,
    safe=False,
    parameters=[_NEEDED],
)
def remove_below(scene: Scene, parts: Sequence[str]) -> Outcome:
    """Take chosen nodes out with everything that hangs on them, geometry, cameras, lights and channels of clips included.

    Joints that a part needs which stays are not taken out from under it.
    """
    gone = below(scene, _asked(scene, parts))
    for i, n in enumerate(scene.nodes):
        if i in gone or n.mesh is None or n.skin is None:
            continue
        needed = [j for j in scene.skins[n.skin].joints if j in gone]
        if needed:
            raise MendError(say("placement.remove-below.carried", part=scene.part_name(i), joint=scene.part_name(needed[0])))
    clips = tuple(replace(clip, channels=tuple(x for x in clip.channels if x.node not in gone)) for clip in scene.clips)
    channels = sum(len(clip.channels) for clip in scene.clips) - sum(len(clip.channels) for clip in clips)
    held = lambda s: {n.mesh for n in s.nodes if n.mesh is not None}
    before = held(scene)
    bare = without_nodes(scene.with_(clips=clips), set(gone))
    if not len(bare.nodes):
        raise MendError(say("placement.remove-below.everything"))
    after = _without_unheld(without_meshes(bare, before - held(bare)))
    figures = [Figure("nodes", f"{len(scene.nodes):,}", f"{len(after.nodes):,}")]
    if channels:
        figures.append(Figure("channels of clips for them", f"{channels:,}", "0"))
    return Outcome(after, tuple(figures))


def _without_unheld(scene: Scene) -> Scene:
    """The scene without the cameras and lights that no node holds any more."""
    cameras = {k: new for new, k in enumerate(sorted({n.camera for n in scene.nodes if n.camera is not None}))}
    lights = {k: new for new, k in enumerate(sorted({n.light for n in scene.nodes if n.light is not None}))}
    nodes = tuple(
        replace(
            n,
            camera=None if n.camera is None else cameras[n.camera],
            light=None if n.light is None else lights[n.light],
        )
        for n in scene.nodes
    )
    return scene.with_(
        nodes=nodes,
        cameras=tuple(scene.cameras[k] for k in cameras),
        lights=tuple(scene.lights[k] for k in lights),
    )


@mend(
    "placement.to-origin",
    title="Bring to the origin together",
    menu=("tree", "Bring to the origin together"),
    keeps="how they stand to each other, shape, scale, turns, clips",
    costs="where they stood",
    promise=FORM,
    safe=False,
    parameters=[
        PARTS,
        Parameter("anchor", "choice", "the point of their common box that comes to the origin", tuple(ANCHORS), "base-centre"),
    ],
    after=("size.up-axis", "placement.remove-below"),
)
def to_origin(scene: Scene, parts: Sequence[str], anchor: str) -> Outcome:
    """Move chosen nodes, with all that hangs on them, by one way, so that a point of the box around all of them is the origin.

    Parts that joints carry move with the topmost of their joints, where all of it is chosen.
    """
    world = world_matrices(scene)
    chosen, box = movable(scene, parts, world)
    point = anchor_of(*box, anchor, scene.up_axis or "Y")
    if float(np.abs(point).max()) < 1e-12:
        raise MendError(say("placement.to-origin.already"))
    way = np.eye(4)
    way[:3, 3] = -point
    after = moved_by(scene, chosen, world, way)
    unit = scene.unit_metres or 1.0
    return Outcome(after, (Figure("from the origin", metres(float(np.linalg.norm(point)) * unit), metres(0.0)),))

"""Skin: joints named, added and removed, and morph targets dropped."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import POSES
from ...edit.moved import translated_before
from ...edit.tree import common_parent
from ...edit.without import without_nodes
from ...kit.choice import PARTS, chosen_meshes
from ...limits import InputError, MendError, plural
from ...scene import Channel, Clip, Mesh, Node, Scene, Skin
from ...scene.axes import AXIS_INDEX
from ...scene.model import frozen
from ...scene.transforms import parents, walk, world_matrices
from ...scene.weighing import vertex_of_weight, with_rows
from ...words.arrays import F64, Array
from .measures import holds_joints
from .messages import say


def _joints(scene: Scene) -> list[int]:
    return sorted({j for skin in scene.skins for j in skin.joints})


@mend(
    "skin.strip-prefix",
    title="Strip the prefix from joint names",
    keeps="everything but the names of joints",
    costs="side files and scripts that use the old names must be changed too",
    safe=False,
    parameters=[Parameter("prefix", "text", "what joints begin with; all up to the last colon where it is left out", default="")],
)
def strip_prefix(scene: Scene, prefix: str) -> Outcome:
    """Take a prefix off the names of joints, so that clips made for the bare names find them."""
    nodes, pairs = list(scene.nodes), []
    taken = {n.name for n in scene.nodes}
    for j in _joints(scene):
        old = nodes[j].name
        bare = old.rpartition(":")[2] if not prefix else old.removeprefix(prefix)
        if bare == old or not bare:
            continue
        if bare in taken:
            raise MendError(say("skin.name-taken", joint=old, name=bare))
        taken.add(bare)
        nodes[j] = replace(nodes[j], name=bare)
        pairs.append((old, bare))
    if not pairs:
        raise MendError(say("skin.strip-prefix.no-such", prefix=prefix) if prefix else say("skin.strip-prefix.none"))
    return Outcome(
        scene.with_(nodes=tuple(nodes), former=scene.former | {old for old, _ in pairs}),
        tuple(Figure("joint", old, new) for old, new in pairs[:200]),
        (f"{plural(len(pairs), 'name changes', 'names change')}.",),
    )


@mend(
    "skin.rename-joints",
    title="Rename joints for the destination",
    keeps="everything but the names of joints",
    costs="side files and scripts that use the old names must be changed too",
    safe=False,
    parameters=[Parameter("to", "names", "old=new for each joint")],
)
def rename_joints(scene: Scene, to: Sequence[str]) -> Outcome:
    """Give joints, and nodes above them, other names."""
    pairs = dict(x.partition("=")[::2] for x in to if "=" in x)
    if not pairs or not all(pairs) or not all(pairs.values()):
        raise InputError(say("skin.no-pairs"))
    up, known = parents(scene), set(_joints(scene))
    for j in list(known):
        while up[j] >= 0 and up[j] not in known:
            j = up[j]
            known.add(j)
    nodes, done = list(scene.nodes), []
    kept = {n.name for i, n in enumerate(scene.nodes) if not (i in known and n.name in pairs)}
    for j in sorted(known):
        new = pairs.get(nodes[j].name)
        if new is None or new == nodes[j].name:
            continue
        if new in kept:
            raise MendError(say("skin.name-taken", joint=nodes[j].name, name=new))
        kept.add(new)
        done.append((nodes[j].name, new))
        nodes[j] = replace(nodes[j], name=new)
    if not done:
        raise MendError(say("skin.rename-joints.none"))
    return Outcome(
        scene.with_(nodes=tuple(nodes), former=scene.former | {old for old, _ in done}),
        tuple(Figure("joint", old, new) for old, new in done[:200]),
    )


@mend(
    "skin.add-joints",
    title="Add joints above the root",
    keeps="where every vertex stands, at rest and in every frame; weights, bind matrices, how joints are turned",
    costs="the skeleton is deeper by as many joints, which carry nothing; keys of the topmost joint are counted from the last of them",
    promise=POSES,
    safe=True,
    parameters=[Parameter("joints", "names", "their names, the topmost first")],
)
def add_joints(scene: Scene, joints: Sequence[str]) -> Outcome:
    """Put joints above the topmost joint of each skeleton, evenly on the way from the origin of the frame that it hangs in, so that each
    has a length. Where it stands at that origin, they come from below, each as long as the skeleton's own joints are in the mean.
    """
    if not joints:
        raise InputError(say("skin.no-joints"))
    taken = {n.name for n in scene.nodes}
    if twice := [j for j in joints if j in taken]:
        raise MendError(say("skin.add-joints.taken", name=twice[0]))
    up, own = parents(scene), set(_joints(scene))
    tops = [j for j in sorted(own) if not _under(j, own, up)]
    if not tops:
        raise MendError(say("skin.add-joints.no-skin"))
    nodes, roots = list(scene.nodes), list(scene.roots)
    chains: dict[int, _Chain] = {}
    for above in dict.fromkeys(up[top] for top in tops):
        below = tuple(top for top in tops if up[top] == above)
        places = _places(scene, below[0], above, own, len(joints))
        chain = _Chain([len(nodes) + k for k in range(len(joints))], places)
        number = "" if not chains else f"_{len(chains) + 1}"
        for k, name in enumerate(joints):
            under = (chain.nodes[k + 1],) if k + 1 < len(joints) else below
            step = places[k] - (places[k - 1] if k else 0.0)
            nodes.append(Node(f"node:{chain.nodes[k]}", f"{name}{number}", translation=tuple(step.tolist()), children=under))
        if above >= 0:
            kept = tuple(child for child in nodes[above].children if child not in below)
            nodes[above] = replace(nodes[above], children=(*kept, chain.nodes[0]))
        else:
            roots = [root for root in roots if root not in below] + [chain.nodes[0]]
        for lower in below:
            nodes[lower] = translated_before(nodes[lower], -places[-1])
            chains[lower] = chain
    skins = []
    for skin in scene.skins:
        top = next((k for k, joint in enumerate(skin.joints) if joint in chains), 0)
        more = list(dict.fromkeys(j for joint in skin.joints if joint in chains for j in chains[joint].nodes))
        inverse = np.tile(np.eye(4), (len(skin.joints), 1, 1)) if skin.inverse_bind is None else skin.inverse_bind
        at = {
            j: place
            for joint in skin.joints
            if joint in chains
            for j, place in zip(chains[joint].nodes, chains[joint].places, strict=True)
        }
        # A joint that carries nothing may be bound anywhere: where it now stands, seen from the first that it carries.
        extra = [translated_before(scene.nodes[skin.joints[top]], -at[j]).local @ inverse[top] for j in more]
        whole = np.concatenate([inverse, np.stack(extra)]) if extra else inverse
        # A root that the skin names is the topmost of the new ones from then on: all joints hang below it.
        root = chains[skin.skeleton].nodes[0] if skin.skeleton in chains else skin.skeleton
        skins.append(replace(skin, joints=(*skin.joints, *more), inverse_bind=frozen(whole), skeleton=root))
    clips = tuple(_counted_from(clip, {chain: chains[chain].places[-1] for chain in chains}) for clip in scene.clips)
    after = scene.with_(nodes=tuple(nodes), roots=tuple(roots), skins=tuple(skins), clips=clips)
    return Outcome(after, (Figure("joints", f"{len(own):,}", f"{len(_joints(after)):,}"),))


def _under(node: int, joints: set[int], up: list[int]) -> bool:
    """Whether a node hangs on a joint."""
    node = up[node]
    while node >= 0:
        if node in joints:
            return True
        node = up[node]
    return False


class _Chain(NamedTuple):
    """nodes: the new joints, the topmost first. places: (n, 3) where they stand in the frame that the chain hangs in."""

    nodes: list[int]
    places: Array


def _places(scene: Scene, top: int, above: int, joints: set[int], count: int) -> F64:
    """(count, 3) places for joints on the way to the topmost one, in the frame of the node above (-1: the world)."""
    at = scene.nodes[top].local[:3, 3]
    lengths = [
        float(np.linalg.norm(scene.nodes[child].local[:3, 3]))
        for j in joints
        for child in scene.nodes[j].children
        if child in joints
    ]
    mean = float(np.mean([x for x in lengths if np.isfinite(x)] or [1.0])) or 1.0
    if np.linalg.norm(at) > 1e-3 * mean:
        return np.asarray(at * (np.arange(count) / count)[:, None])
    frame = world_matrices(scene)[above][:3, :3] if above >= 0 else np.eye(3)
    upward = np.linalg.pinv(frame) @ np.eye(3)[AXIS_INDEX[scene.up_axis or "Y"]]
    upward *= mean / (float(np.linalg.norm(upward)) or 1.0)
    return np.asarray(at + upward * (np.arange(count) - count)[:, None])


def _counted_from(clip: Clip, places: Mapping[int, Array]) -> Clip:
    """A clip with the ways of some nodes counted from another place. places: (3,) by node."""

    def moved(channel: Channel) -> Channel:
        if (
            channel.path != "translation"
            or channel.node is None
            or channel.node not in places
            or channel.values.ndim != 2
            or channel.values.shape[1] != 3
        ):
            return channel
        values = channel.values.astype(np.float64)
        # Tangents of a cubic spline are no places.
        keys = (
            slice(1, None, 3) if channel.interpolation == "CUBICSPLINE" and len(values) == 3 * len(channel.times) else slice(None)
        )
        values[keys] -= places[channel.node]
        return replace(channel, values=frozen(values.astype(channel.values.dtype)))

    return replace(clip, channels=tuple(moved(channel) for channel in clip.channels))


@mend(
    "skin.into-scene",
    title="Parent stray joints into the scene",
    keeps="where every vertex stands, weights, bind matrices, clips",
    costs="what hangs on those joints is in the scene from then on",
    promise=POSES,
    safe=False,
)
def into_scene(scene: Scene) -> Outcome:
    """Let the scene hold the topmost nodes of joints that it did not hold though it shows what they carry."""
    held, up = set(walk(scene)), parents(scene)
    used = {n.skin for i, n in enumerate(scene.nodes) if i in held and n.skin is not None}
    tops, seen = list[int](), set[int]()
    for j in (j for k in sorted(used) for j in scene.skins[k].joints if j not in held):
        while j not in seen and up[j] >= 0:
            seen.add(j)
            j = up[j]
        if j not in seen:
            seen.add(j)
            tops.append(j)
    if not tops:
        raise MendError(say("skin.into-scene.already"))
    after = scene.with_(roots=(*scene.roots, *tops))
    return Outcome(
        after,
        (Figure("joints in the scene", "not all", "all"), Figure("roots", f"{len(scene.roots):,}", f"{len(after.roots):,}")),
    )


@mend(
    "skin.name-root",
    title="Name the common root",
    keeps="joints, weights, bind matrices, clips",
    costs="nothing",
    promise=POSES,
    safe=True,
)
def name_root(scene: Scene) -> Outcome:
    """Let each skin whose root does not hold all of its joints name the lowest node that does, or none where there is none."""
    up, skins, figures = parents(scene), [], []
    called = lambda i: "none" if i is None else scene.part_name(i)
    for k, skin in enumerate(scene.skins):
        joints = set(skin.joints)
        if skin.skeleton is not None and joints and not holds_joints(skin.skeleton, skin, up):
            # The lowest that all hang on, or the one joint that all others hang on.
            tops = [j for j in sorted(joints) if not _under(j, joints, up)]
            common = tops[0] if len(tops) == 1 else common_parent(scene, tops)
            skin = replace(skin, skeleton=common if common >= 0 else None)
            figures.append(Figure(f"root of {skin.name or f'skin {k}'}", called(scene.skins[k].skeleton), called(skin.skeleton)))
        skins.append(skin)
    if not figures:
        raise MendError(say("skin.name-root.already"))
    return Outcome(scene.with_(skins=tuple(skins)), tuple(figures[:200]))


@mend(
    "skin.remove-joints",
    title="Remove joints without weights",
    keeps="where every vertex stands, at rest and in every frame; weights of all others",
    costs="clips lose the channels of what is removed",
    promise=POSES,
    safe=False,
)
def remove_joints(scene: Scene) -> Outcome:
    """Take joints out of their skins on which no vertex hangs, neither on them nor below; nodes that then hold nothing go too."""
    up = parents(scene)
    busy: set[int] = set()
    for n in scene.nodes:
        if n.skin is None or n.mesh is None or (weights := scene.meshes[n.mesh].weights) is None:
            continue
        joints = scene.skins[n.skin].joints
        busy |= {joints[k] for k in np.unique(weights.joints[weights.weights != 0]).tolist() if 0 <= k < len(joints)}
    busy |= {i for i, n in enumerate(scene.nodes) if n.mesh is not None or n.camera is not None or n.light is not None}
    for i in list(busy):
        while i >= 0 and (i not in busy or up[i] not in busy):
            busy.add(i)
            i = up[i]
    whole = {k for k, skin in enumerate(scene.skins) if any(j in busy for j in skin.joints)}
    gone = {j for k in whole for j in scene.skins[k].joints if j not in busy}
    if not gone:
        raise MendError(say("skin.remove-joints.none"))
    skins = list(scene.skins)
    numbers: dict[int, np.ndarray] = {}
    for k in whole:
        skin = scene.skins[k]
        stay = [i for i, j in enumerate(skin.joints) if j not in gone]
        number = np.full(len(skin.joints), -1, np.int32)
        number[stay] = np.arange(len(stay))
        numbers[k] = number
        skins[k] = Skin(
            skin.id,
            skin.name,
            tuple(skin.joints[i] for i in stay),
            None if skin.inverse_bind is None else frozen(skin.inverse_bind[stay]),
            skin.skeleton,
        )
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    made: dict[tuple[int, int], int] = {}
    taken: dict[int, int] = {}
    for i, n in enumerate(scene.nodes):
        if n.skin not in numbers or n.mesh is None or scene.meshes[n.mesh].weights is None:
            continue
        if (n.mesh, n.skin) not in made:
            mesh = _renumbered(scene.meshes[n.mesh], numbers[n.skin])
            # A mesh that two skins show is stored once for each.
            if taken.setdefault(n.mesh, n.skin) == n.skin:
                meshes[n.mesh] = mesh
                made[n.mesh, n.skin] = n.mesh
            else:
                made[n.mesh, n.skin] = len(meshes)
                meshes.append(replace(mesh, id=f"{mesh.id}/{n.id}"))
        nodes[i] = replace(n, mesh=made[n.mesh, n.skin])
    after = scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), skins=tuple(skins))
    # Of the nodes only those go that no other skin counts among its joints and nothing hangs on.
    bare = {j for j in gone if not any(j in skin.joints for skin in after.skins)}
    lost = sum(1 for clip in scene.clips for x in clip.channels if x.node in bare)
    clips = tuple(replace(clip, channels=tuple(x for x in clip.channels if x.node not in bare)) for clip in after.clips)
    after = without_nodes(after.with_(clips=clips), bare)
    figures = [Figure("joints", f"{len(_joints(scene)):,}", f"{len(_joints(after)):,}")]
    if lost:
        figures.append(Figure("channels of what was removed", f"{lost:,}", "0"))
    return Outcome(after, tuple(figures))


def _renumbered(mesh: Mesh, number: np.ndarray) -> Mesh:
    weights = mesh.weights
    assert weights is not None
    known = (weights.joints >= 0) & (weights.joints < len(number))
    now = np.where(known, number[np.where(known, weights.joints, 0)], weights.joints)
    keep = ~known | (now >= 0)
    return replace(
        mesh, weights=with_rows(len(mesh.positions), vertex_of_weight(weights)[keep], now[keep], weights.weights[keep])
    )


@mend(
    "skin.drop-morphs",
    title="Drop morph targets",
    keeps="the shape as it is drawn at rest, weights, joints",
    costs="the shapes that the targets made are gone from the export, with the channels that drove them",
    safe=False,
    parameters=[Parameter("targets", "names", "which by name; all where none is named", default=()), PARTS],
)
def drop_morphs(scene: Scene, targets: Sequence[str] = (), parts: Sequence[str] = ()) -> Outcome:
    """Take morph targets out of meshes; what they shape at rest is put into the vertices."""
    meshes, count = list(scene.meshes), 0
    numbers: dict[int, list[int]] = {}
    for k in chosen_meshes(scene, parts):
        mesh = scene.meshes[k]
        stay = [i for i, x in enumerate(mesh.morphs) if targets and x.name not in targets]
        if len(stay) == len(mesh.morphs):
            continue
        count += len(mesh.morphs) - len(stay)
        numbers[k] = stay
        points = mesh.positions
        for i, x in enumerate(mesh.morphs):
            if i not in stay and i < len(mesh.morph_weights) and mesh.morph_weights[i]:
                points = points + mesh.morph_weights[i] * x.positions
        meshes[k] = replace(
            mesh,
            positions=frozen(points) if points is not mesh.positions else points,
            morphs=tuple(mesh.morphs[i] for i in stay),
            morph_weights=tuple(mesh.morph_weights[i] for i in stay if i < len(mesh.morph_weights)),
        )
    if not count:
        raise MendError(say("skin.drop-morphs.no-such-target") if targets else say("skin.drop-morphs.none"))
    own = [scene.part_name(i) for i, n in enumerate(scene.nodes) if n.mesh in numbers and any(n.morph_weights)]
    if own:
        raise MendError(say("skin.drop-morphs.in-use", part=own[0]))
    nodes = tuple(replace(n, morph_weights=()) if n.mesh in numbers else n for n in scene.nodes)

    clips = []
    for clip in scene.clips:
        channels = []
        for channel in clip.channels:
            mesh_of = scene.nodes[channel.node].mesh if channel.node is not None else None
            if channel.path == "weights" and mesh_of in numbers:
                stay = numbers[mesh_of]
                if stay and channel.values.shape[1] == len(scene.meshes[mesh_of].morphs):
                    channels.append(replace(channel, values=frozen(np.ascontiguousarray(channel.values[:, stay]))))
                continue
            channels.append(channel)
        clips.append(replace(clip, channels=tuple(channels)))
    after = scene.with_(meshes=tuple(meshes), nodes=nodes, clips=tuple(clips))
    return Outcome(after, (Figure("morph targets", f"{count:,}", "0"),))

"""A scene without some of its nodes or meshes, every index that points at one renumbered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ..scene import Node, Scene
from ..scene.transforms import parents
from ..words.anchors import is_place


def holding(scene: Scene) -> set[int]:
    """Nodes that hold something, drive something or stand above such a node."""
    joints = {j for skin in scene.skins for j in (*skin.joints, *([] if skin.skeleton is None else [skin.skeleton]))}
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    up = parents(scene)
    keep: set[int] = set()
    for i, n in enumerate(scene.nodes):
        if n.mesh is None and n.camera is None and n.light is None and i not in joints and i not in driven:
            continue
        while i >= 0 and i not in keep:
            keep.add(i)
            i = up[i]
    return keep


def still_bare(scene: Scene, candidates: list[int]) -> set[int]:
    """Those of some nodes that hold nothing, and below which nothing is."""
    holds = holding(scene)
    return {i for i in candidates if i not in holds}


def without_nodes(scene: Scene, gone: set[int]) -> Scene:
    """The scene without some nodes; every index that pointed at a node is renumbered. Their children go with them, and so do skins whose
    joints are gone and that no node uses any more."""
    if not gone:
        return scene
    stack = list(gone)
    while stack:
        for child in scene.nodes[stack.pop()].children:
            if child not in gone:
                gone.add(child)
                stack.append(child)
    kept = [i for i in range(len(scene.nodes)) if i not in gone]
    number = {old: new for new, old in enumerate(kept)}

    used = {scene.nodes[i].skin for i in kept}
    skins = [k for k, skin in enumerate(scene.skins) if k in used or all(j in number for j in skin.joints)]
    skin_number = {old: new for new, old in enumerate(skins)}

    def renumber(n: Node) -> Node:
        children = tuple(number[child] for child in n.children if child in number)
        return replace(n, children=children, skin=None if n.skin is None else skin_number[n.skin])

    return scene.with_(
        nodes=tuple(renumber(scene.nodes[i]) for i in kept),
        roots=tuple(number[root] for root in scene.roots if root in number),
        skins=tuple(
            replace(s, joints=tuple(number[j] for j in s.joints), skeleton=None if s.skeleton is None else number.get(s.skeleton))
            for s in (scene.skins[k] for k in skins)
        ),
        clips=tuple(
            replace(
                clip,
                channels=tuple(
                    replace(channel, node=None if channel.node is None else number.get(channel.node)) for channel in clip.channels
                ),
            )
            for clip in scene.clips
        ),
    )


def without_meshes(scene: Scene, gone: set[int]) -> Scene:
    """The scene without some meshes; nodes that had one stay and have none."""
    kept = [k for k in range(len(scene.meshes)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(replace(n, mesh=None if n.mesh is None else number.get(n.mesh)) for n in scene.nodes)
    return scene.with_(meshes=tuple(scene.meshes[k] for k in kept), nodes=nodes)


def without_emptied(scene: Scene, nodes: Iterable[int]) -> Scene:
    """The scene without those of some nodes that hold nothing any more, and without the groups above them that held nothing else.

    A group that is a place to put something at, or has properties of its own, stays, and so does what anything else hangs on.
    """
    holds, up = holding(scene), parents(scene)
    gone: set[int] = set()
    for first in nodes:
        i = first
        while i >= 0 and i not in holds and i not in gone:
            n = scene.nodes[i]
            if any(child not in gone for child in n.children) or (i != first and (is_place(n.name) or n.extras)):
                break
            gone.add(i)
            i = up[i]
    return without_nodes(scene, gone)


def without_parts(scene: Scene, nodes: list[int]) -> Scene:
    """The scene without the meshes of some nodes, and without those nodes, and groups above them, that then hold nothing."""
    if not nodes:
        return scene
    gone = set(nodes)
    bare = scene.with_(nodes=tuple(replace(n, mesh=None, skin=None) if i in gone else n for i, n in enumerate(scene.nodes)))
    before, used = {n.mesh for n in scene.nodes}, {n.mesh for n in bare.nodes}
    after = without_meshes(bare, {k for k in range(len(scene.meshes)) if k in before and k not in used})
    return without_emptied(after, nodes)

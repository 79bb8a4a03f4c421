"""Stand-ins and levels of detail as a destination wants them: named its way, beside their parts or in files of their own."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace

from ..edit.moved import with_local
from ..edit.splitting import without_unplaced
from ..edit.tree import below
from ..edit.without import without_nodes, without_parts
from ..kit.slots import without_unused_surfaces
from ..rules.export import ExportOptions
from ..scene import Scene
from ..scene.generated import BESIDE, BY_EXTENSION, OF, ROLE, name_suffix, property_text
from ..scene.transforms import parents, walk
from ..surface.names import as_file


def with_file_names(scene: Scene, options: ExportOptions) -> Scene:
    """The scene with the names that stand-ins and levels have there, where they still have those that they were made with: whoever
    renamed one since meant it. Several of one part are counted.
    """
    wanted: dict[int, str] = {}
    for i, n in enumerate(scene.nodes):
        role, of = property_text(n, ROLE), property_text(n, OF)
        if role in BESIDE and of and n.mesh is not None and re.fullmatch(re.escape(of) + name_suffix(role) + r"(_\d+)?", n.name):
            wanted[i] = of + (
                options.stand_in_suffix if role == "stand-in" else f"{options.level_suffix}{role.rpartition('-')[2]}"
            )
    if not wanted:
        return scene
    several, used = Counter(wanted.values()), Counter[str]()
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    for i, name in wanted.items():
        used[name] += 1
        told = f"{name}_{used[name]}" if several[name] > 1 else name
        number = nodes[i].mesh
        assert number is not None
        nodes[i], meshes[number] = replace(nodes[i], name=told), replace(meshes[number], name=told)
    return scene.with_(nodes=tuple(nodes), meshes=tuple(meshes))


def separate_files(scene: Scene, options: ExportOptions) -> tuple[Scene, list[tuple[str, Scene]]]:
    """The scene without what goes into files of its own, and what does: the end of each file's stem, and its scene. An accessory's begins at
    its joint.

    The file of a level is the whole thing at that level: of each part the coarsest that is no coarser, else the part itself.
    """
    parts = [i for i, n in enumerate(scene.nodes) if n.mesh is not None]
    role = {i: property_text(scene.nodes[i], ROLE) for i in parts}
    only = lambda kept: without_parts(scene, [i for i in parts if i not in kept])
    out: list[tuple[str, Scene]] = []
    gone = set[int]()
    own = {i for i in parts if role[i] == "stand-in"}
    if options.stand_ins == "file" and 0 < len(own) < len(parts):
        out.append((options.stand_in_suffix, only(own)))
        gone |= own
    if options.accessories == "files":
        hanging = accessories(scene)
        taken = Counter[str]()
        for top, joint in hanging.items():
            stem = as_file(f"_{scene.part_name(top)}".replace("/", "_").replace("\\", "_"))
            taken[stem.casefold()] += 1
            number = taken[stem.casefold()]
            out.append((f"{stem}_{number}" if number > 1 else stem, in_frame_of(scene, top, joint)))
            gone |= {i for i in below(scene, [top]) if scene.nodes[i].mesh is not None}
        parts = [i for i in parts if i not in gone]
    levels = sorted({r for r in role.values() if r.startswith("level")})
    if options.levels == "files" and levels:
        for level in levels:
            out.append((f"{options.level_suffix}{level.rpartition('-')[2]}", only(_at(scene, role, level))))
        gone |= {i for i in parts if role[i] in levels}
    elif options.levels == "extension":
        scene = _by_extension(scene)
    return (without_parts(scene, sorted(gone)) if gone else scene), out


def accessories(scene: Scene) -> dict[int, int]:
    """Nodes that bring parts without a skin and hang on a joint, the topmost of each, and that joint."""
    joints = {j for skin in scene.skins for j in skin.joints}
    up, out = parents(scene), dict[int, int]()
    # Of each node below a joint the topmost one that it is part of, and that joint; parents come before what hangs on them.
    carried: dict[int, tuple[int, int]] = {}
    for i in walk(scene):
        n = scene.nodes[i]
        # A joint with a mesh of its own is no accessory of the joint above it.
        if i in joints:
            continue
        if up[i] in joints:
            carried[i] = i, up[i]
        elif up[i] in carried:
            carried[i] = carried[up[i]]
        if i in carried and n.mesh is not None and n.skin is None:
            top, joint = carried[i]
            out.setdefault(top, joint)
    return out


def in_frame_of(scene: Scene, top: int, joint: int) -> Scene:
    """The scene of one node and what hangs on it alone, placed as it is placed to a joint above it, with what only that needs."""
    up, local = parents(scene), scene.nodes[top].local
    for i in up_to(scene, top, joint):
        local = scene.nodes[i].local @ local
    kept = below(scene, [top])
    nodes = list(scene.nodes)
    nodes[up[top]] = replace(nodes[up[top]], children=tuple(k for k in nodes[up[top]].children if k != top))
    nodes[top] = with_local(nodes[top], local)
    clips = tuple(
        replace(clip, channels=own)
        for clip in scene.clips
        if (own := tuple(channel for channel in clip.channels if channel.node in kept - {top}))
    )
    alone = scene.with_(nodes=tuple(nodes), roots=(top,), skins=(), clips=clips)
    alone = without_nodes(alone, set(range(len(nodes))) - kept)
    return without_unused_surfaces(without_unplaced(scene, alone))


def up_to(scene: Scene, node: int, above: int) -> list[int]:
    """Nodes between a node and one above it, the lowest first, both left out."""
    up, out = parents(scene), list[int]()
    while (node := up[node]) != above:
        out.append(node)
    return out


def _by_extension(scene: Scene) -> Scene:
    """The scene with levels marked as what a part names, behind its other children, finest first."""
    nodes = list(scene.nodes)
    for i, n in enumerate(scene.nodes):
        levels = [child for child in n.children if property_text(scene.nodes[child], ROLE).startswith("level")]
        # What a level is made of hangs below it and is no level of it.
        if not levels or property_text(n, ROLE).startswith("level"):
            continue
        for level in levels:
            nodes[level] = replace(nodes[level], extras={**nodes[level].extras, BY_EXTENSION: True})
        levels.sort(key=lambda c: property_text(scene.nodes[c], ROLE))
        nodes[i] = replace(nodes[i], children=(*(child for child in n.children if child not in levels), *levels))
    return scene.with_(nodes=tuple(nodes))


def _at(scene: Scene, role: dict[int, str], level: str) -> set[int]:
    """The parts that make up the whole thing at a level."""
    kept = set[int]()
    for i, own in role.items():
        if own not in BESIDE:
            coarser = [
                child for child in scene.nodes[i].children if role.get(child, "").startswith("level") and role[child] <= level
            ]
            kept.add(max(coarser, key=lambda c: role[c], default=i))
    return kept

"""Stand-ins and levels of detail as a destination wants them: named its way, beside their parts or in files of their own."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace

from ..edit.without import without_parts
from ..rules.export import ExportOptions
from ..scene import Scene
from ..scene.generated import BESIDE, BY_EXTENSION, OF, ROLE, name_suffix, property_text


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
    """The scene without what goes into files of its own, and what does: the end of each file's stem, and its scene.

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
    levels = sorted({r for r in role.values() if r.startswith("level")})
    if options.levels == "files" and levels:
        for level in levels:
            out.append((f"{options.level_suffix}{level.rpartition('-')[2]}", only(_at(scene, role, level))))
        gone |= {i for i in parts if role[i] in levels}
    elif options.levels == "extension":
        scene = _by_extension(scene)
    return (without_parts(scene, sorted(gone)) if gone else scene), out


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

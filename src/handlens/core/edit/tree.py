"""The node tree taken apart and put together anew, nothing of it moving."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from ..scene.model import Scene
from ..scene.transforms import parents, walk, world_matrices
from ..words.arrays import F64, Array
from .moved import with_local

#: How far a matrix may be from doing nothing, as a share of its greatest number.
_STILL = 1e-12


def below(scene: Scene, nodes: Iterable[int]) -> set[int]:
    """Nodes with everything that hangs on them."""
    found = set(nodes)
    stack = list(found)
    while stack:
        for child in scene.nodes[stack.pop()].children:
            if child not in found:
                found.add(child)
                stack.append(child)
    return found


def topmost(scene: Scene, nodes: set[int]) -> list[int]:
    """Of some nodes those that hang on none of the others, in the order of the tree."""
    up = parents(scene)
    kept: set[int] = set()
    under: set[int] = set()
    for i in walk(scene):
        if up[i] in nodes or up[i] in under:
            under.add(i)
        elif i in nodes:
            kept.add(i)
    return [i for i in walk(scene) if i in kept]


def common_parent(scene: Scene, nodes: Iterable[int]) -> int:
    """The lowest node that all of some hang on, -1 where they hang on none together. Quick for a chain of any length."""
    up = parents(scene)
    shared: list[int] | None = None
    known: dict[int, int] = {}
    walked: set[int] = set()
    for i in nodes:
        if shared is None:
            shared = []
            at = up[i]
            while at >= 0:
                shared.append(at)
                at = up[at]
            shared.reverse()
            known = {n: k for k, n in enumerate(shared)}
            continue
        at = up[i]
        while at >= 0 and at not in known and at not in walked:
            walked.add(at)
            at = up[at]
        if at in walked:
            continue  # where that way leads was seen before
        last = known.get(at, -1)
        for n in shared[last + 1 :]:
            known.pop(n, None)
        del shared[last + 1 :]
    return shared[-1] if shared else -1


def driven(scene: Scene) -> set[int]:
    """Nodes that a clip moves."""
    return {channel.node for clip in scene.clips for channel in clip.channels if channel.node is not None}


def reparent(scene: Scene, nodes: list[int], under: int, at: int | None = None) -> tuple[Scene, list[int]]:
    """The scene with some nodes hanging on another, -1 for none, each staying where it stands; and the nodes that could not.

    One that a clip moves can only be hung where its parent's frame is the same, and one whose new parent has no inverse cannot at all.
    at: the place among the new siblings, at their end where it is None. The nodes must not hold `under`.
    """
    world = world_matrices(scene)
    up = parents(scene)
    moved = driven(scene)
    frame = world[under] if under >= 0 else np.eye(4)
    flat = not can_be_undone(frame)
    changed, kept = list(scene.nodes), []
    going: list[int] = []
    for i in nodes:
        old = world[up[i]] if up[i] >= 0 else np.eye(4)
        same = _same(old, frame)
        if not same and (flat or i in moved):
            kept.append(i)
            continue
        if not same:
            changed[i] = with_local(scene.nodes[i], np.linalg.solve(frame, world[i]))
        going.append(i)
    gone = set(going)
    for parent in {up[i] for i in going} - {-1}:
        changed[parent] = replace(
            changed[parent], children=tuple(child for child in changed[parent].children if child not in gone)
        )
    roots = tuple(root for root in scene.roots if root not in gone)
    if under < 0:
        k = len(roots) if at is None else at
        roots = (*roots[:k], *going, *roots[k:])
    else:
        siblings = changed[under].children
        k = len(siblings) if at is None else at
        changed[under] = replace(changed[under], children=(*siblings[:k], *going, *siblings[k:]))
    return scene.with_(nodes=tuple(changed), roots=roots), kept


def ungroup(scene: Scene, groups: list[int]) -> tuple[Scene, set[int]]:
    """The scene with what hangs on some nodes hanging on what they hang on, each staying where it stands; and which of them are bare now.

    groups: parents before what hangs on them. One with a transform of its own stays where a clip moves what hangs on it.
    """
    moved = driven(scene)
    asked = set(groups)
    gone, needs = set(), set()
    for i in reversed(groups):
        carries = any(child in needs if child in asked else child in moved for child in scene.nodes[i].children)
        if carries and not _same(scene.nodes[i].local, np.eye(4)):
            continue
        gone.add(i)
        if carries:
            needs.add(i)
    within: dict[int, Array] = {}
    nodes = list(scene.nodes)
    up = parents(scene)
    for i in groups:
        if i not in gone:
            continue
        local = scene.nodes[i].local
        within[i] = within[up[i]] @ local if up[i] in within else local
    for i, n in enumerate(scene.nodes):
        if i not in gone and up[i] in gone and not _same(within[up[i]], np.eye(4)):
            nodes[i] = with_local(n, within[up[i]] @ n.local)

    def remaining(children: tuple[int, ...]) -> tuple[int, ...]:
        out, stack = [], list(reversed(children))
        while stack:
            child = stack.pop()
            if child in gone:
                stack.extend(reversed(scene.nodes[child].children))
            else:
                out.append(child)
        return tuple(out)

    for i, n in enumerate(nodes):
        if i in gone:
            nodes[i] = replace(n, children=())
        elif any(child in gone for child in n.children):
            nodes[i] = replace(n, children=remaining(n.children))
    return scene.with_(nodes=tuple(nodes), roots=remaining(scene.roots)), gone


def can_be_undone(frame: F64) -> bool:
    """Whether a (4, 4) frame flattens nothing and holds numbers only.

    frame: (4, 4) float64.
    """
    linear = frame[:3, :3]
    return bool(np.isfinite(frame).all()) and abs(np.linalg.det(linear)) > 1e-18 * max(float(np.abs(linear).max()), 1e-90) ** 3


def _same(a: F64, b: F64) -> bool:
    """Whether two frames are one but for rounding."""
    return bool(np.abs(a - b).max() <= _STILL * max(np.abs(a).max(), 1.0))

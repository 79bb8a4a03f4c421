"""The node tree: its order, its parents, and where each node stands in the world."""

from __future__ import annotations

import numpy as np

from ..words.arrays import F64
from .model import Scene

_IDENTITY = np.eye(4)


def walk(scene: Scene) -> list[int]:
    """Node indices of the default scene in depth-first file order, parents first."""
    seen: list[int] = []
    marked: set[int] = set()
    stack = list(reversed(scene.roots))
    while stack:
        i = stack.pop()
        if i in marked:
            continue
        marked.add(i)
        seen.append(i)
        stack.extend(reversed(scene.nodes[i].children))
    return seen


def parents(scene: Scene) -> list[int]:
    """(N,) parent of each node, -1 for a root."""
    up = [-1] * len(scene.nodes)
    for i, node in enumerate(scene.nodes):
        for child in node.children:
            up[child] = i
    return up


def nodes_above(nodes: set[int], up: list[int]) -> set[int]:
    """Nodes that others hang on at any depth, those others left out.

    nodes: int, indices of nodes.
    up: int, parent of each node, -1 for none, as from :func:`parents`.
    """
    out: set[int] = set()
    for node in nodes:
        i = up[node]
        while i >= 0 and i not in out:
            out.add(i)
            i = up[i]
    return out - nodes


def world_matrices(scene: Scene) -> F64:
    """(N, 4, 4) float64 world matrix of every node; those outside the default scene from their own root."""
    world = np.tile(np.eye(4), (len(scene.nodes), 1, 1))
    up = parents(scene)
    stack = [i for i in range(len(scene.nodes)) if up[i] < 0]
    with np.errstate(invalid="ignore", over="ignore"):
        while stack:
            i = stack.pop()
            world[i] = world[up[i]] @ scene.nodes[i].local if up[i] >= 0 else scene.nodes[i].local
            stack.extend(scene.nodes[i].children)
    return world

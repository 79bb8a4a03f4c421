"""Small rigs, and what is changed on them."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from handlens.core.scene import Node, Weights
from handlens.core.scene.transforms import world_matrices
from kit.scenes import cube, eel


def with_weights(change, made=None):
    """The eel with the weights of some entries changed. change: takes (starts, joints, weights) as writable arrays."""
    made = made or eel()
    w = made.meshes[0].weights
    parts = [w.starts.copy(), w.joints.copy(), w.weights.copy()]
    change(*parts)
    return made.with_(meshes=(replace(made.meshes[0], weights=Weights(*parts)),))


def with_node(i, made=None, **changes):
    made = made or eel()
    return made.with_(nodes=tuple(replace(n, **changes) if k == i else n for k, n in enumerate(made.nodes)))


def with_bind(change, made=None):
    made = made or eel()
    inverse = made.skins[0].inverse_bind.copy()
    change(inverse)
    return made.with_(skins=(replace(made.skins[0], inverse_bind=inverse),))


def more_joints(made=None, count=3):
    """The eel with more joints on its head, and a vertex that all of them carry."""
    made = made or eel()
    at = len(made.nodes)
    nodes = [replace(n, children=(*n.children, *range(at, at + count))) if n.name == "head" else n for n in made.nodes]
    nodes += [Node(f"x{k}", f"frill_{k}", translation=(0.1, 0.1 * k + 0.1, 0)) for k in range(count)]
    skin = made.skins[0]
    out = made.with_(nodes=tuple(nodes), skins=(replace(skin, joints=(*skin.joints, *range(at, at + count)), inverse_bind=None),))
    world = world_matrices(out)
    return out.with_(skins=(replace(out.skins[0], inverse_bind=np.linalg.inv(world[list(out.skins[0].joints)])),))


def spread(w, vertex, shares):
    """Weights with one vertex carried by joints 0, 1, 2 … in given shares."""
    rows = [list(zip(w.joints[a:b], w.weights[a:b], strict=True)) for a, b in pairwise(w.starts)]
    rows[vertex] = list(enumerate(shares))
    starts = np.cumsum([0, *(len(r) for r in rows)])
    flat = [x for r in rows for x in r]
    return Weights(starts, np.array([j for j, _ in flat], np.int32), np.array([v for _, v in flat], np.float32))


def spread_eel(shares, vertex=20):
    made = more_joints()
    return made.with_(meshes=(replace(made.meshes[0], weights=spread(made.meshes[0].weights, vertex, shares)),))


def hat(made=None, **more):
    """A hat on the eel's head that nothing carries."""
    made = made or eel()
    cap = replace(cube("hat"), positions=cube("hat").positions * 0.1 + [0, 2.05, 0])
    nodes = (replace(made.nodes[0], children=(*made.nodes[0].children, 5)), *made.nodes[1:], Node("n5", "hat", mesh=1, **more))
    return made.with_(nodes=nodes, meshes=(*made.meshes, cap))


def changed_weights(k, values):
    def change(starts, joints, weights):
        weights[starts[k] : starts[k + 1]] = values

    return change

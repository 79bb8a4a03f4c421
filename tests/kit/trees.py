"""Random node trees, and where their vertices stand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from handlens.core.scene import Layer, Node
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import walk, world_matrices
from kit.scenes import cube, scene


def random_tree(random, count=7, even=False, mirrored=True):
    """Random parents, transforms of every kind, and a cube on each node."""
    nodes = [Node(f"node:{k}", f"part {k}", mesh=0) for k in range(count)]
    for k in range(count):
        sign = random.choice([-1.0, 1.0]) if mirrored else 1.0
        scale = random.uniform(0.2, 3, 3) if not even else np.full(3, random.uniform(0.2, 3))
        scale[0] *= sign
        q = random.normal(size=4)
        nodes[k] = replace(
            nodes[k], translation=tuple(random.normal(size=3) * 3), rotation=tuple(q / np.linalg.norm(q)), scale=tuple(scale)
        )
        if random.random() < 0.2:
            m = np.eye(4)
            m[:3] = random.normal(size=(3, 4))
            nodes[k] = replace(nodes[k], matrix=m)
    for k in range(1, count):
        parent = int(random.integers(-1, k))
        if parent >= 0:
            nodes[parent] = replace(nodes[parent], children=(*nodes[parent].children, k))
    normals = np.repeat(np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]], float), 4, axis=0)
    box = replace(cube(), normals=Layer(normals, np.arange(24, dtype=np.int32)))
    return scene(box, nodes=tuple(nodes))


def positions(s):
    world = world_matrices(s)
    return {s.nodes[i].name: posed(s, i, world) for i in walk(s) if s.nodes[i].mesh is not None}

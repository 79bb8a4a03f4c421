"""Connected components of a graph, numbered by their lowest node."""

from __future__ import annotations

import numpy as np

from ..words.arrays import I32, Array


def components(nodes: int, a: Array, b: Array) -> I32:
    """Which nodes hang together.

    nodes: how many there are. a, b: (n,) int the two ends of each join.
    Returns (nodes,) int32 component of each node, numbered from 0 in the order of their lowest nodes.
    """
    lowest = lowest_nodes(nodes, a, b)
    return (np.cumsum(lowest == np.arange(nodes), dtype=np.int32) - np.int32(1))[lowest]


def lowest_nodes(nodes: int, a: Array, b: Array) -> I32:
    """(nodes,) int32 the lowest node of each node's component. a, b: (n,) int the two ends of each join.

    Roots are hooked onto lower ones and the ways to them are halved (Shiloach and Vishkin 1982): a few rounds over what still
    joins two components, as fast as a graph library on a million joins and without waiting for one to load.
    """
    root = np.arange(nodes, dtype=np.int32)
    while True:
        x, y = root[a], root[b]
        apart = x != y
        if not apart.any():
            return root
        a, b, x, y = a[apart], b[apart], x[apart], y[apart]
        np.minimum.at(root, np.maximum(x, y), np.minimum(x, y))
        while True:
            further = root[root]
            if (further == root).all():
                break
            root = further

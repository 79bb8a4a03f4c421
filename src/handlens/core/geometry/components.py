"""Connected components of a graph, numbered by their lowest node."""

from __future__ import annotations

import numpy as np

from ..scene.model import Array

#: Joins up to which numpy alone is used: below it, loading the graph library takes longer than everything else of a small model.
FEW = 50_000


def components(nodes: int, a: Array, b: Array) -> Array:
    """Which nodes hang together.

    nodes: how many there are. a, b: (n,) int the two ends of each join.
    Returns (nodes,) int32 component of each node, numbered from 0 in the order of their lowest nodes.
    """
    if len(a) > FEW:
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        joins = (np.ones(len(a), np.int8), (a.astype(np.int32, copy=False), b.astype(np.int32, copy=False)))
        labels: Array = connected_components(coo_array(joins, shape=(nodes, nodes)).tocsr(), directed=False)[1]
        return labels
    lowest = lowest_nodes(nodes, a, b)
    return (np.cumsum(lowest == np.arange(nodes), dtype=np.int32) - np.int32(1))[lowest]


def lowest_nodes(nodes: int, a: Array, b: Array) -> Array:
    """(nodes,) int64 the lowest node of each node's component, by hooking roots onto lower ones and halving the way to them
    (Shiloach and Vishkin 1982). a, b: (n,) int the two ends of each join."""
    root = np.arange(nodes)
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

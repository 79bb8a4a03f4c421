"""Skin weights as rows: sorted, summed, cut, and set anew."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..words.arrays import F64, I64, Array, Bool
from .model import Mesh, Weights, frozen


def vertex_of_weight(weights: Weights) -> I64:
    """(E,) int64 the vertex of each entry."""
    return np.repeat(np.arange(len(weights.starts) - 1), np.diff(weights.starts))


def row_sums(weights: Weights, values: Array) -> F64:
    """(V,) float64 sums of one value an entry.

    values: (E,) float, one an entry of the weights.
    """
    sums = np.bincount(vertex_of_weight(weights), weights=values, minlength=len(weights.starts) - 1)
    return sums.astype(np.float64, copy=False)


def ranks(weights: Weights) -> I64:
    """(E,) int64 place of each entry among those of its vertex, the heaviest first; of equal ones the first stands first."""
    owner = vertex_of_weight(weights)
    order = np.lexsort((-weights.weights, owner))
    out = np.empty(len(owner), np.int64)
    out[order] = np.arange(len(owner)) - weights.starts[owner[order]]
    return out


def with_rows(vertices: int, owner: I64, joints: Array, weights: Array) -> Weights:
    """Weights of entries in any order, kept in the order of their vertices. owner: (E,) vertex of each.

    joints: (E,) int, positions in the skin.
    weights: (E,) float.
    """
    order = np.argsort(owner, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(owner, minlength=vertices))])
    return Weights(
        frozen(starts.astype(np.int64)), frozen(joints[order].astype(np.int32)), frozen(weights[order].astype(np.float32))
    )


def weights_where(weights: Weights, keep: Bool) -> Weights:
    """The weights without some entries. keep: (E,) bool."""
    return with_rows(len(weights.starts) - 1, vertex_of_weight(weights)[keep], weights.joints[keep], weights.weights[keep])


def normalised(weights: Weights, only: Bool | None = None) -> Weights:
    """Weights that sum to 1 at every vertex that has any, or at those of a (V,) bool mask. A row whose sum is no positive number stays.

    only: (V,) bool.
    """
    total = row_sums(weights, weights.weights.astype(np.float64))
    good = np.isfinite(total) & (total > 1e-12)
    if only is not None:
        good &= only
    divisor = np.where(good, total, 1.0)[vertex_of_weight(weights)]
    return Weights(weights.starts, weights.joints, frozen((weights.weights / divisor).astype(np.float32)))


def limited(weights: Weights, most: int) -> Weights:
    """At most so many influences on a vertex: the heaviest are kept and brought to the sum that all had."""
    keep = ranks(weights) < most
    if keep.all():
        return weights
    before, cut = row_sums(weights, weights.weights.astype(np.float64)), weights_where(weights, keep)
    after = row_sums(cut, cut.weights.astype(np.float64))
    with np.errstate(all="ignore"):
        grow = np.where(after > 1e-12, before / np.where(after > 1e-12, after, 1.0), 1.0)
    return Weights(cut.starts, cut.joints, frozen((cut.weights * grow[vertex_of_weight(cut)]).astype(np.float32)))


@dataclass(frozen=True)
class Skeleton:
    """The joints of a skin as a tree. up: (J,) position of the nearest joint above each, -1 for a top one. places: (J, 3) in the world."""

    up: I64
    places: F64


#: Joints above one that are followed up: a chain may be as long as a file likes.
_MOST_ABOVE = 64
#: Rows times joints up to which weights are laid out in full.
_LAID_OUT = 4_000_000


def displacement(points: F64, before: Weights, after: Weights, bones: Skeleton, chosen: I64) -> F64:
    """(n,) how far each chosen vertex goes astray with other weights, at most, where one joint is turned by 60°.

    With one joint turned about its place by a rotation R, linear blend skinning moves a vertex by s (R - 1) x: s is the sum of its
    weights on that joint and on all that hang on it, x the way from the joint to the vertex. Two sets of weights differ by
    |Δs| |(R - 1) x|, and for 60° about the axis that moves it most |(R - 1) x| = |x|. The greatest over all joints is given.
    points: (V, 3) where vertices stand at rest, bones: their joints there. Exact where joints rest as they were bound. Source: linear blend skinning, glTF 2.0 §3.7.3.3.
    chosen: (n,) int, numbers of vertices.
    """
    joints = len(bones.up)
    place = np.full(len(points), -1, np.int64)
    place[chosen] = np.arange(len(chosen))
    rows, columns, amounts = [], [], []
    for weights, sign in ((before, 1.0), (after, -1.0)):
        owner = vertex_of_weight(weights)
        with np.errstate(all="ignore"):
            total = row_sums(weights, weights.weights.astype(np.float64))[owner]
        use = (place[owner] >= 0) & (weights.joints >= 0) & (weights.joints < joints) & (np.abs(total) > 1e-12)
        rows.append(place[owner[use]])
        columns.append(weights.joints[use].astype(np.int64))
        amounts.append(sign * weights.weights[use].astype(np.float64) / total[use])
    row, column, change = _with_all_below(
        np.concatenate(rows), np.concatenate(columns), np.concatenate(amounts), len(chosen), bones.up
    )
    out = np.zeros(len(chosen))
    lever = np.linalg.norm(points[chosen[row]] - bones.places[column], axis=1)
    far = np.abs(change) * lever
    np.maximum.at(out, row, np.where(np.isfinite(far), far, 0.0))
    return out


def joint_reach(points: F64, weights: Weights, bones: Skeleton) -> F64:
    """(J,) how far a turn of each joint by a radian moves a vertex, at most: Σ w · |x - p|, the sum being over the joint and all that
    hang on it. points: (V, 3) where vertices stand at rest.
    """
    joints, out = len(bones.up), np.zeros(len(bones.up))
    use = (weights.joints >= 0) & (weights.joints < joints) & np.isfinite(weights.weights)
    row, column, summed = _with_all_below(
        vertex_of_weight(weights)[use],
        weights.joints[use].astype(np.int64),
        weights.weights[use].astype(np.float64),
        len(points),
        bones.up,
    )
    far = np.abs(summed) * np.linalg.norm(points[row] - bones.places[column], axis=1)
    np.maximum.at(out, column, np.where(np.isfinite(far), far, 0.0))
    return out


def _with_all_below(row: I64, joint: I64, amount: F64, rows: int, up: I64) -> tuple[I64, I64, F64]:
    """Amounts on joints summed with those on all that hang on each: rows, joints and sums, where there are any.

    row, joint: (n,) where each of `amount` (n,) stands. rows: how many there are. up: (J,) the joint above each, -1 for none.
    """
    joints = len(up)
    below, above = _over(up)
    if rows * joints <= _LAID_OUT:
        # A library for tables that are mostly empty takes longer to load than this does.
        table = np.bincount(row * joints + joint, amount, rows * joints).reshape(rows, joints)
        hangs = np.zeros((joints, joints))
        hangs[below, above] = 1.0
        whole = table @ hangs
        found, column = np.nonzero(whole)
        return found, column, whole[found, column]
    from scipy.sparse import csr_array

    entries = csr_array((amount, (row, joint)), shape=(rows, joints))
    ancestors = csr_array((np.ones(len(below)), (below, above)), shape=(joints, joints))
    summed = csr_array(entries @ ancestors).tocoo()
    return np.asarray(summed.coords[0], np.int64), np.asarray(summed.coords[1], np.int64), summed.data


def _over(up: I64) -> tuple[I64, I64]:
    """Pairs of a joint and one that it hangs on, itself among them."""
    here, above = np.arange(len(up)), np.arange(len(up))
    pairs = [(here, above)]
    for _ in range(_MOST_ABOVE):
        there = above >= 0
        above = np.where(there, up[above], -1)
        if not (above >= 0).any():
            break
        pairs.append((here[above >= 0], above[above >= 0]))
    return np.concatenate([a for a, _ in pairs]), np.concatenate([b for _, b in pairs])


def skeleton_of(joints: tuple[int, ...], up: list[int], world: F64) -> Skeleton:
    """The tree of a skin's joints. up: parents of all nodes, world: (N, 4, 4) of all nodes."""
    at = {node: k for k, node in reversed(list(enumerate(joints)))}
    nearest: dict[int, int] = {}

    def above(node: int) -> int:
        """Position of the nearest joint above a node; what was found on the way is kept."""
        way, k = [], up[node]
        while k >= 0 and k not in at and k not in nearest:
            way.append(k)
            k = up[k]
        found = at.get(k, nearest.get(k, -1)) if k >= 0 else -1
        nearest.update(dict.fromkeys(way, found))
        return found

    places = world[np.array(joints, np.int64)][:, :3, 3] if joints else np.zeros((0, 3))
    return Skeleton(np.array([above(j) for j in joints], np.int64), places)


def heaviest_joint(mesh: Mesh) -> I64:
    """(V,) int64 the joint that weighs most on each vertex, -1 for none."""
    out = np.full(len(mesh.positions), -1, np.int64)
    weights = mesh.weights
    if weights is not None:
        first = (ranks(weights) == 0) & (weights.weights > 0)
        out[vertex_of_weight(weights)[first]] = weights.joints[first]
    return out

"""Skins: joints by the nodes that they are, in any order; bind matrices; the weights of each vertex that a face, a line or a point uses."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from ..scene import Mesh, Skin
from ..scene.weighing import vertex_of_weight
from ..words.arrays import F64, I64, Array
from .compared import Compared, Part
from .pairing import pair_by
from .rows import Row, counted, differs, listed, same
from .tolerances import MATRIX, MATRIX_LEAST, WEIGHT
from .words import figure, greatest_and_mean, length

GROUP = "Skin and motion"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of skins and weights."""
    a, b = compared.a, compared.b
    if not (a.skins or b.skins or any(mesh.weights is not None for s in (a, b) for mesh in s.meshes)):
        return
    pairs = _pairs(compared)
    gone, came = len(a.skins) - len(pairs), len(b.skins) - len(pairs)
    if gone or came:
        words = [f"{gone:,} gone"] * (gone > 0) + [f"{came:,} new"] * (came > 0)
        yield differs(GROUP, "Skins", f"{len(a.skins):,}", f"{len(b.skins):,}", ", ".join(words))
    else:
        yield counted(GROUP, "Skins", [len(a.skins), len(b.skins)])
    yield from _on_nodes(compared, pairs)
    renamed = [(a.skins[i].name, b.skins[j].name) for i, j in pairs.items() if (a.skins[i].name or "") != (b.skins[j].name or "")]
    if renamed:
        yield differs(GROUP, "Names of skins", renamed[0][0] or "none", renamed[0][1] or "none", f"{len(renamed):,} renamed")
    roots = [(i, j) for i, j in pairs.items() if _paired_node(compared, a.skins[i].skeleton) != b.skins[j].skeleton]
    if roots:
        name = lambda s, k: "none" if k is None else s.part_name(k)
        i, j = roots[0]
        yield differs(
            GROUP, "Skeleton roots", name(a, a.skins[i].skeleton), name(b, b.skins[j].skeleton), f"{len(roots):,} differ"
        )
    yield from _joints(compared, pairs)
    yield from _weights(compared)


def _paired_node(compared: Compared, node: int | None) -> int | None:
    return None if node is None else compared.nodes.get(node, -1)


def _pairs(compared: Compared) -> dict[int, int]:
    """Skins by the nodes that have them, then in order."""
    found: dict[int, int] = {}
    taken: set[int] = set()
    for i, j in compared.nodes.items():
        x, y = compared.a.nodes[i].skin, compared.b.nodes[j].skin
        if x is not None and y is not None and x not in found and y not in taken:
            found[x] = y
            taken.add(y)
    rest = (
        [k for k in range(len(compared.a.skins)) if k not in found],
        [k for k in range(len(compared.b.skins)) if k not in taken],
    )
    keys = [[len(s.skins[k].joints) for k in some] for s, some in ((compared.a, rest[0]), (compared.b, rest[1]))]
    found |= {rest[0][x]: rest[1][y] for x, y in pair_by(*keys)}
    return found


def _on_nodes(compared: Compared, pairs: dict[int, int]) -> Iterator[Row]:
    """Which node has which skin."""
    there = lambda k: None if k is None else pairs.get(k, -1)
    wrong = [i for i, j in compared.nodes.items() if there(compared.a.nodes[i].skin) != compared.b.nodes[j].skin]
    count = [sum(n.skin is not None for n in s.nodes) for s in (compared.a, compared.b)]
    if wrong:
        yield differs(
            GROUP,
            "Skinned parts",
            f"{count[0]:,}",
            f"{count[1]:,}",
            f"{len(wrong):,} differ",
            listed([compared.a.part_name(i) for i in wrong]),
        )
    else:
        yield counted(GROUP, "Skinned parts", count)


def _joints(compared: Compared, pairs: dict[int, int]) -> Iterator[Row]:
    total = [sum(len(skin.joints) for skin in x.skins) for x in (compared.a, compared.b)]
    if not any(total):
        return
    lost, moved = list[str](), list[str]()
    came = turned = 0
    worst = 0.0
    for i, j in pairs.items():
        x, y = compared.a.skins[i], compared.b.skins[j]
        mine, theirs = _by_node(x, [_paired_node(compared, n) for n in x.joints]), _by_node(y, list(y.joints))
        lost += [compared.a.part_name(x.joints[k]) for n, k in mine.items() if n not in theirs]
        came += sum(n not in mine for n in theirs)
        both = [(mine[n], theirs[n]) for n in mine if n in theirs]
        if not both:
            continue
        sent, read_back = _bind(x)[[k for k, _ in both]], _bind(y)[[k for _, k in both]]
        step = max(MATRIX * compared.step, MATRIX_LEAST)
        with np.errstate(all="ignore"):
            # Linear part and place each against what is usual of them in this skin: a bind matrix is used as a whole.
            linear = np.nan_to_num(np.abs(sent - read_back)[:, :3, :3], nan=np.inf).max(axis=(1, 2)) / max(
                float(np.abs(sent[:, :3, :3]).max(initial=0)), 1e-12
            )
            place = np.nan_to_num(np.abs(sent - read_back)[:, :3, 3], nan=np.inf).max(axis=1)
            far = place / max(float(np.abs(sent[:, :3, 3]).max(initial=0)), 1e-12)
            last = np.nan_to_num(np.abs(sent - read_back)[:, 3], nan=np.inf).max(axis=1)
        wrong = (linear > step) | (far > step) | (last > step)
        moved += [compared.a.part_name(x.joints[both[k][0]]) for k in np.flatnonzero(wrong)]
        turned += int(np.count_nonzero(linear > step))
        worst = max(worst, float(place[wrong].max(initial=0)))
    if lost or came:
        words = [f"gone: {listed(lost)}"] * bool(lost) + [f"{came:,} new"] * bool(came)
        yield differs(GROUP, "Joints", f"{total[0]:,}", f"{total[1]:,}", "; ".join(words))
    else:
        yield counted(GROUP, "Joints", total)
    stated = [sum(skin.inverse_bind is not None for skin in x.skins) for x in (compared.a, compared.b)]
    if moved:
        told = f"{len(moved):,} differ, by up to {length(worst, compared.a.unit_metres)}" + (
            f"; {turned:,} turned or scaled" if turned else ""
        )
        yield differs(GROUP, "Bind matrices", f"{stated[0]:,} skins", f"{stated[1]:,} skins", told, listed(moved))
    else:
        yield same(GROUP, "Bind matrices", f"{total[0]:,}")


def _by_node(skin: Skin, nodes: Sequence[int | None]) -> dict[int | None, int]:
    """Position of each joint's node in a skin; the first where one is named twice."""
    out: dict[int | None, int] = {}
    for k, n in enumerate(nodes):
        out.setdefault(n, k)
    return out


def _bind(skin: Skin) -> F64:
    """(J, 4, 4) bind matrices; none stated are identities (glTF 2.0 §3.7.3.1)."""
    if skin.inverse_bind is None or not len(skin.inverse_bind):
        return np.tile(np.eye(4), (max(len(skin.joints), 1), 1, 1))
    return skin.inverse_bind


def _weights(compared: Compared) -> Iterator[Row]:
    total, wrong, off, places, most = [0, 0], 0, [], [], [0, 0]
    for part in compared.parts:
        a, b = compared.a.meshes[part.sent], compared.b.meshes[part.read_back]
        for k, mesh in ((0, a), (1, b)):
            if mesh.weights is not None:
                there = vertex_of_weight(mesh.weights)[mesh.weights.weights != 0]
                influences = np.bincount(there, minlength=len(mesh.positions))
                total[k] += int(np.count_nonzero(influences))
                most[k] = max(most[k], int(influences.max(initial=0)))
        if a.weights is None and b.weights is None:
            continue
        faces = compared.faces[part.sent, part.read_back]
        corners = np.flatnonzero(faces.corner >= 0)
        va, vb = a.corners[corners].astype(np.int64), b.corners[faces.corner[corners]].astype(np.int64)
        loose_a, loose_b = compared.loose[part.sent, part.read_back]
        va, vb = np.concatenate([va, loose_a]), np.concatenate([vb, loose_b])
        amounts = _differences(compared, part, a, b, va, vb)
        bad = amounts > WEIGHT
        if bad.any():
            vertices = np.unique(va[bad])
            wrong += len(vertices)
            off.append(amounts[bad])
            face = np.unique(np.searchsorted(a.starts, corners[bad[: len(corners)]], side="right") - 1)
            places.append(compared.place(part, face))
    if wrong:
        amounts = np.concatenate(off)
        words = greatest_and_mean(figure(float(amounts.max())), figure(float(amounts.mean())), wrong, "vertex").replace(
            "vertexs", "vertices"
        )
        yield differs(GROUP, "Weights", f"{total[0]:,}", f"{total[1]:,}", words, f"first on {places[0].part}", places)
    elif any(total):
        yield same(GROUP, "Weights", f"{total[0]:,}", f"{total[1]:,}" if compared.parts else None)
        yield counted(GROUP, "Most influences", most)


def _differences(compared: Compared, part: Part, a: Mesh, b: Mesh, va: I64, vb: I64) -> F64:
    """(n,) greatest difference of a weight at pairs of vertices, joints by the nodes that they are."""
    from scipy.sparse import csr_array

    skins = (
        compared.a.nodes[part.nodes[0][0]].skin if part.nodes else None,
        compared.b.nodes[part.nodes[0][1]].skin if part.nodes else None,
    )
    if (
        a.weights is not None
        and b.weights is not None
        and skins[0] is not None
        and skins[1] is not None
        and np.array_equal(va, vb)
        and compared.a.skins[skins[0]].joints == tuple(compared.b.skins[skins[1]].joints)
        and all(i == compared.nodes.get(i) for i in compared.a.skins[skins[0]].joints)
        and all(np.array_equal(getattr(a.weights, k), getattr(b.weights, k)) for k in ("starts", "joints", "weights"))
    ):
        return np.zeros(len(va))
    there = [_paired_node(compared, n) for n in compared.a.skins[skins[0]].joints] if skins[0] is not None else None
    mine = (
        None
        if there is None
        else np.array([n if n is not None and n >= 0 else len(compared.b.nodes) + k for k, n in enumerate(there)], np.int64)
    )
    theirs = None if skins[1] is None else np.array(compared.b.skins[skins[1]].joints, np.int64)
    if (mine is None) != (theirs is None):
        # A skin that came or went is told by itself: weights are compared by their numbers.
        mine = theirs = None
    wide = len(compared.b.nodes) + max(len(compared.a.nodes), 1) + 1

    def table(mesh: Mesh, joints: Array | None) -> csr_array:
        weights = mesh.weights
        if weights is None:
            return csr_array((np.zeros(0), (np.zeros(0, int), np.zeros(0, int))), shape=(len(mesh.positions), wide))
        j = weights.joints.astype(np.int64)
        if joints is not None:
            j = (
                np.where(j < len(joints), joints[np.minimum(j, max(len(joints) - 1, 0))], wide - 1)
                if len(joints)
                else np.full(len(j), wide - 1)
            )
        return csr_array(
            (weights.weights.astype(np.float64), np.clip(j, 0, wide - 1), weights.starts), shape=(len(mesh.positions), wide)
        )

    key = va * (len(b.positions) + 1) + vb
    _, first, back = np.unique(key, return_index=True, return_inverse=True)
    with np.errstate(all="ignore"):
        off = abs(table(a, mine)[va[first]] - table(b, theirs)[vb[first]])
        worst = off.max(axis=1).toarray().reshape(-1) if off.shape[0] else np.zeros(0)
    farthest: F64 = np.nan_to_num(worst, nan=np.inf)[back.reshape(-1)]
    return farthest

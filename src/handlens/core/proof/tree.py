"""Nodes: their names, parents, local transforms and pivots, what they hold, what is hidden, and what they share."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np

from ..formats.conform.tree import own_extras
from ..scene.matrices import Polar
from ..scene.transforms import parents
from .compared import Compared
from .rows import Place, Row, counted, differs, listed, same
from .tolerances import CUSTOM, MATRIX, MATRIX_LEAST
from .words import alike, degrees, length

GROUP = "Parts"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of nodes."""
    yield from _counts(compared)
    if compared.named:
        yield from _names(compared)
    yield from _parents(compared)
    yield _transforms(compared)
    yield from _flags(compared)
    yield from _shared(compared)
    yield from _custom(compared)


def _counts(compared: Compared) -> Iterator[Row]:
    a, b = compared.a, compared.b
    gone = [i for i in range(len(a.nodes)) if i not in compared.nodes]
    came = sorted(set(range(len(b.nodes))) - set(compared.nodes.values()))
    words = []
    if gone:
        words.append(f"gone: {listed([a.part_name(i) for i in gone])}")
    if came:
        words.append(f"new: {listed([b.part_name(j) for j in came])}")
    places = [*(Place(a.part_name(i), i, None, gone=True) for i in gone), *(Place(b.part_name(j), None, j) for j in came)]
    if words:
        yield differs(GROUP, "Nodes", f"{len(a.nodes):,}", f"{len(b.nodes):,}", "; ".join(words), places=places)
    else:
        yield same(GROUP, "Nodes", f"{len(a.nodes):,}")
    held = lambda s: sum(n.mesh is not None for n in s.nodes)
    other = [i for i, j in compared.nodes.items() if (a.nodes[i].mesh is None) != (b.nodes[j].mesh is None)]
    if other:
        yield differs(
            GROUP,
            "Parts",
            f"{held(a):,}",
            f"{held(b):,}",
            f"another node holds a mesh: {listed([a.part_name(i) for i in other])}",
        )
    else:
        yield counted(GROUP, "Parts", [held(a), held(b)])
    loose = [len(s.meshes) - len({n.mesh for n in s.nodes if n.mesh is not None}) for s in (a, b)]
    if any(loose):
        yield counted(GROUP, "Meshes that no node places", loose)


def _names(compared: Compared) -> Iterator[Row]:
    a, b = compared.a, compared.b
    changed = [(i, j) for i, j in compared.nodes.items() if a.nodes[i].name != b.nodes[j].name]
    if changed:
        i, j = changed[0]
        first = f"{a.nodes[i].name or 'one without a name'} is {b.nodes[j].name or 'without a name'}"
        places = [Place(a.part_name(i), i, j) for i, j in changed]
        yield differs(GROUP, "Names", f"{len(a.nodes):,}", f"{len(b.nodes):,}", f"{len(changed):,} renamed", first, places)
    else:
        yield same(GROUP, "Names", f"{len(a.nodes):,}")
    meshes = [(a.meshes[part.sent].name, b.meshes[part.read_back].name) for part in compared.parts]
    other = [(x, y) for x, y in meshes if x != y]
    if other:
        first = f"{other[0][0] or 'one without a name'} is {other[0][1] or 'without a name'}"
        yield differs(GROUP, "Names of meshes", f"{len(a.meshes):,}", f"{len(b.meshes):,}", f"{len(other):,} renamed", first)


def _parents(compared: Compared) -> Iterator[Row]:
    up_a, up_b = parents(compared.a), parents(compared.b)
    there = lambda i: compared.nodes.get(up_a[i], -2) if up_a[i] >= 0 else -1
    moved = [(i, j) for i, j in compared.nodes.items() if there(i) != up_b[j]]
    name = lambda s, p: s.part_name(p) if p >= 0 else "nothing"
    if not moved:
        yield same(GROUP, "Parents", f"{len(compared.a.nodes):,}")
        return
    i, j = moved[0]
    first = f"{compared.a.part_name(i)} hangs below {name(compared.b, up_b[j])}, not below {name(compared.a, up_a[i])}"
    places = [Place(compared.a.part_name(i), i, j) for i, j in moved]
    yield differs(
        GROUP,
        "Parents",
        f"{len(compared.a.nodes):,}",
        f"{len(compared.b.nodes):,}",
        f"{len(moved):,} hang elsewhere",
        first,
        places,
    )


def _transforms(compared: Compared) -> Row:
    """Local matrices: a pivot that moved shows here, also where the picture stays."""
    pairs = list(compared.nodes.items())
    la, lb = (
        np.stack([s.nodes[k].local for k in some]) if some else np.zeros((0, 4, 4))
        for s, some in ((compared.a, [i for i, _ in pairs]), (compared.b, [j for _, j in pairs]))
    )
    # Turns are written as axes, angles or quaternions and multiplied out: a few steps more than a number costs.
    step = max(MATRIX * compared.step, MATRIX_LEAST)
    with np.errstate(all="ignore"):
        size = np.maximum(np.abs(la[:, :3, :3]).max(axis=(1, 2), initial=0), 1e-12) if len(la) else np.zeros(0)
        off = np.nan_to_num(np.abs(la - lb), nan=np.inf)
        off[(la == lb) | (np.isnan(la) & np.isnan(lb))] = 0
        reach = np.maximum(np.abs(la[:, :3, 3]).max(axis=1, initial=0), 1e-12) if len(la) else np.zeros(0)
        turned = (off[:, :3, :3].max(axis=(1, 2), initial=0) > step * size) | (off[:, 3].max(axis=1, initial=0) > step)
        moved = off[:, :3, 3].max(axis=1, initial=0) > step * reach
    wrong = np.flatnonzero(turned | moved)
    if not len(wrong):
        return same(GROUP, "Transforms and pivots", f"{len(compared.a.nodes):,}")
    words = []
    distance = np.linalg.norm(la[:, :3, 3] - lb[:, :3, 3], axis=1)
    if moved.any():
        words.append(f"moved up to {length(float(np.nan_to_num(distance[moved], nan=np.inf).max()), compared.a.unit_metres)}")
    if turned.any():
        angle, factor = 0.0, 1.0
        for k in np.flatnonzero(turned)[:200].tolist():
            sent, read_back = Polar(la[k, :3, :3]), Polar(lb[k, :3, :3])
            turn = sent.rotation.T @ read_back.rotation
            angle = max(angle, float(np.degrees(np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1)))))
            with np.errstate(all="ignore"):
                ratio = np.abs(read_back.scale / sent.scale)
            ratio = ratio[np.isfinite(ratio) & (ratio > 0)]
            factor = max([factor, *ratio.tolist(), *(1 / ratio).tolist()])
        words += [f"turned up to {degrees(angle)}"] * (angle > 1e-4) + [f"scaled up to × {factor:.3g}"] * (factor > 1 + 1e-6)
    places = [Place(compared.a.part_name(pairs[k][0]), *pairs[k]) for k in wrong.tolist()]
    where = f"first {places[0].part}"
    return differs(
        GROUP,
        "Transforms and pivots",
        f"{len(compared.a.nodes):,}",
        f"{len(compared.b.nodes):,}",
        f"{len(wrong):,} differ: {', '.join(words) or 'mirrored or sheared otherwise'}",
        where,
        places,
    )


def _flags(compared: Compared) -> Iterator[Row]:
    a, b = compared.a, compared.b
    inside_a, inside_b = compared.placed
    for what, told, tell in (
        ("Hidden nodes", lambda s, k, _: s.nodes[k].hidden, any(n.hidden for s in (a, b) for n in s.nodes)),
        ("In the default scene", lambda s, k, inside: k in inside, len(inside_a) < len(a.nodes) or len(inside_b) < len(b.nodes)),
    ):
        if not tell:
            continue
        count = [sum(told(s, k, inside) for k in range(len(s.nodes))) for s, inside in ((a, inside_a), (b, inside_b))]
        other = [(i, j) for i, j in compared.nodes.items() if told(a, i, inside_a) != told(b, j, inside_b)]
        if other:
            places = [Place(a.part_name(i), i, j) for i, j in other]
            yield differs(
                GROUP, what, f"{count[0]:,}", f"{count[1]:,}", f"{len(other):,} differ", f"first {places[0].part}", places
            )
        else:
            yield counted(GROUP, what, count)


def _shared(compared: Compared) -> Iterator[Row]:
    """Meshes that several nodes share: one that became several, or several that became one."""
    there, back = defaultdict(set), defaultdict(set)
    for part in compared.parts:
        if part.nodes:
            there[part.sent].add(part.read_back)
            back[part.read_back].add(part.sent)
    apart = [k for k, some in there.items() if len(some) > 1]
    joined = [k for k, some in back.items() if len(some) > 1]
    shared = lambda s: len([n for n in s.nodes if n.mesh is not None]) - len({n.mesh for n in s.nodes if n.mesh is not None})
    if not (shared(compared.a) or shared(compared.b)):
        return
    words = [f"{len(apart):,} written out as copies"] * bool(apart) + [f"{len(joined):,} made of several"] * bool(joined)
    if words:
        first = compared.a.meshes[apart[0]].name if apart else compared.b.meshes[joined[0]].name
        yield differs(GROUP, "Shared meshes", f"{shared(compared.a):,}", f"{shared(compared.b):,}", "; ".join(words), first)
    else:
        yield same(GROUP, "Shared meshes", f"{shared(compared.a):,}")


def _custom(compared: Compared) -> Iterator[Row]:
    """Custom properties and extensions that no field is for."""
    pairs = [
        (compared.a.part_name(i), own_extras(compared.a.nodes[i].extras), own_extras(compared.b.nodes[j].extras))
        for i, j in compared.nodes.items()
    ]
    pairs += [
        (
            compared.name(part),
            own_extras(compared.a.meshes[part.sent].extras),
            own_extras(compared.b.meshes[part.read_back].extras),
        )
        for part in compared.parts
    ]
    pairs.append(("the whole", own_extras(compared.a.extras), own_extras(compared.b.extras)))
    count = [sum(bool(x[k]) for x in pairs) for k in (1, 2)]
    other = [name for name, x, y in pairs if not alike(x, y, CUSTOM)]
    if other:
        yield differs(GROUP, "Custom properties", f"{count[0]:,}", f"{count[1]:,}", f"{len(other):,} differ", listed(other))
    elif any(count):
        yield same(GROUP, "Custom properties", f"{count[0]:,}")

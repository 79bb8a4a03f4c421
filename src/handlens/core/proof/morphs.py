"""Morph targets by name, their offsets at each corner, the offsets of normals, and how far each is on."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..scene import Mesh
from ..scene.model import Morph
from ..words.arrays import F64, I64, Array
from .compared import Compared
from .rows import Row, counted, differs, listed, same
from .tolerances import PLACES, SINGLE, TARGET_NORMALS, WEIGHT
from .words import figure, greatest_and_mean, length, value

GROUP = "Skin and motion"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of morph targets."""
    count = [sum(len(mesh.morphs) for mesh in s.meshes) for s in (compared.a, compared.b)]
    yield from _on(compared)
    if not any(count):
        return
    renamed, gone, off, places = [], 0, [], []
    normals_wrong = 0
    for part in compared.parts:
        a, b = compared.a.meshes[part.sent], compared.b.meshes[part.read_back]
        pairs = _pairs(a, b)
        gone += max(len(a.morphs), len(b.morphs)) - len(pairs)
        renamed += [(x.name, y.name) for x, y in pairs if x.name != y.name]
        faces = compared.faces[part.sent, part.read_back]
        met = np.flatnonzero(faces.corner >= 0)
        loose_a, loose_b = compared.loose[part.sent, part.read_back] if pairs else (met[:0], met[:0])
        va, vb = np.concatenate([a.corners[met], loose_a]), np.concatenate([b.corners[faces.corner[met]], loose_b])
        for x, y in pairs:
            apart = _row_distances(
                x.positions[va], y.positions[vb], PLACES * compared.step * max(float(np.abs(x.positions).max(initial=0)), 1e-12)
            )
            if (apart > 0).any():
                off.append(apart[apart > 0])
                places.append(
                    compared.place(part, np.unique(np.searchsorted(a.starts, met[apart[: len(met)] > 0], side="right") - 1))
                )
            normals_wrong += _normals(x, y, a, b, met, faces.corner[met])
    if gone or count[0] != count[1]:
        yield differs(
            GROUP, "Morph targets", f"{count[0]:,}", f"{count[1]:,}", f"{abs(count[0] - count[1]) or gone:,} came or went"
        )
    else:
        yield counted(GROUP, "Morph targets", count)
    if renamed:
        yield differs(
            GROUP, "Names of morph targets", renamed[0][0] or "none", renamed[0][1] or "none", f"{len(renamed):,} renamed"
        )
    if off:
        all_off = np.concatenate(off)
        worst, mean = (length(float(v), compared.a.unit_metres) for v in (all_off.max(), all_off.mean()))
        yield differs(
            GROUP,
            "Offsets of morph targets",
            "",
            "",
            greatest_and_mean(worst, mean, len(all_off), "corner"),
            f"first on {places[0].part}",
            places,
        )
    else:
        yield same(GROUP, "Offsets of morph targets", f"{count[0]:,}")
    if normals_wrong:
        yield differs(GROUP, "Normals of morph targets", "", "", f"{normals_wrong:,} corners differ")


def _pairs(a: Mesh, b: Mesh) -> list[tuple[Morph, Morph]]:
    """By name where names are each one's own, else in order: a clip drives them by their number."""
    names = [[morph.name for morph in x.morphs] for x in (a, b)]
    if all(len(set(n)) == len(n) for n in names) and set(names[0]) == set(names[1]) and names[0] == names[1]:
        by = {morph.name: morph for morph in b.morphs}
        return [(morph, by[morph.name]) for morph in a.morphs]
    return list(zip(a.morphs, b.morphs, strict=False))


def _row_distances(x: F64, y: F64, tolerance: float) -> F64:
    with np.errstate(all="ignore"):
        off = np.nan_to_num(np.abs(x - y), nan=np.inf)
        off[(x == y) | (np.isnan(x) & np.isnan(y))] = 0
        far: Array = np.linalg.norm(off, axis=1)
        return np.where(off.max(axis=1, initial=0) > tolerance, far, 0.0)


def _normals(x: Morph, y: Morph, a: Mesh, b: Mesh, corners: I64, there: I64) -> int:
    """How many corners have another offset of their normal; none stated is none at all."""

    def at(morph: Morph, mesh: Mesh, some: Array) -> Array:
        if morph.normals is None or mesh.normals is None or not len(morph.normals):
            return np.zeros((len(some), 3))
        index = mesh.normals.index[some]
        return np.where((index >= 0)[:, None], morph.normals[index].astype(np.float64), 0.0)

    if x.normals is None and y.normals is None:
        return 0
    return int(np.count_nonzero(_row_distances(at(x, a, corners), at(y, b, there), TARGET_NORMALS * SINGLE)))


def _on(compared: Compared) -> Iterator[Row]:
    """How far targets are on, by mesh and by node."""
    pairs: list[tuple[str, tuple[float, ...], tuple[float, ...]]] = [
        (compared.name(part), compared.a.meshes[part.sent].morph_weights, compared.b.meshes[part.read_back].morph_weights)
        for part in compared.parts
    ]
    pairs += [
        (compared.a.part_name(i), compared.a.nodes[i].morph_weights, compared.b.nodes[j].morph_weights)
        for i, j in compared.nodes.items()
    ]
    told = [x for x in pairs if x[1] or x[2]]
    if not told:
        return
    wide = lambda w, n: np.array([*w, *[0.0] * (n - len(w))])
    wrong = [x for x in told if np.abs(wide(x[1], len(x[2])) - wide(x[2], len(x[1]))).max(initial=0) > WEIGHT]
    if wrong:
        _, x, y = wrong[0]
        worst = float(np.abs(wide(x, len(y)) - wide(y, len(x))).max())
        yield differs(
            GROUP, "Morph targets switched on", value(x), value(y), f"by up to {figure(worst)}", listed([w[0] for w in wrong])
        )
    else:
        yield same(GROUP, "Morph targets switched on", f"{len(told):,}")

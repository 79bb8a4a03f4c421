"""Faces, the places of their corners, their winding, what hangs on the corners, groups of faces, lines and points."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..geometry.distinct import distinct_rows
from ..geometry.recut import used_vertices
from ..scene import Mesh
from ..words.arrays import I64, Array
from .compared import Compared, Part
from .faces import Faces, place_numbers
from .layers import LayerDifference
from .rows import Row, counted, differs, same
from .words import degrees, figure, greatest_and_mean, length

GROUP = "Surface"
LAYERS = "UVs and colours"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of faces, winding and what hangs on corners."""
    parts = [(part, compared.faces[part.sent, part.read_back]) for part in compared.parts]
    yield from _faces(compared, parts)
    yield from _layers(compared)
    yield from _groups(compared, parts)
    yield from _loose(compared)


def _faces(compared: Compared, parts: list[tuple[Part, Faces]]) -> Iterator[Row]:
    count = [sum(mesh.face_count for mesh in s.meshes) for s in (compared.a, compared.b)]
    met_a, met_b = {part.sent for part in compared.parts}, {part.read_back for part in compared.parts}
    gone = sum(len(f.gone) for _, f in parts) + sum(mesh.face_count for k, mesh in enumerate(compared.a.meshes) if k not in met_a)
    came = sum(len(f.new) for _, f in parts) + sum(mesh.face_count for k, mesh in enumerate(compared.b.meshes) if k not in met_b)
    if gone or came:
        words = [f"{gone:,} gone"] * bool(gone) + [f"{came:,} new"] * bool(came)
        places = [compared.place_of(p, f.gone, gone=True) for p, f in parts if len(f.gone)]
        places += [compared.place_of(p, f.new) for p, f in parts if len(f.new)]
        where = f"first on {places[0].part}" if places else ""
        yield differs(GROUP, "Faces", f"{count[0]:,}", f"{count[1]:,}", ", ".join(words), where, places)
    else:
        yield counted(GROUP, "Faces", count)
    yield _shift(compared, parts)
    turned = sum(len(f.turned) for _, f in parts)
    if turned:
        places = [compared.place(p, f.turned) for p, f in parts if len(f.turned)]
        yield differs(
            GROUP,
            "Winding",
            "0",
            f"{turned:,}",
            f"{turned:,} turned over",
            f"first on {places[0].part}, face {int(places[0].faces[0])}",
            places,
        )
    else:
        yield same(GROUP, "Winding", f"{count[0]:,}")


def _shift(compared: Compared, parts: list[tuple[Part, Faces]]) -> Row:
    moved = [(p, f) for p, f in parts if len(f.moved)]
    tolerance = max((compared.tolerance(part) for part in compared.parts), default=0.0)
    if not moved:
        return same(
            GROUP,
            "Places of corners",
            f"{sum(len(mesh.corners) for mesh in compared.a.meshes):,}",
            remark=f"within {length(tolerance, compared.a.unit_metres)}",
        )
    off = np.concatenate([f.shift[f.shift > 0] for _, f in moved])
    farthest_part, farthest = max(moved, key=lambda x: float(x[1].shift.max(initial=0)))
    corner = int(farthest.shift.argmax())
    face = int(np.searchsorted(compared.a.meshes[farthest_part.sent].starts, corner, side="right") - 1)
    where = f"on {compared.name(farthest_part)}, face {face}, corner {corner - int(compared.a.meshes[farthest_part.sent].starts[face])}"
    worst, mean = (length(float(v), compared.a.unit_metres) for v in (off.max(initial=0), off.mean() if len(off) else 0))
    places = [compared.place(p, f.moved) for p, f in moved]
    return differs(GROUP, "Places of corners", "", "", greatest_and_mean(worst, mean, len(off), "corner"), where, places)


def _layers(compared: Compared) -> Iterator[Row]:
    found: dict[str, list[tuple[Part, LayerDifference]]] = {}
    for part in compared.parts:
        for what, layer in compared.layers[part.sent, part.read_back].items():
            found.setdefault(what, []).append((part, layer))
    order = lambda what: (what not in ("Normals", "Tangents"), what)
    for what in sorted(found, key=order):
        some = [(p, d) for p, d in found[what] if d.there or d.there_now]
        if not some:
            continue
        group = GROUP if what in ("Normals", "Tangents") else LAYERS
        sent, now = sum(d.there for _, d in some), sum(d.there_now for _, d in some)
        wrong = [(p, d) for p, d in some if not d.none]
        if not wrong:
            yield same(group, what, f"{sent:,}")
            continue
        words = []
        lost, made = sum(len(d.lost) for _, d in wrong), sum(len(d.made) for _, d in wrong)
        words += [f"{lost:,} corners without"] * bool(lost) + [f"{made:,} corners with, that had none"] * bool(made)
        off = np.concatenate([d.off[d.off > 0] for _, d in wrong])
        if len(off):
            told = degrees if what == "Normals" or what == "Tangents" else figure
            words.append(greatest_and_mean(told(float(off.max())), told(float(off.mean())), len(off), "corner"))
        places = []
        for part, layer in wrong:
            mesh = compared.a.meshes[part.sent]
            faces = np.unique(np.searchsorted(mesh.starts, layer.corners(), side="right") - 1)
            places.append(compared.place(part, faces))
        where = f"first on {places[0].part}" + (f", face {int(places[0].faces[0])}" if len(places[0].faces) else "")
        yield differs(group, what, f"{sent:,}", f"{now:,}", "; ".join(words), where, places)


def _groups(compared: Compared, parts: list[tuple[Part, Faces]]) -> Iterator[Row]:
    kinds = (
        ("Smoothing groups", _smoothing, lambda m: m.smooth is not None),
        ("Groups of faces", _named_groups, lambda m: m.groups is not None),
    )
    for what, told, there in kinds:
        count, other, places = [0, 0], 0, []
        for part, faces in parts:
            a, b = compared.a.meshes[part.sent], compared.b.meshes[part.read_back]
            if not there(a) and not there(b):
                continue
            ta, tb = told(a), told(b)
            count[0] += int(np.count_nonzero(ta != ta.dtype.type(0)))
            count[1] += int(np.count_nonzero(tb != tb.dtype.type(0)))
            met = np.flatnonzero(faces.face >= 0)
            wrong = met[ta[met] != tb[faces.face[met]]]
            other += len(wrong)
            if len(wrong):
                places.append(compared.place(part, wrong))
        if other:
            yield differs(
                GROUP, what, f"{count[0]:,}", f"{count[1]:,}", f"{other:,} faces in another", f"first on {places[0].part}", places
            )
        elif any(count):
            yield counted(GROUP, what, count)


def _smoothing(mesh: Mesh) -> I64:
    return np.zeros(mesh.face_count, np.int64) if mesh.smooth is None else mesh.smooth.astype(np.int64)


def _named_groups(mesh: Mesh) -> Array:
    """(F,) object names of the groups of faces, 0 for none."""
    if mesh.groups is None:
        return np.zeros(mesh.face_count, object)
    table = np.array([name or 0 for name in mesh.group_names] or [0], object)
    return table[mesh.groups]


def _loose(compared: Compared) -> Iterator[Row]:
    """Lines, points and positions that nothing uses, by their places, in any order."""
    known: dict[int, Array] = {}

    def unused(mesh: Mesh) -> Array:
        if id(mesh) not in known:
            known[id(mesh)] = np.flatnonzero(~used_vertices(mesh)).reshape(-1, 1)
        return known[id(mesh)]

    kinds = (
        ("Lines", lambda m: m.lines.reshape(-1, 2)),
        ("Points", lambda m: m.points.reshape(-1, 1)),
        ("Positions that nothing uses", unused),
    )
    for what, of in kinds:
        count = [sum(len(of(mesh)) for mesh in s.meshes) for s in (compared.a, compared.b)]
        if not any(count):
            continue
        gone = came = 0
        first = ""
        for part in compared.parts:
            a, b = compared.a.meshes[part.sent], compared.b.meshes[part.read_back]
            xa, xb = of(a), of(b)
            if not len(xa) and not len(xb):
                continue
            lost, new = _multisets(a, b, xa, xb, compared.tolerance(part))
            gone, came = gone + lost, came + new
            first = first or (compared.name(part) if lost or new else "")
        met = {part.sent for part in compared.parts}, {part.read_back for part in compared.parts}
        gone += sum(len(of(mesh)) for k, mesh in enumerate(compared.a.meshes) if k not in met[0])
        came += sum(len(of(mesh)) for k, mesh in enumerate(compared.b.meshes) if k not in met[1])
        if gone or came:
            words = [f"{gone:,} gone"] * bool(gone) + [f"{came:,} new"] * bool(came)
            yield differs(GROUP, what, f"{count[0]:,}", f"{count[1]:,}", ", ".join(words), f"first on {first}" if first else "")
        else:
            yield same(GROUP, what, f"{count[0]:,}")


def _multisets(a: Mesh, b: Mesh, xa: Array, xb: Array, tolerance: float) -> tuple[int, int]:
    """How many elements, each a row of vertices, have no counterpart in the other mesh, both ways."""
    ia, ib = place_numbers(a.positions, b.positions, tolerance)
    # A line has no direction.
    ra, rb = np.sort(ia[xa], axis=1), np.sort(ib[xb], axis=1)
    both = np.concatenate([ra, rb])
    key, n = distinct_rows([both[:, k] for k in range(both.shape[1])])
    ca, cb = np.bincount(key[: len(ra)], minlength=n), np.bincount(key[len(ra) :], minlength=n)
    return int(np.maximum(ca - cb, 0).sum()), int(np.maximum(cb - ca, 0).sum())

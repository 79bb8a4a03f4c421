"""Meshes of a glTF file: primitives of every mode joined into one mesh, faces in file order."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ...scene import Layer, Mesh, Morph, Problem, Weights
from ...scene.model import frozen
from ...words.arrays import F32, F64, I32, Array
from .document import Document, is_integer
from .messages import say


@dataclass
class _Stack:
    """Distinct accessors of one attribute, laid end to end. Shared accessors are stored once."""

    offsets: dict[int, int] = field(default_factory=dict)
    arrays: list[Array] = field(default_factory=list)
    total: int = 0

    def add(self, accessor: int, array: F32) -> int:
        if accessor not in self.offsets:
            self.offsets[accessor] = self.total
            self.arrays.append(array)
            self.total += len(array)
        return self.offsets[accessor]

    def joined(self) -> F32:
        return self.arrays[0] if len(self.arrays) == 1 else np.concatenate(self.arrays)


@dataclass
class _Primitive:
    entry: dict[str, Any]
    attributes: dict[str, int]
    vertices: I32  # indices into the primitive's own vertices, as triangles (T, 3), lines (L, 2) or points (P,)
    kind: str
    offset: int
    count: int


def read_mesh(doc: Document, number: int, material_count: int, problems: list[Problem]) -> Mesh:
    """One mesh. positions (V, 3) float64 over its distinct POSITION accessors, faces over all primitives in order."""
    entry = doc.array("meshes")[number]
    where = f"meshes[{number}]"
    raw = entry.get("primitives", [])
    if not isinstance(raw, list) or not all(isinstance(p, dict) for p in raw):
        raise doc.fail(where, "has primitives that are not objects")
    positions = _Stack()
    primitives = [_primitive(doc, p, f"{where}.primitives[{k}]", positions, problems) for k, p in enumerate(raw)]
    drawn = [primitive for primitive in primitives if primitive is not None]
    stored = positions.joined() if positions.arrays else np.zeros((0, 3), np.float32)
    faces = [part for part in drawn if part.kind == "faces"]
    corners = _join([_moved(face.vertices, face.offset).reshape(-1) for face in faces], np.int32)
    count = len(corners) // 3
    slots, materials = _slots(doc, faces, material_count, where, problems)
    names = {a for part in drawn for a in part.attributes}
    layer = lambda name, width: _layer(doc, faces, name, width, where, problems)
    uvs = tuple(layer(f"TEXCOORD_{k}", 2) for k in range(_run(names, "TEXCOORD_")))
    colours = tuple(layer(f"COLOR_{k}", None) for k in range(_run(names, "COLOR_")))
    return Mesh(
        id=f"mesh:{number}",
        name=entry["name"] if isinstance(entry.get("name"), str) else "",
        positions=_shared(doc, raw, positions, stored),
        corners=frozen(corners),
        starts=frozen(np.arange(count + 1, dtype=np.int64) * 3),
        slots=frozen(slots),
        slot_materials=materials,
        uvs=uvs,
        normals=layer("NORMAL", 3) if "NORMAL" in names else None,
        tangents=layer("TANGENT", 4) if "TANGENT" in names else None,
        colours=colours,
        lines=frozen(_join([_moved(part.vertices, part.offset) for part in drawn if part.kind == "lines"], np.int32, (0, 2))),
        points=frozen(_join([_moved(part.vertices, part.offset) for part in drawn if part.kind == "points"], np.int32)),
        weights=_weights(doc, number, drawn, positions, names, where, problems),
        morphs=_morphs(doc, entry, drawn, faces, positions, where, problems),
        morph_weights=tuple(float(w) for w in entry.get("weights", []) if isinstance(w, (int, float))),
        extras={k: entry[k] for k in ("extras", "extensions") if k in entry},
    )


def _join(pieces: list[I32], dtype: Any, empty: tuple[int, ...] = (0,)) -> I32:
    if not pieces:
        return np.zeros(empty, dtype)
    return (pieces[0] if len(pieces) == 1 else np.concatenate(pieces)).astype(dtype, copy=False)


def _moved(index: I32, offset: int) -> I32:
    # Most meshes are one primitive, whose indices need no copy.
    return index + np.int32(offset) if offset else index


def _run(names: set[str], prefix: str) -> int:
    k = 0
    while f"{prefix}{k}" in names:
        k += 1
    return k


def _shared(doc: Document, primitives: list[dict[str, Any]], positions: _Stack, stored: F32) -> F64:
    """(V, 3) float64 positions, the very same array as that of another mesh over the same accessors.

    Packed geometry has its data beside its accessors, so there the same ones may mean something else.
    """
    own = frozen(stored.astype(np.float64))
    packed = any(isinstance(primitive.get("extensions"), dict) for primitive in primitives)
    return own if packed else doc.shared.setdefault(tuple(positions.offsets), own)


def _primitive(doc: Document, entry: dict[str, Any], where: str, positions: _Stack, problems: list[Problem]) -> _Primitive | None:
    attributes = entry.get("attributes", {})
    if not isinstance(attributes, dict):
        raise doc.fail(where, "has attributes that are not an object")
    if "POSITION" not in attributes:
        problems.append(Problem("no-positions", say("gltf.no-positions", where=where), where))
        return None
    accessor = doc.integer(attributes, "POSITION", where)
    stored = positions.arrays[list(positions.offsets).index(accessor)] if accessor in positions.offsets else None
    stored = doc.accessor(accessor, where, 3) if stored is None else stored
    offset = positions.add(accessor, stored)
    if "indices" in entry:
        index = _indices(doc, doc.integer(entry, "indices", where), len(stored), where)
    else:
        index = np.arange(len(stored), dtype=np.int32)
    vertices, kind = _elements(doc, index, doc.integer(entry, "mode", where, 4), where, problems)
    own = {str(k): doc.integer(attributes, k, where) for k in attributes}
    return _Primitive(entry, own, vertices, kind, offset, len(stored))


def _indices(doc: Document, accessor: int, total: int, where: str) -> I32:
    """(n,) int32 vertices of a primitive, every one below `total`; the stored bytes themselves where they can stand."""
    stored = doc.accessor(accessor, where, 1)[:, 0]
    if stored.dtype.kind not in "ui":
        raise doc.fail(where, "has indices that are no whole numbers; export it again")
    if len(stored) and not (int(stored.min()) >= 0 and int(stored.max()) < total):
        wrong = int(stored.min()) if int(stored.min()) < 0 else int(stored.max())
        raise doc.fail(where, f"uses vertex {wrong:,} but has only {total:,}; export it again")
    return np.require(stored, None, ["C", "A"]).view(np.int32) if stored.dtype == np.uint32 else stored.astype(np.int32)


def _elements(doc: Document, index: I32, mode: int, where: str, problems: list[Problem]) -> tuple[Array, str]:
    """Faces, lines or points of a primitive by its topology (§3.7.2.1)."""
    n = len(index)
    if mode == 4:
        if n % 3:
            problems.append(Problem("count", say("gltf.odd-corners", where=where, count=n), where))
        return index[: n - n % 3].reshape(-1, 3), "faces"
    if mode == 5:
        i = np.arange(max(n - 2, 0))
        return np.stack([index[i], index[i + 1 + i % 2], index[i + 2 - i % 2]], axis=1), "faces"
    if mode == 6:
        i = np.arange(max(n - 2, 0))
        return np.stack([index[i + 1], index[i + 2], np.full(len(i), index[0] if n else 0, np.int32)], axis=1), "faces"
    if mode == 0:
        return index, "points"
    if mode == 1:
        return index[: n - n % 2].reshape(-1, 2), "lines"
    if mode in (2, 3):
        pairs = np.stack([index[:-1], index[1:]], axis=1) if n > 1 else np.zeros((0, 2), np.int32)
        return (np.concatenate([pairs, [[index[-1], index[0]]]]) if mode == 2 and n > 2 else pairs), "lines"
    raise doc.fail(where, f"has an unknown mode ({mode})")


def _slots(
    doc: Document, faces: list[_Primitive], material_count: int, where: str, problems: list[Problem]
) -> tuple[Array, tuple[int, ...]]:
    """A slot a primitive: each is drawn by itself, whatever its material."""
    materials = []
    for k, face in enumerate(faces):
        material = face.entry.get("material", -1)
        if not is_integer(material) or material < -1 or material >= material_count:
            problems.append(
                Problem(
                    "broken-reference", say("gltf.no-such-material", where=where, material=material), f"{where}.primitives[{k}]"
                )
            )
            material = -1
        materials.append(material)
    slots = np.repeat(np.arange(len(faces), dtype=np.int32), [len(face.vertices) for face in faces])
    return slots, tuple(materials)


def _layer(doc: Document, faces: list[_Primitive], name: str, width: int | None, where: str, problems: list[Problem]) -> Layer:
    stack = _Stack()
    index = []
    widths = {str(doc.item("accessors", face.attributes[name], where).get("type")) for face in faces if name in face.attributes}
    widen = len(widths) > 1  # colours may mix RGB and RGBA
    for face in faces:
        corners = face.vertices.reshape(-1)
        accessor = face.attributes.get(name)
        if accessor is None:
            index.append(np.full(len(corners), -1, np.int32))
            continue
        values = doc.accessor(accessor, where, width)
        if width is None and values.shape[1] not in (3, 4):
            raise doc.fail(where, f"has a {name} whose values are neither VEC3 nor VEC4")
        if widen and values.shape[1] == 3:
            values = np.column_stack([values, np.ones(len(values), values.dtype)])
        offset = stack.add(accessor, values.astype(np.float32, copy=False))
        own = _moved(corners, offset)
        if len(values) < face.count:
            text = f"{where}: {name} has {len(values):,} values for {face.count:,} vertices."
            problems.append(Problem("count", text, where))
            own = np.where(corners < len(values), own, -1).astype(np.int32)
        index.append(own)
    values = stack.joined() if stack.arrays else np.zeros((0, width or 4), np.float32)
    return Layer(frozen(values), frozen(_join(index, np.int32)))


def _weights(
    doc: Document, number: int, drawn: list[_Primitive], positions: _Stack, names: set[str], where: str, problems: list[Problem]
) -> Weights | None:
    """Sparse rows from JOINTS_n / WEIGHTS_n (§3.7.3.3); zero weights are left out."""
    sets = _run(names, "JOINTS_")
    if not sets:
        return None
    total = positions.total
    joints = np.zeros((total, 4 * sets), np.int32)
    weights = np.zeros((total, 4 * sets), np.float32)
    for part in drawn:
        for k in range(sets):
            if f"JOINTS_{k}" not in part.attributes or f"WEIGHTS_{k}" not in part.attributes:
                continue
            j = doc.accessor(part.attributes[f"JOINTS_{k}"], where, 4)
            amounts = doc.accessor(part.attributes[f"WEIGHTS_{k}"], where, 4)
            n = min(len(j), len(amounts), part.count)
            if n < part.count:
                problems.append(Problem("skin", say("gltf.too-few-weights", where=where, count=n, vertices=part.count), where))
            joints[part.offset : part.offset + n, 4 * k : 4 * k + 4] = j[:n]
            weights[part.offset : part.offset + n, 4 * k : 4 * k + 4] = amounts[:n]
    used = weights != 0
    have = doc.joint_counts.get(number)
    idle = int(joints[~used].max(initial=0))
    if have is not None and idle >= have:
        text = f"{where}: joint {idle:,} is named at weight 0, though the skin has {have:,}."
        problems.append(Problem("skin-index", text, where))
    starts = np.concatenate([[0], np.cumsum(used.sum(axis=1))]).astype(np.int64)
    return Weights(frozen(starts), frozen(joints[used]), frozen(weights[used]))


def _morphs(
    doc: Document,
    entry: dict[str, Any],
    drawn: list[_Primitive],
    faces: list[_Primitive],
    positions: _Stack,
    where: str,
    problems: list[Problem],
) -> tuple[Morph, ...]:
    targets = [part.entry.get("targets", []) for part in drawn]
    count = max((len(target) for target in targets if isinstance(target, list)), default=0)
    extras = entry.get("extras")
    names = extras.get("targetNames", []) if isinstance(extras, dict) else []
    # Targets over the same accessors share their arrays: a file may name one of them thousands of times.
    moves: dict[str, Array] = {}
    turns: dict[str, Array | None] = {}
    out = []
    for k in range(count):
        entries = [
            target[k] if isinstance(target, list) and k < len(target) and isinstance(target[k], dict) else {}
            for target in targets
        ]
        move, turn = (repr([entry.get(name) for entry in entries]) for name in ("POSITION", "NORMAL"))
        if move not in moves:
            moved = np.zeros((positions.total, 3))
            for part, morph in zip(drawn, entries, strict=True):
                if morph.get("POSITION") is None:
                    continue
                delta = doc.accessor(doc.integer(morph, "POSITION", f"{where}.targets"), f"{where}.targets", 3)
                n = min(len(delta), part.count)
                if n < part.count:
                    problems.append(
                        Problem("count", say("gltf.short-morph-target", where=where, k=k, count=n, vertices=part.count), where)
                    )
                moved[part.offset : part.offset + n] = delta[:n]
            moves[move] = frozen(moved)
        if turn not in turns:
            turns[turn] = _morph_normals(doc, faces, k, where)
        name = names[k] if isinstance(names, list) and k < len(names) and isinstance(names[k], str) else ""
        out.append(Morph(name, moves[move], turns[turn]))
    return tuple(out)


def _morph_normals(doc: Document, faces: list[_Primitive], k: int, where: str) -> F32 | None:
    """Offsets laid out as the normal layer's values are; None where no primitive has them."""
    stack, any_found = _Stack(), False
    for face in faces:
        base = face.attributes.get("NORMAL")
        if base is None or base in stack.offsets:
            continue
        count = doc.integer(doc.item("accessors", base, where), "count", f"accessors[{base}]")
        target = (face.entry.get("targets") or [])[k : k + 1]
        own = target[0] if target and isinstance(target[0], dict) else {}
        delta = np.zeros((count, 3), np.float32)
        if own.get("NORMAL") is not None:
            stored = doc.accessor(doc.integer(own, "NORMAL", f"{where}.targets"), f"{where}.targets", 3)
            delta[: len(stored)] = stored[:count]
            any_found = True
        stack.add(base, delta)
    return frozen(stack.joined()) if any_found else None

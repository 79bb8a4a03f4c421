"""The polygon file format (PLY), text and binary of either byte order, into the neutral scene.

Source: G. Turk, "The PLY Polygon File Format", 1994. Names of texture coordinates, of the texture's file in a comment and of
triangle strips are common practice, no published source. The format states neither unit nor up axis.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from ...limits import InputError
from ...packages import Package
from ...scene import Image, Layer, Material, Mesh, Node, Problem, Scene, TextureInput
from ...scene.model import frozen
from ...surface.pictures import referenced
from ...words.arrays import F32, I32, I64, Array
from ..shared.lists import ragged, walk_lists
from ..shared.text import decode, parse_numbers
from .messages import say

_TYPES = {
    "char": "i1",
    "int8": "i1",
    "uchar": "u1",
    "uint8": "u1",
    "short": "i2",
    "int16": "i2",
    "ushort": "u2",
    "uint16": "u2",
    "int": "i4",
    "int32": "i4",
    "uint": "u4",
    "uint32": "u4",
    "float": "f4",
    "float32": "f4",
    "double": "f8",
    "float64": "f8",
}
_UV = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"), ("texture_s", "texture_t"))
_KNOWN = {
    "x",
    "y",
    "z",
    "nx",
    "ny",
    "nz",
    "red",
    "green",
    "blue",
    "alpha",
    "vertex_indices",
    "vertex_index",
    "vertex1",
    "vertex2",
    "texcoord",
    *(name for pair in _UV for name in pair),
}
_LARGEST_HEADER = 1 << 20


@dataclass(frozen=True)
class _Property:
    name: str
    kind: str
    count_kind: str | None = None


@dataclass(frozen=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]


@dataclass
class _Columns:
    """What an element holds: scalars by name (N,), lists by name as (counts (N,), values)."""

    scalars: dict[str, Array]
    lists: dict[str, tuple[Array, Array]]


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read a PLY. Raises InputError."""
    label = path.rpartition("/")[2]
    problems: list[Problem] = []
    kind, elements, textures, at = _header(data, label)
    body = data[at:]
    tables = _Text(body, label).tables(elements) if kind == "ascii" else _Binary(body, label, kind).tables(elements)
    return _scene(package, path, label, elements, tables, textures, problems)


def _header(data: bytes, label: str) -> tuple[str, list[_Element], list[str], int]:
    end = re.search(rb"^[ \t]*end_header[ \t]*(\r\n|\n|\r)", data[:_LARGEST_HEADER], re.M) or re.search(
        rb"\rend_header[ \t]*(\r\n|\n|\r)", data[:_LARGEST_HEADER]
    )
    if not re.match(rb"ply\s", data[:4]) or end is None:
        raise InputError(say("ply.no-header", label=label))
    kind, elements, textures = "", list[_Element](), list[str]()
    lines = re.split(r"\r\n|\n|\r", decode(data[: end.start()]))

    def refuse(number: int) -> InputError:
        return InputError(say("ply.wrong-header-line", label=label, number=number, text=lines[number - 1].strip()[:60]))

    for number, line in enumerate(lines, 1):
        words = line.split()
        match words:
            case ["format", kind, _]:
                pass
            case ["element", name, count] if count.isascii() and count.isdigit() and len(count) < 12:
                elements.append(_Element(name, int(count), ()))
            case ["property", "list", count_kind, item_kind, name] if elements and count_kind in _TYPES and item_kind in _TYPES:
                last = elements[-1]
                elements[-1] = _Element(
                    last.name, last.count, (*last.properties, _Property(name, _TYPES[item_kind], _TYPES[count_kind]))
                )
            case ["property", item_kind, name] if elements and item_kind in _TYPES:
                last = elements[-1]
                elements[-1] = _Element(last.name, last.count, (*last.properties, _Property(name, _TYPES[item_kind])))
            case ["comment", "TextureFile", *_]:
                textures.append(line.split(None, 2)[2].strip() if len(words) > 2 else "")
            case ["element" | "property" | "format", *_]:
                raise refuse(number)
            case _:
                continue
    if kind not in ("ascii", "binary_little_endian", "binary_big_endian"):
        raise InputError(say("ply.unknown-format", label=label, kind=kind or "none"))
    return kind, elements, [texture for texture in textures if texture], end.end()


class _Body:
    """Reads elements one after the other. A unit is a byte or, in text, a number."""

    def __init__(self, size: int, label: str) -> None:
        self.size, self.label, self.at = size, label, 0

    def width(self, kind: str) -> int:
        raise NotImplementedError

    def column(self, places: I64, kind: str) -> Array:
        """Values of a kind at places (N,) in units.

        places: (N,) int64.
        """
        raise NotImplementedError

    def tables(self, elements: list[_Element]) -> dict[str, _Columns]:
        out: dict[str, _Columns] = {}
        for element in elements:
            table = self.table(element)
            # A name that comes twice would hide the first: the first is the one that is meant.
            out.setdefault(element.name, table)
        return out

    def table(self, element: _Element) -> _Columns:
        n, start = element.count, self.at
        least = sum(self.width(p.count_kind or p.kind) for p in element.properties)
        if least * n > self.size - start:
            raise InputError(say("ply.cut-off", label=self.label, count=n, name=element.name))
        columns = _Columns({}, {})
        lists = [p for p in element.properties if p.count_kind]
        if not n or not element.properties:
            return columns
        if len(lists) <= 1:
            places, counts = self._records(element, lists)
            self._take(element, places, counts, columns)
        else:
            self._one_by_one(element, columns)
        return columns

    def _records(self, element: _Element, lists: list[_Property]) -> tuple[Array, Array | None]:
        n, at = element.count, self.at
        if not lists:
            stride = sum(self.width(p.kind) for p in element.properties)
            self.at += stride * n
            return at + stride * np.arange(n, dtype=np.int64), None
        (list_,) = lists
        k = element.properties.index(list_)
        before = sum(self.width(p.kind) for p in element.properties[:k])
        after = sum(self.width(p.kind) for p in element.properties[k + 1 :])
        lead = before + self.width(list_.count_kind or "")
        count_at = lambda places: self.column(at + places + before, list_.count_kind or "").astype(np.int64)
        found = walk_lists(self.size - at, n, lead, self.width(list_.kind), after, count_at)
        if found is None:
            raise InputError(say("ply.cut-off-list", label=self.label, name=element.name))
        starts, counts, length = found
        self.at += length
        return at + starts, counts

    def _take(self, element: _Element, places: I64, counts: I64 | None, into: _Columns) -> None:
        offset = np.zeros(len(places), np.int64)
        for entry in element.properties:
            here = places + offset
            if entry.count_kind is None:
                into.scalars.setdefault(entry.name, self.column(here, entry.kind))
                offset += self.width(entry.kind)
            else:
                assert counts is not None
                width = self.width(entry.kind)
                first = here + self.width(entry.count_kind)
                entries = np.repeat(first, counts) + width * ragged(np.zeros(len(counts), np.int64), counts)
                into.lists.setdefault(entry.name, (counts, self.column(entries, entry.kind)))
                offset += self.width(entry.count_kind) + width * counts

    def _one_by_one(self, element: _Element, into: _Columns) -> None:
        """Several lists in one entry: where each begins hangs on all before it, so their counts are read in order."""
        places = np.empty((len(element.properties), element.count), np.int64)
        counts = np.zeros((len(element.properties), element.count), np.int64)
        for i in range(element.count):
            for k, entry in enumerate(element.properties):
                places[k, i] = self.at
                width = self.width(entry.kind)
                if entry.count_kind:
                    lead = self.width(entry.count_kind)
                    if self.at + lead > self.size:
                        break
                    counts[k, i] = int(self.column(np.array([self.at]), entry.count_kind)[0])
                    if counts[k, i] < 0:
                        self.at = self.size + 1
                        break
                    self.at += lead + width * int(counts[k, i])
                else:
                    self.at += width
            if self.at > self.size:
                raise InputError(say("ply.cut-off-list", label=self.label, name=element.name))
        for k, entry in enumerate(element.properties):
            if entry.count_kind is None:
                into.scalars.setdefault(entry.name, self.column(places[k], entry.kind))
            else:
                width = self.width(entry.kind)
                first = places[k] + self.width(entry.count_kind)
                entries = np.repeat(first, counts[k]) + width * ragged(np.zeros(element.count, np.int64), counts[k])
                into.lists.setdefault(entry.name, (counts[k], self.column(entries, entry.kind)))


class _Binary(_Body):
    def __init__(self, body: bytes, label: str, kind: str) -> None:
        super().__init__(len(body), label)
        self.raw = np.frombuffer(body, np.uint8)
        self.order = "<" if kind == "binary_little_endian" else ">"

    def width(self, kind: str) -> int:
        return int(kind[1])

    def column(self, places: I64, kind: str) -> Array:
        width = self.width(kind)
        stride = int(places[1] - places[0]) if len(places) > 1 else width
        if (
            len(places)
            and stride > 0
            and int(places[-1]) == int(places[0]) + stride * (len(places) - 1)
            and (np.diff(places) == stride).all()
        ):
            # Evenly spaced: looked at in place instead of gathered byte by byte.
            view = np.ndarray((len(places),), self.order + kind, self.raw.data, int(places[0]), (stride,))
            return view.astype(kind)
        gathered = self.raw[places[:, None] + np.arange(width)]
        return np.ascontiguousarray(gathered).view(self.order + kind).reshape(-1).astype(kind)


class _Text(_Body):
    def __init__(self, body: bytes, label: str) -> None:
        values = parse_numbers(body, np.float64) if body.strip() else np.zeros(0)
        if values is None:
            wrong = next((w for w in body.split() if not _is_number(w)), b"")
            raise InputError(say("ply.no-number", label=label, text=decode(wrong[:40])))
        super().__init__(len(values), label)
        self.values = values

    def width(self, kind: str) -> int:
        return 1

    def column(self, places: I64, kind: str) -> Array:
        taken = self.values[places]
        if kind[0] == "f":
            return taken
        with np.errstate(invalid="ignore"):
            whole = taken.astype(np.int64)
        return whole


def _is_number(word: bytes) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


# --- the scene ------------------------------------------------------------------------------------


def _scene(
    package: Package,
    path: str,
    label: str,
    elements: list[_Element],
    tables: dict[str, _Columns],
    textures: list[str],
    problems: list[Problem],
) -> Scene:
    vertex = tables.get("vertex")
    if vertex is None or not all(a in vertex.scalars for a in "xyz"):
        count = next((element.count for element in elements if element.name == "vertex"), 0)
        if vertex is None or count:
            raise InputError(say("ply.no-positions", label=label))
        vertex = _Columns({a: np.zeros(0) for a in "xyz"}, {})
    positions = np.stack([vertex.scalars[a].astype(np.float64) for a in "xyz"], axis=1)
    total = len(positions)
    counts, corners, slots, face_uv, face_colours = _faces(tables, total, label, problems)
    per_corner = frozen(corners)
    uvs: tuple[Layer, ...] = ()
    for a, b in _UV:
        if a in vertex.scalars and b in vertex.scalars:
            values = np.stack([vertex.scalars[a], vertex.scalars[b]], axis=1).astype(np.float64)
            uvs = (Layer(frozen(values), per_corner),)
            break
    if face_uv is not None:
        uvs = (face_uv, *uvs)
    normals = None
    if all(a in vertex.scalars for a in ("nx", "ny", "nz")):
        normals = Layer(frozen(np.stack([vertex.scalars[a].astype(np.float64) for a in ("nx", "ny", "nz")], axis=1)), per_corner)
    colours = _colours(vertex, elements, "vertex")
    layers = [Layer(frozen(colours), per_corner)] if colours is not None else []
    layers += [face_colours] if face_colours is not None else []
    for element in elements:
        spare = [p.name for p in element.properties if p.name not in _KNOWN and (element.name, p.name) != ("face", "texnumber")]
        if element.count and element.name not in ("vertex", "face", "edge", "tristrips"):
            problems.append(Problem("not-carried", say("ply.entries-without-place", count=element.count, name=element.name)))
        elif element.count and spare:
            problems.append(
                Problem(
                    "not-carried",
                    say("ply.properties-without-place", name=element.name, what=", ".join(spare[:8])),
                )
            )
    images, materials = _materials(package, path, textures)
    used = max(int(slots.max(initial=0)) + 1, 1) if len(counts) else 0
    mesh = Mesh(
        id="mesh:0",
        name="",
        positions=frozen(positions),
        corners=per_corner,
        starts=frozen(np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)),
        slots=frozen(slots),
        slot_materials=tuple(k if k < len(materials) else -1 for k in range(used)),
        uvs=uvs,
        normals=normals,
        colours=tuple(layers),
        lines=frozen(_edges(tables, total, label)),
    )
    return Scene(
        format="ply",
        nodes=(Node("node:0", path.rpartition("/")[2].rpartition(".")[0], mesh=0),),
        roots=(0,),
        meshes=(mesh,),
        materials=materials,
        images=images,
        problems=tuple(problems),
        files=tuple((i.found_at, "image") for i in images if i.found_at),
    )


def _colours(table: _Columns, elements: list[_Element], name: str) -> F32 | None:
    """(N, 3 or 4) float32 colours from 0 to 1; whole numbers count to the largest of their type."""
    if not all(c in table.scalars for c in ("red", "green", "blue")):
        return None
    kinds = {p.name: p.kind for element in elements if element.name == name for p in element.properties}
    out = []
    for channel in ("red", "green", "blue", "alpha"):
        if channel in table.scalars:
            kind = kinds[channel]
            out.append(table.scalars[channel].astype(np.float32) / (1 if kind[0] == "f" else np.iinfo(kind).max))
    return np.stack(out, axis=1).astype(np.float32)


def _faces(
    tables: dict[str, _Columns], total: int, label: str, problems: list[Problem]
) -> tuple[Array, Array, Array, Layer | None, Layer | None]:
    """Counts (F,), corners (C,), slots (F,), and layers that are stored by face."""
    face = tables.get("face", _Columns({}, {}))
    lists = face.lists.get("vertex_indices") or face.lists.get("vertex_index")
    counts, corners = lists if lists is not None else (np.zeros(0, np.int64), np.zeros(0, np.int64))
    numbered = face.scalars.get("texnumber")
    slots = np.zeros(len(counts), np.int32) if numbered is None else np.clip(numbered, 0, 1 << 15).astype(np.int32)
    corners = corners.astype(np.int64)
    strips = tables.get("tristrips")
    strip_list = (strips.lists.get("vertex_indices") or strips.lists.get("vertex_index")) if strips else None
    if strip_list is not None:
        made = strip_triangles(strip_list[1].astype(np.int64), strip_list[0])
        counts = np.concatenate([counts, np.full(len(made), 3)])
        corners = np.concatenate([corners, made.reshape(-1)])
        slots = np.concatenate([slots, np.zeros(len(made), np.int32)])
    wrong = np.flatnonzero((corners < 0) | (corners >= total))
    if len(wrong):
        at = int(np.searchsorted(np.cumsum(counts), wrong[0], side="right"))
        raise InputError(say("ply.no-such-vertex", label=label, at=at, vertex=int(corners[wrong[0]]), total=total))
    uv = face.lists.get("texcoord")
    uv_layer = colour_layer = None
    if uv is not None and strip_list is None and (uv[0] == 2 * counts).all():
        uv_layer = Layer(frozen(uv[1].astype(np.float64).reshape(-1, 2)), frozen(np.arange(len(corners), dtype=np.int32)))
    elif uv is not None and uv[0].any():
        problems.append(Problem("not-carried", say("ply.uvs-not-in-pairs")))
    if strip_list is None and all(c in face.scalars for c in ("red", "green", "blue")):
        values = np.stack([face.scalars[c] for c in ("red", "green", "blue")], axis=1).astype(np.float32)
        if values.max(initial=0) > 1:
            values /= np.float32(255)
        colour_layer = Layer(frozen(values), frozen(np.repeat(np.arange(len(counts), dtype=np.int32), counts)))
    thin = counts < 3
    if thin.any():
        problems.append(Problem("thin-face", say("ply.too-few-corners", faces=int(thin.sum()))))
        keep = ~np.repeat(thin, counts)
        uv_layer = None if uv_layer is None else Layer(uv_layer.values, frozen(uv_layer.index[keep]))
        colour_layer = None if colour_layer is None else Layer(colour_layer.values, frozen(colour_layer.index[keep]))
        corners, slots, counts = corners[keep], slots[~thin], counts[~thin]
    return counts, corners.astype(np.int32), slots, uv_layer, colour_layer


def strip_triangles(index: I64, lengths: I64) -> I64:
    """(T, 3) triangles of strips: lists of `lengths` (N,) in which -1 begins a new strip; every second one is turned back.

    index: (n,) int, vertices and -1.
    lengths: (N,) int, of each list.
    """
    if not len(index):
        return np.zeros((0, 3), np.int64)
    breaks = np.zeros(len(index), bool)
    breaks[np.cumsum(lengths[lengths > 0])[:-1]] = True
    at = np.arange(len(index))
    lone = index == -1
    first = np.maximum.accumulate(np.where(breaks | lone, at + lone, 0))
    k = np.flatnonzero(at - first >= 2)
    k = k[~lone[k]]
    a, b, c = index[k - 2], index[k - 1], index[k]
    odd = ((k - first[k]) % 2).astype(bool)
    out = np.stack([np.where(odd, b, a), np.where(odd, a, b), c], axis=1)
    flat = (out[:, 0] == out[:, 1]) | (out[:, 1] == out[:, 2]) | (out[:, 0] == out[:, 2])
    answer: Array = out[~flat]
    return answer


def _edges(tables: dict[str, _Columns], total: int, label: str) -> I32:
    edge = tables.get("edge")
    if edge is None or not all(k in edge.scalars for k in ("vertex1", "vertex2")):
        return np.zeros((0, 2), np.int32)
    pairs = np.stack([edge.scalars["vertex1"], edge.scalars["vertex2"]], axis=1).astype(np.int64)
    if ((pairs < 0) | (pairs >= total)).any():
        raise InputError(say("ply.edge-without-vertex", label=label))
    return pairs.astype(np.int32)


def _materials(package: Package, path: str, textures: list[str]) -> tuple[tuple[Image, ...], tuple[Material, ...]]:
    images = tuple(referenced(package, name, path, k) for k, name in enumerate(textures))
    materials = tuple(
        Material(f"material:{k}", image.name.rpartition(".")[0], inputs=(TextureInput("base-colour", ("TextureFile",), k),))
        for k, image in enumerate(images)
    )
    return images, materials

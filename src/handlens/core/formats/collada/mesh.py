"""COLLADA geometry: sources, vertices and the seven kinds of primitives (1.4.1, chapter 5, `mesh`)."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from urllib.parse import unquote

import numpy as np

from ...scene.model import Layer, Mesh, Morph, Weights, frozen
from ...words.arrays import F64, I32, I64, Array
from ..ply.read import strip_triangles
from ..shared.lists import ragged
from ..shared.xml import Element, Numbers

Target = Callable[[str | None, str], Element | None]
_FACES = ("triangles", "polylist", "polygons", "tristrips", "trifans")
_LINES = ("lines", "linestrips")


@dataclass
class Geometry:
    """A geometry with its own numbering. symbols: material symbol of each slot. layers: by (semantic, set), values and index."""

    name: str
    positions: F64
    corners: I64
    counts: I64
    slots: I64
    symbols: tuple[str, ...]
    layers: dict[tuple[str, int], Layer]
    lines: I32
    bridged: int = 0


@dataclass
class _Pieces:
    corners: list[Array] = field(default_factory=list)
    counts: list[Array] = field(default_factory=list)
    slots: list[Array] = field(default_factory=list)
    lines: list[Array] = field(default_factory=list)
    #: By (semantic, set): index of each piece of corners, None where it has none, and the offset that its source was given.
    layers: dict[tuple[str, int], list[Array | None]] = field(default_factory=dict)


class Sources:
    """The arrays of a mesh, a controller or an animation by id, read once."""

    def __init__(self, owner: Element, target: Target, numbers: Numbers) -> None:
        self.owner, self.target, self.numbers = owner, target, numbers
        self.known: dict[str, Array] = {}

    def floats(self, url: str | None, least: int) -> F64:
        """(N, k) float64 with k at least `least`; an empty one where the source is not there."""
        key = unquote((url or "").lstrip("#"))
        if key not in self.known:
            self.known[key] = self._read(key)
        found = self.known[key]
        if found.shape[1] < least:
            return np.zeros((0, least))
        return found

    def _read(self, key: str) -> F64:
        source = next((e for e in self.owner.iter("source") if e.get("id") == key), None)
        if source is None:
            source = self.target(f"#{key}", "source")
        if source is None:
            return np.zeros((0, 0))
        accessor = source.find("technique_common/accessor")
        array = source.find("float_array")
        if array is None:
            array = source.find("int_array")
        if array is None and accessor is not None:
            # The array may belong to another source (chapter 5, `accessor`).
            array = self.target(accessor.get("source"), "float_array")
        values = self.numbers.floats(array)
        if accessor is None:
            return values.reshape(-1, 3) if len(values) % 3 == 0 else values.reshape(-1, 1)
        stride, offset, count = (
            _integer_attribute(accessor, k, d, self.numbers) for k, d in (("stride", 1), ("offset", 0), ("count", 0))
        )
        params = accessor.findall("param")
        # A parameter without a name is skipped over (chapter 5, `accessor`); some writers name none at all.
        taken: list[int] = []
        at = 0
        for param in params:
            wide = _wide(param.get("type") or "")
            taken += range(at, at + wide) if param.get("name") is not None or len(params) == 1 else ()
            at += wide
        taken = [k for k in taken or range(stride) if k < stride]
        if stride < 1 or not taken:
            self.numbers.fail(accessor, f"has a stride of {stride}")
        count = (
            min(count, max((len(values) - offset - max(taken) - 1) // stride + 1, 0)) if len(values) > offset + max(taken) else 0
        )
        if not count:
            return np.zeros((0, len(taken)))
        rows = offset + stride * np.arange(count)[:, None] + np.array(taken)
        answer: Array = values[rows]
        return answer

    def names(self, url: str | None) -> list[str]:
        """The words of a name or id array."""
        key = unquote((url or "").lstrip("#"))
        source = next((e for e in self.owner.iter("source") if e.get("id") == key), None)
        if source is None:
            return []
        for tag in ("Name_array", "IDREF_array", "SIDREF_array"):
            array = source.find(tag)
            if array is not None:
                return (array.text or "").split()
        return []


def _wide(kind: str) -> int:
    """Numbers of a parameter's type: one, or as many as float3 or float4x4 say."""
    size = re.fullmatch(r"[a-z]+(\d)(?:x(\d))?", kind)
    return int(size[1]) * int(size[2] or 1) if size else 1


def _integer_attribute(element: Element, key: str, default: int, numbers: Numbers) -> int:
    text = element.get(key)
    if text is None:
        return default
    if not text.strip().isascii() or not text.strip().isdigit() or len(text) > 10:
        numbers.fail(element, f"has a {key} of {text[:40]!r}")
    return int(text)


def read_geometry(element: Element, target: Target, numbers: Numbers, label: str) -> Geometry:
    """The geometry of an element; a convex hull without a mesh of its own holds nothing. Raises InputError."""
    name = element.get("name")
    name = (element.get("id") or "") if name is None else name
    mesh = element.find("mesh")
    if mesh is None:
        mesh = element.find("convex_mesh")
    if mesh is None:
        empty = np.zeros(0, np.int64)
        return Geometry(name, np.zeros((0, 3)), empty, empty, empty, (), {}, np.zeros((0, 2), np.int32))
    return _Reader(mesh, target, numbers).geometry(name)


class _Reader:
    def __init__(self, mesh: Element, target: Target, numbers: Numbers) -> None:
        self.mesh, self.numbers = mesh, numbers
        self.sources = Sources(mesh, target, numbers)
        self.pieces = _Pieces()
        self.symbols: list[str] = []
        #: By (semantic, set): sources in the order of their first use, with the number of rows before each.
        self.stacks: dict[tuple[str, int], dict[str, int]] = {}
        self.bridged = 0
        vertices = mesh.find("vertices")
        self.shared = [] if vertices is None else vertices.findall("input")
        place = next((e.get("source") for e in self.shared if e.get("semantic") == "POSITION"), None)
        self.positions = self.sources.floats(place, 3)[:, :3]

    def geometry(self, name: str) -> Geometry:
        for element in self.mesh:
            if element.tag in _FACES or element.tag in _LINES:
                self.primitive(element)
        pieces = self.pieces
        corners = _joined(pieces.corners)
        layers: dict[tuple[str, int], Layer] = {}
        for key, stack in self.stacks.items():
            values = [self.sources.floats(url, _LEAST[key[0]]) for url in stack]
            index = _joined(
                [np.full(len(corner), -1) if i is None else i for corner, i in zip(pieces.corners, self.filled(key), strict=True)]
            )
            width = min(v.shape[1] for v in values)
            layers[key] = Layer(frozen(np.concatenate([v[:, :width] for v in values])), frozen(index.astype(np.int32)))
        lines = np.concatenate(pieces.lines).astype(np.int32) if pieces.lines else np.zeros((0, 2), np.int32)
        return Geometry(
            name,
            self.positions,
            corners,
            _joined(pieces.counts),
            _joined(pieces.slots),
            tuple(self.symbols),
            layers,
            lines,
            self.bridged,
        )

    def filled(self, key: tuple[str, int]) -> list[Array | None]:
        """A layer's index pieces, one for each piece of corners."""
        own = self.pieces.layers.get(key, [])
        return own + [None] * (len(self.pieces.corners) - len(own))

    def primitive(self, element: Element) -> None:
        inputs = [
            (e.get("semantic") or "", _integer_attribute(e, "offset", 0, self.numbers), e.get("source"), e.get("set"))
            for e in element.findall("input")
        ]
        stride = max((o for _, o, _, _ in inputs), default=0) + 1
        vertex = next((o for s, o, _, _ in inputs if s == "VERTEX"), None)
        if vertex is None:
            if element.find("p") is not None:
                self.numbers.fail(element, "has indices but no VERTEX input")
            return
        rows, counts = self.rows(element, stride)
        if not len(rows):
            return
        if rows[:, vertex].max() >= len(self.positions) or rows.min() < -1 or rows[:, vertex].min() < 0:
            bad = int(rows[:, vertex].max())
            self.numbers.fail(element, f"uses vertex {bad:,}, but only {len(self.positions):,} are there")
        if element.tag in _LINES:
            self.pieces.lines.append(_pairs(rows[:, vertex], counts))
            return
        keep = np.repeat(counts >= 3, counts)
        rows, counts = rows[keep], counts[counts >= 3]
        symbol = element.get("material") or ""
        if symbol not in self.symbols:
            self.symbols.append(symbol)
        self.pieces.corners.append(rows[:, vertex])
        self.pieces.counts.append(counts)
        self.pieces.slots.append(np.full(len(counts), self.symbols.index(symbol)))
        taken: set[tuple[str, int]] = set()
        for semantic, offset, url, set_ in [
            *inputs,
            *((e.get("semantic") or "", vertex, e.get("source"), None) for e in self.shared),
        ]:
            if semantic not in _LEAST:
                continue
            k = int(set_) if set_ and set_.isascii() and set_.isdigit() and len(set_) < 6 else 0
            while (semantic, k) in taken:
                k += 1
            taken.add((semantic, k))
            self.layer(element, (semantic, k), url or "", rows[:, offset])

    def layer(self, element: Element, key: tuple[str, int], url: str, index: I64) -> None:
        values = self.sources.floats(url, _LEAST[key[0]])
        if not len(values):
            return
        if index.max() >= len(values):
            self.numbers.fail(element, f"uses entry {int(index.max()):,} of {key[0]}, but only {len(values):,} are there")
        stack = self.stacks.setdefault(key, {})
        if url not in stack:
            stack[url] = sum(len(self.sources.floats(u, _LEAST[key[0]])) for u in stack)
        own = self.pieces.layers.setdefault(key, [])
        own.extend([None] * (len(self.pieces.corners) - 1 - len(own)))
        own.append(np.where(index < 0, -1, index + stack[url]))

    def rows(self, element: Element, stride: int) -> tuple[I64, I64]:
        """(K, stride) indices of all corners of a primitive, and (F,) corners of each face or line."""
        if element.tag == "polygons":
            return self._polygons(element, stride)
        lists = [self._table(p, stride) for p in element.findall("p")]
        if element.tag in ("tristrips", "trifans", "linestrips"):
            flat, lengths = _stacked(lists, stride), np.array([len(t) for t in lists], np.int64)
            if element.tag == "linestrips":
                return flat, lengths
            # Triangles are made of places in the list, so that every input follows.
            places = strip_triangles(np.arange(len(flat)), lengths) if element.tag == "tristrips" else _fans(lengths)
            return flat[places.reshape(-1)], np.full(len(places), 3, np.int64)
        flat = _stacked(lists, stride)
        if element.tag == "polylist":
            counts = self.numbers.integers(element.find("vcount"))
            if (counts < 0).any() or counts.sum() != len(flat):
                self.numbers.fail(element, f"counts {int(counts.sum()):,} corners in vcount but holds {len(flat):,}")
            return flat, counts
        each = 2 if element.tag == "lines" else 3
        if len(flat) % each:
            self.numbers.fail(
                element, f"holds {len(flat):,} corners, which do not come out in {'pairs' if each == 2 else 'threes'}"
            )
        return flat, np.full(len(flat) // each, each, np.int64)

    def _polygons(self, element: Element, stride: int) -> tuple[I64, I64]:
        rows: list[Array] = []
        for child in element:
            if child.tag == "p":
                rows.append(self._table(child, stride))
            elif child.tag == "ph":
                outline = self._table(child.find("p"), stride)
                vertex = next(
                    (
                        _integer_attribute(e, "offset", 0, self.numbers)
                        for e in element.findall("input")
                        if e.get("semantic") == "VERTEX"
                    ),
                    0,
                )
                for hole in child.findall("h"):
                    inner = self._table(hole, stride)
                    if (
                        len(inner)
                        and len(outline)
                        and max(inner[:, vertex].max(), outline[:, vertex].max()) < len(self.positions)
                    ):
                        outline = bridge(outline, inner, self.positions[outline[:, vertex]], self.positions[inner[:, vertex]])
                        self.bridged += 1
                rows.append(outline)
        return _stacked(rows, stride), np.array([len(row) for row in rows], np.int64)

    def _table(self, element: Element | None, stride: int) -> I64:
        values = self.numbers.integers(element)
        if len(values) % stride:
            self.numbers.fail(element, f"holds {len(values):,} indices, which do not come out in groups of {stride}")
        return values.reshape(-1, stride)


_LEAST = {"NORMAL": 3, "TEXCOORD": 2, "UV": 2, "COLOR": 3, "TEXTANGENT": 3, "TANGENT": 3}


def _joined(pieces: list[I64]) -> I64:
    return np.concatenate(pieces).astype(np.int64) if pieces else np.zeros(0, np.int64)


def _stacked(pieces: list[I64], stride: int) -> I64:
    return np.concatenate(pieces) if pieces else np.zeros((0, stride), np.int64)


def _pairs(corners: I64, counts: I64) -> I64:
    """(L, 2) consecutive pairs within each line."""
    starts = np.cumsum(counts) - counts
    places = ragged(starts, np.maximum(counts - 1, 0))
    return np.stack([corners[places], corners[places + 1]], axis=1)


def _fans(lengths: Array) -> Array:
    """(T, 3) places of the triangles of fans that lie one behind the other."""
    starts = np.cumsum(lengths) - lengths
    spread = np.maximum(lengths - 2, 0)
    middle = ragged(starts + 1, spread)
    return np.stack([np.repeat(starts, spread), middle, middle + 1], axis=1)


def bridge(outline: Array, hole: Array, outer: Array, inner: Array) -> Array:
    """A polygon's corner rows (n, k) with a hole's (m, k) tied in by the shortest bridge that crosses nothing: (n + m + 2, k).

    outer: (n, 3), inner: (m, 3) positions. Source: the bridge of D. Eberly, "Triangulation by Ear Clipping", 2002.
    outline: (n, k) int rows, one a corner.
    hole: (m, k) int rows.
    """
    normal = np.cross(outer - outer[0], np.roll(outer, -1, axis=0) - outer[0]).sum(axis=0)
    drop = int(np.abs(normal).argmax())
    a, b = np.delete(outer, drop, axis=1), np.delete(inner, drop, axis=1)
    gaps = np.linalg.norm(a[:, None] - b[None], axis=2)
    gaps[~np.isfinite(gaps)] = np.inf
    edges = np.concatenate([np.stack([a, np.roll(a, -1, axis=0)], 1), np.stack([b, np.roll(b, -1, axis=0)], 1)])
    best = np.argsort(gaps, axis=None)
    i, j = np.unravel_index(best[0], gaps.shape)
    for k in best[:200]:
        row, column = np.unravel_index(k, gaps.shape)
        if not _crosses(a[row], b[column], edges):
            i, j = row, column
            break
    # The hole must run against the outline, so that what lies between them is the face.
    turn = lambda c: float(np.sum(c[:, 0] * np.roll(c[:, 1], -1) - c[:, 1] * np.roll(c[:, 0], -1)))
    around = np.roll(hole, -int(j), axis=0)
    if turn(a) * turn(b) > 0:
        around = np.roll(around[::-1], 1, axis=0)
    return np.concatenate([outline[: i + 1], around, around[:1], outline[i:]])


def _crosses(starts: Array, ends: Array, edges: Array) -> bool:
    """Whether the open segment from p to q cuts any of edges (E, 2, 2)."""
    side = lambda o, d, x: d[..., 0] * (x[..., 1] - o[..., 1]) - d[..., 1] * (x[..., 0] - o[..., 0])
    edge_start, edge_end = edges[:, 0], edges[:, 1]
    s1, s2 = side(starts, ends - starts, edge_start), side(starts, ends - starts, edge_end)
    s3, s4 = side(edge_start, edge_end - edge_start, starts[None]), side(edge_start, edge_end - edge_start, ends[None])
    return bool(((s1 * s2 < 0) & (s3 * s4 < 0)).any())


def geometry_mesh(
    geometry: Geometry,
    number: int,
    binding: tuple[int, ...],
    weights: Weights | None,
    morphs: tuple[Morph, ...],
    morph_weights: tuple[float, ...],
) -> Mesh:
    """The mesh of a geometry. binding: the material of each slot, -1 for none."""
    pick = lambda *semantics: [geometry.layers[k] for k in sorted(geometry.layers, key=lambda k: k[1]) if k[0] in semantics]
    uvs = tuple(Layer(frozen(layer.values[:, :2]), layer.index) for layer in pick("TEXCOORD") or pick("UV"))
    normals, tangents = pick("NORMAL"), pick("TEXTANGENT", "TANGENT")
    handed = None
    if tangents:
        # The handedness is not stated; positive is what a missing binormal means.
        with_sign = np.column_stack([tangents[0].values[:, :3], np.ones(len(tangents[0].values))])
        handed = Layer(frozen(with_sign), tangents[0].index)
    return Mesh(
        id=f"mesh:{number}",
        name=geometry.name,
        positions=frozen(np.ascontiguousarray(geometry.positions)),
        corners=frozen(geometry.corners.astype(np.int32)),
        starts=frozen(np.concatenate([[0], np.cumsum(geometry.counts)]).astype(np.int64)),
        slots=frozen(geometry.slots.astype(np.int32)),
        slot_materials=binding,
        uvs=uvs,
        normals=normals[0] if normals else None,
        tangents=handed,
        colours=tuple(Layer(frozen(c.values[:, :4].astype(np.float32)), c.index) for c in pick("COLOR")),
        lines=frozen(geometry.lines),
        weights=weights,
        morphs=morphs,
        morph_weights=morph_weights,
    )

"""PLY, as a destination reads it: vertices, polygons as fans, an image where a comment names one. Source: the Stanford polygon format, 1994."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from ...limits import InputError
from ...words.arrays import I64, Array
from ..messages import say
from .received import Node, Picture, Piece, Received, Surface, plain_name

_TYPES = {
    **dict.fromkeys(("char", "int8"), "i1"),
    **dict.fromkeys(("uchar", "uint8"), "u1"),
    **dict.fromkeys(("short", "int16"), "i2"),
    **dict.fromkeys(("ushort", "uint16"), "u2"),
    **dict.fromkeys(("int", "int32"), "i4"),
    **dict.fromkeys(("uint", "uint32"), "u4"),
    **dict.fromkeys(("float", "float32"), "f4"),
    **dict.fromkeys(("double", "float64"), "f8"),
}
_ENDS = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": ""}
#: What is said of one vertex along a picture goes by several names (common practice, no published source).
_UV = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
_HEADER_BYTES = 1 << 20


#: Fields of an element by name: numbers as arrays or lists, lists as lists of lists.
_Fields = dict[str, Any]


@dataclass
class _Element:
    """name: of what. count: how many. fields: name, type, and the type of its length where it is a list."""

    name: str
    count: int
    fields: list[tuple[str, str, str | None]] = field(default_factory=list)


def read_ply(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's PLY holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .ply.
    """
    data = files[main]
    try:
        return _received(files, main, *_header(data))
    except (LookupError, TypeError, ValueError, OverflowError) as error:
        raise InputError(say("receivers.wrong", main=main, what="cut off, or no PLY" if data else "empty")) from error


def _header(data: bytes) -> tuple[str, list[_Element], list[str], int]:
    """How its numbers are written, its elements, its comments, and where the header ends. Raises ValueError."""
    end = data.find(b"end_header", 0, _HEADER_BYTES)
    if not data.startswith(b"ply") or end < 0:
        raise ValueError
    written, elements, comments = "", list[_Element](), list[str]()
    for line in data[:end].decode("utf-8", "replace").splitlines():
        words = line.split()
        if words[:1] == ["format"]:
            written = words[1]
        elif words[:1] == ["comment"]:
            comments.append(line.partition("comment")[2].strip())
        elif words[:1] == ["element"]:
            elements.append(_Element(words[1], int(words[2])))
            if not 0 <= elements[-1].count <= len(data):
                raise ValueError
        elif words[:2] == ["property", "list"]:
            elements[-1].fields.append((words[4], _TYPES[words[3]], _TYPES[words[2]]))
        elif words[:1] == ["property"]:
            elements[-1].fields.append((words[2], _TYPES[words[1]], None))
    if written not in _ENDS:
        raise ValueError
    return written, elements, comments, data.index(b"\n", end) + 1


def _received(
    files: Mapping[str, bytes], main: str, written: str, elements: list[_Element], comments: list[str], at: int
) -> Received:
    read = _words(files[main][at:]) if written == "ascii" else _bytes(files[main], at, _ENDS[written])
    tables = {element.name: read(element) for element in elements}
    vertex = tables["vertex"]
    points = np.stack([np.asarray(vertex[axis], np.float64) for axis in "xyz"], axis=1).reshape(-1, 3)
    faces = tables.get("face", {})
    corners = _fans(faces.get("vertex_indices", faces.get("vertex_index", [])))
    if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
        raise ValueError
    named = next(((u, v) for u, v in _UV if u in vertex and v in vertex), None)
    uv = None if named is None else np.stack([np.asarray(vertex[named[0]]), 1 - np.asarray(vertex[named[1]])], axis=1)
    pictures, surfaces = _pictured(files, main, comments)
    edges = next((len(next(iter(tables[name].values()), ())) for name in ("edge",) if name in tables), 0)
    lines = 2 * edges if len(corners) or edges else len(points)
    piece = Piece(points, corners, None if uv is None else uv.astype(np.float64), 0 if surfaces else -1, lines=lines)
    name = plain_name(PurePosixPath(main).stem)
    return Received("ply", [Node(name, -1, np.eye(4), 0)], [[piece]], surfaces, pictures)


def _pictured(files: Mapping[str, bytes], main: str, comments: list[str]) -> tuple[list[Picture], list[Surface]]:
    """The image that a comment names, and the material that is drawn in it."""
    named = next((c.partition("TextureFile")[2].strip() for c in comments if c.startswith("TextureFile")), "")
    if not named:
        return [], []
    data = files.get(posixpath.normpath(posixpath.join(posixpath.dirname(main), named.replace("\\", "/"))))
    surface = Surface(plain_name(PurePosixPath(named).stem), (1.0, 1.0, 1.0, 1.0), 0, images=(0,))
    return [Picture(plain_name(named), data)], [surface]


def _fans(lists: Any) -> I64:
    """(T, 3) corners of polygons, each as a fan from its first."""
    if isinstance(lists, np.ndarray) and lists.ndim == 2:
        wide: Array = lists.astype(np.int64)
        fans = [np.stack([wide[:, 0], wide[:, k], wide[:, k + 1]], axis=1) for k in range(1, wide.shape[1] - 1)]
        return np.concatenate(fans).astype(np.int64) if fans else np.zeros((0, 3), np.int64)
    flat = [(corners[0], corners[k], corners[k + 1]) for corners in lists for k in range(1, len(corners) - 1)]
    return np.array(flat, np.int64).reshape(-1, 3)


_Reading = Callable[[_Element], _Fields]


def _words(data: bytes) -> _Reading:
    """Reads one element after the other out of a text: of numbers their values, of lists lists."""
    words = iter(data.split())

    def next_one(element: _Element) -> _Fields:
        out: dict[str, list[Any]] = {name: [] for name, _, _ in element.fields}
        try:
            for _ in range(element.count):
                for name, _, length in element.fields:
                    if length is None:
                        out[name].append(float(next(words)))
                    else:
                        out[name].append([int(next(words)) for _ in range(int(next(words)))])
        except (StopIteration, RuntimeError) as error:
            raise ValueError from error
        return out

    return next_one


def _bytes(data: bytes, at: int, end: str) -> _Reading:
    """As `_words`, of numbers in binary."""

    def next_one(element: _Element) -> _Fields:
        nonlocal at
        out, at = _table(data, at, end, element)
        return out

    return next_one


def _table(data: bytes, at: int, end: str, element: _Element) -> tuple[_Fields, int]:
    """The fields of an element, and where it ends. Rows of one length are read at once."""
    kinds: list[Any] = []
    for name, kind, length in element.fields:
        if length is None:
            kinds.append((name, end + kind))
        elif element.count:
            # The first row's lengths are tried for all.
            before = np.dtype(kinds).itemsize if kinds else 0
            many = int(np.frombuffer(data, end + length, 1, at + before)[0])
            kinds += [(f"{name} length", end + length), (name, end + kind, (max(many, 0),))]
    row = np.dtype(kinds)
    if element.count * row.itemsize <= len(data) - at:
        table = np.frombuffer(data, row, element.count, at)
        lengths = [name for name in table.dtype.names or () if name.endswith(" length")]
        if all((table[name] == table.dtype[name.removesuffix(" length")].shape[0]).all() for name in lengths):
            return {name: table[name] for name, _, _ in element.fields if name in (table.dtype.names or ())}, at + table.nbytes
    return _row_by_row(data, at, end, element)


def _row_by_row(data: bytes, at: int, end: str, element: _Element) -> tuple[_Fields, int]:
    out: dict[str, list[Any]] = {name: [] for name, _, _ in element.fields}
    for _ in range(element.count):
        for name, kind, length in element.fields:
            many = 1
            if length is not None:
                many = int(np.frombuffer(data, end + length, 1, at)[0])
                if many < 0:
                    raise ValueError
                at += np.dtype(length).itemsize
            values = np.frombuffer(data, end + kind, many, at)
            at += values.nbytes
            out[name].append(values.tolist() if length is not None else values[0])
    return out, at

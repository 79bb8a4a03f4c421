"""STL, as a destination reads it: triangles and nothing else. Source: the STL format as it is commonly described, no published standard."""

from __future__ import annotations

import re
import struct
from collections.abc import Mapping
from pathlib import PurePosixPath

import numpy as np

from ...limits import InputError
from ...words.arrays import F64
from ..messages import say
from .received import Node, Piece, Received, plain_name

_HEAD, _FACET = 84, 50
_SOLID = re.compile(rb"^[ \t]*solid\b[ \t]*([^\r\n]*)", re.MULTILINE)
_VERTEX = re.compile(rb"\bvertex\s+(\S+)\s+(\S+)\s+(\S+)")


def read_stl(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's STL holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .stl.
    """
    data = files[main]
    try:
        solids = _binary(data) if _is_binary(data) else _text(data)
    except (ValueError, struct.error) as error:
        raise InputError(say("receivers.wrong", main=main, what="cut off, or no STL" if data else "empty")) from error
    names = [plain_name(name) or PurePosixPath(main).stem for name, _ in solids]
    return Received(
        "stl",
        [Node(name, -1, np.eye(4), k) for k, name in enumerate(names)],
        [[_welded(points)] for _, points in solids],
        [],
        [],
    )


def _is_binary(data: bytes) -> bool:
    """Whether a file is as long as its count of facets says: a text may begin with the same letters as a header."""
    return len(data) >= _HEAD and len(data) == _HEAD + _FACET * struct.unpack_from("<I", data, 80)[0]


def _binary(data: bytes) -> list[tuple[str, F64]]:
    facets = np.frombuffer(data, np.dtype([("normal", "<f4", 3), ("points", "<f4", (3, 3)), ("rest", "<u2")]), offset=_HEAD)
    return [("", facets["points"].astype(np.float64).reshape(-1, 3))]


def _text(data: bytes) -> list[tuple[str, F64]]:
    """Solids of a text by name, each with three points a facet. Raises ValueError."""
    heads = list(_SOLID.finditer(data))
    if not heads:
        raise ValueError
    ends = [head.start() for head in heads[1:]] + [len(data)]
    out = []
    for head, end in zip(heads, ends, strict=True):
        numbers = [word for match in _VERTEX.finditer(data, head.end(), end) for word in match.groups()]
        points = np.array(numbers, "S32").astype(np.float64).reshape(-1, 3)
        if len(points) % 3:
            raise ValueError
        out.append((head[1].decode("utf-8", "replace").strip(), points))
    return out


def _welded(points: F64) -> Piece:
    """Facets whose corners at one place are one point."""
    distinct, corners = np.unique(points, axis=0, return_inverse=True)
    return Piece(distinct, corners.reshape(-1, 3).astype(np.int64))

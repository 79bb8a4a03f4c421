"""STL, text and binary, into the neutral scene. Nothing about unit or up axis is stated by the format.

Source: "StL CAD file format", in M. Burns, Automated Fabrication, 1993, section 6.5; the two kinds are told apart by content.
"""

from __future__ import annotations

import re
import struct

import numpy as np

from ...limits import InputError, plural
from ...packages import Package
from ...scene import Layer, Mesh, Node, Problem, Scene
from ...scene.model import frozen
from ...words.arrays import F64, Array
from ..shared.text import decode, parse_numbers, plain
from .messages import say

FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_HEADER = 84
_WORDS = (b"facet normal", b"outer loop", b"vertex", b"endloop", b"endfacet")


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read an STL: one part for each solid, three positions for each facet as they are stored. Raises InputError."""
    label = path.rpartition("/")[2]
    problems: list[Problem] = []
    solids = _binary(data, label, problems) if is_binary(data) else _text(data, label)
    meshes, nodes = [], []
    for k, (name, normals, corners) in enumerate(solids):
        meshes.append(_mesh(k, name, normals, corners))
        nodes.append(Node(f"node:{k}", name, mesh=k))
    return Scene(format="stl", nodes=tuple(nodes), roots=tuple(range(len(nodes))), meshes=tuple(meshes), problems=tuple(problems))


def is_binary(data: bytes) -> bool:
    """Whether the length that a binary file states fits, or else whether it does not read like the text kind."""
    if len(data) >= _HEADER and len(data) == _HEADER + 50 * struct.unpack_from("<I", data, 80)[0]:
        return True
    return not re.match(rb"\s*solid\b", data[:512], re.I) or b"\x00" in data[:4096]


def _binary(data: bytes, label: str, problems: list[Problem]) -> list[tuple[str, Array, Array]]:
    if len(data) < _HEADER:
        raise InputError(say("stl.too-short", label=label, count=len(data)))
    (count,) = struct.unpack_from("<I", data, 80)
    there = (len(data) - _HEADER) // 50
    if count > there:
        raise InputError(say("stl.cut-off", label=label, count=count, there=there))
    rows = np.frombuffer(data, FACET, count, _HEADER)
    left = len(data) - _HEADER - 50 * count
    if left:
        problems.append(Problem("unknown-statement", say("stl.trailing-bytes", left=left)))
    tagged = int(np.count_nonzero(rows["attribute"]))
    if tagged:
        text = f"{plural(tagged, 'facet carries', 'facets carry')} attribute bytes, whose meaning the format leaves open; not taken over."
        problems.append(Problem("not-carried", text))
    name = decode(data[:80].split(b"\x00")[0]).strip()
    name = re.sub(r"[\x00-\x1f\x7f]", "", name)
    return [(name, rows["normal"], rows["corners"])]


def _text(data: bytes, label: str) -> list[tuple[str, Array, Array]]:
    text = plain(data, label, "STL")
    out = []
    # A solid runs to the next line that begins with the word, so that a lost "endsolid" loses nothing else.
    starts = [m.start() for m in re.finditer(rb"^[ ]*solid\b", text, re.I | re.M)]
    for a, b in zip(starts, [*starts[1:], len(text)], strict=True):
        first, _, body = text[a:b].partition(b"\n")
        line = text.count(b"\n", 0, a) + 1
        name = decode(first.strip()[5:].strip())
        end = re.search(rb"^[ ]*endsolid\b[^\n]*\n?", body, re.I | re.M)
        after = body[end.end() :] if end else b""
        if after.strip():
            at = line + 1 + body.count(b"\n", 0, end.end() if end else 0)
            raise InputError(say("stl.after-the-end", label=label, at=at))
        rows = _facets(body[: end.start()] if end else body)
        if rows is None:
            rows = _facet_lines(body[: end.start()] if end else body, line + 1, label)
        out.append((name, rows[:, :3], rows[:, 3:].reshape(-1, 3, 3)))
    return out


def _facets(body: bytes) -> F64 | None:
    """(F, 12) normal and corners where every facet is written as it should be, else None."""
    body = re.sub(rb"[ \n]+", b" ", body).lower()
    count = body.count(b"facet normal")
    if body.count(b"vertex ") != 3 * count or body.count(b"endfacet") != count or body.count(b"endloop") != count:
        return None
    for word in _WORDS:
        body = body.replace(word, b"")
    values = parse_numbers(body, np.float64) if body.strip() else np.zeros(0)
    return None if values is None or len(values) != 12 * count else values.reshape(-1, 12)


def _facet_lines(body: bytes, first_line: int, label: str) -> Array:
    """The same line by line, which finds the line of a mistake."""

    def refuse(k: int, what: str) -> InputError:
        return InputError(say("stl.wrong-line", label=label, line=first_line + k, what=what))

    rows: list[list[float]] = []
    row: list[float] | None = None
    for k, line in enumerate(body.split(b"\n")):
        words = line.lower().split()
        if not words or words[0] in (b"outer", b"endloop"):
            continue
        if words[0] in (b"facet", b"vertex"):
            tokens = words[2:] if words[0] == b"facet" else words[1:]
            try:
                values = [float(token) for token in tokens]
            except ValueError:
                raise refuse(k, f"has {decode(line.strip()[:40])!r} where three numbers belong") from None
            if len(values) != 3:
                raise refuse(k, f"has {plural(len(values), 'number')} where three belong")
            if words[0] == b"facet":
                row = values
            elif row is None:
                raise refuse(k, "has a vertex outside of a facet")
            else:
                row += values
        elif words[0] == b"endfacet":
            if row is None or len(row) != 12:
                raise refuse(k, f"ends a facet of {0 if row is None else len(row) // 3 - 1} corners, and an STL has three")
            rows.append(row)
            row = None
        else:
            raise refuse(k, f"begins with {decode(words[0][:40])!r}, which is no STL statement")
    if row is not None:
        raise InputError(say("stl.cut-off-facet", label=label))
    return np.array(rows, np.float64).reshape(-1, 12)


def _mesh(number: int, name: str, normals: Array, corners: Array) -> Mesh:
    count = len(corners)
    stated = normals.any() if count else False
    return Mesh(
        id=f"mesh:{number}",
        name=name,
        positions=frozen(corners.reshape(-1, 3).astype(np.float64)),
        corners=frozen(np.arange(3 * count, dtype=np.int32)),
        starts=frozen(np.arange(count + 1, dtype=np.int64) * 3),
        slots=frozen(np.zeros(count, np.int32)),
        slot_materials=(-1,) if count else (),
        # All zero is how a writer says that it left the normals to the reader (common practice, no published source).
        normals=Layer(frozen(normals.astype(np.float64)), frozen(np.repeat(np.arange(count, dtype=np.int32), 3)))
        if stated
        else None,
    )

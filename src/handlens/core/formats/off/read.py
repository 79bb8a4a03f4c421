"""The object file format (OFF) in text into the neutral scene. It states neither unit nor up axis.

Source: "Geomview Object File Format", The Geometry Center, Minneapolis, 1996: a keyword with prefixes ST, C, N, 4, counts,
vertices, faces with a colour of nought to four numbers at the end of the line.
"""

from __future__ import annotations

import re

import numpy as np

from ...limits import InputError
from ...packages import Package
from ...scene import Layer, Mesh, Node, Problem, Scene
from ...scene.model import frozen
from ...words.arrays import F64, I32, I64, Array
from ..shared.lists import ragged
from ..shared.text import parse_numbers, plain, tokens_a_line
from .messages import say

#: Prefixes are told apart by their case: N for normals, n for a number of dimensions.
_KEYWORD = re.compile(rb"[ \n]*(ST)?(C)?(N)?(4)?(n)?(?i:OFF)\b")


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read an OFF. Raises InputError."""
    label = path.rpartition("/")[2]
    if re.match(rb"\s*\w*OFF\s+BINARY", data[:64]):
        raise InputError(say("off.binary", label=label))
    text = re.sub(rb"#[^\n]*", b"", plain(data, label, "OFF"))
    prefixes = _KEYWORD.match(text)
    if prefixes is None:
        raise InputError(say("off.no-off", label=label))
    st, coloured, normal, four, any_ = (bool(g) for g in prefixes.groups())
    if four or any_:
        raise InputError(say("off.more-dimensions", label=label))
    body = re.sub(rb"\n[ \n]+", b"\n", text[prefixes.end() :]).lstrip(b" \n")
    values = parse_numbers(body, np.float64) if body.strip() else np.zeros(0)
    if values is None or len(values) < 3:
        raise InputError(say("off.no-number", label=label))
    widths = tokens_a_line(body if body.endswith(b"\n") else body + b"\n")
    vertices, faces, line_starts, at = _counts(values, widths, label)
    # The lines of vertices tell how many numbers each has: colours may come with or without alpha.
    columns = 3 + 3 * normal + 4 * coloured + 2 * st
    if (
        len(line_starts) > vertices
        and vertices
        and (np.diff(line_starts[: vertices + 1]) == line_starts[1] - line_starts[0]).all()
    ):
        columns = int(line_starts[1] - line_starts[0])
    if columns < 3 or vertices * columns > len(values) - at:
        raise InputError(say("off.cut-off-vertices", label=label, vertices=vertices))
    rows = values[at : at + vertices * columns].reshape(vertices, columns)
    problems: list[Problem] = []
    starts, counts, colours = _faces(
        values, at + vertices * columns, line_starts[vertices:] if len(line_starts) >= vertices else line_starts[:0], faces, label
    )
    corners = values[ragged(starts, counts)].astype(np.int64)
    wrong = np.flatnonzero((corners < 0) | (corners >= vertices))
    if len(wrong):
        raise InputError(say("off.no-such-vertex", label=label, vertex=int(corners[wrong[0]]), vertices=vertices))
    thin = counts < 3
    if thin.any():
        problems.append(Problem("thin-face", say("off.too-few-corners", faces=int(thin.sum()))))
        corners = corners[~np.repeat(thin, counts)]
        colours = None if colours is None else colours[~thin]
        counts = counts[~thin]
    mesh = _mesh(rows, corners.astype(np.int32), counts, colours, normal, coloured)
    return Scene(
        format="off",
        nodes=(Node("node:0", label.rpartition(".")[0], mesh=0),),
        roots=(0,),
        meshes=(mesh,),
        problems=tuple(problems),
    )


def _counts(values: F64, widths: I64, label: str) -> tuple[int, int, Array, int]:
    """Vertices, faces, where each later line starts among the numbers, and where the vertices start."""
    head = values[:3]
    if (head < 0).any() or (head != np.floor(head)).any() or not np.isfinite(head).all() or (head > 2**31).any():
        raise InputError(say("off.no-counts", label=label))
    ends = np.cumsum(widths)
    first = int(np.searchsorted(ends, 3))
    at = 3 if first >= len(ends) or ends[first] != 3 else int(ends[first])
    return int(head[0]), int(head[1]), ends[first:], at


def _faces(values: F64, at: int, lines: I64, faces: int, label: str) -> tuple[Array, Array, Array | None]:
    """Starts (F,) and counts (F,) of each face's corners among the numbers, and colours (F, 3) where every face has one."""
    cut = InputError(say("off.cut-off-faces", label=label, faces=faces))
    if not faces:
        return np.zeros(0, np.int64), np.zeros(0, np.int64), None
    if len(lines) > faces and int(lines[0]) == at:
        starts = lines[:faces]
        room = np.diff(lines[: faces + 1]) - 1
    else:
        # All on one line: no colours can be told from corners.
        places = []
        for _ in range(faces):
            if at >= len(values) or not 0 <= values[at] <= len(values):
                raise cut
            places.append(at)
            at += 1 + int(values[at])
        starts = np.array(places, np.int64)
        room = np.diff(np.append(starts, at)) - 1
    counts = values[starts]
    if (
        not np.isfinite(counts).all()
        or (counts < 0).any()
        or (counts > room).any()
        or (counts != np.floor(counts)).any()
        or int((starts + 1 + counts).max()) > len(values)
    ):
        raise cut
    counts = counts.astype(np.int64)
    extra = room - counts
    colours = None
    if (extra >= 3).all():
        colours = values[(starts + 1 + counts)[:, None] + np.arange(3)]
        colours = colours / 255 if (colours > 1).any() else colours
    return starts + 1, counts, colours


def _mesh(rows: F64, corners: I32, counts: I64, colours: F64 | None, normal: bool, coloured: bool) -> Mesh:
    per_corner = frozen(corners)
    layers = []
    if coloured and rows.shape[1] >= 6 + 3 * normal:
        own = rows[:, 3 + 3 * normal : 6 + 3 * normal]
        layers.append(Layer(frozen((own / 255 if (own > 1).any() else own).astype(np.float32)), per_corner))
    if colours is not None:
        layers.append(
            Layer(frozen(colours.astype(np.float32)), frozen(np.repeat(np.arange(len(counts), dtype=np.int32), counts)))
        )
    return Mesh(
        id="mesh:0",
        name="",
        positions=frozen(np.ascontiguousarray(rows[:, :3])),
        corners=per_corner,
        starts=frozen(np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)),
        slots=frozen(np.zeros(len(counts), np.int32)),
        slot_materials=(-1,) if len(counts) else (),
        colours=tuple(layers),
        normals=Layer(frozen(np.ascontiguousarray(rows[:, 3:6])), per_corner) if normal and rows.shape[1] >= 6 else None,
    )

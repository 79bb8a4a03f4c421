"""Wavefront OBJ into the neutral scene.

The text is cut into runs of lines with the same keyword. A large text is parsed by compiled loops (`obj_blocks`), a small one,
and every line that is spelt oddly, line by line (`obj_lines`), which is also how the exact line of a mistake is found.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...limits import InputError, plural
from ...machine.compiled_ahead import LARGE_TEXT
from ...packages import Package
from ...scene import Layer, Mesh, Node, Problem, Scene
from ...scene.model import frozen
from ...words.arrays import F64, I32, I64, Array
from ..shared.text import decode, plain
from .library import Libraries
from .lines import LARGEST, Corners, LineParser, Run
from .messages import say

#: Bytes from which loading the compiled loops takes less time than they save.
_FREE_FORM = {"cstype", "deg", "bmat", "step", "curv", "curv2", "surf", "parm", "trim", "hole", "scrv", "sp", "end", "con", "vp"}
_IGNORED = {
    "mg",
    "bevel",
    "c_interp",
    "d_interp",
    "lod",
    "shadow_obj",
    "trace_obj",
    "ctech",
    "stech",
    "maplib",
    "usemap",
    "call",
    "csh",
}


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read an OBJ with its material libraries. Nothing about unit or up axis is stated by the format.

    Raises InputError where the text is not an OBJ or an index leads nowhere.
    """
    return _Reader(package, path).read(data)


@dataclass
class _Object:
    """Faces, lines and points of one `o`, as global indices, in pieces that are joined at the end."""

    name: str
    first_vertex: int
    corners: list[Array] = field(default_factory=list)
    uv: list[Array | None] = field(default_factory=list)
    normal: list[Array | None] = field(default_factory=list)
    counts: list[Array] = field(default_factory=list)
    slots: list[Array] = field(default_factory=list)
    smooth: list[Array] = field(default_factory=list)
    lines: list[Array] = field(default_factory=list)
    points: list[Array] = field(default_factory=list)
    materials: list[int] = field(default_factory=list)
    groups: list[Array] = field(default_factory=list)
    group_names: dict[str, int] = field(default_factory=dict)
    last_vertex: int = 0

    @property
    def holds_something(self) -> bool:
        return bool(self.counts or self.lines or self.points)


def _parser(label: str, size: int) -> LineParser:
    if size < LARGE_TEXT:
        return LineParser(label)
    from .blocks import BlockParser

    return BlockParser(label)


class _Reader:
    def __init__(self, package: Package, path: str) -> None:
        self.package, self.path, self.label = package, path, path.rpartition("/")[2]
        self.problems: list[Problem] = []
        self.libraries = Libraries(package, path, self.problems)
        self.values: dict[str, list[Array]] = {"v": [], "vt": [], "vn": []}
        self.totals = {"v": 0, "vt": 0, "vn": 0}
        self.objects = [_Object("", 0)]
        self.material = -1
        self.smoothing = 0
        self.group = ""
        self.known = 0
        self.unknown: list[tuple[int, str]] = []
        self.free_form = 0
        self.has_smoothing = False

    def read(self, data: bytes) -> Scene:
        text = plain(data, self.label, "OBJ")
        self.parser = _parser(self.label, len(text))
        for run in self.parser.runs(text):
            if run.keyword:
                self._run(text, run)
            else:
                for offset, line in enumerate(text[run.start : run.stop].split(b"\n")):
                    self._statement(line, run.first + offset)
        if not self.known and self.unknown:
            raise InputError(say("obj.no-obj", label=self.label, line=self.unknown[0][0], text=self.unknown[0][1]))
        return self._scene()

    def _run(self, text: bytes, run: Run) -> None:
        self.known += run.lines
        if run.keyword in self.values:
            self._numbers(text, run)
        else:
            self._elements(text, run)

    def _numbers(self, text: bytes, run: Run) -> None:
        self.values[run.keyword] += self.parser.numbers(text, run)
        self.totals[run.keyword] += run.lines

    def _elements(self, text: bytes, run: Run) -> None:
        found = self.parser.corners(text, run, self.totals)
        target = self.objects[-1]
        if run.keyword == "p":
            target.points.append(found.vertices)
        elif run.keyword == "l":
            target.lines.append(_segments(found.vertices, found.counts))
        else:
            self._faces(target, found, run.first)

    def _faces(self, target: _Object, found: Corners, first_line: int) -> None:
        corners, uv, normal, counts = found
        if (counts < 3).any():
            # A "face" of two corners draws nothing: it is an edge that was written as one.
            thin = np.repeat(counts < 3, counts)
            target.lines.append(_segments(corners[thin], counts[counts < 3]))
            text = f"{plural(int((counts < 3).sum()), 'face has', 'faces have')} fewer than three corners (first at line {first_line}); kept as edges."
            self.problems.append(Problem("thin-face", text, f"line {first_line}"))
            corners, counts = corners[~thin], counts[counts >= 3]
            uv = None if uv is None else uv[~thin]
            normal = None if normal is None else normal[~thin]
        if not len(counts):
            return
        target.corners.append(corners)
        target.uv.append(uv)
        target.normal.append(normal)
        target.counts.append(counts)
        if self.material not in target.materials:
            target.materials.append(self.material)
        target.slots.append(np.full(len(counts), target.materials.index(self.material), np.int32))
        target.smooth.append(np.full(len(counts), self.smoothing, np.int32))
        number = target.group_names.setdefault(self.group, len(target.group_names))
        target.groups.append(np.full(len(counts), number, np.int32))

    # --- single statements --------------------------------------------------------------------

    def _statement(self, line: bytes, number: int) -> None:
        stripped = line.strip()
        if not stripped or stripped.startswith(b"#"):
            return
        word, _, rest = stripped.partition(b" ")
        keyword, value = word.decode("latin-1").lower(), decode(rest.strip())
        if keyword in ("v", "vt", "vn", "f", "fo", "l", "p"):
            # Indented, or in capitals: the same statement, though no run of lines. `fo` is an old spelling of `f`.
            self._run(stripped + b"\n", Run("f" if keyword == "fo" else keyword, number, 0, len(stripped) + 1, 1))
        elif keyword == "o":
            self.known += 1
            self._new_object(value)
        elif keyword == "g":
            self.known += 1
            self.group = value
        elif keyword == "usemtl":
            self.known += 1
            self.material = self.libraries.use(value)
        elif keyword == "mtllib":
            self.known += 1
            self.libraries.load(value)
        elif keyword == "s":
            self.known += 1
            self.has_smoothing = True
            numbered = value.isascii() and value.isdigit()
            self.smoothing = min(int(value[:9]), LARGEST) if numbered else (0 if value.lower() in ("off", "") else 1)
        elif keyword in _FREE_FORM:
            self.known += 1
            self.free_form += 1
        elif keyword not in _IGNORED:
            self.unknown.append((number, stripped[:40].decode("latin-1")))

    def _new_object(self, name: str) -> None:
        last = self.objects[-1]
        last.last_vertex = self.totals["v"]
        if not last.holds_something and last.first_vertex == last.last_vertex and not last.name:
            self.objects.pop()
        self.objects.append(_Object(name, self.totals["v"]))

    # --- result -------------------------------------------------------------------------------

    def _scene(self) -> Scene:
        self.objects[-1].last_vertex = self.totals["v"]
        if self.free_form:
            text = f"{self.free_form} free-form curve or surface statements were counted but not turned into faces."
            self.problems.append(Problem("free-form", text))
        if self.parser.commas:
            self.problems.append(Problem("decimal-comma", say("obj.decimal-commas", commas=self.parser.commas)))
        if self.unknown:
            line, words = self.unknown[0]
            text = f"{len(self.unknown):,} lines are no OBJ statement and were passed over, first line {line}: {words!r}."
            self.problems.append(Problem("unknown-statement", text, f"line {line}"))
        positions = _stack(self.values["v"], 7 if any(a.shape[1] > 4 for a in self.values["v"]) else 3)
        uv, normals = _stack(self.values["vt"], 2), _stack(self.values["vn"], 3)
        parts = self._owners(len(positions))
        meshes, nodes = [], []
        for k, (item, unused) in enumerate(parts):
            meshes.append(_mesh(k, item, positions, uv, normals, unused, self.has_smoothing))
            nodes.append(Node(id=f"node:{k}", name=item.name, mesh=k))
        return Scene(
            format="obj",
            nodes=tuple(nodes),
            roots=tuple(range(len(nodes))),
            meshes=tuple(meshes),
            materials=self.libraries.materials(),
            images=self.libraries.images(),
            problems=tuple(self.problems),
            files=tuple(dict.fromkeys(self.libraries.files)),
        )

    def _owners(self, total: int) -> list[tuple[_Object, Array]]:
        """Objects with the vertices that nothing uses: those go to the object that they were written in."""
        used = np.zeros(total, bool)
        for item in self.objects:
            for piece in (*item.corners, *item.lines, *item.points):
                used[piece.reshape(-1)] = True
        spare = np.flatnonzero(~used)
        out: list[tuple[_Object, Array]] = []
        waiting = spare[:0]
        for item in self.objects:
            own = spare[(spare >= item.first_vertex) & (spare < item.last_vertex)]
            if item.holds_something or item.name:
                out.append((item, np.concatenate([waiting, own])))
                waiting = spare[:0]
            else:
                waiting = np.concatenate([waiting, own])
        if len(waiting):
            if out:
                out[-1] = (out[-1][0], np.concatenate([out[-1][1], waiting]))
            else:
                out.append((self.objects[0], waiting))
        return out


def _mesh(number: int, item: _Object, positions: F64, uv: F64, normals: F64, unused: I64, smoothing: bool) -> Mesh:
    corners = _cat(item.corners, np.int32)
    lines = _cat(item.lines, np.int32).reshape(-1, 2)
    points = _cat(item.points, np.int32)
    counts = _cat(item.counts, np.int64)
    keep, remap = _used_entries(len(positions), [corners, lines.reshape(-1), points, unused.astype(np.int32)])
    own = positions if keep is None else positions[keep]
    if remap is not None:
        corners, lines, points = remap[corners], remap[lines], remap[points]
    colours: tuple[Layer, ...] = ()
    # Written as x y z r g b, or x y z w r g b: the last three are the colour (common practice, no published source).
    if own.shape[1] > 4:
        six = own[:, 3:6]
        if np.isfinite(six[:, 2]).any():
            colours = (Layer(frozen(six.astype(np.float32)), frozen(corners.copy())),)
    return Mesh(
        id=f"mesh:{number}",
        name=item.name,
        positions=frozen(np.ascontiguousarray(own[:, :3])),
        corners=frozen(corners),
        starts=frozen(np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)),
        slots=frozen(_cat(item.slots, np.int32)),
        slot_materials=tuple(item.materials),
        uvs=_layers(item.corners, item.uv, uv),
        normals=next(iter(_layers(item.corners, item.normal, normals)), None),
        colours=colours,
        smooth=frozen(_cat(item.smooth, np.int32)) if smoothing else None,
        lines=frozen(lines),
        points=frozen(points),
        groups=frozen(_cat(item.groups, np.int32)) if any(item.group_names) else None,
        group_names=tuple(item.group_names) if any(item.group_names) else (),
    )


def _layers(corners: list[I32], pieces: list[Array | None], values: F64) -> tuple[Layer, ...]:
    if all(piece is None for piece in pieces):
        return ()
    filled = [
        np.full(len(corner), -1, np.int32) if piece is None else piece for corner, piece in zip(corners, pieces, strict=True)
    ]
    index = _cat(filled, np.int32)
    if (index < 0).all():
        return ()
    keep, remap = _used_entries(len(values), [index[index >= 0]])
    if keep is not None and remap is not None:
        values = values[keep]
        index = np.where(index < 0, -1, remap[index])
    return (Layer(frozen(np.ascontiguousarray(values)), frozen(index.astype(np.int32))),)


def _used_entries(total: int, uses: list[I32]) -> tuple[Array | None, Array | None]:
    """Which of `total` entries are used, and the new number of each; None, None where all are."""
    marked = np.zeros(total, bool)
    for use in uses:
        marked[use] = True
    if marked.all():
        return None, None
    remap = np.cumsum(marked, dtype=np.int64).astype(np.int32) - 1
    return np.flatnonzero(marked), remap


def _cat(pieces: list[Array], dtype: type) -> Array:
    if not pieces:
        return np.zeros(0, dtype)
    return (pieces[0] if len(pieces) == 1 else np.concatenate(pieces)).astype(dtype, copy=False)


def _stack(pieces: list[F64], width: int) -> F64:
    """Rows of differing widths as one (N, width) float64 array; missing columns are 0, missing colours NaN."""
    if not pieces:
        return np.zeros((0, width))
    if all(piece.shape[1] == width for piece in pieces):
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)
    out = np.full((sum(len(piece) for piece in pieces), width), np.nan if width > 3 else 0.0)
    at = 0
    for piece in pieces:
        n = len(piece)
        if piece.shape[1] >= 7 and width > 3:
            out[at : at + n, :3], out[at : at + n, 3:6] = (
                piece[:, :3],
                np.where(np.isnan(piece[:, 6:7]), piece[:, 3:6], piece[:, 4:7]),
            )
        elif piece.shape[1] == 4 and width > 3:
            out[at : at + n, :3] = piece[:, :3]
        else:
            k = min(piece.shape[1], width)
            out[at : at + n, :k] = piece[:, :k]
        at += n
    return out


def _segments(corners: I32, counts: I64) -> I32:
    """(L, 2) consecutive pairs within each polyline."""
    if not len(corners):
        return np.zeros((0, 2), np.int32)
    ends = np.zeros(len(corners), bool)
    ends[np.cumsum(counts) - 1] = True
    first = np.flatnonzero(~ends)
    return np.stack([corners[first], corners[first + 1]], axis=1).astype(np.int32)

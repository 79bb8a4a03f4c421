"""Wavefront OBJ into the neutral scene.

The text is cut into runs of lines with the same keyword; a run of like lines is parsed by numpy in one go, and a run
that is not alike is read line by line, which is also how the exact line of a mistake is found.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NoReturn

import numpy as np

from ..limits import InputError
from ..packages import Package
from ..scene import Layer, Mesh, Node, Problem, Scene
from ..scene.model import Array, frozen
from .mtl import Libraries
from .text import decode, parse_numbers, plain, tokens_a_line

_RUNS = {b"v ": "v", b"vt": "vt", b"vn": "vn", b"f ": "f", b"l ": "l", b"p ": "p"}
_FREE_FORM = {"cstype", "deg", "bmat", "step", "curv", "curv2", "surf", "parm", "trim", "hole", "scrv", "sp", "end", "con", "vp"}
#: Largest index or group number that is taken.
_LARGEST = 2**31 - 1
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
    uv: list[Array] = field(default_factory=list)
    normal: list[Array] = field(default_factory=list)
    counts: list[Array] = field(default_factory=list)
    slots: list[Array] = field(default_factory=list)
    smooth: list[Array] = field(default_factory=list)
    lines: list[Array] = field(default_factory=list)
    points: list[Array] = field(default_factory=list)
    materials: list[int] = field(default_factory=list)
    groups: list[tuple[str, int]] = field(default_factory=list)
    last_vertex: int = 0

    @property
    def face_total(self) -> int:
        return sum(len(c) for c in self.counts)

    @property
    def holds_something(self) -> bool:
        return bool(self.counts or self.lines or self.points)


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
        self.known = 0
        self.unknown: list[tuple[int, str]] = []
        self.free_form = 0
        self.commas = 0
        self.has_smoothing = False

    def read(self, data: bytes) -> Scene:
        text = plain(data, self.label, "OBJ")
        for keyword, first_line, block, lines in _runs(text):
            if keyword in ("v", "vt", "vn"):
                self.known += lines
                self._numbers(keyword, block, first_line, lines)
            elif keyword in ("f", "l", "p"):
                self.known += lines
                self._elements(keyword, block, first_line, lines)
            else:
                for offset, line in enumerate(block.split(b"\n")):
                    self._statement(line, first_line + offset)
        if not self.known and self.unknown:
            raise InputError(f"{self.label} holds no OBJ statement; its line {self.unknown[0][0]} reads {self.unknown[0][1]!r}.")
        return self._scene()

    # --- blocks of numbers --------------------------------------------------------------------

    def _numbers(self, keyword: str, block: bytes, first_line: int, lines: int) -> None:
        rows = _like_rows(block.replace(keyword.encode(), b""), lines)
        if rows is None or rows.shape[1] < (3 if keyword != "vt" else 1):
            width = 7 if keyword == "v" else 3
            rows = np.full((lines, width), np.nan)
            used = 0
            for k, line in enumerate(block.split(b"\n")[:lines]):
                numbers = self._floats(line.split(b"#")[0].split()[1:], first_line + k)
                if len(numbers) < (3 if keyword != "vt" else 1):
                    self._refuse(first_line + k, f"has {len(numbers)} numbers after {keyword}")
                used = max(used, min(len(numbers), width))
                rows[k, : min(len(numbers), width)] = numbers[:width]
            rows = rows[:, : max(used, 3 if keyword != "vt" else 2)]
        self.values[keyword].append(rows)
        self.totals[keyword] += lines

    def _floats(self, tokens: list[bytes], line: int) -> list[float]:
        out = []
        for token in tokens:
            try:
                out.append(float(token))
            except ValueError:
                try:
                    out.append(float(token.replace(b",", b".")))
                    self.commas += 1
                except ValueError:
                    self._refuse(line, f"has {token.decode('latin-1')!r} where a number belongs")
        return out

    # --- faces, lines, points -----------------------------------------------------------------

    def _elements(self, keyword: str, block: bytes, first_line: int, lines: int) -> None:
        parsed = _like_corners(block, lines) if keyword == "f" else None
        if parsed is None:
            parsed = self._corner_lines(block, first_line, lines)
        corners, uv, normal, counts = parsed
        corners = self._resolve(corners, "v", counts, first_line)
        uv = None if uv is None or keyword != "f" else self._resolve(uv, "vt", counts, first_line)
        normal = None if normal is None or keyword != "f" else self._resolve(normal, "vn", counts, first_line)
        target = self.objects[-1]
        if keyword == "p":
            target.points.append(corners)
        elif keyword == "l":
            target.lines.append(_segments(corners, counts))
        else:
            self._faces(target, corners, uv, normal, counts, first_line)

    def _faces(
        self, target: _Object, corners: Array, uv: Array | None, normal: Array | None, counts: Array, first_line: int
    ) -> None:
        if (counts < 3).any():
            # A "face" of two corners draws nothing: it is an edge that was written as one.
            thin = np.repeat(counts < 3, counts)
            target.lines.append(_segments(corners[thin], counts[counts < 3]))
            text = f"{int((counts < 3).sum())} faces have fewer than three corners (first at line {first_line}); kept as edges."
            self.problems.append(Problem("thin-face", text, f"line {first_line}"))
            corners, counts = corners[~thin], counts[counts >= 3]
            uv = None if uv is None else uv[~thin]
            normal = None if normal is None else normal[~thin]
        if not len(counts):
            return
        none = np.full(len(corners), -1, np.int32)
        target.corners.append(corners)
        target.uv.append(none if uv is None else uv)
        target.normal.append(none if normal is None else normal)
        target.counts.append(counts)
        if self.material not in target.materials:
            target.materials.append(self.material)
        target.slots.append(np.full(len(counts), target.materials.index(self.material), np.int32))
        target.smooth.append(np.full(len(counts), self.smoothing, np.int32))

    def _corner_lines(self, block: bytes, first_line: int, lines: int) -> tuple[Array, Array | None, Array | None, Array]:
        columns: tuple[list[int], list[int], list[int]] = ([], [], [])
        counts = []
        for k, line in enumerate(block.split(b"\n")[:lines]):
            tokens = line.split(b"#")[0].split()[1:]
            counts.append(len(tokens))
            for token in tokens:
                pieces = token.split(b"/")
                if len(pieces) > 3:
                    self._refuse(first_line + k, f"has {token.decode('latin-1')!r} where a corner belongs")
                for column in range(3):
                    text = pieces[column] if column < len(pieces) else b""
                    try:
                        value = int(text) if text else 0
                    except ValueError:
                        self._refuse(first_line + k, f"has {token.decode('latin-1')!r} where a corner belongs")
                    if abs(value) > _LARGEST:
                        self._refuse(
                            first_line + k, f"uses number {text[:24].decode('latin-1')} in a corner, more than any file holds"
                        )
                    if column == 0 and value == 0:
                        self._refuse(first_line + k, "uses vertex 0, but OBJ counts from 1")
                    columns[column].append(value)
        v, t, n = (np.array(c, np.int64) for c in columns)
        return v, t if t.any() else None, n if n.any() else None, np.array(counts, np.int64)

    def _resolve(self, index: Array, keyword: str, counts: Array, first_line: int) -> Array:
        """Global zero-based indices; -1 where a corner has none. Negative ones count back from here."""
        total = self.totals[keyword]
        if len(index) and int(index.min()) < 0:
            index = np.where(index < 0, total + index + 1, index)
            index = np.where(index == 0, -1, index) if keyword == "v" else index
        wrong = (index > total) | (index < 0)
        if wrong.any():
            at = int(np.flatnonzero(wrong)[0])
            line = first_line + int(np.searchsorted(np.cumsum(counts), at, side="right"))
            what = {"v": "vertex", "vt": "texture coordinate", "vn": "normal"}[keyword]
            self._refuse(line, f"uses {what} {int(index[at]):,}, but only {total:,} are defined by then")
        return (index - 1).astype(np.int32)

    # --- single statements --------------------------------------------------------------------

    def _statement(self, line: bytes, number: int) -> None:
        stripped = line.strip()
        if not stripped or stripped.startswith(b"#"):
            return
        word, _, rest = stripped.partition(b" ")
        keyword, value = word.decode("latin-1").lower(), decode(rest.strip())
        if keyword in ("v", "vt", "vn"):
            self.known += 1
            self._numbers(keyword, stripped + b"\n", number, 1)
        elif keyword in ("f", "fo", "l", "p"):
            self.known += 1
            self._elements(keyword[0], stripped + b"\n", number, 1)
        elif keyword == "o":
            self.known += 1
            self._new_object(value)
        elif keyword == "g":
            self.known += 1
            self.objects[-1].groups.append((value, self.objects[-1].face_total))
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
            self.smoothing = min(int(value[:9]), _LARGEST) if numbered else (0 if value.lower() in ("off", "") else 1)
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

    def _refuse(self, line: int, what: str) -> NoReturn:
        raise InputError(f"{self.label}, line {line:,}: it {what}; export the file again.")

    # --- result -------------------------------------------------------------------------------

    def _scene(self) -> Scene:
        self.objects[-1].last_vertex = self.totals["v"]
        if self.free_form:
            text = f"{self.free_form} free-form curve or surface statements were counted but not turned into faces."
            self.problems.append(Problem("free-form", text))
        if self.commas:
            self.problems.append(
                Problem("decimal-comma", f"{self.commas:,} numbers are written with a decimal comma; they were read as points.")
            )
        if self.unknown:
            line, words = self.unknown[0]
            text = f"{len(self.unknown):,} lines are no OBJ statement and were passed over, first line {line}: {words!r}."
            self.problems.append(Problem("unknown-statement", text, f"line {line}"))
        positions = _stack(self.values["v"], 7 if any(a.shape[1] > 4 for a in self.values["v"]) else 3)
        uv, normals = _stack(self.values["vt"], 2), _stack(self.values["vn"], 3)
        owners = self._owners(len(positions))
        meshes, nodes = [], []
        for k, (item, unused) in enumerate(owners):
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


def _mesh(number: int, item: _Object, positions: Array, uv: Array, normals: Array, unused: Array, smoothing: bool) -> Mesh:
    corners = _cat(item.corners, np.int32)
    lines = _cat(item.lines, np.int32).reshape(-1, 2)
    points = _cat(item.points, np.int32)
    counts = _cat(item.counts, np.int64)
    keep, remap = _kept(len(positions), [corners, lines.reshape(-1), points, unused.astype(np.int32)])
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
        uvs=_layers(item.uv, uv),
        normals=next(iter(_layers(item.normal, normals)), None),
        colours=colours,
        smooth=frozen(_cat(item.smooth, np.int32)) if smoothing else None,
        lines=frozen(lines),
        points=frozen(points),
        extras={"groups": item.groups} if item.groups else {},
    )


def _layers(pieces: list[Array], values: Array) -> tuple[Layer, ...]:
    index = _cat(pieces, np.int32)
    if not len(index) or (index < 0).all():
        return ()
    keep, remap = _kept(len(values), [index[index >= 0]])
    if keep is not None and remap is not None:
        values = values[keep]
        index = np.where(index < 0, -1, remap[index])
    return (Layer(frozen(np.ascontiguousarray(values)), frozen(index.astype(np.int32))),)


def _kept(total: int, uses: list[Array]) -> tuple[Array | None, Array | None]:
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


def _stack(pieces: list[Array], width: int) -> Array:
    """Rows of differing widths as one (N, width) float64 array; missing columns are 0, missing colours NaN."""
    if not pieces:
        return np.zeros((0, width))
    if all(p.shape[1] == width for p in pieces):
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)
    out = np.full((sum(len(p) for p in pieces), width), np.nan if width > 3 else 0.0)
    at = 0
    for p in pieces:
        n = len(p)
        if p.shape[1] >= 7 and width > 3:
            out[at : at + n, :3], out[at : at + n, 3:6] = p[:, :3], np.where(np.isnan(p[:, 6:7]), p[:, 3:6], p[:, 4:7])
        elif p.shape[1] == 4 and width > 3:
            out[at : at + n, :3] = p[:, :3]
        else:
            k = min(p.shape[1], width)
            out[at : at + n, :k] = p[:, :k]
        at += n
    return out


def _segments(corners: Array, counts: Array) -> Array:
    """(L, 2) consecutive pairs within each polyline."""
    if not len(corners):
        return np.zeros((0, 2), np.int32)
    ends = np.zeros(len(corners), bool)
    ends[np.cumsum(counts) - 1] = True
    first = np.flatnonzero(~ends)
    return np.stack([corners[first], corners[first + 1]], axis=1).astype(np.int32)


# --- text -----------------------------------------------------------------------------------------


def _runs(text: bytes) -> list[tuple[str, int, bytes, int]]:
    """Runs of consecutive lines with the same keyword: (keyword, first line number, block, number of lines)."""
    raw = np.frombuffer(text, np.uint8)
    ends = np.flatnonzero(raw == 10)
    starts = np.concatenate([[0], ends[:-1] + 1])
    padded = np.concatenate([raw, np.zeros(2, np.uint8)])
    keys = padded[starts].astype(np.uint32) << 16 | padded[starts + 1].astype(np.uint32) << 8
    # "vt " and "vn " need their third letter too, so that an unknown "vtx" is not taken for one.
    keys |= np.where((keys >> 8 & 0xFF) == 32, 0, padded[np.minimum(starts + 2, len(raw))]).astype(np.uint32)
    change = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))
    names = {int.from_bytes((k + (b"\x00" if k[1:] == b" " else b" ")), "big"): v for k, v in _RUNS.items()}
    out = []
    for a, b in zip(change, np.concatenate([change[1:], [len(starts)]]), strict=True):
        keyword = names.get(int(keys[a]), "")
        out.append((keyword, int(a) + 1, text[int(starts[a]) : int(ends[b - 1]) + 1], int(b - a)))
    return out


def _like_rows(block: bytes, lines: int) -> Array | None:
    """(lines, n) float64 where every line has the same number of numbers, else None."""
    values = parse_numbers(block, np.float64)
    if values is None or len(values) % lines or b"," in block:
        return None
    width = len(values) // lines
    if lines > 1 and not (tokens_a_line(block) == width).all():
        return None
    return values.reshape(lines, width)


def _like_corners(block: bytes, lines: int) -> tuple[Array, Array | None, Array | None, Array] | None:
    """Corners of faces that all are written alike (v, v/t, v//n or v/t/n), else None."""
    text = block.replace(b"f", b" ")
    counts = tokens_a_line(text)
    tokens = int(counts.sum())
    slashes, doubles = text.count(b"/"), text.count(b"//")
    if len(counts) != lines or not tokens or slashes % tokens or b" /" in text or b"/ " in text or b"/\n" in text:
        return None
    per = slashes // tokens
    if per > 2 or doubles not in (0, tokens):
        return None
    width = 1 if per == 0 else 2 if per == 1 or doubles else 3
    values = parse_numbers(text.replace(b"/", b" "), np.int64)
    if values is None or len(values) != tokens * width or (values == 0).any():
        return None
    if per and not _slashes_each(text, per):
        return None
    rows = values.reshape(tokens, width)
    uv = rows[:, 1] if width == 3 or (per == 1) else None
    normal = rows[:, width - 1] if per == 2 else None
    return rows[:, 0], uv, normal, counts


def _slashes_each(text: bytes, per: int) -> bool:
    """Whether every corner has exactly so many slashes, not more here and fewer there."""
    raw = np.frombuffer(text, np.uint8)
    blank = raw <= 32
    first = np.flatnonzero(~blank & np.concatenate([[True], blank[:-1]]))
    return bool((np.add.reduceat((raw == 47).astype(np.int32), first) == per).all())

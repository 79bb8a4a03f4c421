"""Lines of an OBJ read one by one: any spelling is taken, and a mistake is told with its line."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby
from typing import NamedTuple, NoReturn

import numpy as np

from ...limits import InputError
from ...words.arrays import F64, I32, I64
from .messages import say

#: Keywords whose lines come in long runs, and how each begins.
KEYWORDS = {b"v ": "v", b"vt": "vt", b"vn": "vn", b"f ": "f", b"l ": "l", b"p ": "p"}
#: Largest index that is taken.
LARGEST = 2**31 - 1
_WHAT = {"v": "vertex", "vt": "texture coordinate", "vn": "normal"}


class Run(NamedTuple):
    """Consecutive lines with the same keyword ("" for any other statement): text[start:stop], the first being line `first`."""

    keyword: str
    first: int
    start: int
    stop: int
    lines: int


class Corners(NamedTuple):
    """Corners of consecutive faces, lines or points, zero-based, -1 where a corner has none.

    vertices, uv, normals: (C,) int32, the last two None where no corner has any. counts: (n,) int64 corners of each.
    """

    vertices: I32
    uv: I32 | None
    normals: I32 | None
    counts: I64


class LineParser:
    """Parses runs of lines. `label` names the file in a refusal; `commas` counts the numbers written with a decimal comma."""

    def __init__(self, label: str) -> None:
        self.label = label
        self.commas = 0

    def runs(self, text: bytes) -> Iterator[Run]:
        """Runs of a text whose every line ends with a line feed."""
        first, at = 1, 0
        for keyword, group in groupby(text.split(b"\n")[:-1], _keyword):
            lengths = [len(line) + 1 for line in group]
            yield Run(keyword, first, at, at + sum(lengths), len(lengths))
            first, at = first + len(lengths), at + sum(lengths)

    def numbers(self, text: bytes, run: Run) -> list[F64]:
        """(lines, width) float64 of the numbers after v, vt or vn; NaN where a line has fewer than the widest.

        Raises InputError where a line has too few or something else than a number.
        """
        least, width = (1 if run.keyword == "vt" else 3), (7 if run.keyword == "v" else 3)
        rows = np.full((run.lines, width), np.nan)
        used = 0
        for k, line in enumerate(_lines(text, run)):
            values = self._floats(line.split(b"#")[0].split()[1:], run.first + k)
            if len(values) < least:
                self.refuse(run.first + k, f"has {len(values)} numbers after {run.keyword}")
            used = max(used, min(len(values), width))
            rows[k, : min(len(values), width)] = values[:width]
        return [rows[:, : max(used, max(least, 2))]]

    def corners(self, text: bytes, run: Run, totals: dict[str, int]) -> Corners:
        """Corners after f, l or p; `totals` says how many v, vt and vn there are by then.

        Raises InputError where a corner is none, or leads nowhere.
        """
        columns: tuple[list[int], list[int], list[int]] = ([], [], [])
        counts = []
        for k, line in enumerate(_lines(text, run)):
            tokens = line.split(b"#")[0].split()[1:]
            counts.append(len(tokens))
            for token in tokens:
                for column, value in zip(columns, self._corner(token, run.first + k), strict=True):
                    column.append(value)
        corner_counts = np.array(counts, np.int64)
        v, texture, n = (np.array(column, np.int64) for column in columns)
        faces = run.keyword == "f"  # texture coordinates of lines are not kept
        return Corners(
            self._resolved(v, "v", corner_counts, run.first, totals),
            self._resolved(texture, "vt", corner_counts, run.first, totals) if faces and texture.any() else None,
            self._resolved(n, "vn", corner_counts, run.first, totals) if faces and n.any() else None,
            corner_counts,
        )

    def refuse(self, line: int, what: str) -> NoReturn:
        raise InputError(say("obj.wrong-line", label=self.label, line=line, what=what))

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
                    self.refuse(line, f"has {token.decode('latin-1')!r} where a number belongs")
        return out

    def _corner(self, token: bytes, line: int) -> tuple[int, int, int]:
        pieces = token.split(b"/")
        try:
            values = [int(piece) if piece else 0 for piece in pieces]
        except ValueError:
            self.refuse(line, f"has {token.decode('latin-1')!r} where a corner belongs")
        if len(pieces) > 3:
            self.refuse(line, f"has {token.decode('latin-1')!r} where a corner belongs")
        for piece, value in zip(pieces, values, strict=True):
            if abs(value) > LARGEST:
                self.refuse(line, f"uses number {piece[:24].decode('latin-1')} in a corner, more than any file holds")
        if values[0] == 0:
            self.refuse(line, "uses vertex 0, but OBJ counts from 1")
        values += [0] * (3 - len(values))
        return values[0], values[1], values[2]

    def _resolved(self, index: I64, keyword: str, counts: I64, first_line: int, totals: dict[str, int]) -> I32:
        """Zero-based indices; -1 where a corner has none. Negative ones count back from here."""
        total = totals[keyword]
        found = np.where(index < 0, total + index, index - 1)
        wrong = (found >= total) | ((found < 0) & (index != 0))
        if wrong.any():
            at = int(np.flatnonzero(wrong)[0])
            line = first_line + int(np.searchsorted(np.cumsum(counts), at, side="right"))
            stated = int(found[at]) + 1
            self.refuse(line, f"uses {_WHAT[keyword]} {stated:,}, but only {total:,} are defined by then")
        return found.astype(np.int32)


def _keyword(line: bytes) -> str:
    keyword = KEYWORDS.get(line[:2], "")
    # "vt" and "vn" need a blank behind them, so that an unknown "vtx" is not taken for one.
    return keyword if len(keyword) < 2 or line[2:3] == b" " else ""


def _lines(text: bytes, run: Run) -> list[bytes]:
    return text[run.start : run.stop].split(b"\n")[: run.lines]

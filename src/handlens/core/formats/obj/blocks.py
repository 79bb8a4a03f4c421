"""Runs of OBJ lines parsed by compiled loops; whatever is spelt oddly is left to the parser that goes line by line.

A number is read exactly: up to 2^53 in its digits and a power of ten up to 22 need one rounding only (Clinger, "How to read
floating point numbers accurately", 1990, section 4); every other number is left to Python's own `float`.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numba import types

from ...machine.compiled import TEXT, compiled
from ...words.arrays import F64, Array
from .lines import KEYWORDS, LARGEST, Corners, LineParser, Run

_POWERS = 10.0 ** np.arange(23)
_NAMES = ("", *KEYWORDS.values())
_NEWLINE, _BLANK, _HASH, _SLASH, _PLUS, _MINUS, _POINT = (ord(c) for c in "\n #/+-.")
_I, _F = types.int64, types.float64


class BlockParser(LineParser):
    """The same as LineParser, faster on large texts and slower on small ones."""

    def runs(self, text: bytes) -> Iterator[Run]:
        raw = np.frombuffer(text, np.uint8)
        at, first = 0, 1
        while at < len(raw):
            kind, stop, lines = _run(raw, at)
            yield Run(_NAMES[kind], first, at, stop, lines)
            at, first = stop, first + lines

    def numbers(self, text: bytes, run: Run) -> list[F64]:
        raw = np.frombuffer(text, np.uint8)
        first_line = text[run.start : text.index(b"\n", run.start)].split(b"#")[0]
        width = len(first_line.split()) - 1
        if not (1 if run.keyword == "vt" else 3) <= width <= (7 if run.keyword == "v" else 3):
            return super().numbers(text, run)
        pieces, odd = [], _Odd()
        while run.lines:
            rows = np.empty((run.lines, width))
            late = np.empty((run.lines * width, 2), np.int64)
            done, at, waiting = _numbers(raw, run.start, run.stop, rows, late)
            flat = rows.reshape(-1)
            for cell, place in late[:waiting].tolist():
                flat[cell] = float(text[place : _token_end(text, place)])
            pieces.append(rows[:done])
            run = _rest(run, done, at)
            if run.lines:
                stretch, run = odd.cut(text, run)
                pieces += super().numbers(text, stretch)
        return pieces

    def corners(self, text: bytes, run: Run, totals: dict[str, int]) -> Corners:
        raw = np.frombuffer(text, np.uint8)
        faces = run.keyword == "f"
        v, texture, n = (totals[k] if faces or k == "v" else LARGEST for k in ("v", "vt", "vn"))
        pieces, odd = [], _Odd()
        while run.lines:
            tokens, slashes = _tokens(raw, run.start, run.stop)
            out = np.full((3 if slashes and faces else 1, tokens), -1, np.int32)
            counts = np.empty(run.lines, np.int64)
            done, used, at = _corners(raw, run.start, run.stop, v, texture, n, out, counts)
            if done:
                uv, normals = (out[1, :used], out[2, :used]) if len(out) == 3 else (None, None)
                pieces.append(Corners(out[0, :used], uv, normals, counts[:done]))
            run = _rest(run, done, at)
            if run.lines:
                stretch, run = odd.cut(text, run)
                pieces.append(super().corners(text, stretch, totals))
        return _joined(pieces)


class _Odd:
    """Cuts off lines for the slow parser, twice as many each time, so that a text odd throughout is not tried line after line."""

    def __init__(self) -> None:
        self.many = 1

    def cut(self, text: bytes, run: Run) -> tuple[Run, Run]:
        stop, lines = run.start, 0
        while lines < self.many and stop < run.stop:
            stop, lines = text.index(b"\n", stop) + 1, lines + 1
        self.many *= 2
        return run._replace(stop=stop, lines=lines), _rest(run, lines, stop)


def _rest(run: Run, done: int, at: int) -> Run:
    return run._replace(first=run.first + done, start=at, lines=run.lines - done)


def _token_end(text: bytes, at: int) -> int:
    end = at
    while text[end] > _BLANK and text[end] != _HASH:
        end += 1
    return end


def _joined(pieces: list[Corners]) -> Corners:
    def column(name: str) -> Array | None:
        columns = [getattr(piece, name) for piece in pieces]
        if all(column is None or not (column >= 0).any() for column in columns):
            return None
        filled = [
            np.full(len(piece.vertices), -1, np.int32) if column is None else column
            for piece, column in zip(pieces, columns, strict=True)
        ]
        return filled[0] if len(filled) == 1 else np.concatenate(filled)

    vertices, counts = [piece.vertices for piece in pieces], [piece.counts for piece in pieces]
    one = len(pieces) == 1
    return Corners(
        vertices[0] if one else np.concatenate(vertices),
        column("uv"),
        column("normals"),
        counts[0] if one else np.concatenate(counts),
    )


# --- compiled ---------------------------------------------------------------------------------------


@compiled(types.int64(TEXT, _I))
def _kind(raw: Array, at: int) -> int:
    """Position of a line's keyword in `_NAMES`."""
    one, two = raw[at], raw[at + 1] if at + 1 < len(raw) else 0
    three = raw[at + 2] if at + 2 < len(raw) else 0
    if one == ord("v"):
        if two == _BLANK:
            return 1
        if three == _BLANK:
            return 2 if two == ord("t") else 3 if two == ord("n") else 0
    elif two == _BLANK:
        return 4 if one == ord("f") else 5 if one == ord("l") else 6 if one == ord("p") else 0
    return 0


@compiled(types.UniTuple(_I, 3)(TEXT, _I))
def _run(raw: Array, at: int) -> tuple[int, int, int]:
    """Kind, end and number of the like lines that begin at a place."""
    kind = _kind(raw, at)
    lines = 0
    while at < len(raw) and _kind(raw, at) == kind:
        while raw[at] != _NEWLINE:
            at += 1
        at += 1
        lines += 1
    return kind, at, lines


@compiled(types.UniTuple(_I, 2)(TEXT, _I, _I))
def _tokens(raw: Array, at: int, stop: int) -> tuple[int, int]:
    """Words and slashes of a stretch of text, keywords among the words."""
    tokens, slashes, before = 0, 0, True
    while at < stop:
        blank = raw[at] <= _BLANK
        tokens += before and not blank
        slashes += raw[at] == _SLASH
        before = blank
        at += 1
    return tokens, slashes


@compiled(types.UniTuple(_I, 3)(TEXT, _I, _I, types.Array(_F, 2, "C"), types.Array(_I, 2, "C")))
def _numbers(raw: Array, at: int, stop: int, out: Array, late: Array) -> tuple[int, int, int]:  # noqa: C901  (one loop, compiled whole)
    """Fill rows of `out` until a line is odd. late: cell and place of numbers that one rounding does not do.

    Returns rows filled, place reached, entries of `late`.
    """
    width = out.shape[1]
    row, waiting = 0, 0
    while at < stop:
        begun, waited = at, waiting
        while raw[at] > _BLANK:
            at += 1
        for column in range(width):
            while raw[at] == _BLANK:
                at += 1
            place = at
            negative = raw[at] == _MINUS
            if negative or raw[at] == _PLUS:
                at += 1
            digits, significant, power, value, seen = 0, 0, 0, 0, False
            while True:
                letter = raw[at]
                if 48 <= letter <= 57:
                    digits += 1
                    if significant or letter != 48:
                        significant += 1
                        if significant <= 18:
                            value = value * 10 + (letter - 48)
                    power -= seen
                elif letter == _POINT and not seen:
                    seen = True
                else:
                    break
                at += 1
            exponent = 0
            if digits and (letter == ord("e") or letter == ord("E")):
                at += 1
                below = raw[at] == _MINUS
                if below or raw[at] == _PLUS:
                    at += 1
                many = 0
                while 48 <= raw[at] <= 57:
                    many += 1
                    if many <= 6:
                        exponent = exponent * 10 + (raw[at] - 48)
                    at += 1
                if not many:
                    digits = 0
                if many > 6:
                    significant = 99
                if below:
                    exponent = -exponent
            if not digits or not (raw[at] == _BLANK or raw[at] == _NEWLINE or raw[at] == _HASH):
                return row, begun, waited
            power += exponent
            if significant <= 18 and value <= 9007199254740992 and -22 <= power <= 22:
                number = float(value)
                number = number * _POWERS[power] if power >= 0 else number / _POWERS[-power]
                out[row, column] = -number if negative else number
            else:
                late[waiting, 0] = row * width + column
                late[waiting, 1] = place
                waiting += 1
        while raw[at] == _BLANK:
            at += 1
        if raw[at] != _NEWLINE and raw[at] != _HASH:
            return row, begun, waited
        while raw[at] != _NEWLINE:
            at += 1
        at += 1
        row += 1
    return row, at, waiting


@compiled(types.UniTuple(_I, 3)(TEXT, _I, _I, _I, _I, _I, types.Array(types.int32, 2, "C"), types.Array(_I, 1, "C")))
def _corners(
    raw: Array, at: int, stop: int, vertices: int, uvs: int, normals: int, out: Array, counts: Array
) -> tuple[int, int, int]:
    """Fill columns of `out` (vertex, and where it has three rows texture coordinate and normal) until a line is odd.

    Returns lines done, corners filled, place reached.
    """
    line, corner = 0, 0
    while at < stop:
        begun, before = at, corner
        at += 1
        while True:
            while raw[at] == _BLANK:
                at += 1
            if raw[at] == _NEWLINE or raw[at] == _HASH:
                break
            for column in range(3):
                if column:
                    if raw[at] != _SLASH:
                        break
                    at += 1
                negative = raw[at] == _MINUS
                if negative:
                    at += 1
                value, digits = 0, 0
                while 48 <= raw[at] <= 57 and digits < 11:
                    value = value * 10 + (raw[at] - 48)
                    digits += 1
                    at += 1
                total = vertices if column == 0 else uvs if column == 1 else normals
                if (negative and not digits) or value > total or (column == 0 and value == 0):
                    return line, before, begun
                if value and column < len(out):
                    out[column, corner] = total - value if negative else value - 1
            if raw[at] != _BLANK and raw[at] != _NEWLINE and raw[at] != _HASH:
                return line, before, begun
            corner += 1
        counts[line] = corner - before
        line += 1
        while raw[at] != _NEWLINE:
            at += 1
        at += 1
    return line, corner, at

"""Text formats: names, line ends and whole blocks of numbers parsed at once."""

from __future__ import annotations

import warnings

import numpy as np

from ...limits import InputError
from ...words.arrays import I64, Array
from .messages import say


def decode(raw: bytes) -> str:
    """A name: UTF-8 where it is valid, else Latin-1, which never fails."""
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("latin-1")


def plain(data: bytes, label: str, kind: str) -> bytes:
    """The text with one kind of line end and of blank, continuations joined. Raises InputError for binary data."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            data = data.decode("utf-16").encode("utf-8")
        except UnicodeDecodeError as error:
            raise InputError(say("shared.damaged-utf-16", label=label)) from error
    data = data.removeprefix(b"\xef\xbb\xbf")
    if b"\x00" in data:
        raise InputError(say("shared.not-text", label=label, kind=kind))
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    if b"\t" in data:
        data = data.replace(b"\t", b" ")
    if b"\\\n" in data:
        data = data.replace(b"\\\n", b" ")
    return data if data.endswith(b"\n") else data + b"\n"


def tokens_a_line(block: bytes) -> I64:
    """(lines,) int64 count of blank-separated words on each line."""
    raw = np.frombuffer(block, np.uint8)
    blank = raw <= 32
    first = ~blank
    first[1:] &= blank[:-1]
    ends = np.flatnonzero(raw == 10)
    return np.diff(np.concatenate([[0], np.cumsum(first)[ends]])).astype(np.int64)


def parse_numbers(text: bytes, dtype: type) -> Array | None:
    """All numbers of a text, None where something else is in it."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            return np.fromstring(text, dtype=dtype, sep=" ")
        except (DeprecationWarning, ValueError):
            return None

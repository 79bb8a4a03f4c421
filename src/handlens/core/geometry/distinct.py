"""Distinct rows, exactly, by one sort: the base of welding, seams and duplicate search."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..words.arrays import I64, Array, Bool

#: Numbers up to so many times as large as there are rows are told apart by marking them.
_ROOM = 4
_PRIME = np.uint64(0x9E3779B97F4A7C15)


def distinct_rows(columns: Sequence[Array]) -> tuple[Array, int]:
    """Number every row so that equal rows share a number.

    columns: arrays of one length; floats compare by value with 0.0 equal to -0.0 and NaN equal to itself.
    Returns ids (N,) int32 and their count. Ids are in the order in which rows come first, so that what lies together in a file
    stays together in memory.

    Rows are hashed to 64 bits and sorted once; neighbours with equal hashes are then compared in full, so the answer
    is exact: a collision is seen and falls back on a lexicographic sort.
    """
    words = [word for column in columns for word in _words(np.asarray(column))]
    if not words or not len(words[0]):
        return np.zeros(0 if not words else len(words[0]), np.int32), 0
    if len(words) == 1:
        marked = words[0].dtype.kind == "u" and int(words[0].max()) < _ROOM * len(words[0])
        return _by_marking(words[0]) if marked else _number(words[0], words)
    mixed = np.zeros(len(words[0]), np.uint64)
    for word in words:
        mixed ^= word.astype(np.uint64, copy=False)
        mixed *= _PRIME
        mixed ^= mixed >> np.uint64(29)
    return _number(mixed, words)


def _by_marking(word: Array) -> tuple[Array, int]:
    """The same for one column of small numbers, without a sort."""
    first = np.empty(int(word.max()) + 1, np.int64)
    first[word[::-1]] = np.arange(len(word) - 1, -1, -1)
    begins = first[word] == np.arange(len(word))
    number = np.cumsum(begins, dtype=np.int32)
    return number[first[word]] - np.int32(1), int(number[-1])


def used_indices(numbers: I64, count: int) -> I64:
    """(k,) int64 which of the numbers from 0 to `count` - 1 occur, in order.

    numbers: integers of any shape. By marking, which for indices into an array is many times as fast as sorting or hashing them.
    """
    there = np.zeros(count, bool)
    there[numbers.reshape(-1)] = True
    return np.flatnonzero(there)


def _number(key: Array, words: list[Array]) -> tuple[Array, int]:
    order = np.argsort(key, kind="stable" if key.dtype.itemsize <= 2 else "quicksort")
    ordered = key[order]
    same = ordered[1:] == ordered[:-1]
    if len(words) > 1:
        for word in words:
            sorted_word = word[order]
            if (same & (sorted_word[1:] != sorted_word[:-1])).any():
                return _by_lexsort(words)
    return _in_order(order, np.concatenate([[True], ~same]))


def _in_order(order: I64, new: Bool) -> tuple[Array, int]:
    """Numbers of rows and their count. order: (N,) rows, equal ones beside each other. new: (N,) bool: another row begins there."""
    begins = np.flatnonzero(new)
    if len(begins) == len(order):
        return np.arange(len(order), dtype=np.int32), len(order)
    first = np.minimum.reduceat(order, begins)
    mark = np.zeros(len(order), bool)
    mark[first] = True
    number = np.cumsum(mark, dtype=np.int32)
    number -= 1
    ids = np.empty(len(order), np.int32)
    ids[order] = np.repeat(number[first], np.diff(begins, append=len(order)))
    return ids, len(begins)


def _by_lexsort(words: list[Array]) -> tuple[Array, int]:
    order = np.lexsort(words)
    differs = np.zeros(len(order) - 1, bool)
    for word in words:
        sorted_word = word[order]
        differs |= sorted_word[1:] != sorted_word[:-1]
    return _in_order(order, np.concatenate([[True], differs]))


def _words(column: Array) -> list[Array]:
    """A column (N,) or (N, k) as unsigned integer words whose equality is the values' equality."""
    if column.ndim == 2:
        return [word for k in range(column.shape[1]) for word in _words(column[:, k])]
    if column.dtype == np.float64:
        with np.errstate(over="ignore", invalid="ignore"):
            narrow = column.astype(np.float32)
        if (narrow == column).all():
            column = narrow
    if column.dtype.kind == "f":
        with np.errstate(invalid="ignore"):
            plain = column + column.dtype.type(0)
        bits = plain.view(np.uint32 if column.dtype.itemsize == 4 else np.uint64)
        return [bits]
    return [column.astype(np.uint32) if column.dtype.itemsize <= 4 else column.astype(np.uint64)]

"""Values of a USD stage as arrays, and what a reading of one gathers on its way."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...machine.sections import Sections
from ...words.arrays import F64, I64
from ...words.json_tree import Json
from .tags import MESH_NAME, UNNAMED

MOST_SAMPLES = 20_000


class Gathered:
    """Arrays of the answer, problems, and counts of what was not carried over, shared by all that read one stage."""

    def __init__(self) -> None:
        self.out = Sections()
        self.problems: list[dict[str, str]] = []
        self.counted: dict[str, int] = {}

    def say(self, kind: str, text: str) -> None:
        self.problems.append({"kind": kind, "text": text})

    def count(self, words: str, n: int = 1) -> None:
        self.counted[words] = self.counted.get(words, 0) + n

    def array(self, values: Any, kind: str) -> Json:
        flat = np.ascontiguousarray(values, kind)
        return {"at": self.out.add(flat.tobytes()), "count": int(flat.size), "kind": kind}


def called(prim: Any) -> str:
    """A prim's name: as it is shown, else its own; none where our writer says that it had none."""
    return "" if prim.GetCustomDataByKey(UNNAMED) else str(prim.GetDisplayName() or prim.GetName())


def mesh_name(prim: Any) -> str:
    """A mesh's own name, where our writer says that it has another than its node."""
    told = prim.GetCustomDataByKey(MESH_NAME)
    return str(told) if told is not None else str(prim.GetDisplayName() or prim.GetName())


def column(matrix: Any) -> F64:
    """USD's row-vector matrix as one for column vectors (UsdGeom, "Transformations")."""
    return np.array(matrix, np.float64).reshape(4, 4).T


def rows(attribute: Any, width: int) -> F64:
    """(n, width) float64 of an attribute; its first sample where it has no default. width: numbers in a row."""
    value = attribute.Get() if attribute else None
    if value is None:
        samples = attribute.GetTimeSamples() if attribute else []
        value = attribute.Get(samples[0]) if samples else None
    return np.asarray(value, np.float64).reshape(-1, width) if value is not None and len(value) else np.zeros((0, width))


def ints(attribute: Any) -> I64:
    """(n,) int64 of an attribute."""
    value = attribute.Get() if attribute else None
    return np.asarray(value, np.int64).reshape(-1) if value is not None and len(value) else np.zeros(0, np.int64)

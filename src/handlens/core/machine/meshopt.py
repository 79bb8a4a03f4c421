"""The library that unpacks, simplifies and orders meshes (Debian's libmeshoptimizer2d), called as C."""

from __future__ import annotations

import ctypes
import ctypes.util
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

#: Debian's name of the library with its version, else whatever the system calls it.
_NAME = "libmeshoptimizer.so.2d"
#: Of the vertex cache that figures are told for: 16 vertices, first in, first out; one warp of 32, primitives of 32.
CACHE = 16

_size, _float, _uint = ctypes.c_size_t, ctypes.c_float, ctypes.c_uint


class CacheFigures(NamedTuple):
    """acmr: vertices worked out for each triangle (3 at worst, about 0.5 at best); atvr: for each vertex (1 at best)."""

    acmr: float
    atvr: float


class _CacheStatistics(ctypes.Structure):
    _fields_ = (("transformed", _uint), ("warps", _uint), ("acmr", _float), ("atvr", _float))


class _FetchStatistics(ctypes.Structure):
    _fields_ = (("bytes", _uint), ("overfetch", _float))


@cache
def library() -> ctypes.CDLL | None:
    """The library, None where it is not installed."""
    for name in (_NAME, ctypes.util.find_library("meshoptimizer")):
        try:
            if name:
                made = ctypes.CDLL(name)
                made.meshopt_simplify.restype = _size
                made.meshopt_optimizeVertexFetchRemap.restype = _size
                made.meshopt_analyzeVertexCache.restype = _CacheStatistics
                made.meshopt_analyzeVertexFetch.restype = _FetchStatistics
                return made
        except OSError:
            continue
    return None


def _at(values: NDArray[Any]) -> ctypes.c_void_p:
    return values.ctypes.data_as(ctypes.c_void_p)


def simplified(points: NDArray[Any], triangles: NDArray[Any], target: int, error: float) -> tuple[NDArray[Any], float]:
    """Triangles (n, 3) of the same points after edges were collapsed, cheapest first, until `target` are left or the next would
    cost more than `error`, a share of the largest extent; and what the dearest of those cost. points: (V, 3), each combination of attributes one; those in the same
    place keep together as a seam. triangles: (T, 3).
    """
    lib = library()
    assert lib is not None
    if target >= len(triangles):
        return np.asarray(triangles, np.int64), 0.0  # the library takes that for granted and reads past its end
    vertices, index = np.ascontiguousarray(points, np.float32), np.ascontiguousarray(triangles, np.uint32).reshape(-1)
    out, told = np.empty_like(index), _float()
    mesh = (_at(index), _size(len(index)), _at(vertices), _size(len(vertices)), _size(12))
    count = lib.meshopt_simplify(_at(out), *mesh, _size(3 * target), _float(error), _uint(0), ctypes.byref(told))
    return out[:count].reshape(-1, 3).astype(np.int64), float(told.value)


def cache_figures(triangles: NDArray[Any], vertices: int) -> CacheFigures:
    """How often vertices are worked out anew where triangles are drawn in their order. triangles: (T, 3)."""
    lib = library()
    assert lib is not None
    index = np.ascontiguousarray(triangles, np.uint32).reshape(-1)
    told = lib.meshopt_analyzeVertexCache(_at(index), _size(len(index)), _size(vertices), _uint(CACHE), _uint(0), _uint(0))
    return CacheFigures(float(told.acmr), float(told.atvr))


def overfetch(triangles: NDArray[Any], vertices: int, bytes_each: int) -> float:
    """Bytes fetched for each byte that vertices have, 1 at best. triangles: (T, 3)."""
    lib = library()
    assert lib is not None
    index = np.ascontiguousarray(triangles, np.uint32).reshape(-1)
    told = lib.meshopt_analyzeVertexFetch(_at(index), _size(len(index)), _size(vertices), _size(bytes_each))
    return float(told.overfetch)


def cache_order(triangles: NDArray[Any], vertices: int) -> NDArray[Any]:
    """The same triangles (T, 3) in an order in which vertices are met again soon."""
    lib = library()
    assert lib is not None
    index = np.ascontiguousarray(triangles, np.uint32).reshape(-1)
    out = np.empty_like(index)
    lib.meshopt_optimizeVertexCache(_at(out), _at(index), _size(len(index)), _size(vertices))
    return out.reshape(-1, 3).astype(np.int64)

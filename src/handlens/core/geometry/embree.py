"""Triangles in the ray library Embree 4, called as C: it takes arrays as they lie, builds on all cores, and meets rays by sixteens.

The library comes with the package embreex, whose own binding copies every corner and goes ray by ray: six times slower to build.
Source: the API of Embree 4, sections RTCScene, RTCGeometry, rtcIntersect16 and rtcOccluded16.
"""

from __future__ import annotations

import ctypes
import weakref
from functools import cache
from typing import Any

import numpy as np

from ..machine.blocks import each_block
from ..words.arrays import F32, F64, I32, Array, Bool

#: Rays of a packet, and packets that one thread does in a go.
WIDE, _PACKETS = 16, 512
#: Rows of a packet of rays: origin, nearest, direction, time, farthest, mask, number, flags (`RTCRay16`); then what was met: normal, u, v,
#: triangle, geometry, and two more that instances alone use (`RTCHit16`).
_RAY_ROWS, _HIT_ROWS = 12, 9
_FAR, _TRIANGLE, _GEOMETRY = 8, 17, 18
_NONE = 0xFFFFFFFF
_ROBUST = 1 << 2
_INDEX, _VERTEX, _FLOAT3, _UINT3 = 0, 1, 0x9003, 0x5003


@cache
def _library() -> tuple[Any, int]:
    """The library's functions, and its device for this process."""
    import embreex.rtcore_scene as carrier

    # What a library was linked with is found through it, wherever it was installed.
    library = ctypes.CDLL(carrier.__file__)
    pointer = ctypes.c_void_p
    library.rtcNewDevice.restype, library.rtcNewDevice.argtypes = pointer, [ctypes.c_char_p]
    library.rtcNewScene.restype, library.rtcNewScene.argtypes = pointer, [pointer]
    library.rtcNewGeometry.restype, library.rtcNewGeometry.argtypes = pointer, [pointer, ctypes.c_int]
    library.rtcSetSharedGeometryBuffer.restype = None
    library.rtcSetSharedGeometryBuffer.argtypes = [
        *(pointer, ctypes.c_int, ctypes.c_uint, ctypes.c_int),
        *(pointer, ctypes.c_size_t, ctypes.c_size_t, ctypes.c_size_t),
    ]
    for name in ("rtcCommitGeometry", "rtcReleaseGeometry", "rtcCommitScene", "rtcReleaseScene"):
        function = getattr(library, name)
        function.restype, function.argtypes = None, [pointer]
    library.rtcAttachGeometry.restype, library.rtcAttachGeometry.argtypes = ctypes.c_uint, [pointer, pointer]
    library.rtcSetSceneFlags.restype, library.rtcSetSceneFlags.argtypes = None, [pointer, ctypes.c_int]
    for name in ("rtcIntersect16", "rtcOccluded16"):
        function = getattr(library, name)
        function.restype, function.argtypes = None, [pointer, pointer, pointer, pointer]
    device = library.rtcNewDevice(None)
    if not device:
        raise MemoryError("the ray library has no device")
    return library, device


class Triangles:
    """Triangles that rays are cast against.

    points: (V, 3) float32. triangles: (T, 3) uint32 of points; every one of them must be there and finite.
    """

    def __init__(self, points: F32, triangles: Array) -> None:
        library, device = _library()
        # The library reads sixteen bytes at each point: one more keeps the last of them inside.
        self._points = np.zeros((len(points) + 1, 3), np.float32)
        self._points[:-1] = points
        self._triangles = np.ascontiguousarray(triangles, np.uint32)
        self._scene = library.rtcNewScene(device)
        # No ray slips through between two triangles that share a side.
        library.rtcSetSceneFlags(self._scene, _ROBUST)
        geometry = library.rtcNewGeometry(device, 0)
        share = library.rtcSetSharedGeometryBuffer
        share(geometry, _VERTEX, 0, _FLOAT3, self._points.ctypes.data, 0, 12, len(points))
        share(geometry, _INDEX, 0, _UINT3, self._triangles.ctypes.data, 0, 12, len(self._triangles))
        library.rtcCommitGeometry(geometry)
        library.rtcAttachGeometry(self._scene, geometry)
        library.rtcReleaseGeometry(geometry)
        library.rtcCommitScene(self._scene)
        # The arrays are held by whoever lets go of the scene, so that they outlive it.
        # A process that ends gives everything back at once, and in its own order.
        weakref.finalize(self, _release, self._scene, self._points, self._triangles).atexit = False

    def first(self, origins: F64, directions: F64) -> tuple[I32, F32]:
        """(n,) int32 triangle that each ray meets first, -1 for none, and (n,) float32 how far off. origins, directions: (n, 3)."""
        rays = self._cast("rtcIntersect16", origins, directions, None, _RAY_ROWS + _HIT_ROWS)
        met = _flat(rays.view(np.uint32), _TRIANGLE, len(origins)).astype(np.int32)
        met[_flat(rays.view(np.uint32), _GEOMETRY, len(origins)) == _NONE] = -1
        return met, _flat(rays, _FAR, len(origins))

    def blocked(self, origins: F64, directions: F64, reach: F64 | None = None) -> Bool:
        """(n,) bool: whether anything lies on each ray, within `reach` (n,) where it is given. origins, directions: (n, 3).

        reach: (n,) float, in lengths of the direction.
        """
        rays = self._cast("rtcOccluded16", origins, directions, reach, _RAY_ROWS)
        return np.isneginf(_flat(rays, _FAR, len(origins)))

    def _cast(self, name: str, origins: F64, directions: F64, reach: F64 | None, rows: int) -> F32:
        """(packets, rows, WIDE) float32 rays after they were cast."""
        count = len(origins)
        packets = -(-count // WIDE)
        room = np.zeros((packets * rows + 1) * WIDE, np.float32)
        begin = (-room.ctypes.data % 64) // 4
        rays = room[begin : begin + packets * rows * WIDE].reshape(packets, rows, WIDE)
        for row, values in zip((0, 1, 2, 4, 5, 6), (*origins.T, *directions.T), strict=True):
            _fill(rays, row, values)
        rays[:, _FAR] = np.inf
        if reach is not None:
            _fill(rays, _FAR, reach)
        whole = rays.view(np.uint32)
        whole[:, 9] = _NONE
        if rows > _RAY_ROWS:
            whole[:, _TRIANGLE:] = _NONE
        valid = np.full(2 * WIDE + WIDE, -1, np.int32)
        valid = valid[(-valid.ctypes.data % 64) // 4 :][: 2 * WIDE]
        valid[WIDE:] = np.where(np.arange(WIDE) < count - (packets - 1) * WIDE, -1, 0)
        function, scene = getattr(_library()[0], name), self._scene
        at, stride, all_of_it = rays.ctypes.data, rows * WIDE * 4, valid.ctypes.data

        def work(some: slice) -> None:
            for k in range(some.start, some.stop):
                function(all_of_it if k < packets - 1 else all_of_it + 4 * WIDE, scene, at + k * stride, None)

        each_block(packets, work, _PACKETS)
        return rays


def _fill(rays: F32, row: int, values: F64) -> None:
    """Lay the values of n rays into a row of their packets."""
    full = len(values) // WIDE
    rays[:full, row] = values[: full * WIDE].reshape(full, WIDE)
    if full < len(rays):
        rays[full, row, : len(values) - full * WIDE] = values[full * WIDE :]


def _flat(rays: Array, row: int, count: int) -> Array:
    """(count,) the values of a row, ray by ray."""
    return rays[:, row].reshape(-1)[:count]


def _release(scene: int, *held: Array) -> None:
    _library()[0].rtcReleaseScene(scene)

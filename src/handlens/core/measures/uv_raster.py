"""Triangles drawn into a raster of texels, exactly by their centres: what is covered, what is covered twice, how far islands lie apart."""

from __future__ import annotations

import numpy as np

from ..scene.model import Array

_BLOCK = 16_384


class Spans:
    """Runs of texels that triangles cover, one row each: row, first and one past the last column (n,) int32, and the triangle."""

    def __init__(self, row: Array, begin: Array, end: Array, triangle: Array) -> None:
        self.row, self.begin, self.end, self.triangle = row, begin, end, triangle


def spans(uv: Array, resolution: int) -> Spans:
    """The runs of (T, 3, 2) triangles over a raster of `resolution` texels a tile.

    A texel is covered where its centre is, edges belonging to the triangle on their right and below: triangles that share an
    edge cover no texel twice, and none is left out between them. Coordinates may lie outside 0 to 1; runs are not wrapped.
    """
    out = [_spans(uv[at : at + _BLOCK].astype(np.float64) * resolution, at) for at in range(0, len(uv), _BLOCK)]
    join = lambda k: np.concatenate([x[k] for x in out]) if out else np.zeros(0, np.int32)
    return Spans(join(0), join(1), join(2), join(3))


def _spans(p: Array, base: int) -> tuple[Array, Array, Array, Array]:
    x, y = [np.ascontiguousarray(p[:, k, 0]) for k in range(3)], [np.ascontiguousarray(p[:, k, 1]) for k in range(3)]
    low, high = np.minimum(np.minimum(y[0], y[1]), y[2]), np.maximum(np.maximum(y[0], y[1]), y[2])
    first, last = np.ceil(low - 0.5).astype(np.int64), np.ceil(high - 0.5).astype(np.int64)
    rows = np.maximum(last - first, 0)
    owner = np.repeat(np.arange(len(p)), rows)
    row = first[owner] + np.arange(len(owner)) - (np.cumsum(rows) - rows)[owner]
    centre = row + 0.5
    left, right = np.full(len(owner), np.inf), np.full(len(owner), -np.inf)
    for k in range(3):
        n = (k + 1) % 3
        # The same two ends give the same crossing in both triangles that share the edge, whichever way each runs it.
        swap = y[k] > y[n]
        x0, y0 = np.where(swap, x[n], x[k]), np.where(swap, y[n], y[k])
        x1, y1 = np.where(swap, x[k], x[n]), np.where(swap, y[k], y[n])
        rise = y1 - y0
        slope = np.divide(x1 - x0, rise, out=np.zeros_like(rise), where=rise > 0)
        begin = y0[owner]
        across = (begin <= centre) & (centre < y1[owner])
        at = x0[owner] + (centre - begin) * slope[owner]
        np.minimum(left, at, out=left, where=across)
        np.maximum(right, at, out=right, where=across)
    begin = np.ceil(np.where(right > left, left, 0.0) - 0.5).astype(np.int32)
    end = np.ceil(np.where(right > left, right, 0.0) - 0.5).astype(np.int32)
    kept = np.flatnonzero(end > begin)
    return row[kept].astype(np.int32), begin[kept], end[kept], (owner[kept] + base).astype(np.int32)


def wrapped(s: Spans, resolution: int) -> Spans:
    """The runs within one tile: rows and columns repeat, and a run over the tile's end begins again at its start.

    A run longer than a tile covers its row once for each tile.
    """
    length, begin = s.end - s.begin, np.mod(s.begin, resolution)
    pieces: list[tuple[Array, Array, Array, Array]] = []
    row, triangle = np.mod(s.row, resolution), s.triangle
    while len(length):
        here = np.minimum(length, resolution - begin)
        pieces.append((row, begin, begin + here, triangle))
        left = length > here
        row, triangle, length, begin = row[left], triangle[left], (length - here)[left], np.zeros(int(left.sum()), begin.dtype)
    join = lambda k: np.concatenate([x[k] for x in pieces]) if pieces else np.zeros(0, np.int32)
    return Spans(join(0), join(1), join(2), join(3))


def cropped(s: Spans) -> tuple[Spans, tuple[int, int]]:
    """The runs moved to the corner of a raster that is no larger than they need, and its rows and columns."""
    if not len(s.row):
        return s, (0, 0)
    top, left = int(s.row.min()), int(s.begin.min())
    return Spans(s.row - top, s.begin - left, s.end - left, s.triangle), (int(s.row.max()) - top + 1, int(s.end.max()) - left)


def covered(s: Spans, shape: tuple[int, int]) -> Array:
    """(rows, columns) int32: how many triangles cover each texel; row 0 is the lowest v. Runs must lie within the raster."""
    return _summed(s, None, shape)


def labelled(s: Spans, label: Array, count: Array) -> Array:
    """int32 like count: label of the triangle that covers each texel, -1 where none does or several do.

    label: (T,) of each triangle. count: what `covered` found.
    """
    return np.where(count == 1, _summed(s, label[s.triangle], count.shape), -1)


def _summed(s: Spans, weights: Array | None, shape: tuple[int, ...]) -> Array:
    """The sum over all runs that cover a texel, by what changes where a run begins and ends."""
    rows, width = shape[0], shape[1] + 1
    at = lambda column: np.bincount(s.row.astype(np.int64) * width + column, weights, rows * width)
    change = (at(s.begin) - at(s.end)).reshape(rows, width)
    out: Array = np.rint(np.cumsum(change, axis=1)[:, :-1]).astype(np.int32)
    return out


def touching(s: Spans, mask: Array) -> Array:
    """Triangles (n,) int32 of which some texel lies in a mask (resolution, resolution)."""
    running = np.zeros((mask.shape[0], mask.shape[1] + 1), np.int32)
    np.cumsum(mask, axis=1, out=running[:, 1:])
    some = running[s.row, s.end] > running[s.row, s.begin]
    found = np.zeros(int(s.triangle.max(initial=-1)) + 1, bool)
    found[s.triangle[some]] = True
    return np.flatnonzero(found)


def gap(labels: Array) -> float | None:
    """Least distance in texels between texels of two islands, less the one that any neighbours have: 0 where they touch.

    None where there are fewer than two. Each empty texel takes the label of the nearest covered one; where two labels meet,
    the way from one island to the other leads through there.
    """
    if len(np.unique(labels[labels >= 0])) < 2:
        return None
    from scipy.ndimage import distance_transform_edt

    _, (rows, columns) = distance_transform_edt(labels < 0, return_indices=True)
    nearest = labels[rows, columns]
    least = np.inf
    for axis in (0, 1):
        a = [slice(None)] * 2
        b = [slice(None)] * 2
        a[axis], b[axis] = slice(None, -1), slice(1, None)
        one, other = tuple(a), tuple(b)
        meet = nearest[one] != nearest[other]
        if meet.any():
            dr = rows[one][meet] - rows[other][meet]
            dc = columns[one][meet] - columns[other][meet]
            # Between the two nearest texels themselves: exact, where the sum of both distances only bounds it.
            least = min(least, float(np.sqrt((dr.astype(float) ** 2 + dc.astype(float) ** 2).min())))
    return max(least - 1, 0.0) if np.isfinite(least) else None

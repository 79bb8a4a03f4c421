"""Outlines drawn into a raster of texels, exactly by their centres: what is covered, what is covered twice, how far islands lie apart."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..words.arrays import F64, I32, I64, Array, Bool
from .sums import sums_by

_BLOCK = 16_384


class Outline(NamedTuple):
    """Directed sides of areas in the UV plane, and how much each adds to what lies left of it.

    begin, end: (n, 2) UVs. weight: (n,) +1 on sides of areas that run counter-clockwise and -1 on those that run clockwise, so
    that either kind covers its inside once. The sides of each area must close.
    """

    begin: Array
    end: Array
    weight: Array

    def rows(self, resolution: int) -> F64:
        """(n,) about how many rows of texels each side crosses: what drawing it costs."""
        return np.abs(self.end[:, 1].astype(np.float64) - self.begin[:, 1]) * resolution

    def some(self, which: Array | slice) -> Outline:
        """The sides that a mask, an index or a slice picks.

        which: (n,) bool or int, or a slice of sides.
        """
        return Outline(self.begin[which], self.end[which], self.weight[which])


def around(uv: Array, weight: F64) -> Outline:
    """The three sides of each of (T, 3, 2) triangles. weight: (T,) +1 for counter-clockwise ones, -1 for the others.

    uv: (T, 3, 2), in texels.
    """
    return Outline(uv.reshape(-1, 2), uv[:, [1, 2, 0]].reshape(-1, 2), np.repeat(weight, 3))


class Crossings(NamedTuple):
    """Where sides cross the lines on which texel centres lie.

    row: (n,) int64. column: (n,) int64 the first texel whose centre is not left of the crossing. change: (n,) what is added to
    the cover from there on. side: (n,) int64 which side crosses. Rows and columns run on past the tile's end.
    """

    row: I64
    column: I64
    change: Array
    side: I64


def crossings(outline: Outline, resolution: int) -> Crossings:
    """Cross sides with a raster of `resolution` texels a tile.

    A texel is covered where its centre is, edges belonging to the area on their right and below (the common fill rule of
    rasterisers): areas that share a side cover no texel twice and leave none out between them, and a side that two areas run in
    opposite directions crosses alike in both, so that it can be left out altogether.
    """
    out = [_crossings(outline, resolution, at) for at in range(0, len(outline.weight), _BLOCK)]
    return Crossings(*(np.concatenate(x) for x in zip(*out, strict=True))) if out else Crossings(*np.zeros((4, 0), np.int64))


def _crossings(outline: Outline, resolution: int, at: int) -> tuple[I64, I64, Array, I64]:
    a = outline.begin[at : at + _BLOCK].astype(np.float64) * resolution
    b = outline.end[at : at + _BLOCK].astype(np.float64) * resolution
    # The same two ends give the same crossing whichever way the side runs.
    down = a[:, 1] > b[:, 1]
    x0, y0 = np.where(down, b[:, 0], a[:, 0]), np.where(down, b[:, 1], a[:, 1])
    x1, y1 = np.where(down, a[:, 0], b[:, 0]), np.where(down, a[:, 1], b[:, 1])
    first = np.ceil(y0 - 0.5).astype(np.int64)
    rows = np.ceil(y1 - 0.5).astype(np.int64) - first
    side = np.repeat(np.arange(len(rows)), rows)
    row = first[side] + np.arange(len(side)) - (np.cumsum(rows) - rows)[side]
    x0, y0, rise, run = x0[side], y0[side], (y1 - y0)[side], (x1 - x0)[side]
    column = np.ceil(x0 + (row + 0.5 - y0) * (run / rise) - 0.5).astype(np.int64)
    # What lies left of a side that runs upwards ends there; what lies left of one that runs downwards begins.
    weight = outline.weight[at : at + _BLOCK][side]
    return row, column, np.where(down[side], weight, -weight), side + at


class Window(NamedTuple):
    """The texels that outlines need: from a row and a column on, so many of each, of a tile of `resolution` a side.

    repeats: whether outlines reach over more than a tile's height, and more than its width; the window is a tile then, and what
    runs over its end begins again at its start.
    """

    row: int
    column: int
    rows: int
    columns: int
    resolution: int
    repeats: tuple[bool, bool]

    def of(self, crossings: Crossings) -> tuple[Array, Array, Array | None]:
        """(n,) row and column of crossings within the window, and how many whole windows lie before the column, if any can."""
        row, column = crossings.row - self.row, crossings.column - self.column
        if self.repeats[0]:
            row = np.mod(row, self.resolution)
        if not self.repeats[1]:
            return row, column, None
        tile = np.floor_divide(column, self.resolution)
        return row, column - tile * self.resolution, tile


def window(crossings: Crossings, resolution: int) -> Window:
    """The smallest window that holds all crossings."""
    if not len(crossings.row):
        return Window(0, 0, 0, 0, resolution, (False, False))
    row, column = int(crossings.row.min()), int(crossings.column.min())
    rows, columns = int(crossings.row.max()) - row + 1, int(crossings.column.max()) - column
    over = rows > resolution, columns > resolution
    return Window(row, column, min(rows, resolution), min(columns, resolution), resolution, over)


def _summed(crossings: Crossings, change: Array, window: Window) -> I32:
    """(rows, columns) int32 sums of the changes left of each texel.

    Over a row the changes must sum to nothing, as those of closed outlines do.
    """
    row, column, tile = window.of(crossings)
    there = sums_by(row * (window.columns + 1) + column, change, window.rows * (window.columns + 1)).reshape(
        window.rows, window.columns + 1
    )
    out = np.cumsum(there, axis=1)[:, :-1]
    if tile is not None:
        # A change lies left of every tile after its own; the number of all tiles cancels out over the row.
        out -= sums_by(row, change * tile, window.rows)[:, None]
    return np.rint(out).astype(np.int32)


def covered(crossings: Crossings, window: Window) -> I32:
    """(rows, columns) int32: how many areas cover each texel of a window; row 0 is the lowest v."""
    return _summed(crossings, crossings.change, window)


def shares(crossings: Crossings, window: Window) -> tuple[int, int]:
    """How many texels of a window are covered, and how many of them by several areas: as `covered` counts them, from the crossings
    alone, so that a tile that a few faces fill is not filled texel by texel."""
    if any(window.repeats):
        count = covered(crossings, window)
        return int(np.count_nonzero(count)), int(np.count_nonzero(count > 1))
    row, column, _ = window.of(crossings)
    place = row * (window.columns + 1) + column
    order = np.argsort(place)
    place, cover = place[order], np.rint(np.cumsum(crossings.change[order])).astype(np.int64)
    # Over a row the changes sum to nothing: between the end of one and the beginning of the next nothing is covered.
    texels = np.diff(place, append=place[-1:])
    return int(texels[cover != 0].sum()), int(texels[cover > 1].sum())


def labelled(crossings: Crossings, label: Array, count: I32, window: Window) -> I32:
    """int32 like count: label of the area that covers each texel, -1 where none does or several do.

    label: (n,) of each side. count: what `covered` found.
    """
    return np.where(count == 1, _summed(crossings, crossings.change * label[crossings.side], window), -1)


def texels_in(crossings: Crossings, area: I64, mask: Bool, window: Window) -> I64:
    """(n,) int64 how many texels of a mask each area covers.

    area: (sides,) number of the area of each side. mask: (rows, columns) bool of the window, which may be of less than these
    crossings need: outside it nothing counts.
    """
    row, column, tile = window.of(crossings)
    left = np.zeros((window.rows + 1, window.columns + 1), np.int32)
    np.cumsum(mask, axis=1, out=left[:-1, 1:])
    row[(row < 0) | (row >= window.rows)] = window.rows  # where nothing is
    before = left.reshape(-1)[row * (window.columns + 1) + column.clip(0, window.columns)]
    if tile is not None:
        before = before + tile * left[row, -1]
    # An area covers what lies left of where it ends less what lies left of where it begins.
    return np.rint(np.bincount(area[crossings.side], -crossings.change * before)).astype(np.int64)


def gap(labels: I32) -> float | None:
    """Least distance in texels between texels of two islands, less the one that any neighbours have: 0 where they touch.

    None where there are fewer than two. Each empty texel takes the label of the nearest covered one; where two labels meet,
    the way from one island to the other leads through there.

    labels: (H, W) int32, the island that covers each texel, 0 for none.
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

"""UV sets: what is missing, outside, flat, mirrored, drawn over itself, and how far islands lie apart."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from ..geometry import uv_raster
from ..geometry.adjacency import Edges, face_of_corner
from ..geometry.sums import sums_by
from ..geometry.triangles import fan
from ..geometry.uv_area import UvAreas
from ..geometry.uv_islands import NO_AREA, Islands, Layout, islands, layout
from ..scene import Layer, Mesh
from ..words.arrays import F64, I32, I64, Array, Bool
from .records import UvFigures

#: Texels a side of the raster by which overlap is told, and the fewest where faces are so many and so large in the UVs that the
#: raster would take longer than everything else: a tile for each square of a terrain, say. Past that overlap is not told.
RESOLUTION, COARSEST = 1_024, 32
#: Crossings of sides with rows up to which a raster is drawn, and of triangles that are looked at in one go.
MOST_CROSSINGS, _AT_ONCE = 20_000_000, 4_000_000
#: Texels a side of the coarser one by which room between islands is told: distances cost the square of it.
ROOM_RESOLUTION = 512
#: UVs this far outside 0 to 1 still count as within: what rounding leaves.
_SLACK = 1e-3
#: A layout that reaches over more tiles than this repeats its picture on purpose; its overlap says nothing.
TILES = 4.0
#: Overlap under this share of the covered texels is what rounding of rims leaves.
OVERLAP = 0.01


def uv_figures(
    mesh: Mesh, edges: Edges, flat: Bool, arrays: dict[str, Array], areas: UvAreas, v_down: bool = False
) -> list[UvFigures]:
    """One record a UV set; elements are put among `arrays` as "uv0:outside" and so on, faces as int32.

    edges: of the faces that have an area. flat: (F,) faces without. areas: where those of the sets are kept. v_down: whether v counts downwards, so that what runs
    the right way round on the picture has a negative area in the numbers.
    arrays: element lists by key, to which its own are added.
    """
    triangles = fan(mesh)
    return [_set(mesh, k, triangles, areas.twice(mesh, k), edges, flat, arrays, v_down) for k in range(len(mesh.uvs))]


def _set(
    mesh: Mesh,
    k: int,
    triangles: tuple[I64, I32],
    twice: F64,
    edges: Edges,
    flat: Bool,
    arrays: dict[str, Array],
    v_down: bool,
) -> UvFigures:
    layer = mesh.uvs[k]
    owner = face_of_corner(mesh)
    # What is wrong with a value is wrong with every corner that has it.
    u, v = layer.values[:, 0], layer.values[:, 1]
    finite = np.isfinite(u) & np.isfinite(v)
    out_u, out_v = (u < -_SLACK) | (u > 1 + _SLACK), (v < -_SLACK) | (v > 1 + _SLACK)
    out = out_u | out_v
    lost = layer.index < 0
    lacks = bool(lost.any()) or not bool(finite.all())
    of_value = lambda wrong: np.where(lost, False, wrong[layer.index]) if len(wrong) else np.zeros(len(lost), bool)
    broken = of_value(~finite) if lacks else lost
    twice = np.where(np.abs(twice) > NO_AREA, twice, 0.0)  # 0 for what is no number too
    signed, whole = _by_face(mesh, triangles[1], twice)
    usable = ~_marked(mesh, owner, lost | broken) if lacks else np.ones(mesh.face_count, bool)
    leaves = lambda where: np.flatnonzero(_marked(mesh, owner, of_value(where))) if where.any() else np.zeros(0, int)
    kept: dict[str, Array] = {
        "missing": np.flatnonzero(_marked(mesh, owner, lost)) if lacks else np.zeros(0, int),
        "not-finite": np.flatnonzero(_marked(mesh, owner, broken)) if lacks else np.zeros(0, int),
        "outside": leaves(out),
        "outside-u": leaves(out_u),
        "outside-v": leaves(out_v),
        "flat": np.flatnonzero(usable & (whole <= NO_AREA) & ~flat),
        "mirrored": np.flatnonzero(usable & ((-signed if v_down else signed) < -NO_AREA)),
        "overlapping": np.zeros(0, int),
    }
    inside = layer.values[finite]
    span = float(np.ptp(inside, axis=0).max()) if len(inside) else 0.0
    joined = islands(mesh, layer, edges)
    overlap = padding = None
    resolution = RESOLUTION
    if twice.any() and span <= TILES and float(np.abs(inside).max()) < 1e4:
        laid = layout(mesh, layer, triangles, twice, usable, joined, edges)
        while resolution > COARSEST and laid.outline.rows(resolution).sum() > MOST_CROSSINGS:
            resolution //= 2
        if laid.outline.rows(resolution).sum() <= MOST_CROSSINGS:
            overlap, padding, kept["overlapping"] = _raster(mesh, layer, triangles, twice, laid, joined, resolution)
    arrays.update({f"uv{k}:{key}": found.astype(np.int32) for key, found in kept.items() if len(found)})
    n = {key: len(found) for key, found in kept.items()}
    return UvFigures(
        missing=n["missing"],
        not_finite=n["not-finite"],
        outside=n["outside"],
        outside_u=n["outside-u"],
        outside_v=n["outside-v"],
        flat=n["flat"],
        mirrored=n["mirrored"],
        span=span,
        collapsed=bool(len(inside) and span <= 1e-6),
        islands=joined.number,
        seams=joined.seams,
        overlap=overlap,
        overlapping=n["overlapping"],
        padding=padding,
        resolution=resolution,
    )


def _marked(mesh: Mesh, owner: I32, corners: Bool) -> Bool:
    """(F,) bool: faces of which a corner is marked."""
    out = np.zeros(mesh.face_count, bool)
    out[owner[corners]] = True
    return out


def _by_face(mesh: Mesh, face: I32, twice: F64) -> tuple[F64, F64]:
    """(F,) sums of the signed and of the absolute areas of each face's triangles."""
    if mesh.only_triangles:
        return twice, np.abs(twice)
    return sums_by(face, twice, mesh.face_count), sums_by(face, np.abs(twice), mesh.face_count)


def _raster(
    mesh: Mesh, layer: Layer, triangles: tuple[I64, I32], twice: F64, layout_: Layout, joined: Islands, resolution: int
) -> tuple[float, float | None, Array]:
    """Share of the covered texels that several faces of one material cover, least gap of islands, and the faces that overlap."""
    paint = _materials(mesh)
    several = len(paint) and bool((paint != paint[0]).any())
    slot = paint[layout_.face] if several else np.zeros(len(layout_.face), np.int32)
    used = doubled = 0
    faces: list[Array] = []
    padding: float | None = None
    for number in np.unique(slot).tolist():
        some = slot == number
        outline = layout_.outline.some(some)
        crossed = uv_raster.crossings(outline, resolution)
        window = uv_raster.window(crossed, resolution)
        here, twofold = uv_raster.shares(crossed, window)
        used, doubled = used + here, doubled + twofold
        if twofold:
            over = uv_raster.covered(crossed, window) > 1
            faces.append(_touching(mesh, layer, triangles, twice, paint == number if several else None, over, window))
        # Between islands that lie on each other there is no room to speak of.
        pieces = joined.of_face[layout_.face[some]]
        if twofold <= OVERLAP * here and (pieces != pieces[0]).any():
            found = _room(outline, pieces, min(resolution, ROOM_RESOLUTION))
            padding = found if padding is None else padding if found is None else min(padding, found)
    return doubled / max(used, 1), padding, np.concatenate(faces) if faces else np.zeros(0, int)


def _materials(mesh: Mesh) -> I32:
    """(F,) the material of each face, slots of one material alike."""
    of = np.array(mesh.slot_materials, np.int32)
    known = (mesh.slots >= 0) & (mesh.slots < len(of))
    return np.where(known, of[np.where(known, mesh.slots, 0)], mesh.slots) if len(of) else mesh.slots


def _room(outline: uv_raster.Outline, pieces: I32, resolution: int) -> float | None:
    """Least gap between islands, as a share of the tile. pieces: (n,) island of each side."""
    crossed = uv_raster.crossings(outline, resolution)
    window = uv_raster.window(crossed, resolution)
    found = uv_raster.gap(uv_raster.labelled(crossed, pieces, uv_raster.covered(crossed, window), window))
    return None if found is None else found / resolution


def _touching(
    mesh: Mesh,
    layer: Layer,
    triangles: tuple[I64, I32],
    twice: F64,
    chosen: Bool | None,
    over: Bool,
    window: uv_raster.Window,
) -> I64:
    """Faces that cover a texel of a mask, among those chosen (F,), or all where it is None."""
    corners, face = triangles
    drawn = np.flatnonzero(twice if chosen is None else (twice != 0) & chosen[face])
    outline = uv_raster.around(layer.values[layer.index[corners[drawn]]], np.sign(twice[drawn]))
    rows = np.cumsum(outline.rows(window.resolution).reshape(-1, 3).sum(axis=1))
    cuts = [0, *np.flatnonzero(np.diff(rows // _AT_ONCE)) + 1, len(drawn)]
    out = np.zeros(mesh.face_count, bool)
    for a, b in pairwise(cuts):
        crossed = uv_raster.crossings(outline.some(slice(3 * a, 3 * b)), window.resolution)
        texels = uv_raster.texels_in(crossed, np.repeat(np.arange(b - a), 3), over, window)
        out[face[drawn[a + np.flatnonzero(texels)]]] = True
    return np.flatnonzero(out)

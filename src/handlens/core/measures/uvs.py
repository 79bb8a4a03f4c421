"""UV sets: what is missing, outside, flat, mirrored, drawn over itself, and how many pixels a length of surface gets."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from ..formats.uv_transform import placed
from ..scene import Layer, Mesh, Scene, TextureInput
from ..scene.model import Array
from ..scene.transforms import apply
from ..scene.triangles import fan
from . import uv_raster
from .adjacency import Edges, face_of_corner, next_corner
from .distinct import distinct_rows
from .records import DensityFigures, UvFigures
from .shown import base_colour

#: Texels a side of the raster by which overlap is told.
RESOLUTION = 1_024
#: Texels a side of the coarser one by which room between islands is told: distances cost the square of it.
ROOM_RESOLUTION = 512
#: UVs this far outside 0 to 1 still count as within: what rounding leaves.
_SLACK = 1e-3
#: A layout that reaches over more tiles than this repeats its picture on purpose; its overlap says nothing.
TILES = 4.0
#: Overlap under this share of the covered texels is what rounding of rims leaves.
OVERLAP = 0.01
#: An area under this share of a tile is none.
_NO_AREA = 1e-12


class _Faces(NamedTuple):
    """Triangles of a mesh: corners (T, 3), face (T,), UVs (T, 3, 2) with NaN where there are none."""

    corners: Array
    face: Array
    uv: Array


def uv_figures(mesh: Mesh, edges: Edges, flat: Array, arrays: dict[str, Array]) -> list[UvFigures]:
    """One record a UV set; elements are put among `arrays` as "uv0:outside" and so on, faces as int32.

    edges: of the faces that have an area. flat: (F,) faces without.
    """
    corners, face = fan(mesh)
    out = []
    for k, layer in enumerate(mesh.uvs):
        at = layer.at_corners()
        out.append(_set(mesh, _Faces(corners, face, at[corners]), edges, flat, f"uv{k}", arrays))
    return out


def _set(mesh: Mesh, t: _Faces, edges: Edges, flat: Array, name: str, arrays: dict[str, Array]) -> UvFigures:
    layer = mesh.uvs[int(name[2:])]
    owner = face_of_corner(mesh)
    # What is wrong with a value is wrong with every corner that has it.
    u, v = layer.values[:, 0], layer.values[:, 1]
    finite = np.isfinite(u) & np.isfinite(v)
    out = (u < -_SLACK) | (u > 1 + _SLACK) | (v < -_SLACK) | (v > 1 + _SLACK)
    lost = layer.index < 0
    lacks = bool(lost.any()) or not bool(finite.all())
    of_value = lambda wrong: np.where(lost, False, wrong[layer.index]) if len(wrong) else np.zeros(len(lost), bool)
    broken = of_value(~finite) if lacks else lost
    twice = _doubled_area(t.uv)
    drawn = np.abs(twice) > _NO_AREA  # false for what is no number
    signed, whole = _by_face(mesh, t.face, np.where(drawn, twice, 0.0))
    usable = ~_marked(mesh, owner, lost | broken) if lacks else np.ones(mesh.face_count, bool)
    kept: dict[str, Array] = {
        "missing": np.flatnonzero(_marked(mesh, owner, lost)) if lacks else np.zeros(0, int),
        "not-finite": np.flatnonzero(_marked(mesh, owner, broken)) if lacks else np.zeros(0, int),
        "outside": np.flatnonzero(_marked(mesh, owner, of_value(out))) if out.any() else np.zeros(0, int),
        "flat": np.flatnonzero(usable & (whole <= _NO_AREA) & ~flat), "mirrored": np.flatnonzero(usable & (signed < -_NO_AREA)),
        "overlapping": np.zeros(0, int),
    }  # fmt: skip
    inside = layer.values[finite]
    span = float(np.ptp(inside, axis=0).max()) if len(inside) else 0.0
    seams, island = _islands(mesh, layer, edges)
    overlap = padding = None
    if drawn.any() and span <= TILES and float(np.abs(inside).max()) < 1e4:
        overlap, padding, kept["overlapping"] = _raster(mesh, t, drawn, island)
    arrays.update({f"{name}:{key}": found.astype(np.int32) for key, found in kept.items() if len(found)})
    n = {key: len(found) for key, found in kept.items()}
    return UvFigures(
        missing=n["missing"], not_finite=n["not-finite"], outside=n["outside"], flat=n["flat"], mirrored=n["mirrored"], span=span,
        collapsed=bool(len(inside) and span <= 1e-6), islands=int(island.max(initial=-1)) + 1, seams=seams, overlap=overlap,
        overlapping=n["overlapping"], padding=padding, resolution=RESOLUTION,
    )  # fmt: skip


def _marked(mesh: Mesh, owner: Array, corners: Array) -> Array:
    """(F,) bool: faces of which a corner is marked."""
    out = np.zeros(mesh.face_count, bool)
    out[owner[corners]] = True
    return out


def _doubled_area(uv: Array) -> Array:
    """(T,) twice the signed area of triangles (T, 3, 2)."""
    u, v = uv[:, :, 0], uv[:, :, 1]
    return (u[:, 1] - u[:, 0]) * (v[:, 2] - v[:, 0]) - (v[:, 1] - v[:, 0]) * (u[:, 2] - u[:, 0])


def _by_face(mesh: Mesh, face: Array, twice: Array) -> tuple[Array, Array]:
    """(F,) sums of the signed and of the absolute areas of each face's triangles."""
    if mesh.only_triangles:
        return twice, np.abs(twice)
    return np.bincount(face, twice, mesh.face_count), np.bincount(face, np.abs(twice), mesh.face_count)


def _islands(mesh: Mesh, layer: Layer, edges: Edges) -> tuple[int, Array]:
    """Edges of two faces whose UVs differ on either side, and the island (F,) of each face."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    assert edges.corner is not None
    same = distinct_rows([layer.values[:, 0], layer.values[:, 1]])[0]
    ids = np.where(layer.index >= 0, same[layer.index], -1) if len(same) else layer.index
    following, owner = next_corner(mesh), face_of_corner(mesh)
    first = edges.begins[:-1][edges.uses == 2]
    one, other = edges.corner[first], edges.corner[first + 1]
    alike = edges.key[first] == edges.key[first + 1]
    start, end = following[other], other
    if alike.any():
        start, end = np.where(alike, other, start), np.where(alike, start, end)
    joined = (ids[one] == ids[start]) & (ids[following[one]] == ids[end])
    cut = int(len(joined) - np.count_nonzero(joined))
    if cut:
        one, other = one[joined], other[joined]
    graph = coo_array((np.ones(len(one), np.int8), (owner[one], owner[other])), shape=(mesh.face_count, mesh.face_count))
    return cut, connected_components(graph.tocsr(), directed=False)[1]


def _raster(mesh: Mesh, t: _Faces, drawn: Array, island: Array) -> tuple[float, float | None, Array]:
    """Share of the covered texels that several triangles of one slot cover, least gap of islands, and the faces that overlap."""
    several = len(mesh.slots) and bool((mesh.slots != mesh.slots[0]).any())
    slots = mesh.slots[t.face] if several else np.zeros(len(t.face), np.int32)
    used = twice = 0
    faces: list[Array] = []
    padding: float | None = None
    for slot in np.unique(mesh.slots).tolist() if several else [0]:
        some = np.flatnonzero(drawn & (slots == slot) if several else drawn)
        runs, shape = uv_raster.cropped(uv_raster.wrapped(uv_raster.spans(t.uv[some], RESOLUTION), RESOLUTION))
        count = uv_raster.covered(runs, shape)
        over = count > 1
        used += int(np.count_nonzero(count))
        if over.any():
            twice += int(np.count_nonzero(over))
            faces.append(_marked_faces(mesh, t.face[some[uv_raster.touching(runs, over)]]))
        # Between islands that lie on each other there is no room to speak of.
        pieces = island[t.face[some]]
        if np.count_nonzero(over) <= OVERLAP * np.count_nonzero(count) and (pieces != pieces[0]).any():
            found = _room(t.uv[some], pieces)
            padding = found if padding is None else padding if found is None else min(padding, found)
    return twice / max(used, 1), padding, np.concatenate(faces) if faces else np.zeros(0, int)


def _room(uv: Array, pieces: Array) -> float | None:
    """Least gap between pieces of a layout (T, 3, 2), as a share of the tile."""
    runs, shape = uv_raster.cropped(uv_raster.wrapped(uv_raster.spans(uv, ROOM_RESOLUTION), ROOM_RESOLUTION))
    found = uv_raster.gap(uv_raster.labelled(runs, pieces, uv_raster.covered(runs, shape)))
    return None if found is None else found / ROOM_RESOLUTION


def _marked_faces(mesh: Mesh, faces: Array) -> Array:
    """The faces, each once, in order."""
    out = np.zeros(mesh.face_count, bool)
    out[faces] = True
    return np.flatnonzero(out)


def densities(scene: Scene, world: Array, parts: list[int], sizes: Mapping[int, tuple[int, int]]) -> list[DensityFigures]:
    """Texel density of each part's base colour image. parts: nodes. sizes: width and height of each image that is known.

    On a triangle it is the square root of its pixels over its area: pixels on a file unit of length, whichever way it runs.
    """
    out = []
    for node in parts:
        number = scene.nodes[node].mesh
        assert number is not None
        mesh = scene.meshes[number]
        found = _density(scene, mesh, world[node], sizes)
        if found is not None:
            values, weight, image = found
            order = np.argsort(values)
            reached = np.cumsum(weight[order])
            at = lambda share, o=order, r=reached, v=values: float(v[o[np.searchsorted(r, share * r[-1])]])
            out.append(DensityFigures(node, at(0.5), at(0.1), at(0.9), image))
    return out


def _density(scene: Scene, mesh: Mesh, matrix: Array, sizes: Mapping[int, tuple[int, int]]) -> tuple[Array, Array, int] | None:
    inputs: dict[int, tuple[int, TextureInput]] = {}
    for slot, material in enumerate(mesh.slot_materials):
        if material >= 0:
            colour = base_colour(scene.materials[material])
            if colour is not None and colour.image is not None and colour.image in sizes and colour.uv_set < len(mesh.uvs):
                inputs[slot] = (colour.image, colour)
    if not inputs or not mesh.face_count:
        return None
    corners, face = fan(mesh)
    points = apply(matrix, mesh.positions)
    values, weights, most = [], [], (0.0, -1)
    for slot, (image, colour) in inputs.items():
        some = corners[mesh.slots[face] == slot] if len(mesh.slots) else corners
        p = points[mesh.corners[some]]
        uv = placed(mesh.uvs[colour.uv_set].at_corners()[some].astype(np.float64), colour.transform) * sizes[image]
        area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
        a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        pixels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        good = (area > 0) & np.isfinite(area) & np.isfinite(pixels) & (pixels > 0)
        if good.any():
            values.append(np.sqrt(pixels[good] / area[good]))
            weights.append(area[good])
            most = max(most, (float(area[good].sum()), image))
    return (np.concatenate(values), np.concatenate(weights), most[1]) if values else None

"""What Budget measures: triangles that cost for nothing, how large they are, and why there are so many vertices."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from ...declare.station_measures import StationMeasures
from ...geometry.distinct import distinct_rows
from ...geometry.topology import Topology, squared, surface_once
from ...geometry.triangles import fan
from ...machine.blocks import each_block
from ...measures import Measures
from ...measures.records import MeshFigures
from ...reduction.flat import freed_by_merging
from ...reduction.subdivision import coarser
from ...scene import Layer, Mesh, Scene
from ...words.arrays import I64, Array
from .records import BudgetMeasures, TrianglesOf

#: Triangles below which nobody would act on what could be freed.
FEW = 300
#: Share of a mesh below which nobody would act on what could be freed.
SMALL_SHARE = 0.05
#: Share of a mesh that must have been subdivided.
MUCH = 0.25
#: Vertices for each point from which on it is told, and how many there must be.
SPLIT, SPLIT_FROM = 2.5, 2_000
#: Triangles above which a mesh is not searched for what it could do without: that would take longer than anything else here.
SEARCHED = 3_000_000
#: Steps of subdivision that are looked for.
_STEPS = 10
#: How far points may lie off the middles of their sides, as a share of the mesh's size: past it the shape was made, not subdivided.
_BENT = 1 / 500
#: Quarter octaves to the octave.
OCTAVE = 4

_Kept = tuple[TrianglesOf, Array]
#: Meshes do not change: what was found of one holds for as long as it is there, whatever is tried on its neighbours.
_found: WeakKeyDictionary[Mesh, _Kept] = WeakKeyDictionary()


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> BudgetMeasures:
    """Measure what Budget alone asks for. arrays: where elements go, int32."""
    out = []
    for k in sorted({part.mesh for part in measures.parts}):
        mesh = scene.meshes[k]
        if mesh not in _found:
            _found[mesh] = _of(mesh, measures.meshes[k])
        figures, flat = _found[mesh]
        if len(flat):
            arrays[f"{k}:flat"] = flat
        out.append(replace(figures, mesh=k))
    return BudgetMeasures(out)


OWN = StationMeasures("budget", BudgetMeasures, take, reads=("nodes", "meshes"))


def _of(mesh: Mesh, measured: MeshFigures) -> _Kept:
    none = np.zeros(0, np.int32)
    if not FEW <= mesh.triangle_count <= SEARCHED:
        return TrianglesOf(0, sizes=[]), none
    top = surface_once(mesh)
    # What nobody would be told of is not looked for.
    worth = measured.surface.could_merge >= max(FEW, SMALL_SHARE * mesh.triangle_count)
    freed, faces = freed_by_merging(mesh) if worth else (0, none)
    cut = measured.surface.could_take_back >= max(FEW, MUCH * mesh.triangle_count)
    steps = _subdivided(mesh, measured.surface.size, top) if cut else (0, mesh.triangle_count, 0.0)
    figures = TrianglesOf(0, freed, *steps, _sizes(mesh), *_vertices(mesh, measured, top))
    return figures, faces if freed else none


def _subdivided(mesh: Mesh, size: float, top: Topology) -> tuple[int, int, float]:
    """Steps that can be taken back, triangles that are left then, and how far points were off the middles of their sides.
    size: the mesh's diagonal."""
    steps, bent, left = 0, 0.0, mesh
    known: Topology | None = top
    while steps < _STEPS and (made := coarser(left, known)) is not None and made.bent <= _BENT * size:
        steps, bent, left, known = steps + 1, max(bent, made.bent), made.mesh, None
    return steps, left.triangle_count, bent


def _sizes(mesh: Mesh) -> list[tuple[int, int]]:
    # Cut about the first corner: sides within a polygon are told no smaller than they are.
    corners, _ = fan(mesh)

    def work(some: slice) -> tuple[Array, Array]:
        a, b, c = (mesh.positions[mesh.corners[corners[some, k]]] for k in range(3))
        with np.errstate(all="ignore"):
            longest = np.maximum(np.maximum(squared(b - a), squared(c - b)), squared(a - c))
            octave = np.floor((OCTAVE / 2) * np.log2(longest))
        return np.unique(octave[np.isfinite(octave)].astype(np.int64), return_counts=True)

    count: dict[int, int] = {}
    for values, numbers in each_block(len(corners), work):
        for value, number in zip(values.tolist(), numbers.tolist(), strict=True):
            count[value] = count.get(value, 0) + number
    return sorted(count.items())


def _vertices(mesh: Mesh, figures: MeshFigures, top: Topology) -> tuple[int, int, int, int]:
    """Distinct points of faces and, where a card gets many more vertices than those, points told apart by normals, by UVs, by
    colours alone."""
    at = top.ids[mesh.corners]
    there = np.zeros(top.welded, bool)
    there[at] = True
    points = int(np.count_nonzero(there))
    if figures.gpu_vertices < SPLIT_FROM or figures.gpu_vertices < SPLIT * points:
        return points, 0, 0, 0

    def distinct_vertices(layers: list[Layer]) -> int:
        columns = [_values(layer) for layer in layers if len(layer.values)]
        return distinct_rows([at, *columns])[1] if columns else points

    return (
        points,
        distinct_vertices([mesh.normals] if mesh.normals else []),
        distinct_vertices(list(mesh.uvs)),
        distinct_vertices(list(mesh.colours)),
    )


def _values(layer: Layer) -> I64:
    """(C,) the same number for corners with equal values."""
    ids, count = distinct_rows([layer.values])
    return np.append(ids, count)[layer.index]

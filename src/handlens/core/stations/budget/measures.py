"""What Budget measures: triangles that cost for nothing, how large they are, and why there are so many vertices."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from msgspec.structs import replace

from ...geometry.distinct import distinct_rows
from ...geometry.triangles import fan
from ...kit.own import Own
from ...measures import Measures
from ...reduction.flat import freed_by_merging
from ...reduction.subdivision import coarser
from ...scene import Layer, Mesh, Scene
from ...scene.model import Array
from .records import BudgetMeasures, TrianglesOf

#: Triangles below which nobody would act on what could be freed.
FEW = 300
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


def take(scene: Scene, m: Measures, arrays: dict[str, Array]) -> BudgetMeasures:
    out = []
    for k in sorted({p.mesh for p in m.parts}):
        mesh = scene.meshes[k]
        if mesh not in _found:
            _found[mesh] = _of(mesh)
        figures, flat = _found[mesh]
        if len(flat):
            arrays[f"{k}:flat"] = flat
        out.append(replace(figures, mesh=k))
    return BudgetMeasures(out)


OWN = Own("budget", BudgetMeasures, take)


def _of(mesh: Mesh) -> _Kept:
    if not FEW <= mesh.triangle_count <= SEARCHED:
        return TrianglesOf(0, sizes=[]), np.zeros(0, np.int32)
    freed, faces = freed_by_merging(mesh)
    steps, before, bent = _subdivided(mesh)
    figures = TrianglesOf(0, freed, steps, before, bent, _sizes(mesh), *_vertices(mesh))
    return figures, faces if freed else np.zeros(0, np.int32)


def _subdivided(mesh: Mesh) -> tuple[int, int, float]:
    """Steps that can be taken back, triangles that are left then, and how far points were off the middles of their sides."""
    used = mesh.positions[mesh.corners]
    size = float(np.linalg.norm(used.max(axis=0) - used.min(axis=0))) if len(used) else 0.0
    steps, bent, left = 0, 0.0, mesh
    while steps < _STEPS and (made := coarser(left)) is not None and made.bent <= _BENT * size:
        steps, bent, left = steps + 1, max(bent, made.bent), made.mesh
    return steps, left.triangle_count, bent


def _sizes(mesh: Mesh) -> list[tuple[int, int]]:
    # Cut about the first corner: sides within a polygon are told no smaller than they are.
    corners, _ = fan(mesh)
    p = mesh.positions[mesh.corners[corners]]
    sides = np.roll(p, -1, axis=1) - p
    with np.errstate(all="ignore"):
        longest = np.sqrt(np.einsum("ijk,ijk->ij", sides, sides).max(axis=1))
        octave = np.floor(OCTAVE * np.log2(longest))
    values, count = np.unique(octave[np.isfinite(octave)].astype(np.int64), return_counts=True)
    return list(zip(values.tolist(), count.tolist(), strict=True))


def _vertices(mesh: Mesh) -> tuple[int, int, int, int]:
    """Distinct points of faces, and points told apart by normals, by UVs, by colours alone."""
    ids, _ = distinct_rows([mesh.positions])
    at = ids[mesh.corners]

    def apart(layers: list[Layer]) -> int:
        columns = [_values(layer) for layer in layers if len(layer.values)]
        return distinct_rows([at, *columns])[1]

    return apart([]), apart([mesh.normals] if mesh.normals else []), apart(list(mesh.uvs)), apart(list(mesh.colours))


def _values(layer: Layer) -> Array:
    """(C,) the same number for corners with equal values."""
    ids, count = distinct_rows([layer.values])
    return np.append(ids, count)[layer.index]

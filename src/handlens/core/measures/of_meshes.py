"""Figures of mesh data blocks, and what looking at the whole model needs of each."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

import numpy as np

from ..geometry.finite import finite_points
from ..geometry.holes import Holes, holes
from ..geometry.patches import Patches, patches
from ..geometry.topology import PIECES_UP_TO, connected_pieces, gpu_vertices, loose_point_indices, surface, surface_once
from ..geometry.uv_area import UvAreas
from ..scene import Mesh, Scene
from ..scene.model import readable
from ..words.arrays import Array
from .known import Known
from .looked_at import facing_key, look, too_many
from .records import FacingFigures, MeshFigures, UvFigures, WalkFigures
from .surface_figures import NO_SURFACE, surface_figures
from .uvs import uv_figures


class Seen:
    """What looking at the whole model needs of each mesh, kept from measuring it."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.patches: dict[int, Patches] = {}
        self.holes: dict[int, Holes] = {}
        self.areas = UvAreas()
        self.skip = too_many(scene)

    def keep(self, number: int, patches: Patches | None, holes: Holes | None, areas: dict[int, Array]) -> None:
        """What measuring a mesh gave, where it was measured elsewhere.

        areas: (T,) float64 of the triangles of each UV set.
        """
        if patches is not None and holes is not None:
            self.patches[number], self.holes[number] = patches, holes
        self.areas.of(self.scene.meshes[number]).update(areas)

    def look(
        self, meshes: list[MeshFigures], known: Known | None, arrays: dict[str, Array]
    ) -> tuple[list[FacingFigures], WalkFigures | None, str | None]:
        """Facing figures and the walk-round test, taken over where nothing that they hang on has changed, and their key.

        arrays: element lists by key, to which its own are added.
        """
        if self.skip:
            return [], None, None
        key = facing_key(self.scene, [mesh.content or "" for mesh in meshes]) if known is not None else None
        if known is not None and key and (earlier := known.looked(key, arrays)) is not None:
            return *earlier, key
        for k, mesh in enumerate(self.scene.meshes):
            if k not in self.patches:
                top = surface_once(mesh)
                self.patches[k] = patches(mesh, top.edges)
                self.holes[k] = holes(mesh, top.edges, top.ids)
        return *look(self.scene, self.patches, self.holes, arrays), key


def mesh_figures(
    mesh: Mesh,
    number: int,
    arrays: dict[str, Array],
    may_have_twin: bool,
    alone: bool,
    seen: Seen | None,
    step: Callable[[float], None],
) -> MeshFigures:
    """seen: where looking at the whole model finds what it needs; None where only counts are wanted. step: told the share done.

    arrays: element lists by key, to which its own are added, (n,) int32 each.
    """
    top = surface(mesh) if seen is None else surface_once(mesh)
    step(0.2)
    shape, uvs = NO_SURFACE, list[UvFigures]()
    if seen is not None:
        joined = patches(mesh, top.edges)
        step(0.3)
        put: dict[str, Array] = {}
        shape, rims = surface_figures(mesh, top, joined, put)
        step(0.6)
        uvs = uv_figures(mesh, top.edges, top.flat, put, seen.areas, seen.scene.v_down)
        arrays.update({f"mesh:{number}:{name}": found for name, found in put.items()})
        seen.patches[number], seen.holes[number] = joined, rims
        step(0.9)
    good = finite_points(mesh.positions)
    broken = len(mesh.positions) - len(good)
    if broken:
        bad = ~np.isfinite(mesh.positions).all(axis=1)
        arrays[f"mesh:{number}:not-finite"] = np.flatnonzero(bad).astype(np.int32)
    if len(mesh.lines):
        arrays[f"mesh:{number}:lines"] = mesh.lines.reshape(-1).astype(np.int32)
    if top.loose_points:
        arrays[f"mesh:{number}:points"] = loose_point_indices(mesh)
    slot_faces = (
        np.bincount(mesh.slots, minlength=len(mesh.slot_materials))
        if len(mesh.slots)
        else np.zeros(len(mesh.slot_materials), int)
    )
    undone = [k for k, slot_material in enumerate(mesh.slot_materials) if slot_material < 0]
    bare = np.flatnonzero(np.isin(mesh.slots, undone)) if undone and len(mesh.slots) else ()
    if len(bare):
        arrays[f"mesh:{number}:bare"] = np.asarray(bare, np.int32)
    influences, off, unweighted = _weights(mesh)
    return MeshFigures(
        name=readable(mesh.name),
        triangles=mesh.triangle_count,
        faces=mesh.face_count,
        faces_over_4=0 if mesh.only_triangles else int(np.count_nonzero(mesh.corner_counts > 4)),
        vertices=len(mesh.positions),
        welded=top.welded,
        gpu_vertices=gpu_vertices(mesh, top.welded),
        loose_edges=len(mesh.lines),
        loose_points=top.loose_points,
        closed=top.closed,
        winding_consistent=top.winding_consistent,
        zero_area_faces=top.zero_area,
        not_finite=broken,
        uv_sets=len(mesh.uvs),
        slot_faces=[int(n) for n in slot_faces],
        slot_materials=list(mesh.slot_materials),
        unassigned_faces=int(sum(slot_faces[k] for k in undone)),
        influences_max=influences,
        weights_off=off,
        unweighted=unweighted,
        morphs=len(mesh.morphs),
        pieces=connected_pieces(mesh, top.ids) if alone and 0 < mesh.face_count <= PIECES_UP_TO else None,
        bounds_min=good.min(axis=0).tolist() if len(good) else None,
        bounds_max=good.max(axis=0).tolist() if len(good) else None,
        surface=shape,
        uvs=uvs,
        shape_key=_shape_key(mesh) if may_have_twin else None,
    )


def _weights(mesh: Mesh) -> tuple[int, int, int]:
    """Most non-zero weights on one vertex, vertices whose weights sum further than 1e-3 from 1, and those without any."""
    if mesh.weights is None:
        return 0, 0, 0
    weights = mesh.weights
    counts = np.diff(weights.starts)
    owner = np.repeat(np.arange(len(counts)), counts)
    sums = np.bincount(owner, weights=weights.weights.astype(np.float64), minlength=len(counts))
    heavy = np.bincount(owner, weights=np.abs(weights.weights).astype(np.float64), minlength=len(counts))
    off = int(np.count_nonzero(~(np.abs(sums - 1) <= 1e-3)))
    return int(counts.max(initial=0)), off, int(np.count_nonzero(heavy == 0))


def possible_twins(scene: Scene) -> set[int]:
    """Meshes that share their counts with another: only those can be copies of each other."""
    seen: dict[tuple[int, int, int], list[int]] = {}
    for k, mesh in enumerate(scene.meshes):
        if mesh.face_count:
            seen.setdefault((len(mesh.positions), mesh.face_count, len(mesh.corners)), []).append(k)
    return {k for group in seen.values() if len(group) > 1 for k in group}


def _shape_key(mesh: Mesh) -> str:
    """The same for meshes with the same faces over the same positions, wherever those are moved to.

    Positions are taken from the bounding box's low corner and rounded to 1e-5 of the box's diagonal, which forgives
    the rounding of a moved copy.
    """
    finite = np.nan_to_num(mesh.positions)
    low = finite.min(axis=0)
    size = float(np.linalg.norm(finite.max(axis=0) - low)) or 1.0
    snapped = np.rint((finite - low) / (size * 1e-5)).astype(np.int64)
    digest = hashlib.blake2b(digest_size=16)
    for array in (snapped, mesh.corners, mesh.starts):
        digest.update(np.ascontiguousarray(array).tobytes())
    digest.update(np.float64(f"{size:.5g}").tobytes())
    return digest.hexdigest()

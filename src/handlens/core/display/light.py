"""Fewer triangles for drawing alone: a light index for motion, and reduced copies of very large models.

Vertices are gathered in the cells of an even grid, each cell standing in for all of its vertices; triangles whose corners
fall into fewer than three cells vanish. Source: Rossignac and Borrel, "Multi-resolution 3D approximations for rendering
complex scenes", 1993. The grid's step is the error's bound and is told in the header.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ..geometry.distinct import distinct_rows
from ..geometry.recut import only_used_values, only_vertices, recut, used_vertices
from ..geometry.sums import sums_by
from ..geometry.triangles import fan
from ..machine.sections import Opened, Sections
from ..scene import Mesh, Scene
from ..scene.model import frozen
from ..words.arrays import F64, I32, I64, Array
from ..words.json_tree import Json

#: Triangles of one mesh from which on it carries a light index, and how many that index aims at.
LIGHT_OVER, LIGHT_AIM = 60_000, 30_000
#: Triangles of a whole model from which on a reduced copy is drawn in the full one's place, and what that aims at.
REDUCED_OVER, REDUCED_AIM = 1_200_000, 600_000
#: Triangles of all meshes from which on the first picture is a coarse one, and what that aims at.
COARSE_OVER, COARSE_AIM = 150_000, 20_000
_TRIES = 5


class Clusters:
    """Vertices gathered in grid cells. cell: (V,) int32 number of each vertex's cell; step: edge of a cell."""

    def __init__(self, positions: F64, cells: int) -> None:
        low, high = positions.min(axis=0), positions.max(axis=0)
        self.step = float((high - low).max()) / cells or 1.0
        at = np.floor((positions - low) / self.step).astype(np.int64)
        self.cell, self.count = distinct_rows([(at[:, 0] << 42) | (at[:, 1] << 21) | at[:, 2]])
        sums: Array = sums_by(self.cell, positions, self.count)
        mean = sums / np.bincount(self.cell, minlength=self.count)[:, None]
        off = ((positions - mean[self.cell]) ** 2).sum(axis=1)
        #: (count,) the vertex of each cell that lies nearest to the middle of its vertices.
        self.chosen = _first_of_each(self.cell, off, self.count)

    def surviving_triangles(self, index: Array) -> I64:
        """Which triangles of an index (T, 3) still have three corners, each only once: (K,) positions, in order.

        index: (T, 3) int.
        """
        cells = self.cell[index]
        alive = np.flatnonzero((cells[:, 0] != cells[:, 1]) & (cells[:, 1] != cells[:, 2]) & (cells[:, 0] != cells[:, 2]))
        if not len(alive):
            return alive
        ids, count = distinct_rows([np.sort(cells[alive], axis=1)])
        first = np.full(count, len(alive), np.int64)
        np.minimum.at(first, ids, np.arange(len(alive)))
        return alive[np.sort(first)]


def _first_of_each(group: I32, order_by: Array, count: int) -> I64:
    """(count,) the row of each group that is first by `order_by` (n,), of equal ones the first as they stand."""
    order_by = np.where(np.isnan(order_by), np.inf, order_by)
    least = np.full(count, np.inf)
    np.minimum.at(least, group, order_by)
    rows = np.flatnonzero(order_by == least[group])
    out = np.empty(count, np.int64)
    out[group[rows[::-1]]] = rows[::-1]
    return out


def clusters_for(positions: F64, index: I64, aim: int) -> tuple[Clusters, Array]:
    """Clusters that leave about `aim` triangles of an index (T, 3), at most 1.25 times as many, and which those are.

    positions: (V, 3) float.
    index: (T, 3) int.
    """
    cells = max(4.0, float(np.sqrt(aim / 6)))
    best = None
    for _ in range(_TRIES):
        clusters = Clusters(positions, int(cells))
        kept = clusters.surviving_triangles(index)
        if best is None or len(kept) <= 1.25 * aim:
            best = (clusters, kept)
        if 0.8 * aim <= len(kept) <= 1.25 * aim:
            break
        cells = min(max(2.0, cells * float(np.sqrt(aim / max(len(kept), 1)))), 2.0**20)
    assert best is not None
    return best


def coarse(scene: Scene) -> Scene:
    """A scene to be drawn at once, before anything of it was measured: each mesh in proportion, about `COARSE_AIM` triangles in all.

    Its faces and vertices are no stored ones: nothing is to be marked on it.
    """
    total = sum(mesh.triangle_count for mesh in scene.meshes)
    if total <= COARSE_OVER:
        return scene
    share = COARSE_AIM / total
    return scene.with_(meshes=tuple(_coarse(mesh, max(500, int(mesh.triangle_count * share))) for mesh in scene.meshes))


def _coarse(mesh: Mesh, aim: int) -> Mesh:
    if mesh.triangle_count <= aim or not np.isfinite(mesh.positions).all():
        return mesh
    corners, face = fan(mesh)
    clusters = Clusters(mesh.positions, max(4, int(np.sqrt(aim / 6))))
    kept = clusters.surviving_triangles(mesh.corners[corners])
    cut = recut(mesh, corners[kept].reshape(-1), np.arange(len(kept) + 1) * 3, face[kept])
    moved = replace(cut, corners=frozen(clusters.chosen[clusters.cell[cut.corners]].astype(np.int32)))
    return only_used_values(only_vertices(moved, used_vertices(moved)))


def light_index(positions: F64, index: I64, groups: list[Json]) -> tuple[Array, list[Json]]:
    """A reduced index (T', 3) over the same vertices, and its groups, for drawing while something moves.

    positions: (V, 3) float.
    index: (T, 3) int.
    """
    clusters, kept = clusters_for(positions, index, LIGHT_AIM)
    return clusters.chosen[clusters.cell[index[kept]]], regrouped(groups, kept)


def regrouped(groups: list[Json], triangles: I64) -> list[Json]:
    """Groups (start and count in corners) of the triangles that are left.

    triangles: (K,) int, positions of those that are left.
    """
    out = []
    for group in groups:
        first, last = np.searchsorted(triangles, [group["start"] // 3, (group["start"] + group["count"]) // 3])
        out.append({**group, "start": int(first) * 3, "count": int(last - first) * 3})
    return out


def reduced_copy(full: bytes) -> bytes | None:
    """A smaller display copy of a full one, None where the full one is small enough to be drawn.

    Each mesh is reduced in proportion. What is left keeps its own normals and UVs and says which stored polygon and vertex
    it is of; `reduced` in a mesh's header holds the triangles before and the grid's step.
    """
    opened = Opened(full)
    total = sum(m["triangles"] for m in opened.header["meshes"])
    if total <= REDUCED_OVER:
        return None
    out = Sections()
    header = {**opened.header, "reduced": True}
    share = REDUCED_AIM / total
    header["meshes"] = [_reduced_mesh(opened, m, max(2_000, int(m["triangles"] * share)), out) for m in opened.header["meshes"]]
    header["rig"] = None
    header["images"] = [i and {**i, "at": out.add(opened.bytes(i["at"], i["bytes"]))} for i in opened.header["images"]]
    return out.file(header)


#: UV sets of a mesh that are drawn, at most.
MOST_SETS = 8
#: Per-vertex sections: numbers a vertex and their type.
VERTEX_SECTIONS: dict[str, tuple[int, type]] = {
    "positions": (3, np.float32),
    "normals": (4, np.int8),
    **{f"uv{k}": (2, np.float32) for k in range(MOST_SETS)},
    "colour": (4, np.uint8),
    "vertex": (1, np.uint32),
    "weight": (1, np.float32),
}


def _reduced_mesh(opened: Opened, mesh: dict[str, Any], aim: int, out: Sections) -> dict[str, Any]:
    values = {k: opened.array(mesh[k], kind).reshape(-1, n) for k, (n, kind) in VERTEX_SECTIONS.items() if k in mesh}
    index = opened.array(mesh["index"], np.uint32).reshape(-1, 3).astype(np.int64)
    entry = {
        k: v
        for k, v in mesh.items()
        if k not in ("light", *VERTEX_SECTIONS, "lines", "index", "faces", "joints", "bound", "morphs")
    }
    lines = opened.array(mesh["lines"], np.uint32).astype(np.int64) if "lines" in mesh else np.zeros(0, np.int64)
    faces, groups, places = opened.array(mesh["faces"], np.uint32), mesh["groups"], values["positions"]
    if len(index) > aim:
        clusters, kept = clusters_for(places.astype(np.float64), index, aim)
        # Positions are one a cell, so that no crack opens; normals and UVs are one a cell and chart, so that none smear.
        places = places[clusters.chosen[clusters.cell]]
        charts = [clusters.cell, (values["normals"][:, :3] < 0).astype(np.uint8)]
        charts += [np.floor(values[k] * 8) for k in values if k.startswith("uv")]
        chart, count = distinct_rows(charts)
        stands = _first_of_each(chart, np.arange(len(chart)), count)
        index, faces, groups = stands[chart[index[kept]]], faces[kept], regrouped(groups, kept)
        entry["reduced"] = {"from": mesh["triangles"], "step": clusters.step}
        entry["triangles"] = len(index)
    used, number = np.unique(np.concatenate([index.reshape(-1), lines]), return_inverse=True)
    for k, (_, kind) in VERTEX_SECTIONS.items():
        if k in values:
            entry[k] = out.array((places if k == "positions" else values[k])[used], kind)
    if "joints" in mesh:
        entry["joints"] = _joints_of(opened, mesh["joints"], used, out)
    entry["index"] = out.array(number[: index.size], np.uint32)
    entry["faces"] = out.array(faces, np.uint32)
    entry["groups"] = groups
    if len(lines):
        entry["lines"] = out.array(number[index.size :], np.uint32)
    return entry


def _joints_of(opened: Opened, joints: dict[str, Any], used: Array, out: Sections) -> dict[str, Any]:
    starts = opened.array(joints["starts"], np.uint32).astype(np.int64)
    counts = np.diff(starts)[used]
    ends = np.cumsum(counts)
    entry = np.repeat(starts[used] - (ends - counts), counts) + np.arange(int(counts.sum()))
    return {
        **joints,
        "starts": out.array(np.concatenate([[0], ends]), np.uint32),
        "joint": out.array(opened.array(joints["joint"], np.uint16)[entry], np.uint16),
        "weight": out.array(opened.array(joints["weight"], np.uint16)[entry], np.uint16),
    }

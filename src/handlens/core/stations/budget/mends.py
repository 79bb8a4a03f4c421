"""Budget: fewer triangles for nothing, subdivision taken back, and the order in which a card meets vertices."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...geometry.recut import only_vertices, recut, used_vertices
from ...geometry.split import split_vertices
from ...kit.choice import PARTS, chosen_meshes, chosen_nodes
from ...kit.clearing import cleared, without_unseen
from ...limits import MendError, plural
from ...machine.meshopt import cache_figures, cache_order, library, overfetch
from ...reduction.flat import merged_flat
from ...reduction.price import distances, surface_of
from ...reduction.subdivision import coarser
from ...scene import Mesh, Scene
from ...scene.model import Weights, frozen
from ...scene.placed import mesh_units
from ...words.arrays import I64, Array
from ...words.figures import about, plain
from .messages import say

#: Most steps of subdivision that are taken back at once; each leaves a quarter.
_STEPS = 12


def triangle_count(scene: Scene) -> int:
    """Triangles of all meshes, each counted once."""
    return sum(mesh.triangle_count for mesh in scene.meshes)


@mend(
    "budget.merge-flat",
    title="Merge coplanar faces",
    keeps="every point of the surface, outlines, seams of UVs, slots, hard edges, weights and names",
    costs="nothing that is drawn",
    safe=True,
    parameters=[PARTS],
    after=("surface.clean", "surface.weld", "budget.take-back"),
)
def merge_flat(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Merge neighbouring faces that lie in one plane and carry UVs, normals and colours on as one, and cut the outline into as few
    triangles as it needs: no point of the surface moves.
    """
    meshes, freed = list(scene.meshes), 0
    for k in chosen_meshes(scene, parts):
        made = merged_flat(meshes[k])
        meshes[k], freed = made.mesh, freed + made.freed
    if not freed:
        raise MendError(say("budget.merge-flat.none"))
    after = scene.with_(meshes=tuple(meshes))
    return Outcome(after, (_triangles(scene, after), Figure("greatest distance from the surface before", "0", "0")))


def _triangles(before: Scene, after: Scene) -> Figure:
    return Figure("triangles", f"{triangle_count(before):,}", f"{triangle_count(after):,}")


@mend(
    "budget.free",
    title="Remove redundant triangles",
    keeps="every point of the surface that can be seen, outlines, seams of UVs, slots, hard edges, weights and names",
    costs="nothing that is drawn; the inside, where it is wanted",
    safe=False,
    parameters=[
        Parameter("hidden", "flag", "whether what nobody can see from outside goes too", default=False),
        PARTS,
    ],
    after=("surface.weld", "budget.take-back"),
)
def free(scene: Scene, hidden: bool = False, parts: Sequence[str] = ()) -> Outcome:
    """Take out faces without area, faces that are there twice and, where wanted, what nobody can see, then merge what lies flat: the
    first step of reducing, which changes no pixel.
    """
    counts = {"degenerate": 0, "duplicate": 0, "coplanar": 0, "never seen": 0}
    meshes, remarks = list(scene.meshes), tuple[str, ...]()
    for k in chosen_meshes(scene, parts):
        mesh, done = meshes[k], cleared(meshes[k])
        made = only_vertices(done.mesh, used_vertices(done.mesh) | ~used_vertices(mesh)) if done.mesh is not mesh else mesh
        merged = merged_flat(made)
        meshes[k] = merged.mesh
        for what, n in (("degenerate", done.flat), ("duplicate", done.twice), ("coplanar", merged.freed)):
            counts[what] += n
    after = scene.with_(meshes=tuple(meshes))
    if hidden:
        try:
            after, counts["never seen"] = without_unseen(after, chosen_nodes(after, parts))
        except MendError as error:
            remarks = (str(error),)
    if not any(counts.values()):
        raise MendError(" ".join(["No triangle is redundant.", *remarks]))
    figures = (_triangles(scene, after), *(Figure(what, f"{n:,}", "0") for what, n in counts.items() if n))
    return Outcome(after, figures, remarks)


@mend(
    "budget.take-back",
    title="Undo subdivision",
    keeps="the points that were there before, with UVs, normals, colours, weights and slots",
    costs="the points that subdividing made",
    safe=False,
    parameters=[
        Parameter("steps", "number", "how many steps, each of which leaves a quarter of the faces", default=1, zero=False),
        PARTS,
    ],
    after=("surface.weld",),
)
def take_back(scene: Scene, steps: float = 1, parts: Sequence[str] = ()) -> Outcome:
    """Take regular subdivision back, step by step: four triangles, or the quads about a point, become the face that they were cut
    from. What it costs is measured on the result.
    """
    wanted = min(int(abs(steps)) or 1, _STEPS)
    meshes, units, most, worst = list(scene.meshes), mesh_units(scene), 0, 0.0
    for k in chosen_meshes(scene, parts):
        mesh, done = meshes[k], 0
        while done < wanted and (made := coarser(mesh)) is not None:
            mesh, done = made.mesh, done + 1
        if done:
            worst = max(worst, distances(surface_of(meshes[k]), surface_of(mesh))[0] * units[k])
            meshes[k], most = mesh, max(most, done)
    if not most:
        raise MendError(say("budget.take-back.none"))
    after = scene.with_(meshes=tuple(meshes))
    figures = (
        _triangles(scene, after),
        Figure("greatest distance from the surface before", "0", about(worst) if worst > 1e-9 else "0"),
    )
    short = (f"Only {plural(most, 'step')} of subdivision could be found.",) if most < wanted else ()
    return Outcome(after, figures, short)


@mend(
    "budget.vertex-order",
    title="Order triangles for the vertex cache",
    menu=("station", "Order triangles for the vertex cache …"),
    keeps="every face, point, UV, normal, colour, weight, slot and name",
    costs="the order of faces and points",
    safe=True,
    parameters=[PARTS],
)
def vertex_order(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Put triangles, and points behind them, in an order in which a graphics card meets a vertex again while it still has it."""
    if library() is None:
        raise MendError(say("budget.vertex-order.no-library"))
    meshes = list(scene.meshes)
    was, now, share = [0.0, 0.0], [0.0, 0.0], 0
    for k in chosen_meshes(scene, parts):
        mesh = meshes[k]
        if not mesh.face_count or not mesh.only_triangles:
            continue
        index, count = _vertices(mesh)
        order = _order(mesh, index, count)
        made = _renumbered(recut(mesh, order.reshape(-1), mesh.starts, order[:, 0] // 3))
        after, _ = _vertices(made)
        before = cache_figures(index, count).acmr
        if cache_figures(after, count).acmr >= before * 0.995:
            continue
        for told, ids in ((was, index), (now, after)):
            told[0] += cache_figures(ids, count).acmr * len(ids)
            told[1] += overfetch(ids, count, _BYTES) * len(ids)
        meshes[k], share = made, share + len(index)
    if not share:
        polygons = any(not mesh.only_triangles for mesh in scene.meshes)
        raise MendError(say("budget.vertex-order.polygons") if polygons else say("budget.vertex-order.already"))
    return Outcome(
        scene.with_(meshes=tuple(meshes)),
        (
            Figure("vertices worked out for each triangle", plain(was[0] / share), plain(now[0] / share)),
            Figure("bytes fetched for each byte of vertices", plain(was[1] / share), plain(now[1] / share)),
        ),
    )


#: Bytes of a vertex whose fetching is told: position, normal and one UV set as 32-bit floats.
_BYTES = 32


def _vertices(mesh: Mesh) -> tuple[Array, int]:
    """(T, 3) vertices as a card gets them, and how many there are."""
    layers = [*([mesh.normals] if mesh.normals else []), *mesh.uvs, *mesh.colours]
    first, index = split_vertices(mesh, layers)
    return index.reshape(-1, 3), len(first)


def _order(mesh: Mesh, index: I64, count: int) -> I64:
    """(T, 3) corners of the mesh in a better order of triangles; slots stay together, since each is drawn by itself."""
    corner = np.arange(len(mesh.corners)).reshape(-1, 3)
    out = []
    for slot in np.unique(mesh.slots) if len(mesh.slots) else [None]:
        mine = np.arange(len(index)) if slot is None else np.flatnonzero(mesh.slots == slot)
        better = cache_order(index[mine], count)
        out.append(corner[mine][_which(index[mine], better)])
    return np.concatenate(out)


def _which(before: I64, after: I64) -> I64:
    """(n,) for each triangle of `after` the one of `before` that it is, each taken once; rows begin at the same corner or at another."""
    key = lambda t: np.sort(t, axis=1)
    one, other = key(before), key(after)
    a, b = np.lexsort(one.T[::-1]), np.lexsort(other.T[::-1])
    out = np.empty(len(before), np.int64)
    out[b] = a
    return out


def _renumbered(mesh: Mesh) -> Mesh:
    """The mesh with points in the order in which faces first use them; those that no face uses come last, in theirs."""
    count = len(mesh.positions)
    first = np.full(count, len(mesh.corners), np.int64)
    np.minimum.at(first, mesh.corners, np.arange(len(mesh.corners)))
    order = np.argsort(first, kind="stable")
    number = np.empty(count, np.int32)
    number[order] = np.arange(count, dtype=np.int32)
    weights = mesh.weights
    if weights is not None:
        counts = np.diff(weights.starts)[order]
        starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        entry = np.repeat(weights.starts[:-1][order] - starts[:-1], counts) + np.arange(int(counts.sum()))
        weights = Weights(frozen(starts), frozen(weights.joints[entry]), frozen(weights.weights[entry]))
    return replace(
        mesh,
        positions=frozen(mesh.positions[order]),
        corners=frozen(number[mesh.corners]),
        lines=frozen(number[mesh.lines]),
        points=frozen(number[mesh.points]),
        weights=weights,
        morphs=tuple(replace(morph, positions=frozen(morph.positions[order])) for morph in mesh.morphs),
    )

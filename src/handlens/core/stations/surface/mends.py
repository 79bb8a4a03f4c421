"""Surface: cut, weld, clean, fill, split and join."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...edit.splitting import pieces, split_parts, without_unplaced
from ...edit.without import without_emptied
from ...geometry.filling import filled
from ...geometry.joining import joined
from ...geometry.recut import only_vertices, recut, used_vertices
from ...geometry.triangles import triangulate
from ...geometry.welding import welded
from ...kit.choice import PARTS, chosen_meshes, chosen_nodes
from ...kit.clearing import cleared, without_unseen
from ...limits import MendError, plural
from ...scene import Mesh, Scene
from ...scene.model import frozen
from ...scene.placed import mesh_units
from ...scene.transforms import world_matrices
from ...words.arrays import Array, Bool
from .messages import say

_LAYERS = "UVs, normals, colours, weights and slots at every corner"


def _each(scene: Scene, parts: Sequence[str], change: Callable[[Mesh], Mesh]) -> Scene:
    chosen = set(chosen_meshes(scene, parts))
    return scene.with_(meshes=tuple(change(mesh) if k in chosen else mesh for k, mesh in enumerate(scene.meshes)))


def _count(scene: Scene, what: Callable[[Mesh], int]) -> int:
    return sum(what(mesh) for mesh in scene.meshes)


@mend(
    "surface.triangulate",
    title="Triangulate",
    keeps=_LAYERS,
    costs="the polygons as they were drawn",
    safe=False,
    parameters=[PARTS],
)
def cut(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Cut polygons into triangles, concave ones by clipping ears in their own plane, so that every destination gets the same cut."""

    def change(mesh: Mesh) -> Mesh:
        if mesh.only_triangles:
            return mesh
        corners, face = triangulate(mesh)
        return recut(mesh, corners.reshape(-1), np.arange(len(corners) + 1) * 3, face)

    after = _each(scene, parts, change)
    larger = lambda m: int((m.corner_counts > 3).sum())
    if not (before := _count(scene, larger)) - _count(after, larger):
        raise MendError(say("surface.triangulate.already"))
    faces = lambda s: f"{_count(s, lambda m: m.face_count):,}"
    return Outcome(
        after,
        (
            Figure("polygons of more than three corners", f"{before:,}", f"{_count(after, larger):,}"),
            Figure("faces", faces(scene), faces(after)),
        ),
    )


@mend(
    "surface.weld",
    title="Weld close points",
    keeps=f"{_LAYERS}, seams of UVs included",
    costs="points move by up to the distance, none by more",
    safe=False,
    parameters=[
        Parameter("distance_mm", "number", "points closer than this become one, in millimetres", zero=False),
        Parameter("collapse", "flag", "whether the ends of one edge are joined too, so that small faces go", default=False),
        PARTS,
    ],
)
def weld(scene: Scene, distance_mm: float, collapse: bool = False, parts: Sequence[str] = ()) -> Outcome:
    """Make points that lie closer together than a distance into one, the first of them, nearest pairs first.

    Points of one face stay apart, so that no face goes that has an area, unless `collapse` says so. Only positions are joined. What differs across a seam, UVs, normals and colours, still does.
    """
    scale = mesh_units(scene)
    chosen = set(chosen_meshes(scene, parts))
    meshes = tuple(
        welded(mesh, abs(distance_mm) / 1000 / scale[k], collapse) if k in chosen and len(mesh.positions) else mesh
        for k, mesh in enumerate(scene.meshes)
    )
    after = scene.with_(meshes=meshes)
    points = lambda s: _count(s, lambda m: len(m.positions))
    if points(scene) == points(after):
        raise MendError(say("surface.weld.none", distance=abs(distance_mm) / 1000))
    gone = _count(scene, lambda m: m.face_count) - _count(after, lambda m: m.face_count)
    figures = [Figure("points", f"{points(scene):,}", f"{points(after):,}")]
    if gone:
        figures.append(Figure("faces that collapsed", "0", f"{gone:,}"))
    return Outcome(after, tuple(figures))


@mend(
    "surface.clean",
    title="Remove degenerate geometry",
    keeps=_LAYERS,
    costs="nothing that is drawn",
    safe=True,
    parameters=[PARTS],
    after=("surface.weld",),
)
def clean(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Remove faces without area, faces that are there twice, loose points, and points that nothing uses. Lines stay."""
    figures = {"degenerate faces": 0, "duplicate faces": 0, "loose points": 0}

    def change(mesh: Mesh) -> Mesh:
        done = cleared(mesh)
        figures["degenerate faces"] += done.flat
        figures["duplicate faces"] += done.twice
        made = replace(done.mesh, points=frozen(np.zeros(0, np.int32))) if len(done.mesh.points) else done.mesh
        used = used_vertices(made)
        figures["loose points"] += len(mesh.points) + int((~used & ~_of_dropped(mesh, done.kept)).sum())
        return only_vertices(made, used) if not used.all() else made

    after = _each(scene, parts, change)
    if not any(figures.values()):
        raise MendError(say("surface.clean.nothing"))
    return Outcome(after, tuple(Figure(what, f"{n:,}", "0") for what, n in figures.items() if n))


def _of_dropped(mesh: Mesh, keep: Bool) -> Bool:
    """(V,) bool: vertices of faces that are dropped, or of point elements, which are counted as such."""
    out = np.zeros(len(mesh.positions), bool)
    out[mesh.corners[np.repeat(~keep, mesh.corner_counts)]] = True
    out[mesh.points] = True
    return out


@mend(
    "surface.fill",
    title="Fill openings",
    keeps="every face that is there",
    costs="new faces that take slot and UVs from the rim",
    safe=False,
    parameters=[
        Parameter("across_mm", "number", "openings up to this size across, in millimetres", default=1e9, zero=False),
        PARTS,
    ],
    after=("surface.weld",),
)
def fill(scene: Scene, across_mm: float, parts: Sequence[str] = ()) -> Outcome:
    """Close openings whose rim is one simple loop with flat triangles; rims that branch stay open, and so do the outlines of
    flat sheets, which would only get a second skin.
    """
    scale = mesh_units(scene)
    chosen = set(chosen_meshes(scene, parts))
    meshes, closed, left = list(scene.meshes), 0, 0
    for k in chosen:
        meshes[k], done, skipped = filled(scene.meshes[k], abs(across_mm) / 1000 / scale[k])
        closed, left = closed + done, left + skipped
    if not closed:
        raise MendError(say("surface.fill.no-simple-rim") if left else say("surface.fill.none"))
    remarks = (f"{plural(left, 'rim branches and was', 'rims branch and were')} left open.",) if left else ()
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("openings filled", "0", f"{closed:,}"),), remarks)


@mend(
    "surface.remove-unseen",
    title="Remove what nobody sees",
    keeps="everything that can be seen from outside",
    costs="the inside",
    safe=False,
    parameters=[PARTS],
)
def remove_unseen(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Remove patches from which no ray gets out of the model, where no part that shows the same mesh has them in sight."""
    after, gone = without_unseen(scene, chosen_nodes(scene, parts))
    if not gone:
        raise MendError(say("surface.remove-unseen.none"))
    return Outcome(after, (Figure("triangles that nobody sees", f"{gone:,}", "0"),))


@mend(
    "surface.split",
    title="Split into parts",
    keeps=_LAYERS,
    costs="a part, and so a draw call, for each piece",
    safe=False,
    parameters=[Parameter("by", "choice", "what becomes a part of its own", ("piece", "slot", "group"), "piece"), PARTS],
)
def split(scene: Scene, by: str, parts: Sequence[str] = ()) -> Outcome:
    """Make each connected piece, or the faces of each slot or named group, a part of its own below the part that it came from."""
    chosen = [i for i in sorted(chosen_nodes(scene, parts)) if scene.nodes[i].mesh is not None]
    mesh_of = lambda i: scene.meshes[scene.nodes[i].mesh or 0]
    labels: dict[str, Callable[[int], Array | None]] = {
        "slot": lambda i: mesh_of(i).slots,
        "piece": lambda i: pieces(mesh_of(i)),
        "group": lambda i: mesh_of(i).groups,
    }
    names: dict[str, Callable[[Mesh, int, int], str]] = {
        "slot": lambda mesh, slot, _: _slot_name(scene, mesh, slot),
        "group": lambda mesh, group, _: mesh.group_names[group] or "rest",
    }
    after, done = split_parts(scene, chosen, labels[by], names.get(by))
    if not done:
        one = "None of these parts has two groups of faces." if by == "group" else f"These parts are one {by} each."
        raise MendError(one if chosen else say("surface.split.no-parts"))
    count = lambda s: f"{sum(n.mesh is not None for n in s.nodes):,}"
    return Outcome(after, (Figure("parts", count(scene), count(after)),))


def _slot_name(scene: Scene, mesh: Mesh, slot: int) -> str:
    material = mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1
    return (scene.materials[material].name if material >= 0 else "") or f"slot{slot}"


@mend(
    "surface.join",
    title="Join parts",
    keeps=f"{_LAYERS}, and every world position",
    costs="the parts can no longer be moved, hidden or replaced one by one",
    safe=False,
    parameters=[PARTS],
)
def join(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Make one part of several, in the place of the first; skinned, morphed and animated parts stay apart."""
    chosen = chosen_nodes(scene, parts)
    driven = {channel.node for clip in scene.clips for channel in clip.channels}
    free = [
        i
        for i, n in enumerate(scene.nodes)
        if i in chosen and n.mesh is not None and n.skin is None and i not in driven and not scene.meshes[n.mesh].morphs
    ]
    if len(free) < 2:
        raise MendError(say("surface.join.too-few"))
    # Properties of a node that its mesh went from are kept where they are.
    emptied = [i for i in free[1:] if not scene.nodes[i].extras]
    after = without_emptied(without_unplaced(scene, _joined_on_first(scene, free)), emptied)
    left = len([i for i in chosen if scene.nodes[i].mesh is not None]) - len(free)
    remarks = (say("surface.join.left", parts=left),) if left else ()
    count = lambda s: f"{sum(n.mesh is not None for n in s.nodes):,}"
    return Outcome(after, (Figure("parts", count(scene), count(after)),), remarks)


def _joined_on_first(scene: Scene, nodes: list[int]) -> Scene:
    """The scene with the meshes of nodes joined on the first of them; the others keep their children and lose their mesh."""
    world = world_matrices(scene)
    home = np.linalg.pinv(world[nodes[0]])
    pieces = [(scene.meshes[number], home @ world[i]) for i in nodes if (number := scene.nodes[i].mesh) is not None]
    held = dict.fromkeys(nodes[1:]) | {nodes[0]: len(scene.meshes)}
    changed = tuple(replace(n, mesh=held[i]) if i in held else n for i, n in enumerate(scene.nodes))
    return scene.with_(nodes=changed, meshes=(*scene.meshes, joined(pieces)))

"""Surface: take crowded edges and pinched points apart, and take needles out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...geometry.finite import finite_points
from ...geometry.needles import without_needles
from ...geometry.patches import patches
from ...geometry.polygons import needles
from ...geometry.topology import surface
from ...geometry.untangling import untangled
from ...kit.choice import PARTS, chosen_meshes
from ...limits import MendError
from ...measures.precision import float32_spacing
from ...measures.surface_figures import surface_figures
from ...scene import Mesh, Scene
from ...scene.placed import mesh_units
from .messages import say


@mend(
    "surface.take-apart",
    title="Split non-manifold edges and points",
    keeps="every face with its UVs, normals, colours, weights and slot",
    costs="points of their own for what only touched, moved by the gap",
    safe=False,
    parameters=[Parameter("gap_mm", "number", "how far apart they come to lie, in millimetres", default=0.01, zero=False), PARTS],
)
def take_apart(scene: Scene, gap_mm: float, parts: Sequence[str] = ()) -> Outcome:
    """Give each fan of faces points of its own where more than two faces share an edge, and where fans only touch in a point.

    The fans come to lie a gap apart, since points in one place would be joined again on the way. Surfaces that meet along an
    edge by design, like leaves on a stalk, are taken apart as well.
    """
    units, meshes = mesh_units(scene), list(scene.meshes)
    before, after = np.zeros(2, int), np.zeros(2, int)
    for k in chosen_meshes(scene, parts):
        mesh = meshes[k]
        found = _tangles(mesh)
        before += found
        if found.any():
            top = surface(mesh, corners=True)
            # Under a few steps of a 32-bit float the points would fall together in the exported file.
            least = 4 * float32_spacing(float(np.abs(finite_points(mesh.positions)).max(initial=0.0)))
            meshes[k] = untangled(mesh, top.ids, top.edges, max(abs(gap_mm) / 1000 / units[k], least))
            found = _tangles(meshes[k])
        after += found
    if not before.any():
        raise MendError(say("surface.take-apart.none"))
    if (after >= before).all():
        raise MendError(say("surface.take-apart.one-sheet"))
    remarks = (say("surface.take-apart.left"),) if after.any() else ()
    words = ("edges with more than two faces", "points where surfaces only touch")
    return Outcome(
        scene.with_(meshes=tuple(meshes)),
        tuple(
            Figure(word, f"{b:,}", f"{a:,}") for word, b, a in zip(words, before.tolist(), after.tolist(), strict=True) if b or a
        ),
        remarks,
    )


def _tangles(mesh: Mesh) -> np.ndarray:
    """(2,) crowded edges and pinched points of a mesh."""
    if not mesh.face_count:
        return np.zeros(2, int)
    top = surface(mesh, corners=True)
    figures = surface_figures(mesh, top, patches(mesh, top.edges), {})[0]
    return np.array([figures.crowded, figures.pinched])


@mend(
    "surface.needles",
    title="Remove needle triangles",
    keeps="the shape, and every seam of UVs, normals, colours and slots",
    costs="nothing moves by more than a 250th of a needle's length",
    safe=False,
    parameters=[PARTS],
)
def take_needles_out(scene: Scene, parts: Sequence[str] = ()) -> Outcome:
    """Swap the longest side of needle triangles with their neighbour's, or close their shortest where it is next to nothing."""
    meshes = list(scene.meshes)
    before = after = polygons = 0
    for k in chosen_meshes(scene, parts):
        found, odd = _needles(meshes[k])
        before += found
        polygons += odd
        if found:
            made = without_needles(replace(meshes[k]))
            found = _needles(made)[0]
            meshes[k] = made
        after += found
    if not before:
        raise MendError(say("surface.needles.none"))
    if after >= before:
        words = "they are part of polygons: cut into triangles first" if polygons else "each lies on a seam or a rim"
        raise MendError(say("surface.needles.kept", needles=before, reasons=words))
    figures = [Figure("needle triangles", f"{before:,}", f"{after:,}")]
    faces = [sum(m.face_count for m in some) for some in (scene.meshes, meshes)]
    if faces[0] != faces[1]:
        figures.append(Figure("faces", f"{faces[0]:,}", f"{faces[1]:,}"))
    remarks = (say("surface.needles.left", needles=after),) if after else ()
    return Outcome(scene.with_(meshes=tuple(meshes)), tuple(figures), remarks)


def _needles(mesh: Mesh) -> tuple[int, int]:
    """Needles of a mesh, and how many of them are polygons of more than three corners."""
    if not mesh.face_count:
        return 0, 0
    found = needles(mesh, surface(mesh))
    return len(found), int((mesh.corner_counts[found] > 3).sum())

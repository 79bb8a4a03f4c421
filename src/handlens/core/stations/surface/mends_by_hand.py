"""Surface: what is done to faces and points that somebody pointed at."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...edit.splitting import split_off
from ...geometry.face_edits import CannotEdit, cut_polygon, joined_points, merged_faces, raised
from ...geometry.recut import only_faces, only_used_values, only_vertices, used_vertices
from ...kit.choice import FACES, PARTS, also_shown, chosen_faces, chosen_nodes
from ...limits import MendError
from ...scene import Mesh, Scene
from ...scene.model import frozen
from ...scene.placed import mesh_units
from .messages import say

_LAYERS = "UVs, normals, colours, weights and slots at every corner"


def _part_of(scene: Scene, number: int) -> str:
    """The name of the first part that shows a mesh."""
    return next((scene.part_name(i) for i, n in enumerate(scene.nodes) if n.mesh == number), scene.meshes[number].name)


def _faces(scene: Scene) -> str:
    return f"{sum(mesh.face_count for mesh in scene.meshes):,}"


@mend(
    "surface.remove-faces",
    title="Remove faces",
    menu=("faces", "remove"),
    keeps=f"every other face, with {_LAYERS}",
    costs="the faces, and an opening where they were",
    safe=False,
    parameters=[FACES, PARTS],
)
def remove_faces(scene: Scene, faces: str, parts: Sequence[str] = ()) -> Outcome:
    """Take out faces that are named, and the vertices that only they used."""
    chosen = chosen_faces(scene, faces, parts)
    meshes = list(scene.meshes)
    for k, mask in chosen.items():
        if mask.all():
            raise MendError(say("surface.by-hand.all", part=_part_of(scene, k)))
        mesh = only_faces(meshes[k], ~mask)
        meshes[k] = only_used_values(only_vertices(mesh, used_vertices(mesh) | ~used_vertices(meshes[k])))
    after = scene.with_(meshes=tuple(meshes))
    return Outcome(after, (Figure("faces", _faces(scene), _faces(after)),), also_shown(scene, chosen, parts))


@mend(
    "surface.split-off",
    title="Split off as a part",
    menu=("faces", "split off"),
    keeps=f"{_LAYERS}, where everything stands, and the names of the parts that are there",
    costs="a part, and so a draw call, more",
    promise=PLACES,
    safe=False,
    parameters=[
        FACES,
        Parameter("name", "text", "name of the new part; the old one's with _split behind where empty", default=""),
        PARTS,
    ],
)
def split_off_faces(scene: Scene, faces: str, name: str = "", parts: Sequence[str] = ()) -> Outcome:
    """Make the faces that are named a part of its own, which hangs on the one that they were of."""
    chosen = chosen_faces(scene, faces, parts)
    shaped = {channel.node for clip in scene.clips for channel in clip.channels if channel.path == "weights"}
    nodes = [i for i in sorted(chosen_nodes(scene, parts)) if scene.nodes[i].mesh in chosen]
    for i in nodes:
        if i in shaped:
            raise MendError(say("surface.by-hand.morphed", part=scene.part_name(i)))
        if chosen[scene.nodes[i].mesh or 0].all():
            raise MendError(say("surface.by-hand.whole", part=scene.part_name(i)))
    after = split_off(scene, nodes, chosen, name.strip())
    count = lambda s: f"{sum(n.mesh is not None for n in s.nodes):,}"
    return Outcome(after, (Figure("parts", count(scene), count(after)),))


@mend(
    "surface.merge-faces",
    title="Merge faces into one polygon",
    menu=("faces", "merge"),
    keeps="every point of the surface, outlines, seams of UVs, slots",
    costs="the sides between the faces; a format of triangles alone cuts the polygon anew",
    safe=False,
    parameters=[FACES, PARTS],
)
def merge_faces(scene: Scene, faces: str, parts: Sequence[str] = ()) -> Outcome:
    """Make one polygon of faces that share sides and lie flat, one for each group of them that hangs together."""
    chosen = chosen_faces(scene, faces, parts)
    meshes, made, reasons = list(scene.meshes), 0, list[str]()
    for k, mask in chosen.items():
        meshes[k], count, left = merged_faces(meshes[k], mask)
        made, reasons = made + count, reasons + left
    if not made:
        raise MendError(_why(reasons[0]))
    after = scene.with_(meshes=tuple(meshes))
    remarks = also_shown(scene, chosen, parts)
    if reasons:
        remarks += (say("surface.by-hand.left", groups=len(reasons), reason=_why(reasons[0])),)
    return Outcome(after, (Figure("faces", _faces(scene), _faces(after)),), remarks)


@mend(
    "surface.cut-face",
    title="Cut a polygon in two",
    menu=("faces", "cut"),
    keeps=f"{_LAYERS}; every point of the surface",
    costs="a face more, and vertices where the cut begins or ends on a side",
    safe=False,
    parameters=[
        Parameter("face", "face", "which face, by its number"),
        Parameter(
            "begins",
            "rim",
            "where the cut begins: a vertex of the face by its number, or 4-7 for the middle of its side from 4 to 7",
        ),
        Parameter("ends", "rim", "where it ends, in the same way; 4-7:0.25 lies a quarter of the way along that side"),
        PARTS,
    ],
)
def cut_face(scene: Scene, face: float, begins: str, ends: str, parts: Sequence[str] = ()) -> Outcome:
    """Cut a polygon along a diagonal, or between two places on its sides; faces beyond a side get the same point."""
    k, remarks = _one_mesh(scene, parts)
    mesh, number = scene.meshes[k], round(face)
    if number != face or not 0 <= number < mesh.face_count:
        raise MendError(say("surface.by-hand.one-face"))
    try:
        made = cut_polygon(mesh, number, _place(mesh, number, begins), _place(mesh, number, ends))
    except CannotEdit as error:
        raise MendError(_why(str(error))) from error
    after = _with_mesh(scene, k, made)
    figures = [Figure("faces", _faces(scene), _faces(after))]
    if len(made.positions) > len(mesh.positions):
        figures.append(Figure("vertices", f"{len(mesh.positions):,}", f"{len(made.positions):,}"))
    return Outcome(after, tuple(figures), remarks)


_PLACE = re.compile(r"(\d{1,9})(?:-(\d{1,9})(?::(0?\.\d{1,6}))?)?")


def _place(mesh: Mesh, face: int, text: str) -> float:
    """A place on the rim of a face, as `cut_polygon` has it, from how a call names it. Raises CannotEdit where the face has none such."""
    met = _PLACE.fullmatch(text.replace(" ", ""))
    around = mesh.corners[mesh.starts[face] : mesh.starts[face + 1]].tolist()
    if met is None or int(met[1]) not in around:
        raise CannotEdit("no-such-corner")
    if met[2] is None:
        return float(around.index(int(met[1])))
    one, two, share = int(met[1]), int(met[2]), float(met[3] or 0.5)
    following = [*around[1:], around[0]]
    for at, (a, b) in enumerate(zip(around, following, strict=True)):
        if (a, b) == (one, two):
            return at + share
        if (a, b) == (two, one):
            return at + 1 - share
    raise CannotEdit("no-such-corner")


@mend(
    "surface.join-points",
    title="Join two vertices",
    menu=("faces", "join"),
    keeps="every other vertex where it lies; UVs, colours, weights and slots at every corner",
    costs="faces between the two; what hangs on the first is drawn to where they meet",
    safe=False,
    parameters=[
        Parameter("vertex", "vertex", "the vertex that moves, by its number"),
        Parameter("to_vertex", "vertex", "the one that it is joined to"),
        Parameter("meet", "choice", "where they meet: at the second, or halfway", ("second", "halfway"), "second"),
        PARTS,
    ],
)
def join_points(scene: Scene, vertex: float, to_vertex: float, meet: str = "second", parts: Sequence[str] = ()) -> Outcome:
    """Make two vertices one, with all that lie in their places: what was open between them closes."""
    k, remarks = _one_mesh(scene, parts)
    mesh = scene.meshes[k]
    for number in (vertex, to_vertex):
        if number != round(number) or not 0 <= number < len(mesh.positions):
            raise MendError(say("surface.by-hand.no-such-point", part=_part_of(scene, k), vertex=f"{number:g}"))
    try:
        made = joined_points(mesh, round(vertex), round(to_vertex), 1.0 if meet == "second" else 0.5)
    except CannotEdit as error:
        raise MendError(_why(str(error))) from error
    after = _with_mesh(scene, k, made)
    figures = [Figure("vertices", f"{len(mesh.positions):,}", f"{len(made.positions):,}")]
    if made.face_count != mesh.face_count:
        figures.append(Figure("faces", f"{mesh.face_count:,}", f"{made.face_count:,}"))
    return Outcome(after, tuple(figures), remarks)


@mend(
    "surface.raise",
    title="Raise or sink faces",
    menu=("faces", "raise"),
    keeps="every other face; UVs and slots, which the walls take from the rim",
    costs="walls along the rim, and a back where the faces were a sheet; tangents, where there are any",
    safe=False,
    parameters=[
        FACES,
        Parameter("height_mm", "number", "how far along their normals, in millimetres; below 0 they sink", zero=False),
        PARTS,
    ],
)
def raise_faces(scene: Scene, faces: str, height_mm: float, parts: Sequence[str] = ()) -> Outcome:
    """Move faces out of their surface and close the rim with walls; faces that end on all sides become a body."""
    units = mesh_units(scene)
    chosen = chosen_faces(scene, faces, parts)
    meshes, bent = list(scene.meshes), 0
    for k, mask in chosen.items():
        bent += meshes[k].tangents is not None
        meshes[k] = raised(meshes[k], mask, height_mm / 1000 / units[k])
    after = scene.with_(meshes=tuple(meshes))
    remarks = also_shown(scene, chosen, parts)
    if bent:
        remarks += (say("surface.by-hand.tangents", parts=bent),)
    return Outcome(after, (Figure("faces", _faces(scene), _faces(after)),), remarks)


@mend(
    "surface.name-faces",
    title="Name a set of faces",
    menu=("faces", "name"),
    keeps="everything but the names of the sets that these faces were in",
    costs="a face is in one set: it leaves the one that it was in",
    safe=False,
    parameters=[FACES, Parameter("name", "text", "name of the set"), PARTS],
    touches="neither",
)
def name_faces(scene: Scene, faces: str, name: str, parts: Sequence[str] = ()) -> Outcome:
    """Keep faces as a set with a name, which OBJ writes as a group and other formats do not hold."""
    name = name.strip()
    if not name:
        raise MendError(say("surface.by-hand.unnamed"))
    chosen = chosen_faces(scene, faces, parts)
    meshes, count = list(scene.meshes), 0
    for k, mask in chosen.items():
        meshes[k], count = _named(meshes[k], mask, name), count + int(mask.sum())
    return Outcome(
        scene.with_(meshes=tuple(meshes)), (Figure(f"faces in {name}", "0", f"{count:,}"),), also_shown(scene, chosen, parts)
    )


def _named(mesh: Mesh, mask: np.ndarray, name: str) -> Mesh:
    """The mesh with some faces in the group of a name. mask: (F,) bool."""
    names = mesh.group_names if mesh.groups is not None else ("",)
    groups = np.zeros(mesh.face_count, np.int32) if mesh.groups is None else mesh.groups.copy()
    names = names if name in names else (*names, name)
    groups[mask] = names.index(name)
    return replace(mesh, groups=frozen(groups), group_names=names)


def _why(word: str) -> str:
    """The sentence on why faces cannot be changed, by the word of a `CannotEdit`."""
    sentences = {
        "no-such-corner": say("surface.by-hand.no-such-corner"),
        "along-a-side": say("surface.by-hand.along-a-side"),
        "outside": say("surface.by-hand.outside"),
        "one-place": say("surface.by-hand.one-place"),
        "across-a-face": say("surface.by-hand.across-a-face"),
        "alone": say("surface.by-hand.alone"),
        "bent": say("surface.by-hand.bent"),
        "seam": say("surface.by-hand.seam"),
        "two-slots": say("surface.by-hand.two-slots"),
        "several-outlines": say("surface.by-hand.several-outlines"),
    }
    return str(sentences[word])


def _one_mesh(scene: Scene, parts: Sequence[str]) -> tuple[int, tuple[str, ...]]:
    """The mesh of the one part that is named, and what is to be said of others that show it. Raises MendError."""
    found = {number for i in chosen_nodes(scene, parts) if (number := scene.nodes[i].mesh) is not None}
    if len(found) != 1:
        raise MendError(say("surface.by-hand.one-part"))
    return (k := found.pop()), also_shown(scene, {k}, parts)


def _with_mesh(scene: Scene, number: int, mesh: Mesh) -> Scene:
    replaced: Callable[[int, Mesh], Mesh] = lambda k, old: mesh if k == number else old
    return scene.with_(meshes=tuple(replaced(k, old) for k, old in enumerate(scene.meshes)))

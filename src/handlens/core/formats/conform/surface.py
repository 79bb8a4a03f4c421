"""Lines, points, layers, groups: what hangs on the surface and has no place in a format, or only in part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from ...geometry.recut import only_vertices, used_vertices
from ...limits import plural
from ...scene import Layer, Mesh, Scene
from ...scene.matrices import unit_vectors
from ...scene.model import frozen
from ...scene.once import cached_per_mesh
from ...words.arrays import F64, Array, Bool
from .messages import say
from .one_set import drawn_set_first, on_another_uv_set
from .steps import ExportLoss, Step, Target

_GROUP = "Surface"
_COLOURS = ("mesh's vertex colours", "meshes' vertex colours")
_UVS = ("mesh's UVs", "meshes' UVs")


def _each(change: Callable[[Mesh], Mesh]) -> Callable[[Scene, Target], Scene]:
    return lambda scene, _: scene.with_(meshes=tuple(change(mesh) for mesh in scene.meshes))


def _counted(feature: str, what: str, count: Callable[[Mesh], int], one: str, many: str, change: Callable[[Mesh], Mesh]) -> Step:
    """A step that takes something off every mesh of a format that lacks a feature."""

    def tell(scene: Scene, target: Target) -> list[ExportLoss]:
        n = sum(count(mesh) for mesh in scene.meshes) if target.lacks(feature) else 0
        return [ExportLoss(_GROUP, what, say("loss.no-such-thing", counted=plural(n, one, many)), f"{n:,}", "0")] if n else []

    return Step(feature, tell, _each(change))


# --- UV sets ------------------------------------------------------------------------------------------


def _tell_sets(scene: Scene, target: Target) -> list[ExportLoss]:
    group = "UVs and colours"
    if target.lacks("one UV set"):
        n = sum(bool(mesh.uvs) for mesh in scene.meshes)
        return [ExportLoss(group, "UV sets", say("loss.no-such-thing", counted=plural(n, *_UVS)), f"{n:,}", "0")] if n else []
    if not target.lacks("UV sets"):
        return []
    n = sum(len(mesh.uvs) > 1 for mesh in scene.meshes)
    if not n:
        return []
    words = plural(n, "mesh's further UV sets", "meshes' further UV sets")
    said = [
        ExportLoss(
            group,
            "UV sets",
            say("loss.no-such-thing", counted=words),
            f"{max(len(mesh.uvs) for mesh in scene.meshes):,}",
            "1",
        )
    ]
    if otherwise := on_another_uv_set(scene):
        text = say("loss.other-uv-set", otherwise=otherwise)
        said.append(ExportLoss(group, "Laid on by another set", text, f"{otherwise:,}", "0"))
    return said


def _one_set(scene: Scene, target: Target) -> Scene:
    if target.lacks("one UV set"):
        return scene.with_(meshes=tuple(replace(mesh, uvs=()) for mesh in scene.meshes))
    first = drawn_set_first(scene)
    materials = tuple(
        replace(material, inputs=tuple(replace(texture, uv_set=0) for texture in material.inputs)) for material in first.materials
    )
    return first.with_(meshes=tuple(replace(mesh, uvs=mesh.uvs[:1]) for mesh in first.meshes), materials=materials)


def _named_sets(scene: Scene, target: Target) -> Scene:
    """Formats with one set name none: what says so of a set that there is not is the same as the first."""
    if "UV sets" in target.format.holds:
        return scene
    if not any(texture.uv_set for material in scene.materials for texture in material.inputs):
        return scene
    materials = tuple(
        replace(material, inputs=tuple(replace(texture, uv_set=0) for texture in material.inputs)) for material in scene.materials
    )
    return scene.with_(materials=materials)


def _tell_named_sets(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("UV sets") or target.lacks("images") or max((len(mesh.uvs) for mesh in scene.meshes), default=0) > 1:
        return []
    n = sum(texture.uv_set > 0 for material in scene.materials for texture in material.inputs)
    text = say("loss.further-uv-set", count=n)
    return [ExportLoss("UVs and colours", "Laid on by another set", text, f"{n:,}", "0")] if n else []


# --- colours ------------------------------------------------------------------------------------------


def _tell_colours(scene: Scene, target: Target) -> list[ExportLoss]:
    group = "UVs and colours"
    if target.lacks("vertex colours"):
        n = sum(bool(mesh.colours) for mesh in scene.meshes)
        text = say("loss.no-such-thing", counted=plural(n, *_COLOURS))
        return [ExportLoss(group, "Vertex colours", text, f"{n:,}", "0")] if n else []
    said = []
    sets = sum(len(mesh.colours) > 1 for mesh in scene.meshes) if target.lacks("colour sets") else 0
    if sets:
        text = say("loss.further-colours", sets=sets)
        said.append(ExportLoss(group, "Further vertex colours", text, f"{sets:,}", "0"))
    if target.lacks("vertex alpha") and any(
        len(colour.values) and colour.values.shape[1] > 3 for mesh in scene.meshes for colour in mesh.colours[:1]
    ):
        said.append(ExportLoss(group, "Alpha of vertex colours", say("loss.no-colour-alpha"), "4 channels", "3"))
    return said


def _fewer_colours(scene: Scene, target: Target) -> Scene:
    def change(mesh: Mesh) -> Mesh:
        colours = () if target.lacks("vertex colours") else mesh.colours[:1] if target.lacks("colour sets") else mesh.colours
        if target.lacks("vertex alpha"):
            colours = tuple(Layer(frozen(colour.values[:, :3]), colour.index) for colour in colours)
        return replace(mesh, colours=colours)

    return scene.with_(meshes=tuple(change(mesh) if mesh.colours else mesh for mesh in scene.meshes))


def vertex_colours(mesh: Mesh) -> F64 | None:
    """(V, 3) colour of each vertex, white where no face uses it; None where some vertex has several, or none at some corner."""
    layer = mesh.colours[0]
    out = np.full((len(mesh.positions), 3), 1.0)
    own = layer.at_corners()[:, :3]
    out[mesh.corners] = own
    return out if np.array_equal(out[mesh.corners], own) else None


def _split_colours(scene: Scene, target: Target) -> list[int]:
    """Meshes whose colours a format with one colour a vertex cannot hold."""
    if target.lacks("vertex colours") or not target.lacks("corner colours"):
        return []
    return [k for k, mesh in enumerate(scene.meshes) if mesh.colours and vertex_colours(mesh) is None]


def _tell_corner_colours(scene: Scene, target: Target) -> list[ExportLoss]:
    n = len(_split_colours(scene, target))
    text = say("loss.colours-by-corner", count=n)
    return [ExportLoss("UVs and colours", "Vertex colours", text, f"{n:,}", "0")] if n else []


def _no_corner_colours(scene: Scene, target: Target) -> Scene:
    gone = set(_split_colours(scene, target))
    return scene.with_(meshes=tuple(replace(mesh, colours=()) if k in gone else mesh for k, mesh in enumerate(scene.meshes)))


# --- corners without a value --------------------------------------------------------------------------


def _gaps(mesh: Mesh, layers: list[Layer]) -> int:
    return sum(int(np.count_nonzero(x.index < 0)) + (len(x.index) if not len(x.values) else 0) for x in layers)


def _layers_of(mesh: Mesh, target: Target) -> list[Layer]:
    """Layers that the format will hold of a mesh."""
    out: list[Layer] = []
    if mesh.normals is not None and not target.lacks("normals"):
        out.append(mesh.normals)
    if mesh.tangents is not None and not target.lacks("tangents"):
        out.append(mesh.tangents)
    if not target.lacks("one UV set"):
        out += mesh.uvs if not target.lacks("UV sets") else mesh.uvs[:1]
    if not target.lacks("vertex colours"):
        out += mesh.colours if not target.lacks("colour sets") else mesh.colours[:1]
    return out


def _tell_gaps(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("gaps"):
        return []
    n = sum(_gaps(mesh, _layers_of(mesh, target)) for mesh in scene.meshes)
    if target.lacks("parts"):
        n += sum(len(mesh.corners) * missing for mesh, missing in zip(scene.meshes, _absent(scene, target), strict=True))
    text = say("loss.corners-without-value", count=n)
    return [ExportLoss(_GROUP, "Corners without a value", text, f"{n:,}", "0")] if n else []


def _absent(scene: Scene, target: Target) -> list[int]:
    """How many layers each mesh lacks that another one has, which will be one list with it."""
    kinds = (lambda m: m.normals is not None, lambda m: bool(m.uvs), lambda m: bool(m.colours))
    held = ("normals", "one UV set", "vertex colours")
    wanted = [k for k, f in zip(kinds, held, strict=True) if not target.lacks(f) and any(k(mesh) for mesh in scene.meshes)]
    return [sum(not k(mesh) for k in wanted) for mesh in scene.meshes]


def filled(layer: Layer, value: float) -> Layer:
    """The layer whose corners without a value have one of their own."""
    if len(layer.values) and not (layer.index < 0).any():
        return layer
    more = np.full((1, layer.values.shape[1]), value, layer.values.dtype)
    index = np.where(layer.index < 0, len(layer.values), layer.index) if len(layer.values) else np.zeros(len(layer.index))
    return Layer(frozen(np.concatenate([layer.values, more])), frozen(index.astype(np.int32)))


def _without_gaps(scene: Scene, target: Target) -> Scene:
    def change(mesh: Mesh) -> Mesh:
        more: dict[str, Any] = {
            "uvs": tuple(filled(layer, 0.0) for layer in mesh.uvs),
            "colours": tuple(filled(colour, 1.0) for colour in mesh.colours),
        }
        if mesh.normals is not None:
            more["normals"] = filled(mesh.normals, 0.0)
        return replace(mesh, **more)

    return scene.with_(meshes=tuple(change(mesh) for mesh in scene.meshes))


# --- UV sets that are numbered in a row ---------------------------------------------------------------


def _leading_gaps(mesh: Mesh, layers: tuple[Layer, ...]) -> list[Bool]:
    """For each layer but the last, the corners that have a value in a later one and none in it."""
    out: list[Array] = []
    later = np.zeros(len(mesh.corners), bool)
    for layer in reversed(layers):
        there = layer.index >= 0 if len(layer.values) else np.zeros(len(mesh.corners), bool)
        out.append(later & ~there)
        later = later | there
    return out[::-1]


@cached_per_mesh
def _out_of_row(mesh: Mesh) -> int:
    return sum(
        int(leading_gap.sum())
        for group in (mesh.uvs, mesh.colours)
        if len(group) > 1
        for leading_gap in _leading_gaps(mesh, group)
    )


def _tell_in_a_row(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.format.family != "gltf":
        return []
    n = sum(_out_of_row(mesh) for mesh in scene.meshes)
    text = say("loss.later-sets", count=n)
    return [ExportLoss("UVs and colours", "Sets in a row", text, f"{n:,}", "0")] if n else []


def _in_a_row(scene: Scene, _: Target) -> Scene:
    def change(mesh: Mesh, group: tuple[Layer, ...]) -> tuple[Layer, ...]:
        out = []
        for layer, gap in zip(group, _leading_gaps(mesh, group), strict=True):
            if gap.any():
                index = np.where(gap, len(layer.values), layer.index).astype(np.int32)
                layer = Layer(frozen(np.concatenate([layer.values, np.zeros((1, layer.values.shape[1]))])), frozen(index))
            out.append(layer)
        return tuple(out)

    return scene.with_(
        meshes=tuple(replace(mesh, uvs=change(mesh, mesh.uvs), colours=change(mesh, mesh.colours)) for mesh in scene.meshes)
    )


# --- positions that nothing uses ----------------------------------------------------------------------


@cached_per_mesh
def _spare(mesh: Mesh) -> int:
    return int(np.count_nonzero(~used_vertices(mesh)))


def _tell_spare(scene: Scene, target: Target) -> list[ExportLoss]:
    n = sum(_spare(mesh) for mesh in scene.meshes) if target.lacks("spare positions") else 0
    text = say("loss.unused-positions", count=n)
    return [ExportLoss(_GROUP, "Positions that nothing uses", text, f"{n:,}", "0")] if n else []


def _without_spare(mesh: Mesh) -> Mesh:
    used = used_vertices(mesh)
    return mesh if used.all() else only_vertices(mesh, used)


# --- meshes of nothing --------------------------------------------------------------------------------


def _drawn(mesh: Mesh, target: Target) -> bool:
    lines = len(mesh.lines) if not target.lacks("lines") else 0
    points = len(mesh.points) if not target.lacks("points") else 0
    return bool(mesh.face_count or lines or points)


def _tell_empty(scene: Scene, target: Target) -> list[ExportLoss]:
    n = sum(not _drawn(mesh, target) for mesh in scene.meshes) if target.lacks("empty meshes") else 0
    text = say("loss.nothing-to-draw", count=n)
    return [ExportLoss("Parts", "Meshes of nothing", text, f"{n:,}", "0")] if n else []


def _without_empty(scene: Scene, target: Target) -> Scene:
    kept = [k for k, mesh in enumerate(scene.meshes) if _drawn(mesh, target)]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(
        n
        if n.mesh is None
        else replace(n, mesh=number[n.mesh])
        if n.mesh in number
        else replace(n, mesh=None, skin=None, morph_weights=())
        for n in scene.nodes
    )
    return scene.with_(meshes=tuple(scene.meshes[k] for k in kept), nodes=nodes)


# --- normals that the format works out ----------------------------------------------------------------


def flat_normals(mesh: Mesh) -> Layer:
    """The normals of the triangles of a mesh at their corners; none (0, 0, 0) for one without area, as STL has them."""
    corners = mesh.positions[mesh.corners].reshape(-1, 3, 3)
    with np.errstate(invalid="ignore", over="ignore"):
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals = unit_vectors(normals)
    return Layer(
        frozen(normals.astype(np.float32).astype(np.float64)), frozen(np.repeat(np.arange(len(corners), dtype=np.int32), 3))
    )


def _with_flat_normals(scene: Scene, target: Target) -> Scene:
    if target.format.name != "stl":
        return scene
    if not all(mesh.only_triangles for mesh in scene.meshes):
        return scene
    layers = [flat_normals(mesh) if mesh.normals is None else mesh.normals for mesh in scene.meshes]
    return scene.with_(
        meshes=tuple(replace(mesh, normals=x if x.values.any() else None) for mesh, x in zip(scene.meshes, layers, strict=True))
    )


def _tell_smooth(scene: Scene, target: Target) -> list[ExportLoss]:
    n = (
        sum(mesh.smooth is not None and bool(mesh.smooth.any()) for mesh in scene.meshes)
        if target.lacks("smoothing groups")
        else 0
    )
    text = say("loss.no-smoothing-groups")
    return [ExportLoss(_GROUP, "Smoothing groups", text, plural(n, "mesh", "meshes"), "0")] if n else []


def _tell_groups(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("face groups"):
        return []
    n = len({name for mesh in scene.meshes if mesh.groups is not None for name in mesh.group_names if name})
    text = say("loss.no-face-groups", count=n)
    return [ExportLoss(_GROUP, "Groups of faces", text, f"{n:,}", "0")] if n else []


_NO_LINES = np.zeros((0, 2), np.int32)
_NO_POINTS = np.zeros(0, np.int32)

STEPS = (
    _counted("lines", "Lines", lambda m: len(m.lines), "line element", "line elements", lambda m: replace(m, lines=_NO_LINES)),
    _counted(
        "points", "Points", lambda m: len(m.points), "point element", "point elements", lambda m: replace(m, points=_NO_POINTS)
    ),
    _counted(
        "normals",
        "Normals",
        lambda m: m.normals is not None,
        "mesh's stored normals",
        "meshes' stored normals",
        lambda m: replace(m, normals=None),
    ),
    _counted(
        "tangents",
        "Tangents",
        lambda m: m.tangents is not None,
        "mesh's stored tangents",
        "meshes' stored tangents",
        lambda m: replace(m, tangents=None),
    ),
    Step("UV sets", _tell_sets, _one_set),
    Step("UV set that is named", _tell_named_sets, _named_sets),
    Step("vertex colours", _tell_colours, _fewer_colours),
    Step("corner colours", _tell_corner_colours, _no_corner_colours),
    Step("smoothing groups", _tell_smooth, _each(lambda m: replace(m, smooth=None))),
    Step("face groups", _tell_groups, _each(lambda m: replace(m, groups=None, group_names=()))),
    Step("spare positions", _tell_spare, _each(_without_spare), choice=True),
    Step("empty meshes", _tell_empty, _without_empty),
)
#: After parts were joined.
LAST = (
    Step("gaps", _tell_gaps, _without_gaps, heavy=True),
    Step("sets in a row", _tell_in_a_row, _in_a_row, heavy=True),
    Step("normals of triangles", lambda s, t: [], _with_flat_normals, always=True, heavy=True),
)

"""Textures, second half: shift UVs into the first tile, copy a set, unwrap or repack one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...geometry.adjacency import face_of_corner
from ...geometry.components import components
from ...geometry.distinct import distinct_rows
from ...geometry.topology import surface
from ...geometry.uv_area import UvAreas
from ...geometry.uv_laying import unwrapped
from ...kit.choice import PARTS, chosen_meshes
from ...limits import MendError
from ...measures.uvs import uv_figures
from ...scene import Layer, Mesh, Scene
from ...scene.model import frozen
from ...words.arrays import F64, I64
from ...words.figures import percent
from .messages import say

#: The parameter of mends that are about one UV set.
SET = Parameter("set", "number", "which UV set, the first being 1", default=1.0, zero=False)


def set_number(set: float, mesh: Mesh, new: bool = False) -> int | None:
    """The set's index in a mesh; None where it has none of that number, or, if `new`, could not have one."""
    k = int(set) - 1
    if set != int(set) or k < 0 or k > 7:
        raise MendError(say("textures.uv-set-number"))
    return k if k < len(mesh.uvs) or (new and k == len(mesh.uvs)) else None


def with_set(mesh: Mesh, k: int, layer: Layer) -> Mesh:
    """The mesh with another UV set in the place of one, or behind the last."""
    return replace(mesh, uvs=(*mesh.uvs[:k], layer, *mesh.uvs[k + 1 :]))


@mend(
    "textures.shift-uvs",
    title="Shift UVs into 0 to 1",
    keeps="how everything looks where images repeat, and the layout's shape",
    costs="nothing",
    safe=True,
    parameters=[SET, PARTS],
)
def shift(scene: Scene, set: float, parts: Sequence[str] = ()) -> Outcome:
    """Move each UV island by whole tiles, so that it begins in the first one; images that repeat look the same."""
    meshes, count = list(scene.meshes), 0
    for number in chosen_meshes(scene, parts):
        mesh = meshes[number]
        k = set_number(set, mesh)
        if k is None or not mesh.face_count:
            continue
        moved = _shifted(mesh, k)
        if moved is not None:
            meshes[number] = with_set(mesh, k, moved)
            count += 1
    if not count:
        raise MendError(say("textures.shift-uvs.none"))
    return Outcome(scene.with_(meshes=tuple(meshes)), (_outside(scene, meshes, set), Figure("meshes shifted", "0", f"{count:,}")))


def _outside(scene: Scene, meshes: Sequence[Mesh], set: float) -> Figure:
    def count(some: Sequence[Mesh]) -> int:
        total = 0
        for number in some:
            k = set_number(set, number)
            if k is not None:
                uv = number.uvs[k].at_corners()
                out = (uv < -1e-3).any(axis=1) | (uv > 1 + 1e-3).any(axis=1)
                total += len(np.unique(face_of_corner(number)[out]))
        return total

    return Figure("faces outside 0 to 1", f"{count(scene.meshes):,}", f"{count(meshes):,}")


def _shifted(mesh: Mesh, k: int) -> Layer | None:
    """The set with islands moved by whole tiles; None where none has to move."""
    layer = mesh.uvs[k]
    at = layer.at_corners().astype(np.float64)
    island = islands_of_faces(mesh, at)[face_of_corner(mesh)]
    good = np.isfinite(at).all(axis=1)
    low = np.full((int(island.max(initial=-1)) + 1, 2), np.inf)
    np.minimum.at(low, island[good], at[good])
    # A hair under a whole number is that number, as rounding leaves it.
    tile = np.floor(np.where(np.isfinite(low), low, 0.0) + 1e-3)
    if not tile.any():
        return None
    moved = (at - tile[island]).astype(layer.values.dtype)
    values, index = np.unique(moved[good], axis=0, return_inverse=True)
    whole = np.full(len(at), -1, np.int32)
    whole[good] = index.reshape(-1)
    return Layer(frozen(values), frozen(whole))


def islands_of_faces(mesh: Mesh, at: F64) -> I64:
    """(F,) int64 islands: faces that share a corner in space and in the UVs. at: (C, 2) float64 UVs of all corners."""
    top = surface(mesh)
    ids = distinct_rows([top.ids[mesh.corners], np.nan_to_num(at[:, 0], nan=-9e9), np.nan_to_num(at[:, 1], nan=-9e9)])[0]
    face = face_of_corner(mesh)
    total = mesh.face_count + int(ids.max(initial=-1)) + 1
    label = components(total, face, ids + mesh.face_count)[: mesh.face_count]
    return np.unique(label, return_inverse=True)[1].reshape(-1)


@mend(
    "textures.copy-uvs",
    title="Copy a UV set",
    keeps="every other set, and what images are laid on by",
    costs="the set that was there, where there was one",
    safe=False,
    parameters=[
        Parameter("set", "number", "which UV set is copied, the first being 1", default=1.0, zero=False),
        Parameter("to", "number", "which one it becomes: one that is there, or the next", default=2.0, zero=False),
        PARTS,
    ],
)
def copy(scene: Scene, set: float, to: float, parts: Sequence[str] = ()) -> Outcome:
    """Make another UV set of one that is there."""
    meshes, count = list(scene.meshes), 0
    for number in chosen_meshes(scene, parts):
        mesh = meshes[number]
        k, into = set_number(set, mesh), set_number(to, mesh, new=True)
        if k is not None and into is not None and k != into and (into >= len(mesh.uvs) or mesh.uvs[into] is not mesh.uvs[k]):
            meshes[number] = with_set(mesh, into, mesh.uvs[k])
            count += 1
    if not count:
        raise MendError(say("textures.copy-uvs.none", set=set, to=to))
    most = lambda some: f"{max(len(m.uvs) for m in some):,}"
    return Outcome(
        scene.with_(meshes=tuple(meshes)),
        (Figure("most UV sets on a mesh", most(scene.meshes), most(meshes)), Figure("meshes with the copy", "0", f"{count:,}")),
    )


@mend(
    "textures.use-set",
    title="Choose the UV set of an input",
    keeps="images and every set",
    costs="how the image lies on the surface",
    safe=False,
    parameters=[
        Parameter("set", "number", "which UV set, the first being 1", zero=False),
        Parameter("role", "text", "input, as base-colour or occlusion; all where it is left empty", default=""),
        Parameter("materials", "names", "which materials, by name with semicolons between; all where none is named", default=()),
    ],
)
def use_set(scene: Scene, set: float, role: str, materials: Sequence[str]) -> Outcome:
    """Lay images on by another UV set, which every mesh that uses the material must have."""
    most = max((len(mesh.uvs) for mesh in scene.meshes), default=0)
    k = int(set) - 1
    if set != int(set) or not 0 <= k < most:
        raise MendError(say("textures.use-set.none", set=set))
    least: dict[int, int] = {}
    for mesh in scene.meshes:
        for number in mesh.slot_materials:
            least[number] = min(least.get(number, 99), len(mesh.uvs))
    changed, figures, lacking = list(scene.materials), [], 0
    for n, material in enumerate(scene.materials):
        about = [
            texture
            for texture in material.inputs
            if texture.image is not None and texture.uv_set != k and role in ("", texture.role)
        ]
        if not about or (materials and material.name not in materials):
            continue
        if least.get(n, 0) <= k:
            lacking += 1
            continue
        chosen = {id(t) for t in about}
        inputs = tuple(replace(texture, uv_set=k) if id(texture) in chosen else texture for texture in material.inputs)
        changed[n] = replace(material, inputs=inputs)
        figures += [Figure(f"{t.role} of {material.name or n}", f"set {t.uv_set + 1}", f"set {k + 1}") for t in about]
    if not figures:
        raise MendError(say("textures.use-set.lacking") if lacking else say("textures.use-set.already"))
    remarks = (say("textures.use-set.left", materials=lacking),) if lacking else ()
    return Outcome(scene.with_(materials=tuple(changed)), tuple(figures[:8]), remarks)


@mend(
    "textures.unwrap",
    title="Make new UVs",
    keeps="positions, normals, every other UV set, and polygons",
    costs="the set's old layout: an image that was painted for it no longer fits",
    safe=False,
    parameters=[
        Parameter("set", "number", "which UV set, the first being 1; the next one is made", default=2.0, zero=False),
        Parameter("repack", "flag", "keep the islands' shapes, bring them to one density and place them anew", default=False),
        Parameter("padding", "number", "pixels between islands", default=4.0),
        Parameter("pixels", "number", "side of the image that the padding is meant for", default=1024.0, zero=False),
        PARTS,
    ],
    after=("surface.weld",),
)
def unwrap(scene: Scene, set: float, repack: bool, padding: float, pixels: float, parts: Sequence[str] = ()) -> Outcome:
    """Lay each part's surface flat in pieces that do not overlap, packed into one tile; or place the pieces that there are.

    By the library xatlas: pieces are cut where the surface bends, flattened by least squares conformal maps (Lévy et al. 2002).
    """
    meshes, count = list(scene.meshes), 0
    before = after = 0.0
    for number in chosen_meshes(scene, parts):
        mesh = meshes[number]
        k = set_number(set, mesh, new=not repack)
        if k is None or not mesh.face_count or not np.isfinite(mesh.positions).all():
            continue
        layer = unwrapped(mesh, mesh.uvs[k] if repack else None, max(int(abs(padding)), 1), int(np.clip(abs(pixels), 64, 8192)))
        if layer is None:
            continue
        if k < len(mesh.uvs):
            before = max(before, _overlap(mesh, k))
        meshes[number] = with_set(mesh, k, layer)
        after = max(after, _overlap(meshes[number], k))
        count += 1
    if not count:
        raise MendError(say("textures.unwrap.none"))
    share = lambda x: percent(x)
    return Outcome(
        scene.with_(meshes=tuple(meshes)),
        (Figure("image used more than once", share(before), share(after)), Figure("meshes laid anew", "0", f"{count:,}")),
    )


def _overlap(mesh: Mesh, k: int) -> float:
    top = surface(mesh, corners=True)
    return uv_figures(mesh, top.edges, top.flat, {}, UvAreas())[k].overlap or 0.0

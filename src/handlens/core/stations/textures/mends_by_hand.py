"""Textures: UVs of faces that somebody pointed at, moved, turned and laid as is said."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import PLACES
from ...geometry.adjacency import face_of_corner
from ...geometry.uv_edits import at_chosen, full_image_uvs
from ...kit.choice import FACES, PARTS, also_shown, chosen_faces
from ...limits import MendError
from ...scene import Layer, Mesh, Scene
from ...scene.model import frozen
from ...words.arrays import F64, I64
from .mends_uvs import SET, islands_of_faces, set_number, with_set
from .messages import say

_ABOUT = ("island", "middle", "tile")
_SNAPS = ("none", "corner", "fill")


@mend(
    "textures.place-uvs",
    title="Move, turn, scale or mirror UVs",
    menu=("faces", "UVs"),
    keeps="positions, every other UV set, and UVs of all other faces",
    costs="where the picture lies on these faces",
    promise=PLACES,
    safe=False,
    parameters=[
        FACES,
        Parameter("right", "number", "how far to the right on the picture, in widths of it", default=0.0),
        Parameter("up", "number", "how far up, in heights of it", default=0.0),
        Parameter("degrees", "number", "turn, counter-clockwise on the picture", default=0.0),
        Parameter("scale", "number", "how many times as large on the picture", default=1.0, zero=False),
        Parameter("mirror", "choice", "left to right, or top to bottom", ("none", "across", "down"), "none"),
        Parameter("about", "choice", "the middle of each island, of all together, or of the tile", _ABOUT, "island"),
        Parameter(
            "snap",
            "choice",
            "afterwards: the lower left corner onto the nearest corner of a tile, or all of it to fill one",
            _SNAPS,
            "none",
        ),
        SET,
        PARTS,
    ],
)
def place_uvs(
    scene: Scene,
    faces: str,
    right: float = 0.0,
    up: float = 0.0,
    degrees: float = 0.0,
    scale: float = 1.0,
    mirror: str = "none",
    about: str = "island",
    snap: str = "none",
    set: float = 1.0,
    parts: Sequence[str] = (),
) -> Outcome:
    """Move, turn, scale and mirror the UVs of faces, in this order: mirrored, scaled and turned about the middle, moved, snapped."""
    return _with_uvs_at(
        scene, faces, set, parts, about, lambda uv, group: _placed(uv, group, (right, up), degrees, scale, mirror, about, snap)
    )


def _with_uvs_at(
    scene: Scene, faces: str, set: float, parts: Sequence[str], about: str, place: Callable[[F64, I64], F64]
) -> Outcome:
    """The scene with UVs of faces elsewhere. place: new ones from those of corners, v running up, and which of them are of one island."""
    chosen = chosen_faces(scene, faces, parts)
    meshes, count = list(scene.meshes), 0
    for k, mask in chosen.items():
        mesh = meshes[k]
        number = set_number(set, mesh)
        if number is None:
            continue
        layer = mesh.uvs[number]
        owner = face_of_corner(mesh)
        corners = mask[owner] & (layer.index >= 0)
        corners[corners] = np.isfinite(layer.values[layer.index[corners]]).all(axis=1)
        if not corners.any():
            continue
        before = _upright(layer.values[layer.index[corners]].astype(np.float64), scene.v_down)
        group = np.zeros(len(before), np.int64)
        if about == "island":
            group = islands_of_faces(mesh, layer.at_corners().astype(np.float64))[owner[corners]]
        after = place(before, group)
        if np.allclose(after, before, rtol=0, atol=1e-12):
            continue
        moved = at_chosen(layer, corners, _upright(after, scene.v_down))
        # Tangents stand along the picture's u: where that turns they are made anew by whoever draws it.
        meshes[k] = replace(with_set(mesh, number, moved), tangents=None if number == 0 else mesh.tangents)
        count += int(mask.sum())
    if not count:
        raise MendError(say("textures.by-hand.nothing"))
    return Outcome(
        scene.with_(meshes=tuple(meshes)), (Figure("faces laid anew", "0", f"{count:,}"),), also_shown(scene, chosen, parts)
    )


@mend(
    "textures.mirror-uvs",
    title="Mirror UVs left to right",
    keeps="positions, every other UV set, UVs of all other faces, and which part of the picture each island shows",
    costs="where the picture lies within each island",
    promise=PLACES,
    safe=False,
    parameters=[FACES, SET, PARTS],
)
def mirror_uvs(scene: Scene, faces: str, set: float = 1.0, parts: Sequence[str] = ()) -> Outcome:
    """Mirror the UVs of faces within the box of each island, so that what is read backwards is read as it is on the picture."""
    mirrored = lambda uv, group: _placed(uv, group, (0.0, 0.0), 0.0, 1.0, "across", "island", "none")
    return _with_uvs_at(scene, faces, set, parts, "island", mirrored)


def _upright(uv: F64, v_down: bool) -> F64:
    """UVs with v running up from those of a file, or the other way round. uv: (n, 2) float64."""
    return np.column_stack([uv[:, 0], 1 - uv[:, 1]]) if v_down else uv


def _placed(
    uv: F64,
    group: I64,
    way: tuple[float, float],
    degrees: float,
    scale: float,
    mirror: str,
    about: str,
    snap: str,
) -> F64:
    """UVs moved and turned, v running up. uv: (n, 2) float64. group: (n,) int, which of them turn about one middle."""
    low, high = _boxes(uv, group)
    middle = np.full(2, 0.5) if about == "tile" else ((low + high) / 2)[group]
    out: F64 = uv - middle
    if mirror != "none":
        out[:, 0 if mirror == "across" else 1] *= -1
    cosine, sine = (round(float(x), 15) for x in (np.cos(np.radians(degrees)), np.sin(np.radians(degrees))))
    out = out @ np.array([[cosine, sine], [-sine, cosine]]) * scale + middle + way
    low, high = _boxes(out, group)
    if snap == "fill":
        tile = np.floor((low + high) / 2)
        out = (out - low[group]) / np.maximum(high - low, 1e-12)[group] + tile[group]
    elif snap == "corner":
        out = out + (np.rint(low) - low)[group]
    return out


def _boxes(uv: F64, group: I64) -> tuple[F64, F64]:
    total = int(group.max(initial=0)) + 1
    low, high = np.full((total, 2), np.inf), np.full((total, 2), -np.inf)
    np.minimum.at(low, group, uv)
    np.maximum.at(high, group, uv)
    return np.where(np.isfinite(low), low, 0.0), np.where(np.isfinite(high), high, 0.0)


@mend(
    "textures.lay-whole",
    title="Lay the whole picture on each face",
    menu=("faces", "whole picture"),
    keeps="positions, every other UV set, and UVs of all other faces",
    costs="where the picture lies on these faces",
    promise=PLACES,
    safe=False,
    parameters=[
        FACES,
        Parameter("turned", "choice", "the picture turned counter-clockwise, in degrees", ("0", "90", "180", "270"), "0"),
        SET,
        PARTS,
    ],
)
def full_image(scene: Scene, faces: str, turned: str = "0", set: float = 1.0, parts: Sequence[str] = ()) -> Outcome:
    """Lay four-sided faces, or pairs of triangles that make one, so that each shows the whole picture, the same way up along a strip."""
    chosen = chosen_faces(scene, faces, parts)
    meshes, count, left = list(scene.meshes), 0, 0
    for k, mask in chosen.items():
        mesh = meshes[k]
        number = set_number(set, mesh, new=True)
        if number is None:
            continue
        corners, uv, laid = full_image_uvs(mesh, mask, int(turned) // 90)
        left += int(mask.sum()) - len(np.unique(face_of_corner(mesh)[corners])) if laid else int(mask.sum())
        if not laid:
            continue
        layer = mesh.uvs[number] if number < len(mesh.uvs) else _no_uvs(mesh)
        where = np.zeros(len(mesh.corners), bool)
        where[corners] = True
        order = np.argsort(corners, kind="stable")
        _, first = np.unique(corners[order], return_index=True)
        moved = at_chosen(layer, where, _upright(uv[order][first], scene.v_down))
        meshes[k] = replace(with_set(mesh, number, moved), tangents=None if number == 0 else mesh.tangents)
        count += laid
    if not count:
        raise MendError(say("textures.by-hand.no-quads"))
    remarks = also_shown(scene, chosen, parts)
    if left:
        remarks += (say("textures.by-hand.left", faces=left),)
    return Outcome(scene.with_(meshes=tuple(meshes)), (Figure("faces that show the whole picture", "0", f"{count:,}"),), remarks)


def _no_uvs(mesh: Mesh) -> Layer:
    """A set in which no corner has a place yet."""
    return Layer(frozen(np.zeros((0, 2), np.float32)), frozen(np.full(len(mesh.corners), -1, np.int32)))

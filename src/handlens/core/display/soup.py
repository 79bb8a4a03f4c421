"""The triangles of a display copy in one list, and what colour each place on them has under the stage's two lights."""

from __future__ import annotations

import io
from typing import Any, NamedTuple

import numpy as np

from ..geometry.rays import RayScene
from ..machine.sections import Opened
from ..surface.colour import to_linear
from ..words.arrays import F64, I32, U8, Array

#: Where the sun stands.
SUN = np.array([-0.42, 0.78, 0.46]) / np.linalg.norm([-0.42, 0.78, 0.46])
#: Light from below and from above, and the sun's, as the stage has them.
_LOW, _HIGH, _DIRECT = np.array([0.332, 0.270, 0.168]), np.array([0.557, 0.532, 0.485]), np.array([0.605, 0.542, 0.433])
#: What has no material.
_BARE = np.array([0xD8, 0xCF, 0xBC]) / 255
#: Pixels along the longer side of an image from which on a picture of a model does not show more.
_SIDE = 512


class Soup(NamedTuple):
    """All triangles of a display copy. corners: (T, 3) of points (V, 3). normals: (V, 3). uv: (V, 2). tint: (V, 4), shown.

    part, material: (T,) numbers, a material of -1 for none.
    """

    points: Array
    corners: Array
    normals: Array
    uv: Array
    tint: Array
    part: Array
    material: Array


def soup_of(opened: Opened) -> Soup | None:
    """All triangles of a display copy; None where it has none."""
    header = opened.header
    pieces: list[tuple[Array, ...]] = []
    base = 0
    for number, part in enumerate(header["parts"]):
        mesh = header["meshes"][part["mesh"]]
        if not mesh["index"]["count"]:
            continue
        points = opened.array(mesh["positions"], np.float32).reshape(-1, 3).astype(np.float64)
        matrix = np.array(part["matrix"]).reshape(4, 4).T
        with np.errstate(all="ignore"):
            world = points @ matrix[:3, :3].T + matrix[:3, 3]
            # Normals go by the cofactors, which every matrix has; those that come out turned over are seen from the other side anyway.
            x, y, z = matrix[:3, 0], matrix[:3, 1], matrix[:3, 2]
            cofactors = np.nan_to_num(np.stack([np.cross(y, z), np.cross(z, x), np.cross(x, y)]))
            cofactors /= max(float(np.abs(cofactors).max()), 1e-300)
            turned = np.nan_to_num(opened.array(mesh["normals"], np.int8).reshape(-1, 4)[:, :3] @ cofactors)
        index = opened.array(mesh["index"], np.uint32).reshape(-1, 3).astype(np.int64)
        material = np.full(len(index), -1)
        for group in mesh["groups"]:
            material[group["start"] // 3 : (group["start"] + group["count"]) // 3] = group["material"]
        blank = np.zeros((len(points), 2))
        by_set = [opened.array(mesh[k], np.float32).reshape(-1, 2) for k in ("uv0", "uv1", "uv2", "uv3") if k in mesh]
        uv = blank if not by_set else by_set[0]
        for group in mesh["groups"]:
            which = header["materials"][group["material"]]["uvSet"] if group["material"] >= 0 else 0
            if 0 < which < len(by_set):
                uv = uv.copy() if uv is by_set[0] else uv
                own = index[group["start"] // 3 : (group["start"] + group["count"]) // 3]
                uv[own] = by_set[which][own]
        tint = opened.array(mesh["colour"], np.uint8).reshape(-1, 4) / 255 if "colour" in mesh else np.ones((len(points), 4))
        pieces.append((world, index + base, turned, uv, tint, np.full(len(index), number), material))
        base += len(points)
    return Soup(*(np.concatenate(column) for column in zip(*pieces, strict=True))) if pieces else None


class Pictures:
    """The images of a display copy, each opened when it is first seen, and no larger than a portrait can show."""

    def __init__(self, opened: Opened) -> None:
        self._opened, self._known = opened, dict[int, Array]()

    def at(self, number: int) -> U8:
        """(H, W, 4) uint8."""
        from PIL import Image as Pillow

        if number not in self._known:
            entry = self._opened.header["images"][number]
            picture = Pillow.open(io.BytesIO(self._opened.bytes(entry["at"], entry["bytes"])))
            picture.thumbnail((_SIDE, _SIDE))
            self._known[number] = np.asarray(picture.convert("RGBA"))
        return self._known[number]


class Paint:
    """A material's base colour at any place."""

    def __init__(self, opened: Opened, material: dict[str, Any], pictures: Pictures) -> None:
        self.mode, self.cutoff, self.unlit = material["alphaMode"], material["cutoff"], material["unlit"]
        colour = np.clip(np.nan_to_num(np.array(material["colour"], float)), 0, 1)
        self.colour = colour if material["linear"] else np.append(to_linear(colour[:3]), colour[3:])
        self.placed = None if material["placed"] is None else np.array(material["placed"]).reshape(2, 3)
        entry = None if material["image"] is None else opened.header["images"][material["image"]]
        self.image: int | None = None if entry is None else material["image"]
        self.pictures = pictures
        #: As built, alpha is as the picture has it, whatever the material says of it.
        self.cut = self.mode == "opaque" and entry is not None and entry["alpha"]

    def at(self, uv: F64, tint: F64) -> F64:
        """(n, 4) linear colours with alpha, by the place on the picture, the v of which runs down.

        uv: (n, 2) float64.
        tint: (n, 4) float64, linear, what vertex colours multiply by.
        """
        out = np.broadcast_to(self.colour, (len(uv), 4)).copy()
        if self.image is not None:
            pixels = self.pictures.at(self.image)
            if self.placed is not None:
                uv = uv @ self.placed[:, :2].T + self.placed[:, 2]
            height, width = pixels.shape[:2]
            st = np.nan_to_num(uv) % 1.0
            x = np.minimum((st[:, 0] * width).astype(int), width - 1)
            y = np.minimum((st[:, 1] * height).astype(int), height - 1)
            own = pixels[y, x] / 255
            out *= np.column_stack([to_linear(own[:, :3]), own[:, 3]])
        out *= np.column_stack([to_linear(tint[:, :3]), tint[:, 3]])
        if self.cut:
            out[:, 3] = out[:, 3] >= 0.5
        elif self.mode == "opaque":
            out[:, 3] = 1.0
        elif self.mode == "mask":
            out[:, 3] = out[:, 3] >= self.cutoff
        return out


def lit(soup: Soup, rays: RayScene, paints: list[Paint], triangle: I32, points: F64, away: F64) -> F64:
    """(n, 4) linear colours with alpha of places on triangles, under the stage's two lights.

    paints: of each material. triangle: (n,) as the rays number them. points: (n, 3) in the rays' frame. away: (3,) towards the viewer, of
    whatever length.
    """
    corner = soup.corners[triangle]
    a, b, c = (rays.to_unit(soup.points[corner[:, k]]) for k in range(3))
    share = _shares(a, b, c, points)
    normal, uv, tint = (np.einsum("nk,nkc->nc", share, values[corner]) for values in (soup.normals, soup.uv, soup.tint))
    colour = np.tile(np.append(to_linear(_BARE), 1.0), (len(triangle), 1))
    bright = np.zeros(len(triangle), bool)
    material = soup.material[triangle]
    order = np.argsort(material, kind="stable")
    for own in np.split(order, np.flatnonzero(np.diff(material[order])) + 1):
        if len(own) and (k := material[own[0]]) >= 0:
            colour[own] = paints[k].at(uv[own], tint[own])
            bright[own] = paints[k].unlit
    flat = rays.normals(triangle)
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    normal = np.where(
        length > 1e-9, normal / np.maximum(length, 1e-9), flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-30)
    )
    normal = np.where((normal @ away < 0)[:, None], -normal, normal)
    sun = np.maximum(normal @ SUN, 0)
    facing = np.flatnonzero(sun > 0)
    sun[facing[rays.blocked(points[facing] + 2e-3 * normal[facing], np.broadcast_to(SUN, (len(facing), 3)))]] = 0
    up = (normal[:, 1] * 0.5 + 0.5)[:, None]
    light = _LOW + (_HIGH - _LOW) * up + _DIRECT * sun[:, None]
    colour[:, :3] *= np.where(bright[:, None], 1.0, light)
    return colour


def _shares(a: F64, b: F64, corner_c: F64, place: F64) -> F64:
    """(n, 3) barycentric coordinates of points in triangles (Ericson 2005, Real-Time Collision Detection, section 3.4)."""
    along, across, to_place = b - a, corner_c - a, place - a
    dot = lambda x, y: np.einsum("ij,ij->i", x, y)
    uu, uv, vv, wu, wv = dot(along, along), dot(along, across), dot(across, across), dot(to_place, along), dot(to_place, across)
    below = np.where(np.abs(uu * vv - uv * uv) > 1e-30, uu * vv - uv * uv, 1.0)
    second, third = (vv * wu - uv * wv) / below, (uu * wv - uv * wu) / below
    answer: Array = np.clip(np.stack([1 - second - third, second, third], axis=1), 0, 1)
    return answer


def paints_of(opened: Opened) -> list[Paint]:
    """What each material of a display copy paints."""
    pictures = Pictures(opened)
    return [Paint(opened, material, pictures) for material in opened.header["materials"]]

"""A destination's picture of what it received: one light, backs as it treats them, a paper tile where an image is missing."""

from __future__ import annotations

import io

import numpy as np

from ..geometry.rays import RayScene
from ..rules.sheet import RuleSheet
from ..words.arrays import F64, Array
from .reading.received import Piece, Received

_SIDE, _FINE = 240, 2
_YAW, _PITCH = 0.6, 0.25
_PAPER = np.array([246, 241, 231]) / 255
_LIGHT = np.array([-0.42, 0.78, 0.46]) / np.linalg.norm([-0.42, 0.78, 0.46])
#: Surfaces looked through on the way of one ray.
_DEEP = 6
#: Squares of the tile that stands where an image is missing, over one width of it.
_TILES = 8


def picture(received: Received, sheet: RuleSheet) -> bytes:
    """A WebP of the package as the destination of a sheet draws it; empty where there is nothing to be seen."""
    from PIL import Image

    drawn = [(piece, received.world(node, piece)) for node in received.drawn for piece in received.meshes[node.mesh]]
    drawn = [(piece, world) for piece, world in drawn if len(piece.corners)]
    if not drawn:
        return b""
    starts = np.cumsum([0, *(len(world) for _, world in drawn)])
    points = np.concatenate([world for _, world in drawn])
    if (received.up or sheet.up_axis) == "Z":
        points = points[:, [1, 2, 0]]
    corners = np.concatenate([piece.corners + start for (piece, _), start in zip(drawn, starts[:-1], strict=True)])
    owner = np.repeat(np.arange(len(drawn)), [len(piece.corners) for piece, _ in drawn])
    rays = RayScene(points, corners)
    if rays.empty:
        return b""
    colour = _seen(rays, points, corners, owner, [piece for piece, _ in drawn], received, sheet)
    fine = colour.reshape(_SIDE, _FINE, _SIDE, _FINE, 3).mean(axis=(1, 3))
    out = io.BytesIO()
    Image.fromarray(np.rint(255 * np.clip(fine, 0, 1)).astype(np.uint8)).save(out, "WEBP", quality=85)
    return out.getvalue()


def _seen(
    rays: RayScene, points: F64, corners: Array, owner: Array, pieces: list[Piece], received: Received, sheet: RuleSheet
) -> Array:
    """(n, 3) colours of the rays of a picture, row by row."""
    count = _SIDE * _FINE
    ahead, right, up = _view()
    y, x = np.meshgrid(np.linspace(0.5, -0.5, count), np.linspace(-0.5, 0.5, count), indexing="ij")
    box = np.abs(rays.to_unit(points[corners].reshape(-1, 3)) @ np.stack([right, up]).T).max(initial=0) * 2.15
    origins = (x.reshape(-1, 1) * right + y.reshape(-1, 1) * up) * box - ahead * 2.0
    directions = np.broadcast_to(ahead, origins.shape).copy()
    colour, left = np.zeros((len(origins), 3)), np.ones(len(origins))
    alive = np.arange(len(origins))
    for _ in range(_DEEP):
        if not len(alive):
            break
        hit = rays.first(origins[alive], directions[alive])
        met = hit.triangle >= 0
        alive, triangle, distance = alive[met], hit.triangle[met], hit.distance[met].astype(np.float64)
        places = origins[alive] + directions[alive] * distance[:, None]
        shade, alpha = _shade(rays, points, corners, owner, pieces, received, sheet, triangle, places, ahead)
        colour[alive] += (left[alive] * alpha)[:, None] * shade
        left[alive] *= 1 - alpha
        origins[alive] = places + directions[alive] * 1e-5
        alive = alive[left[alive] > 0.02]
    return colour + left[:, None] * _PAPER


def _view() -> tuple[Array, Array, Array]:
    """Where one looks, and what is right and up there; unit vectors (3,)."""
    ahead = -np.array([np.sin(_YAW) * np.cos(_PITCH), np.sin(_PITCH), np.cos(_YAW) * np.cos(_PITCH)])
    right = np.cross(ahead, (0.0, 1.0, 0.0))
    right /= np.linalg.norm(right)
    return ahead, right, np.cross(right, ahead)


def _shade(
    rays: RayScene,
    points: F64,
    corners: Array,
    owner: Array,
    pieces: list[Piece],
    received: Received,
    sheet: RuleSheet,
    triangle: Array,
    places: Array,
    ahead: Array,
) -> tuple[Array, Array]:
    """(n, 3) colours and (n,) opacities where rays meet triangles. places: (n, 3) in the rays' frame."""
    three = rays.to_unit(points[corners[triangle]])
    normal = np.cross(three[:, 1] - three[:, 0], three[:, 2] - three[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    back = normal @ ahead > 0
    light = 0.45 + 0.55 * np.maximum(np.where(back[:, None], -normal, normal) @ _LIGHT, 0)
    colour, alpha = np.zeros((len(triangle), 3)), np.ones(len(triangle))
    weight = _barycentric(three, places)
    first = np.concatenate([[0], np.cumsum([len(piece.corners) for piece in pieces])])
    for k in np.unique(owner[triangle]):
        mine = np.flatnonzero(owner[triangle] == k)
        piece = pieces[k]
        uv = None
        if piece.uv is not None:
            uv = np.einsum("nk,nkd->nd", weight[mine], piece.uv[piece.corners[triangle[mine] - first[k]]])
        colour[mine], alpha[mine] = _material(piece, uv, received, sheet, len(mine))
        sides = received.surfaces[piece.material].both_sides if piece.material >= 0 else False
        if sheet.receiver.back_faces == "hidden" or (sheet.receiver.back_faces == "as-material" and not sides):
            alpha[mine] = np.where(back[mine], 0.0, alpha[mine])
    return colour * light[:, None], alpha


def _barycentric(three: Array, places: Array) -> Array:
    """(n, 3) weights of corners at points on their triangles."""
    a, b, c = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0], places - three[:, 0]
    aa, ab, bb = (a * a).sum(1), (a * b).sum(1), (b * b).sum(1)
    ca, cb = (c * a).sum(1), (c * b).sum(1)
    area = np.maximum(aa * bb - ab * ab, 1e-300)
    second, third = (bb * ca - ab * cb) / area, (aa * cb - ab * ca) / area
    return np.stack([1 - second - third, second, third], axis=1)


def _material(piece: Piece, uv: Array | None, received: Received, sheet: RuleSheet, n: int) -> tuple[Array, Array]:
    """(n, 3) colours as shown and (n,) opacities of a material."""
    if piece.material < 0:
        code = sheet.receiver.default_material
        return np.tile([int(code[k : k + 2], 16) / 255 for k in (1, 3, 5)], (n, 1)), np.ones(n)
    surface = received.surfaces[piece.material]
    colour = np.tile(np.clip(surface.colour[:3], 0, 1), (n, 1)) ** (1 / 2.2)
    alpha = np.full(n, surface.colour[3])
    if surface.image >= 0 and uv is not None:
        pixels = received.pictures[surface.image].pixels
        if pixels is None:
            tile = (np.floor(np.nan_to_num(uv) * _TILES).sum(axis=1) % 2)[:, None]
            return np.where(tile > 0, _PAPER * 0.92, _PAPER * 0.78), np.ones(n)
        height, width = pixels.shape[:2]
        place = np.nan_to_num(uv - np.floor(uv))
        texel = pixels[
            np.minimum((place[:, 1] * height).astype(int), height - 1), np.minimum((place[:, 0] * width).astype(int), width - 1)
        ]
        colour, alpha = colour * texel[:, :3] / 255, alpha * texel[:, 3] / 255
    if surface.alpha == "opaque" or sheet.receiver.alpha == "none":
        return colour, np.ones(n)
    if surface.alpha == "mask" or sheet.receiver.alpha == "mask-only":
        return colour, (alpha >= (surface.cutoff if surface.alpha == "mask" else 0.5)).astype(float)
    return colour, alpha

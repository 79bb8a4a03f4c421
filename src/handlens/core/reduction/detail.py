"""The fine surface kept as pictures on a coarse one: a normal map and an occlusion map, looked up by rays.

Normals are written in the tangent space of glTF 2.0 (section 3.7.2.1 and 3.9.3): x along growing u, y upwards in the picture, z along
the normal; tangents are summed over faces by their angle at each vertex, apart where UVs are mirrored, and made square to the normal,
as Mikkelsen (2008) has it. They are stored with the mesh, so that whoever draws it need not guess.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..geometry.distinct import distinct_rows
from ..geometry.rays import OFFSET, RayScene, hemisphere_directions
from ..geometry.smoothing import corner_angles, smooth_normals
from ..geometry.sums import sums_by
from ..geometry.triangles import triangulate
from ..scene.matrices import unit_vectors
from ..scene.model import Layer, Mesh, frozen
from ..words.arrays import F64, I64, U8, Array, Bool
from .nearest import Spread, barycentric
from .wedges import HARD

#: Rays from each texel that look how far the sky is hidden, and how far they look, as a share of the surface's size.
_RAYS, _REACH = 24, 0.25
#: Texels that a texel's colour is carried on beyond the rim of its island.
PADDING = 8
#: How far UVs may reach beyond the tile, the raster on which it is looked whether they lie over each other, and the share that may.
_RIM, _LOOK, _TWICE = 1e-4, 512, 0.01
#: Samples by which the remaining error is told.
_SAMPLES = 20_000


class Baked(NamedTuple):
    """normal: (S, S, 3) and occlusion: (S, S) uint8, first row at the top. covered: share of the picture that faces lie on; twice:
    share of that on which several lie; missed: share from which no ray met the fine surface. off: mean angle in degrees between the
    normals that the picture gives and those of the fine surface."""

    normal: Array
    occlusion: Array
    covered: float
    twice: float
    missed: float
    off: float


class _Texels(NamedTuple):
    row: Array
    column: Array
    triangle: Array
    weight: Array
    twice: float


def bake(fine: Mesh, coarse: Mesh, uv_set: int, v_down: bool, size: int, reach: float) -> tuple[Baked, Layer]:
    """Pictures of size × size texels for a coarse mesh of triangles, and its tangents.

    fine: the surface of before, in the same frame. uv_set: of the coarse mesh, without overlap, within the first tile. v_down: whether
    v runs downwards. reach: how far the two surfaces lie apart at most, in their unit.
    """
    surface = _Fine(fine)
    frame = _Frame(coarse, uv_set, v_down)
    texels = _texels(frame.uv, size)
    normal = np.full((size, size, 3), (128, 128, 255), np.uint8)
    occlusion = np.full((size, size), 255, np.uint8)
    told, met, places = frame.looked_up(surface, texels.triangle, texels.weight, reach)
    normal[texels.row, texels.column] = _as_bytes(told)
    occlusion[texels.row, texels.column] = np.where(met, np.rint(255 * surface.open_sky(places)), 255).astype(np.uint8)
    drawn = np.zeros((size, size), bool)
    drawn[texels.row, texels.column] = True
    normal, occlusion = _padded(normal, drawn), _padded(occlusion, drawn)
    samples = Spread(frame.positions, frame.triangles).samples(_SAMPLES)
    off = frame.off(surface, normal, samples.triangle, samples.weight, reach)
    missed = 1 - float(met.mean()) if len(met) else 1.0
    baked = Baked(normal, occlusion, float(drawn.mean()), texels.twice, missed, off)
    return baked, frame.layer


def lies_free(mesh: Mesh, uv_set: int, v_down: bool) -> bool:
    """Whether a mesh of triangles lies in a UV set once, within the first tile, so that each of its places has a texel of its own."""
    layer = mesh.uvs[uv_set]
    if not len(layer.values) or (layer.index < 0).any() or not np.isfinite(layer.values).all():
        return False
    uv = layer.at_corners().astype(np.float64).reshape(-1, 3, 2)
    if uv.min() < -_RIM or uv.max() > 1 + _RIM:
        return False
    if v_down:
        uv = np.stack([uv[:, :, 0], 1 - uv[:, :, 1]], axis=2)
    found = _texels(uv, _LOOK)
    return len(found.row) > 0 and found.twice <= _TWICE


class _Fine:
    """The fine surface, asked by rays."""

    def __init__(self, mesh: Mesh) -> None:
        corners, _ = triangulate(mesh)
        layer = mesh.normals if mesh.normals is not None and len(mesh.normals.values) else smooth_normals(mesh, HARD)[0]
        self.positions, self.triangles = mesh.positions, mesh.corners[corners].astype(np.int64)
        self.normals = _unit(np.nan_to_num(layer.at_corners().astype(np.float64)))[corners]
        self.rays = RayScene(self.positions, self.triangles)

    def met(self, points: F64, directions: F64, reach: float) -> tuple[Bool, F64, F64]:
        """What rays meet that begin `reach` outside of points and go inwards twice as far: whether, the normal there, the place.

        points, directions: (n, 3) float64, in the world.
        reach: in the world's unit.
        """
        hits = self.rays.first(self.rays.to_unit(points + reach * directions), -directions)
        met = (hits.triangle >= 0) & (hits.distance * self.rays.size <= 2 * reach)
        triangle = np.where(met, hits.triangle, 0)
        places = points + (reach - hits.distance[:, None] * self.rays.size) * directions
        places = np.where(met[:, None], places, points)
        weight = barycentric(places, self.positions[self.triangles[triangle]])
        normal = _unit(np.einsum("ij,ijk->ik", weight, self.normals[triangle]))
        return met, np.where(met[:, None], normal, directions), np.concatenate([places, normal], axis=1)

    def open_sky(self, places: F64) -> F64:
        """(n,) share of the sky that is open above places (n, 6) of points and normals, likelier rays the nearer they are to the normal.

        places: (n, 6) float64.
        """
        points, normals = places[:, :3], places[:, 3:]
        start = self.rays.to_unit(points) + 10 * OFFSET * normals
        open_ = np.zeros(len(points))
        far = np.full(len(points), _REACH)
        for k in range(_RAYS):
            number = np.arange(len(points)) * _RAYS + k
            open_ += ~self.rays.blocked(start, hemisphere_directions(normals, number), far)
        return open_ / _RAYS


class _Frame:
    """A coarse mesh of triangles with its tangent space. uv: (T, 3, 2) with the second upwards in the picture."""

    def __init__(self, mesh: Mesh, uv_set: int, v_down: bool) -> None:
        self.positions, self.triangles = mesh.positions, mesh.corners.reshape(-1, 3).astype(np.int64)
        layer = mesh.normals if mesh.normals is not None and len(mesh.normals.values) else smooth_normals(mesh, 180.0)[0]
        self.normals = _unit(np.nan_to_num(layer.at_corners().astype(np.float64)))
        self.uv = np.nan_to_num(mesh.uvs[uv_set].at_corners().astype(np.float64)).reshape(-1, 3, 2)
        if v_down:
            self.uv[:, :, 1] = 1 - self.uv[:, :, 1]
        self.tangents, self.sign = self._tangents(mesh)
        values = np.concatenate([self.tangents, self.sign[:, None]], axis=1).astype(np.float32)
        self.layer = Layer(frozen(values), frozen(np.arange(len(values), dtype=np.int32)))

    def _tangents(self, mesh: Mesh) -> tuple[F64, F64]:
        position, uv = self.positions[self.triangles], self.uv
        a, b, side_u, side_v = (
            position[:, 1] - position[:, 0],
            position[:, 2] - position[:, 0],
            uv[:, 1] - uv[:, 0],
            uv[:, 2] - uv[:, 0],
        )
        area = side_u[:, 0] * side_v[:, 1] - side_u[:, 1] * side_v[:, 0]
        along = (a * side_v[:, 1:] - b * side_u[:, 1:]) * np.sign(area)[:, None]
        sign = np.where(area < 0, -1.0, 1.0)
        along, sign = np.repeat(along, 3, axis=0), np.repeat(sign, 3)
        flat = _unit(along - self.normals * np.einsum("ij,ij->i", along, self.normals)[:, None])
        ids, count = distinct_rows(
            [mesh.positions[mesh.corners], np.round(self.normals, 5), np.round(self.uv.reshape(-1, 2), 7), sign]
        )
        weighed = flat * corner_angles(mesh)[:, None]
        summed = sums_by(ids, weighed, count)[ids]
        square = summed - self.normals * np.einsum("ij,ij->i", summed, self.normals)[:, None]
        none = np.linalg.norm(square, axis=1) < 1e-12
        square[none] = np.cross(self.normals[none], np.eye(3)[np.abs(self.normals[none]).argmin(axis=1)])
        return _unit(square), sign

    def at(self, triangle: I64, weight: F64) -> tuple[F64, F64, F64, F64]:
        """Places, and unit tangent, bitangent and normal there, as whoever draws works them out.

        triangle: (n,) int.
        weight: (n, 3) float64, barycentric.
        """
        blend = lambda values: np.einsum("ij,ijk->ik", weight, values.reshape(-1, 3, values.shape[1])[triangle])
        place = np.einsum("ij,ijk->ik", weight, self.positions[self.triangles[triangle]])
        normal, tangent = _unit(blend(self.normals)), blend(self.tangents)
        tangent = _unit(tangent - normal * np.einsum("ij,ij->i", tangent, normal)[:, None])
        return place, tangent, np.cross(normal, tangent) * self.sign[3 * triangle][:, None], normal

    def looked_up(self, fine: _Fine, triangle: I64, weight: F64, reach: float) -> tuple[F64, Bool, F64]:
        """(n, 3) normals of the fine surface in tangent space, whether a ray met it, and the places that were met.

        triangle: (n,) int.
        weight: (n, 3) float64, barycentric.
        """
        place, tangent, bitangent, upward = self.at(triangle, weight)
        met, normal, places = fine.met(place, upward, reach)
        told = np.stack([np.einsum("ij,ij->i", normal, axis) for axis in (tangent, bitangent, upward)], axis=1)
        # What looks away from the surface cannot be told by a picture: it is laid flat.
        told[:, 2] = np.maximum(told[:, 2], 0.0)
        return _unit(told), met, places

    def off(self, fine: _Fine, picture: U8, triangle: I64, weight: F64, reach: float) -> float:
        """Mean angle in degrees between what a picture gives at samples, between its texels, and the fine surface there.

        picture: (H, W, 3) uint8.
        triangle: (n,) int.
        weight: (n, 3) float64, barycentric.
        """
        if not len(triangle):
            return 0.0
        place, tangent, bitangent, upward = self.at(triangle, weight)
        met, normal, _ = fine.met(place, upward, reach)
        uv = np.einsum("ij,ijk->ik", weight, self.uv[triangle])
        told = _unit(_between(picture, uv) / 127.5 - 1)
        given = told[:, :1] * tangent + told[:, 1:2] * bitangent + told[:, 2:] * upward
        cosine = np.clip(np.einsum("ij,ij->i", _unit(given), normal), -1, 1)[met]
        return float(np.degrees(np.arccos(cosine)).mean()) if len(cosine) else 0.0


def _texels(uv: F64, size: int) -> _Texels:
    """Texels whose middles lie in triangles (T, 3, 2), each with the last triangle that it lies in."""
    x, y = uv[:, :, 0] * size - 0.5, (1 - uv[:, :, 1]) * size - 0.5
    low = np.maximum(np.ceil(np.stack([x.min(axis=1), y.min(axis=1)], axis=1)), 0).astype(np.int64)
    high = np.minimum(np.floor(np.stack([x.max(axis=1), y.max(axis=1)], axis=1)), size - 1).astype(np.int64)
    owner = np.full((size, size), -1, np.int64)
    times = np.zeros((size, size), np.int32)
    with np.errstate(all="ignore"):
        for k in np.flatnonzero((high >= low).all(axis=1)).tolist():
            (left, top), (right, bottom) = low[k].tolist(), high[k].tolist()
            weights = _weights(np.arange(left, right + 1)[None, :], np.arange(top, bottom + 1)[:, None], x[k], y[k])
            inside = (weights >= 0).all(axis=0)
            owner[top : bottom + 1, left : right + 1][inside] = k
            times[top : bottom + 1, left : right + 1][inside] += 1
    row, column = np.nonzero(owner >= 0)
    triangle = owner[row, column]
    with np.errstate(all="ignore"):
        weight = np.stack(_each_weight(column, row, x[triangle], y[triangle]), axis=1)
    twice = float((times > 1).sum() / max(len(row), 1))
    return _Texels(row, column, triangle, np.nan_to_num(weight, nan=1 / 3), twice)


def _weights(px: I64, py: I64, x: F64, y: F64) -> F64:
    """(3, rows, columns) barycentric weights of texels in a triangle."""
    area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0])
    first = ((x[1] - px) * (y[2] - py) - (x[2] - px) * (y[1] - py)) / area
    second = ((x[2] - px) * (y[0] - py) - (x[0] - px) * (y[2] - py)) / area
    return np.stack([first, second, 1 - first - second])


def _each_weight(px: I64, py: I64, x: F64, y: F64) -> tuple[F64, F64, F64]:
    """Barycentric weights of texels (n,), each in a triangle of its own (n, 3)."""
    area = (x[:, 1] - x[:, 0]) * (y[:, 2] - y[:, 0]) - (x[:, 2] - x[:, 0]) * (y[:, 1] - y[:, 0])
    first = ((x[:, 1] - px) * (y[:, 2] - py) - (x[:, 2] - px) * (y[:, 1] - py)) / area
    second = ((x[:, 2] - px) * (y[:, 0] - py) - (x[:, 0] - px) * (y[:, 2] - py)) / area
    return first, second, 1 - first - second


def _padded(picture: U8, drawn: Bool) -> U8:
    """The picture with what lies at the rims of islands carried on over `PADDING` texels."""
    from scipy.ndimage import distance_transform_edt

    if drawn.all() or not drawn.any():
        return picture
    far, (row, column) = distance_transform_edt(~drawn, return_indices=True)
    near = far <= PADDING
    out = picture.copy()
    out[near] = picture[row[near], column[near]]
    return out


def _between(picture: U8, uv: F64) -> F64:
    """(n, 3) what a picture has at UVs, blended between its four nearest texels."""
    height, width = picture.shape[:2]
    x, y = np.clip(uv[:, 0] * width - 0.5, 0, width - 1), np.clip((1 - uv[:, 1]) * height - 0.5, 0, height - 1)
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    right, bottom = np.minimum(left + 1, width - 1), np.minimum(top + 1, height - 1)
    across, down = (x - left)[:, None], (y - top)[:, None]
    texels = picture.astype(np.float64)
    out: Array = (texels[top, left] * (1 - across) + texels[top, right] * across) * (1 - down) + (
        texels[bottom, left] * (1 - across) + texels[bottom, right] * across
    ) * down
    return out


def _as_bytes(normals: F64) -> U8:
    return np.rint((normals + 1) * 127.5).astype(np.uint8)


def _unit(vectors: F64) -> F64:
    return unit_vectors(vectors, above=1e-300)

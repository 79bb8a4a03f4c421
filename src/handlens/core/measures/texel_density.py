"""How many pixels of an image a length of surface gets."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..geometry.triangles import fan
from ..geometry.uv_area import UvAreas
from ..scene import Mesh, Scene
from ..scene.matrices import apply
from ..surface.uv_transform import enlarges
from ..words.arrays import F64, I32, I64, Array
from .records import DensityFigures
from .shown import base_colour

_BLOCK = 16_384


def densities(
    scene: Scene, world: F64, parts: list[int], sizes: Mapping[int, tuple[int, int]], areas: UvAreas
) -> list[DensityFigures]:
    """Texel density of each part's base colour image. parts: nodes. sizes: width and height of each image that is known.

    On a triangle it is the square root of its pixels over its area: pixels on a file unit of length, whichever way it runs. The
    figures are those that half, a tenth and nine tenths of the part's area do not exceed.

    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    out = []
    for node in parts:
        number = scene.nodes[node].mesh
        assert number is not None
        found = _density(scene, scene.meshes[number], world[node], sizes, areas)
        if found is not None:
            squared, area, image = found
            low, median, high = np.sqrt(quantiles(squared, area, (0.1, 0.5, 0.9))).tolist()
            out.append(DensityFigures(node, median, low, high, image))
    return out


def quantiles(values: F64, weights: F64, shares: tuple[float, ...]) -> F64:
    """The least values up to which these shares of all weights lie. values, weights: (n,). shares: 0 to 1."""
    order = np.argsort(values)
    reached = np.cumsum(weights[order])
    answer: Array = values[order[np.searchsorted(reached, np.array(shares) * reached[-1])]]
    return answer


def _density(
    scene: Scene, mesh: Mesh, matrix: F64, sizes: Mapping[int, tuple[int, int]], areas: UvAreas
) -> tuple[Array, Array, int] | None:
    """Squared densities of the triangles that have one, their areas, and the image that covers most of them."""
    inputs = {}
    for slot, material in enumerate(mesh.slot_materials):
        colour = base_colour(scene.materials[material]) if material >= 0 else None
        if colour is not None and colour.image in sizes and colour.uv_set < len(mesh.uvs):
            inputs[slot] = colour
    if not inputs or not mesh.face_count:
        return None
    corners, face = fan(mesh)
    # Half of it, as of the UVs: the halves cancel out.
    area = _doubled_area(apply(matrix, mesh.positions), mesh.corners, corners)
    values, weights, most = [], [], (0.0, -1)
    for slot, colour in inputs.items():
        assert colour.image is not None
        wide, high = sizes[colour.image]
        squared = np.abs(areas.twice(mesh, colour.uv_set)) * (enlarges(colour.transform) * wide * high) / area
        good = (squared > 0) & (squared < np.inf)
        if len(mesh.slots) and len(mesh.slot_materials) > 1:
            good &= mesh.slots[face] == slot
        if good.any():
            values.append(squared[good])
            weights.append(area[good])
            most = max(most, (float(weights[-1].sum()), colour.image))
    return (np.concatenate(values), np.concatenate(weights), most[1]) if values else None


def _doubled_area(points: F64, vertices: I32, corners: I64) -> F64:
    """(T,) twice the area of triangles. points: (V, 3). vertices: (C,) point of each corner. corners: (T, 3)."""
    out = np.empty(len(corners))
    for at in range(0, len(corners), _BLOCK):
        index = vertices[corners[at : at + _BLOCK]]
        a, b, c = (points[index[:, k]] for k in range(3))
        b -= a
        c -= a
        x = b[:, 1] * c[:, 2] - b[:, 2] * c[:, 1]
        y = b[:, 2] * c[:, 0] - b[:, 0] * c[:, 2]
        z = b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0]
        out[at : at + _BLOCK] = np.sqrt(x * x + y * y + z * z)
    return out

"""Blended parts that a painter's order gets wrong: looked at from all sides, with rays that meet two of them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from itertools import combinations
from typing import NamedTuple

import numpy as np

from ...geometry.components import components
from ...geometry.finite import finite_points
from ...geometry.rays import RayScene, sphere_directions
from ...geometry.topology import surface_once
from ...geometry.triangles import fan
from ...scene import Node, Scene
from ...scene.skinning import rest_world_positions
from ...surface.opacity import mode_of
from ...words.arrays import F64, I32, Array, Bool
from .records import DrawOrderFigures

#: Sides from which is looked, and rays from each.
DIRECTIONS, RAYS = 42, 400
#: The property of a node that names its place in the order of drawing, the farthest first. Ours: no open format has a field for it.
NUMBER = "draw_order"
#: Most pairs that are looked at, the largest parts first, and most triangles of all blended parts together.
_PAIRS, _TRIANGLES = 60, 400_000


class _Layer(NamedTuple):
    """One thing that is drawn whole: a part, or a piece of one. points (V, 3) world, triangles (T, 3), both: drawn from both sides.
    number: the place in the order of drawing that its node names."""

    node: int
    order: int
    points: Array
    triangles: Array
    both: bool
    low: Array
    high: Array
    number: int | None

    @property
    def middle(self) -> Array:
        out: Array = (self.low + self.high) / 2
        return out


def draw_orders(scene: Scene, world: F64, parts: list[int]) -> list[DrawOrderFigures]:
    """One record for each two blended parts, and for each part of several pieces, whose boxes meet and that rays meet both of.

    parts: nodes with a mesh. A part is drawn whole, the one with the farther middle of its box first; pieces of one part in
    the order in which they are stored. On a ray that meets two, it is wrong where the one drawn last is not the nearer, or
    where its far side, drawn too, lies behind the other. Equal distances count as wrong: which comes first is chance.
    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    whole = [layer for i in parts if (layer := _layer(scene, world, i)) is not None]
    if sum(len(x.triangles) for x in whole) > _TRIANGLES:
        return []
    pieces = [two for x in whole for two in combinations(_pieces(x), 2)]
    pairs = [p for p in [*combinations(whole, 2), *pieces] if _meet(*p)]
    pairs.sort(key=lambda p: -float(np.prod(p[0].high - p[0].low + 1e-12) + np.prod(p[1].high - p[1].low + 1e-12)))
    found = [x for pair in pairs[:_PAIRS] if (x := _look(*pair)) is not None]
    merged: dict[tuple[int, int], DrawOrderFigures] = {}
    for x in found:
        key = (x.first, x.second)
        # Of the pieces of one part, the two that are worst speak for it.
        if key not in merged or x.wrong * merged[key].both > merged[key].wrong * x.both:
            merged[key] = x
    return list(merged.values())


def _layer(scene: Scene, world: F64, node: int) -> _Layer | None:
    number = scene.nodes[node].mesh
    assert number is not None
    mesh = scene.meshes[number]
    blended = [
        k
        for k, slot_material in enumerate(mesh.slot_materials)
        if slot_material >= 0 and mode_of(scene.materials[slot_material]) == "blend"
    ]
    if not blended or not mesh.face_count:
        return None
    corners, face = fan(mesh)
    corners = corners[np.isin(mesh.slots[face], blended)] if len(mesh.slots) else corners
    points = rest_world_positions(scene, node, world)
    if not len(corners) or len(finite_points(points)) != len(points):
        return None
    # Welded, so that pieces hang together across seams.
    triangles = surface_once(mesh).ids[mesh.corners[corners]]
    place = np.zeros((int(triangles.max()) + 1, 3))
    place[triangles.ravel()] = points[mesh.corners[corners]].reshape(-1, 3)
    both = any(scene.materials[mesh.slot_materials[k]].double_sided for k in blended)
    return _boxed(node, 0, place, triangles, both, _number(scene.nodes[node]))


def _number(node: Node) -> int | None:
    extras = node.extras.get("extras")
    number = extras.get(NUMBER) if isinstance(extras, Mapping) else None
    return number if isinstance(number, int) and not isinstance(number, bool) else None


def _boxed(node: int, order: int, points: F64, triangles: I32, both: bool, number: int | None = None) -> _Layer:
    used = points[np.unique(triangles)]
    return _Layer(node, order, points, triangles, both, used.min(axis=0), used.max(axis=0), number)


def _pieces(x: _Layer) -> list[_Layer]:
    """The pieces of a part, in the order in which they are stored, the largest eight; none where it is one piece."""
    a = np.concatenate([x.triangles[:, 0], x.triangles[:, 0]])
    b = np.concatenate([x.triangles[:, 1], x.triangles[:, 2]])
    total = len(x.points)
    piece = components(total, a, b)[x.triangles[:, 0]]
    names, first, count = np.unique(piece, return_index=True, return_counts=True)
    if len(names) < 2:
        return []
    largest = np.argsort(-count, kind="stable")[:8]
    return [_boxed(x.node, int(first[k]), x.points, x.triangles[piece == names[k]], x.both) for k in largest.tolist()]


def _meet(a: _Layer, b: _Layer) -> bool:
    return bool((a.low <= b.high).all() and (b.low <= a.high).all())


def _look(a: _Layer, b: _Layer) -> DrawOrderFigures | None:
    low, high = np.minimum(a.low, b.low), np.maximum(a.high, b.high)
    middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
    if size <= 0:
        return None
    scenes = [RayScene(x.points, x.triangles) for x in (a, b)]
    towards, discs = _views()
    # All views at once: a call for each would cost more than the rays.
    start = (middle + towards[:, None] * size + discs * (size / 2)).reshape(-1, 3)
    along = np.repeat(-towards, RAYS, axis=0)
    near = [_near(scene, x, start, along).reshape(-1, RAYS) for scene, x in zip(scenes, (a, b), strict=True)]
    meets = np.isfinite(near[0]) & np.isfinite(near[1])
    met = meets.sum(axis=1)
    shares = lambda wrongs: [float(w / n) if n else None for w, n in zip(wrongs.tolist(), met.tolist(), strict=True)]
    bad = _wrong(a, b, near, scenes, start, towards, size, _ahead(a, b, towards))
    if a.node != b.node:
        # As far from one as from the other: which comes first is chance.
        bad[np.abs((a.middle - b.middle) @ towards.T) < 1e-4 * size] = True
    wrongs = (bad & meets).sum(axis=1)
    both, wrong = int(met.sum()), int(wrongs.sum())
    worst = towards[int(np.argmax(np.where(met > 0, wrongs / np.maximum(met, 1), -1.0)))]
    if not both:
        return None
    volume = [float(np.prod(x.high - x.low)) for x in (a, b)]
    outer = a if volume[0] >= volume[1] else b
    numbered = None
    if a.number is not None and b.number is not None and a.number != b.number:
        always = np.full(len(towards), float(a.number - b.number))
        numbered = shares((_wrong(a, b, near, scenes, start, towards, size, always) & meets).sum(axis=1))
    return DrawOrderFigures(a.node, b.node, outer.node, both, wrong, worst.tolist(), shares(wrongs), numbered)


def _ahead(a: _Layer, b: _Layer, towards: F64) -> F64:
    """(views,) how much nearer the first is to each view than the second, by what a painter sorts by; where positive it is drawn last."""
    if a.node == b.node:
        return np.full(len(towards), 1.0 if a.order > b.order else -1.0)
    out: F64 = (a.middle - b.middle) @ towards.T
    return out


def _wrong(
    a: _Layer,
    b: _Layer,
    near: list[F64],
    scenes: list,  # type: ignore[type-arg]
    start: F64,
    towards: F64,
    size: float,
    ahead: F64,
) -> Bool:
    """(views, RAYS) bool: rays on which the order is wrong in which two are drawn. ahead: (views,), the first is drawn last where positive."""
    out = np.zeros(near[0].shape, bool)
    for last, views in ((0, ahead > 0), (1, ahead <= 0)):
        if not views.any():
            continue
        first = near[1 - last][views]
        here = near[last][views] > first + 1e-4 * size
        if (a, b)[last].both:
            rows = np.repeat(views, RAYS)
            along = np.repeat(towards[views], RAYS, axis=0)
            far = 2 * size - _first(scenes[last], start[rows] - 2 * size * along, along).reshape(-1, RAYS)
            here |= np.isfinite(far) & (far > first + 1e-4 * size)
        out[views] = here
    return out


def _first(rays, start: F64, along: F64) -> F64:  # type: ignore[no-untyped-def]
    """(n,) distance at which rays meet something, infinite where nothing."""
    hits = rays.first(rays.to_unit(start), along)
    return np.where(hits.triangle >= 0, hits.distance.astype(np.float64) * rays.size, np.inf)


def _near(rays, x: _Layer, start: F64, along: F64) -> F64:  # type: ignore[no-untyped-def]
    """(n,) distance of the first side that is drawn: for one-sided parts only fronts count, looked for behind one back at most."""
    begin = rays.to_unit(start)
    hits = rays.first(begin, along)
    met = hits.triangle >= 0
    distance = np.where(met, hits.distance.astype(np.float64), np.inf)
    if not x.both and met.any():
        normal = np.zeros(start.shape)
        normal[met] = rays.normals(hits.triangle[met])
        back = met & (np.einsum("ij,ij->i", normal, along) > 0)
        if back.any():
            step = distance[back] + 1e-5
            behind = rays.first(begin[back] + step[:, None] * along[back], along[back])
            distance[back] = np.where(behind.triangle >= 0, step + behind.distance, np.inf)
    out: Array = distance * rays.size
    return out


@cache
def _views() -> tuple[Array, Array]:
    """(D, 3) directions that it is looked from, and (D, RAYS, 3) places on a disc of radius 1 square to each, evenly spread (Vogel 1979)."""
    towards = sphere_directions(DIRECTIONS)
    helper = np.eye(3)[np.abs(towards).argmin(axis=1)]
    across = np.cross(towards, helper)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    along = np.cross(towards, across)
    k = np.arange(RAYS) + 0.5
    radius, turn = np.sqrt(k / RAYS), k * np.pi * (3 - np.sqrt(5.0))
    return towards, (radius * np.cos(turn))[:, None] * across[:, None] + (radius * np.sin(turn))[:, None] * along[:, None]

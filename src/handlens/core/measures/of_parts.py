"""Figures of mesh instances: where each stands, how finely floats place it there, and how it swings."""

from __future__ import annotations

import numpy as np

from ..geometry.finite import finite_points
from ..scene import Scene
from ..scene.generated import ROLE, property_text
from ..scene.skinning import rest_world_positions
from ..surface.opacity import mode_of
from ..words.arrays import F64
from .facing import part_frame
from .precision import Worst, coarsest, rounded
from .records import PartFigures

#: Triangles up to which a flat part may stand for a card.
_CARD = 16


def part_figures(scene: Scene, node: int, world: F64, upright: int, flat_meshes: list[bool], link: Worst) -> PartFigures:
    """Figures of one mesh instance. world: (N, 4, 4). upright: which coordinate is up. flat_meshes: by mesh, whether it lies in
    one plane. link: how coarse the chain of nodes above it is.
    """
    n, matrix = scene.nodes[node], world[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    low = high = None
    farthest = sweep = needed = 0.0
    if len(mesh.positions):
        with np.errstate(invalid="ignore", over="ignore"):
            points = rest_world_positions(scene, node, world)
        points = finite_points(points)
        if len(points):
            a, b = points.min(axis=0), points.max(axis=0)
            low, high = a.tolist(), b.tolist()
            farthest = float(np.maximum(np.abs(a), np.abs(b)).max())
            flat = np.delete(points, upright, axis=1)
            sweep = _reach(flat, np.delete(matrix[:3, 3], upright))
            needed = _reach(flat, np.delete((a + b) / 2, upright))
    own = finite_points(mesh.positions)
    # A skinned part is as large as its joints make it, whatever its own node says.
    frame = part_frame(scene, node, world) if n.skin is not None and mesh.weights is not None else matrix
    sizes = np.linalg.norm(frame[:3, :3], axis=0)
    worst = coarsest(farthest, own, matrix, link, node)
    return PartFigures(
        node=node,
        name=scene.part_name(node),
        mesh=n.mesh,
        bounds_min=low,
        bounds_max=high,
        farthest=farthest,
        spacing=worst.spacing,
        distance=_finite(worst.distance, 0.0),
        coarse=worst.where,
        coarse_node=worst.node,
        rounded=worst.where != "link" and rounded(own),
        skinned=n.skin is not None,
        pivot=[float(v) for v in matrix[:3, 3]],
        sweep=sweep,
        needed=needed,
        enlarges=_finite(sizes.mean(), 1.0),
        shrinks=_finite(sizes.min(), 1.0),
        card=flat_meshes[n.mesh]
        and mesh.triangle_count <= _CARD
        and any(_cut_out(scene, slot_material) for slot_material in mesh.slot_materials),
        role=property_text(n, ROLE),
    )


def _cut_out(scene: Scene, material: int) -> bool:
    return material >= 0 and mode_of(scene.materials[material]) != "opaque"


def _finite(value: float, otherwise: float) -> float:
    return float(value) if value < 1e100 else otherwise


def _reach(points: F64, middle: F64) -> float:
    """Greatest distance of (n, 2) points from a middle."""
    with np.errstate(all="ignore"):
        away = points - middle
        farthest = np.sqrt(np.einsum("ij,ij->i", away, away).max())
    return float(farthest) if np.isfinite(farthest) else 0.0

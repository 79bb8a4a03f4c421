"""Numbers as wide as the format writes them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...geometry.finite import finite_points
from ...scene import Mesh, Scene
from ...scene.model import frozen
from ...scene.once import cached_per_mesh
from ...words.lengths import metres
from .messages import say
from .steps import ExportLoss, Step, Target


@cached_per_mesh
def _rounding(mesh: Mesh) -> float:
    """Greatest change of a coordinate by rounding it to a 32-bit float, in units of the scene."""
    finite = finite_points(mesh.positions)
    with np.errstate(over="ignore", invalid="ignore"):
        return float(np.abs(finite.astype(np.float32) - finite).max(initial=0.0))


def _tell(scene: Scene, target: Target) -> list[ExportLoss]:
    far = max((_rounding(mesh) for mesh in scene.meshes), default=0.0) if target.format.single else 0.0
    if not far > 0:
        return []
    by = metres(far * scene.unit_metres) if scene.unit_metres is not None else f"{far:.3g} file units"
    return [ExportLoss("Surface", "Rounding", say("loss.rounding", by=by), "64 bits", "32 bits")]


def _rounded(scene: Scene, _: Target) -> Scene:
    with np.errstate(over="ignore", invalid="ignore"):
        single = lambda p: frozen(p.astype(np.float32).astype(np.float64))
        return scene.with_(meshes=tuple(replace(mesh, positions=single(mesh.positions)) for mesh in scene.meshes))


STEPS = (Step("rounding", _tell, _rounded, heavy=True),)

"""Whether this machine can measure a model, asked before it begins: a sentence now, and not a fall after minutes."""

from __future__ import annotations

from .. import limits
from ..limits import InputError
from ..scene import Scene
from .messages import say

#: Bytes that measuring and drawing take at the least for a triangle and for a vertex (benchmarks/trust.md).
_A_TRIANGLE, _A_VERTEX = 300, 130


def check_fits(scene: Scene) -> None:
    """Raises InputError where one job may not have the memory that the model asks for."""
    triangles, vertices = sum(mesh.triangle_count for mesh in scene.meshes), sum(len(mesh.positions) for mesh in scene.meshes)
    wanted = triangles * _A_TRIANGLE + vertices * _A_VERTEX
    if wanted > limits.CHILD_MEMORY_BYTES:
        raise InputError(
            say(
                "pipeline.too-large",
                triangles=triangles,
                vertices=vertices,
                wanted=wanted / 1024**3,
                most=limits.CHILD_MEMORY_BYTES / 1024**3,
            )
        )

"""What a model costs to draw: triangles, draw calls, memory of its images."""

from __future__ import annotations

from .records import ImageFigures, Measures, MeshFigures


def triangles(m: Measures) -> int:
    """Over all instances."""
    return sum(m.meshes[p.mesh].triangles for p in m.parts)


def draw_calls_of(mesh: MeshFigures) -> int:
    """One for each slot that some face uses."""
    return sum(1 for n in mesh.slot_faces if n)


def draw_calls(m: Measures) -> int:
    return sum(draw_calls_of(m.meshes[p.mesh]) for p in m.parts)


def texture_bytes(image: ImageFigures) -> int:
    """Memory of an image once loaded: four bytes a pixel, and a third more for its mips."""
    if image.width is None or image.height is None or not image.used_by:
        return 0
    return image.width * image.height * 4 * 4 // 3


def texture_memory(m: Measures) -> int:
    return sum(texture_bytes(i) for i in m.images)

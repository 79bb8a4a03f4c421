"""What a model costs to draw: triangles, draw calls, memory of its images."""

from __future__ import annotations

import msgspec

from ..scene.made import BESIDE
from .records import ImageFigures, Measures, MeshFigures, PartFigures


def drawn_parts(m: Measures) -> list[PartFigures]:
    """Parts but for stand-ins and coarser levels, which are never drawn with the thing."""
    return [p for p in m.parts if p.role not in BESIDE]


def triangles(m: Measures) -> int:
    """Over all instances that are drawn."""
    return sum(m.meshes[p.mesh].triangles for p in drawn_parts(m))


def draw_calls_of(mesh: MeshFigures) -> int:
    """One for each slot that some face uses."""
    return sum(1 for n in mesh.slot_faces if n)


def draw_calls(m: Measures) -> int:
    return sum(draw_calls_of(m.meshes[p.mesh]) for p in drawn_parts(m))


def texture_bytes(image: ImageFigures) -> int:
    """Memory of an image once loaded: four bytes a pixel, and a third more for its mips."""
    if image.width is None or image.height is None or not image.used_by:
        return 0
    return image.width * image.height * 4 * 4 // 3


def texture_memory(m: Measures) -> int:
    return sum(texture_bytes(i) for i in m.images)


class Drawing(msgspec.Struct, frozen=True):
    """What a destination pays for. card_vertices: after splitting at seams and hard edges. texture_memory: bytes. largest_mesh:
    triangles of the largest mesh that is shown."""

    parts: int
    triangles: int
    card_vertices: int
    draw_calls: int
    meshes: int
    texture_memory: int
    largest_mesh: int = 0


def drawing(m: Measures) -> Drawing:
    """The drawing figures of a model, over all instances that are drawn."""
    drawn = drawn_parts(m)
    vertices = sum(m.meshes[p.mesh].gpu_vertices for p in drawn)
    largest = max((m.meshes[p.mesh].triangles for p in drawn), default=0)
    return Drawing(len(drawn), triangles(m), vertices, draw_calls(m), len(m.meshes), texture_memory(m), largest)

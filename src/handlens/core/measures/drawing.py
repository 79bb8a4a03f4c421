"""What a model costs to draw: triangles, draw calls, memory of its images."""

from __future__ import annotations

import msgspec

from ..scene.generated import BESIDE
from .records import ImageFigures, Measures, MeshFigures, PartFigures


def drawn_parts(measures: Measures) -> list[PartFigures]:
    """Parts but for stand-ins and coarser levels, which are never drawn with the thing."""
    return [part for part in measures.parts if part.role not in BESIDE]


def triangles(measures: Measures) -> int:
    """Over all instances that are drawn."""
    return sum(measures.meshes[part.mesh].triangles for part in drawn_parts(measures))


def draw_calls_of(mesh: MeshFigures) -> int:
    """One for each slot that some face uses."""
    return sum(1 for n in mesh.slot_faces if n)


def draw_calls(measures: Measures) -> int:
    """Parts times the slots that each of them uses."""
    return sum(draw_calls_of(measures.meshes[part.mesh]) for part in drawn_parts(measures))


def texture_bytes(image: ImageFigures) -> int:
    """Memory of an image once loaded: four bytes a pixel, and a third more for its mips."""
    if image.width is None or image.height is None or not image.used_by:
        return 0
    return image.width * image.height * 4 * 4 // 3


def texture_memory(measures: Measures) -> int:
    """Bytes of all images that materials use, loaded, with mips."""
    return sum(texture_bytes(i) for i in measures.images)


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


def drawing(measures: Measures) -> Drawing:
    """The drawing figures of a model, over all instances that are drawn."""
    drawn = drawn_parts(measures)
    vertices = sum(measures.meshes[part.mesh].gpu_vertices for part in drawn)
    largest = max((measures.meshes[part.mesh].triangles for part in drawn), default=0)
    return Drawing(
        len(drawn), triangles(measures), vertices, draw_calls(measures), len(measures.meshes), texture_memory(measures), largest
    )

"""What a scene costs to draw, counted on the scene itself: what each mend on a tape makes of it."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

from ..scene import Image, Mesh, Scene
from ..scene.generated import BESIDE, ROLE, property_text
from ..scene.transforms import walk
from ..surface.decoded import opened

_sizes: WeakKeyDictionary[Image, int] = WeakKeyDictionary()


@dataclass(frozen=True)
class DrawCost:
    """triangles, draw_calls: over all times that meshes are shown, but for stand-ins and coarser levels, which are never drawn with it. largest: triangles of the largest mesh. texture_bytes: of images
    that materials use, loaded, with mips."""

    triangles: int
    largest: int
    draw_calls: int
    texture_bytes: int


def draw_cost(scene: Scene) -> DrawCost:
    """Count what a scene costs."""
    nodes = [scene.nodes[i] for i in walk(scene)]
    shown = [n.mesh for n in nodes if n.mesh is not None and property_text(n, ROLE) not in BESIDE]
    of = {k: (scene.meshes[k].triangle_count, _slots(scene.meshes[k])) for k in set(shown)}
    images = {i.image for material in scene.materials for i in material.inputs if i.image is not None}
    return DrawCost(
        sum(of[k][0] for k in shown),
        max((n for n, _ in of.values()), default=0),
        sum(of[k][1] for k in shown),
        sum(_loaded(scene.images[k]) for k in images),
    )


def _slots(mesh: Mesh) -> int:
    """Slots that some face has, each a draw."""
    return len(mesh.used_slots)


def _loaded(image: Image) -> int:
    """Bytes of an image once loaded: four a pixel, and a third more for its mips; 0 for one that cannot be opened."""
    if image not in _sizes:
        picture = opened(image, pixels=False)
        _sizes[image] = 0 if picture is None else picture.size[0] * picture.size[1] * 4 * 4 // 3
    return _sizes[image]

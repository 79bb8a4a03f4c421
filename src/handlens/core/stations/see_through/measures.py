"""What See-through measures for itself."""

from __future__ import annotations

from ...declare.station_measures import StationMeasures
from ...measures import Measures
from ...scene import Scene
from ...scene.transforms import walk, world_matrices
from ...words.arrays import Array
from .draw_order import draw_orders
from .records import SeeThroughMeasures


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> SeeThroughMeasures:
    """Measure what See-through alone asks for. arrays: element lists by key, of which it has none."""
    placed = [i for i in walk(scene) if scene.nodes[i].mesh is not None]
    return SeeThroughMeasures(draw_orders(scene, world_matrices(scene), placed))


OWN = StationMeasures("see-through", SeeThroughMeasures, take, reads=("nodes", "meshes", "skins", "materials", "images"))

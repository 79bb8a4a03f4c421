"""What Arrival measures for itself."""

from __future__ import annotations

from ...declare.station_measures import StationMeasures
from ...measures import Measures
from ...scene import Scene
from ...words.arrays import Array
from .records import ArrivalMeasures
from .side_files import borrowed, broken_files, side_uses


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> ArrivalMeasures:
    """Measure what Arrival alone asks for. arrays: element lists by key, of which it has none."""
    files = [neighbour.path for neighbour in scene.beside if neighbour.role == "side-file"]
    return ArrivalMeasures(files, side_uses(scene), broken_files(scene), borrowed(scene))


OWN = StationMeasures(
    "arrival", ArrivalMeasures, take, reads=("nodes", "meshes", "skins", "clips", "materials", "images", "beside")
)

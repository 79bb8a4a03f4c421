"""What Placement measures for itself."""

from __future__ import annotations

from ...declare.station_measures import StationMeasures
from ...measures import Measures
from ...scene import Scene
from ...scene.transforms import world_matrices
from ...words.arrays import Array
from .nudges import nudges
from .records import PlacementMeasures


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> PlacementMeasures:
    """Measure what Placement alone asks for. arrays: element lists by key, of which it has none."""
    return PlacementMeasures(nudges(scene, world_matrices(scene)))


OWN = StationMeasures("placement", PlacementMeasures, take, reads=("nodes", "meshes", "skins", "clips"))

"""Everything that is measured of a scene: what all stations read, and what each takes for itself."""

from __future__ import annotations

import logging

import numpy as np
from msgspec.structs import replace

from ..geometry.topology import forget_surfaces
from ..measures import Measures, collect
from ..measures.collect import Progress, silent
from ..measures.known import Known
from ..scene import Scene
from ..scene.skinning import forget_poses
from ..words.arrays import Array
from .stations import stations


def measure(scene: Scene, progress: Progress = silent, known: Known | None = None) -> Measures:
    """As `measures.collect`, with each station's own measures."""
    try:
        return _measure(scene, progress, known)
    finally:
        forget_surfaces()
        forget_poses()


def _measure(scene: Scene, progress: Progress, known: Known | None) -> Measures:
    measures = collect(scene, progress, known)
    for station in stations():
        if station.own is None:
            continue
        arrays: dict[str, Array] = {}
        try:
            with np.errstate(all="ignore"):
                taken = station.own.stored(scene, measures, arrays)
        except Exception:
            # What one station cannot measure must not take the others along: its checks say that they could not look.
            logging.getLogger(__name__).exception("measuring for %s failed", station.name)
            continue
        kept = {f"{station.slug}:{name}": np.asarray(indices, np.int32) for name, indices in arrays.items()}
        measures = replace(
            measures,
            arrays={**measures.arrays, **kept},
            own={**measures.own, station.slug: taken},
            own_versions={**measures.own_versions, station.slug: station.own.version},
        )
    return measures

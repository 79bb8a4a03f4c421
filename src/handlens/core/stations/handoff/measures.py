"""What Handoff measures for itself: the files that are sent."""

from __future__ import annotations

from ...declare.station_measures import StationMeasures
from ...measures import Measures
from ...scene import Image, Scene
from ...words.arrays import Array
from .records import HandoffMeasures, PackageFile


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> HandoffMeasures:
    """The files of a model as it came, with what mends made of them. arrays: element lists by key, of which it has none."""
    found: dict[str, PackageFile] = {}
    if scene.main:
        found[scene.main] = PackageFile(scene.main, "model", scene.file_bytes.get(scene.main))
    for path, role in scene.files:
        found.setdefault(path, PackageFile(path, role, scene.file_bytes.get(path)))
    for image in scene.images:
        if image.found_at is not None:
            size = scene.file_bytes.get(image.found_at)
            found[image.found_at] = PackageFile(image.found_at, "image", size if size is not None else _size(image))
    for neighbour in scene.beside:
        if neighbour.role == "side-file" or neighbour.changed:
            found.setdefault(neighbour.path, PackageFile(neighbour.path, neighbour.role, neighbour.size))
    pictures = [n.path for n in scene.beside if n.role == "image" and n.origin == "package"]
    return HandoffMeasures(list(found.values()), scene.main, pictures)


def _size(image: Image) -> int | None:
    """Bytes of an image that a mend made."""
    data = image.bytes()
    return None if data is None else len(data)


OWN = StationMeasures("handoff", HandoffMeasures, take, reads=("images", "beside"))

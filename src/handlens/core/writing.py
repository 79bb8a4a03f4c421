"""Writing a scene as a destination wants it: converted and cut first, then handed to the format's writer."""

from __future__ import annotations

from dataclasses import replace
from pathlib import PurePosixPath

import numpy as np

from . import formats
from .format_table import BY_NAME, WRITERS
from .formats.layout import Layout
from .limits import InputError
from .packages import clean_path
from .rules.export import ExportOptions
from .rules.sheet import UNIT_WORDS, UNITS
from .scene import Mesh, Scene
from .scene.axes import turn_between
from .scene.model import Array
from .scene.recut import recut
from .scene.triangles import triangulate


def write_as(scene: Scene, format_name: str, stem: str, options: ExportOptions) -> dict[str, bytes]:
    """The files of a scene, main file first. Raises InputError for an unknown format or a folder that leads elsewhere."""
    made = prepared(scene, format_name, options)
    folder = options.folder.replace("{model}", stem).strip("/")
    if folder:
        clean_path(f"{folder}/x")
    if options.images == "none":
        made = made.with_(images=tuple(replace(i, load=None) for i in made.images))
    files = formats.write(made, format_name, stem, Layout(folder, options.images, options.material_library))
    return files | {path: data for path, data in changed_files(scene).items() if path not in files}


def changed_files(scene: Scene) -> dict[str, bytes]:
    """Files beside the model that mends wrote anew, by their paths: they go out with it."""
    return {n.path: n.load() for n in scene.beside if n.changed}


def prepared(scene: Scene, format_name: str, options: ExportOptions) -> Scene:
    """The scene with the numbers, axes and polygons that are wanted. A format with a unit and an axis of its own keeps them."""
    from .mends.conjugate import conjugate

    if BY_NAME.get(format_name) is None:
        raise InputError(f"The format {format_name} cannot be written; use one of: {', '.join(WRITERS)}.")
    if options.triangulate:
        scene = scene.with_(meshes=tuple(triangulated(m) for m in scene.meshes))
    factor, turn, unit, up = _frame(scene, format_name, options)
    if factor == 1.0 and (turn == np.eye(3)).all():
        return scene
    return conjugate(scene, turn, factor).with_(unit_metres=unit, up_axis=up)


def _frame(scene: Scene, format_name: str, options: ExportOptions) -> tuple[float, Array, float | None, str | None]:
    """Factor and turn that the numbers take, and the unit and axis that they are then in."""
    if BY_NAME[format_name].fixed_unit:
        return 1.0, np.eye(3), scene.unit_metres, scene.up_axis
    factor, unit = 1.0, scene.unit_metres
    # A file that states no unit keeps its numbers: what they mean is not known.
    if options.unit and scene.unit_metres is not None:
        factor, unit = scene.unit_metres / UNITS[options.unit], UNITS[options.unit]
    if scene.up_axis and options.up_axis:
        return factor, turn_between(scene.up_axis, options.up_axis), unit, options.up_axis
    return factor, np.eye(3), unit, scene.up_axis


def read_back(scene: Scene, format_name: str, options: ExportOptions, again: Scene) -> Scene:
    """What was read back, with the unit and the axis that it was written in where the format cannot state them."""
    _, _, unit, up = _frame(scene, format_name, options)
    return again.with_(unit_metres=again.unit_metres if again.unit_metres is not None else unit, up_axis=again.up_axis or up)


def changes(scene: Scene, format_name: str, options: ExportOptions) -> list[str]:
    """One sentence for each thing that the options do to the numbers, to be shown before writing."""
    out = []
    _, _, unit, up = _frame(scene, format_name, options)
    if unit != scene.unit_metres and options.unit:
        out.append(f"Lengths are written in {UNIT_WORDS[options.unit]}.")
    if up != scene.up_axis:
        out.append(f"{up} is up in the file.")
    if options.triangulate and any((m.corner_counts > 3).any() for m in scene.meshes):
        out.append("Polygons are cut into triangles.")
    if options.images == "none" and scene.images:
        out.append("Images are left out.")
    elif options.folder and scene.images:
        out.append(f"Images lie in the folder {PurePosixPath(options.folder)}.")
    if not options.material_library and format_name == "obj" and scene.materials:
        out.append("No material library is written.")
    return out


def triangulated(mesh: Mesh) -> Mesh:
    """A mesh whose polygons are cut into triangles, every layer carried along."""
    if mesh.only_triangles:
        return mesh
    corners, face = triangulate(mesh)
    return recut(mesh, corners.reshape(-1), np.arange(len(corners) + 1, dtype=np.int64) * 3, face)

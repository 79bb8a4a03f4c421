"""Units, axes and polygons: the numbers as the destination and the format want them."""

from __future__ import annotations

import numpy as np

from ...edit.similarity import apply_similarity
from ...geometry.recut import recut
from ...geometry.triangles import triangulate
from ...rules.export import UNIT_WORDS
from ...rules.sheet import UNITS
from ...scene import Mesh, Scene
from ...scene.axes import turn_between
from ...words.arrays import Array
from .messages import say
from .steps import ExportLoss, Step, Target

_GROUP = "Size"
#: Units that a 3MF model can be in (core specification 1.3, chapter 3.4).
THREEMF_UNITS = {"micron": 1e-6, "millimeter": 0.001, "centimeter": 0.01, "inch": 0.0254, "foot": 0.3048, "meter": 1.0}
#: What numbers count as in a format that always has a unit, where none was stated.
_COUNT_AS = {"glb": 1.0, "gltf": 1.0, "3mf": 0.001, "usda": 1.0, "usdz": 1.0}
_UNIT_NAMES = {1.0: "metres", 0.01: "centimetres", 0.001: "millimetres", 1e-6: "micrometres", 0.0254: "inches", 0.3048: "feet"}


def unit_words(metres: float | None) -> str:
    """A unit in words. metres: metres in one unit; None where it is not stated."""
    if metres is None:
        return "not stated"
    return next((name for m, name in _UNIT_NAMES.items() if abs(m - metres) < 1e-9 * m), f"{metres:g} m")


def target_unit(scene: Scene, target: Target) -> float | None:
    """Metres per unit that the numbers will be in; None where they stay as they are and nothing says what they mean."""
    form, own = target.format, scene.unit_metres
    if form.fixed_unit:
        return 1.0
    wanted = target.options.unit or (target.options.unstated_unit if target.lacks("unit") else None)
    if wanted and own is not None:
        own = UNITS[wanted]
    if form.name == "3mf":
        known = own is not None and any(abs(m - own) < 1e-9 * m for m in THREEMF_UNITS.values())
        return own if known else 0.001
    return _COUNT_AS.get(form.name) if own is None else own


def target_up_axis(scene: Scene, target: Target) -> str | None:
    """The axis that will be up in the numbers that are written, X, Y or Z; None where none is stated."""
    form = target.format
    if form.fixed_axis:
        return "Z" if form.name == "3mf" else "Y"
    if form.name in ("usda", "usdz"):
        axis = target.options.up_axis if scene.up_axis else None
        return axis or ("Y" if scene.up_axis in (None, "X") else scene.up_axis)
    axis = target.options.up_axis or (target.options.unstated_axis if target.lacks("up axis") else None)
    return axis if scene.up_axis and axis else scene.up_axis


def _tell_frame(scene: Scene, target: Target) -> list[ExportLoss]:
    unit, axis = target_unit(scene, target), target_up_axis(scene, target)
    said = []
    if unit is not None and unit != scene.unit_metres:
        if scene.unit_metres is None:
            text = say("loss.unit-unstated", unit_words=unit_words(unit))
        elif target.options.unit or target.lacks("unit") or target.format.name != "3mf":
            named = next((UNIT_WORDS[k] for k, m in UNITS.items() if m == unit), unit_words(unit))
            text = say("loss.other-unit", named=named)
        else:
            text = say("loss.unknown-unit", unit_metres=scene.unit_metres)
        said.append(ExportLoss(_GROUP, "Unit", text, unit_words(scene.unit_metres), unit_words(unit)))
    if axis is not None and axis != scene.up_axis:
        if scene.up_axis is None:
            text = say("loss.axis-unstated", axis=axis)
        elif target.format.fixed_axis:
            text = say("loss.fixed-axis", axis=axis)
        else:
            text = say("loss.other-axis", axis=axis)
        said.append(ExportLoss(_GROUP, "Up axis", text, scene.up_axis or "not stated", axis))
    return said


def _frame(scene: Scene, target: Target) -> Scene:
    unit, axis = target_unit(scene, target), target_up_axis(scene, target)
    factor = 1.0 if unit is None or scene.unit_metres is None else scene.unit_metres / unit
    turn: Array = np.eye(3) if scene.up_axis is None or axis is None else turn_between(scene.up_axis, axis)
    moved = factor != 1.0 or not (turn == np.eye(3)).all()
    return (apply_similarity(scene, turn, factor) if moved else scene).with_(unit_metres=unit, up_axis=axis)


def _tell_unstated(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("unit") or (scene.unit_metres is None and scene.up_axis is None):
        return []
    own = (unit_words(target_unit(scene, target)), target_up_axis(scene, target) or "not stated")
    if own[1] == "not stated":
        text = say("loss.unstated.unit", unit=own[0])
    elif own[0] == "not stated":
        text = say("loss.unstated.axis", axis=own[1])
    else:
        text = say("loss.unstated", unit=own[0], axis=own[1])
    return [ExportLoss(_GROUP, "Unit and axis", text, f"{own[0]}, {own[1]}", "not stated")]


def triangulated(mesh: Mesh) -> Mesh:
    """A mesh whose polygons are cut into triangles, every layer carried along."""
    if mesh.only_triangles:
        return mesh
    corners, face = triangulate(mesh)
    return recut(mesh, corners.reshape(-1), np.arange(len(corners) + 1, dtype=np.int64) * 3, face)


def _tell_polygons(scene: Scene, target: Target) -> list[ExportLoss]:
    if not (target.options.triangulate or target.lacks("polygons")):
        return []
    count = sum(int(np.count_nonzero(mesh.corner_counts > 3)) for mesh in scene.meshes)
    if not count:
        return []
    text = say("loss.no-polygons", count=count) if target.lacks("polygons") else say("loss.triangulated")
    return [ExportLoss("Surface", "Polygons", text, f"{count:,}", "0")]


STEPS = (
    Step("frame", _tell_frame, _frame, heavy=True),
    Step("unit", _tell_unstated, lambda s, _: s.with_(unit_metres=None, up_axis=None)),
    Step("polygons", _tell_polygons, lambda s, _: s.with_(meshes=tuple(triangulated(mesh) for mesh in s.meshes)), heavy=True),
)

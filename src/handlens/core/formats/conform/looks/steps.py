"""The steps on materials, in their order."""

from __future__ import annotations

from dataclasses import replace

from ....scene import Scene
from ..steps import ExportLoss, Step, Target
from .alpha import (
    fewer_modes,
    moded,
    named_alpha,
    tell_idle_modes,
    tell_modes,
    tell_solid,
    without_idle_modes,
    without_idle_opacity,
)
from .common import changed
from .inputs import (
    names_alone,
    tell_doubled,
    tell_gathered,
    tell_library,
    tell_materials,
    tell_roles,
    with_gathered,
    without_doubled,
    without_materials,
    without_roles,
)
from .names import named, names_of_undefined, tell_idle, tell_names, tell_undefined, without_idle
from .samplers import tell_samplers, with_samplers
from .space import in_space, v_direction
from .values import glow, in_range, shine, sides, tell_glow, tell_range, tell_shine, tell_sides, tell_tints, untinted
from .words import in_words, nothing_beside, tell_beside


def _none(scene: Scene, target: Target) -> list[ExportLoss]:
    return []


STEPS = (
    Step("materials", tell_materials, without_materials),
    Step("undefined materials", tell_undefined, changed(lambda m: m if m.defined else replace(m, defined=True))),
    Step("idle undefined materials", tell_idle, without_idle),
    Step("names of what is undefined", _none, names_of_undefined, always=True),
    Step("names of materials", tell_names, named),
    Step("material library", tell_library, names_alone),
    Step("inputs", tell_roles, without_roles),
    Step("further inputs", tell_doubled, changed(without_doubled)),
    Step("painted pictures", tell_gathered, with_gathered, always=True),
    Step("ways of drawing", _none, moded, always=True),
    Step("opacity of solid materials", tell_solid, changed(without_idle_opacity)),
    Step("idle alpha modes", tell_idle_modes, without_idle_modes),
    Step("alpha modes", tell_modes, fewer_modes),
    Step("alpha by an input", _none, named_alpha, always=True),
    Step("shine", tell_shine, shine),
    Step("glow", tell_glow, glow),
    Step("tinted images", tell_tints, changed(untinted)),
    Step("double-sided", tell_sides, sides),
    Step("ways of laying on", tell_samplers, with_samplers),
    Step("other values", tell_beside, nothing_beside),
    Step("own words", _none, in_words, always=True),
    Step("colours", _none, in_space, always=True, heavy=True),
    Step("values out of range", tell_range, changed(in_range)),
    Step("direction of v", _none, v_direction, always=True, heavy=True),
)


#: Once more when it is known which images come along.
LAST = (Step("alpha modes without their image", tell_idle_modes, without_idle_modes),)

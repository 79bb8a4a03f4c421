"""A scene as a format can hold it, and what is said of the way there.

The writers write what comes out of here and nothing else, the sentences before writing come from here, and the proof compares
what comes out of here with what was read back. So nothing can be lost that was not said, and nothing excused.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...edit.similarity import apply_similarity
from ...rules.export import ExportOptions
from ...scene import Scene
from ...scene.axes import turn_between
from ..table import BY_NAME
from . import frame, letters, numbers, optics, pictures, rig, surface, threemf, tree, uv_sets
from .looks import steps as looks
from .looks.space import in_space, v_direction
from .steps import ExportLoss, Step, Target

#: In this order: what is left out of the tree first, then the frame, the rig, the surface, the looks, and how parts are laid out.
STEPS: tuple[Step, ...] = (
    *letters.STEPS,
    *pictures.FIRST,
    *tree.STEPS,
    *rig.STEPS,
    *optics.STEPS,
    *frame.STEPS,
    *surface.STEPS,
    *uv_sets.STEPS,
    *looks.STEPS,
    *pictures.STEPS,
    *looks.LAST,
    *threemf.STEPS,
    *tree.FLAT,
    *surface.LAST,
    *numbers.STEPS,
)


@dataclass(frozen=True)
class ConformedScene:
    """scene: what the format can hold of what was sent, in its own words. said: every difference between the two."""

    scene: Scene
    said: tuple[ExportLoss, ...]

    @property
    def lost(self) -> list[str]:
        return list(dict.fromkeys(str(s.text) for s in self.said))


def export_losses(scene: Scene, target: Target) -> list[ExportLoss]:
    """Everything that will differ, told before writing, without working through arrays and pictures."""
    return _run_steps(scene, target, STEPS, False, light=True)[1]


def conform(scene: Scene, target: Target, *, free: bool = False, steps: Sequence[Step] = STEPS) -> ConformedScene:
    """The scene as a format holds it. free: nothing but what the format cannot hold is taken away, for comparing with any file."""
    # What is said is what was said before writing, to the letter.
    lines = _run_steps(scene, target, steps, free, light=True)[1]
    made = _run_steps(scene, target, steps, free, light=False)[0]
    # From here on what materials say beside their fields is in the words of the format.
    return ConformedScene(replace(made, format=target.format.name), tuple(lines))


def _run_steps(scene: Scene, target: Target, steps: Sequence[Step], free: bool, light: bool) -> tuple[Scene, list[ExportLoss]]:
    lines: list[ExportLoss] = []
    for step in steps:
        if free and step.choice:
            continue
        told = step.tell(scene, target)
        if (told or step.always) and not (light and step.heavy):
            scene = step.apply(scene, target)
        lines += told
    return scene, lines


def alike_frame(scene: Scene, other: Scene) -> Scene:
    """The scene with its unit, its axis, the direction of v and the kind of colours that another one has, where both state them."""
    options = ExportOptions()
    like = replace(BY_NAME[other.format], v_down=other.v_down, linear=other.linear)
    target = Target(like, options)
    scene = in_space(v_direction(scene, target), target)
    factor = (scene.unit_metres or 1.0) / (other.unit_metres or scene.unit_metres or 1.0)
    turn = turn_between(scene.up_axis or other.up_axis or "Y", other.up_axis or scene.up_axis or "Y")
    if factor == 1.0 and (turn == np.eye(3)).all():
        return scene.with_(unit_metres=other.unit_metres, up_axis=other.up_axis)
    return apply_similarity(scene, turn, factor).with_(unit_metres=other.unit_metres, up_axis=other.up_axis)


__all__ = ["STEPS", "ConformedScene", "ExportLoss", "Step", "Target", "alike_frame", "conform", "export_losses"]

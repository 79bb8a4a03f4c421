"""Mends played: one, or a whole tape of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from ..declare.mend import MendRun, Outcome
from ..declare.promises import measured_promise
from ..limits import InputError, MendError
from ..measures.draw_cost import DrawCost, draw_cost
from ..rules.sheet import UNITS
from ..scene import Scene
from ..words.calls import Call, Params
from .stations import find_mend


def apply_mend(scene: Scene, id: str, params: Params) -> Outcome:
    """Apply one mend. Raises InputError for a wrong call, MendError where it does not apply."""
    chosen = find_mend(id)
    with np.errstate(all="ignore"):  # a file may hold any number
        return chosen.run(scene, **chosen.read(params))


def apply_as_promised(scene: Scene, id: str, params: Params) -> tuple[Outcome, tuple[str, ...]]:
    """Apply one mend: its outcome, and sentences on what it was measured to have kept. Raises InputError for a wrong call, MendError where
    it does not apply or would break what it promises.
    """
    outcome = apply_mend(scene, id, params)
    chosen = find_mend(id)
    if chosen.promise is None:
        return outcome, ()
    with np.errstate(all="ignore"):
        kept = measured_promise(scene, outcome.scene, chosen.promise, chosen.read(params))
    unit = scene.unit_metres or 1.0
    for k in kept:
        if not k.holds:
            raise MendError(f"It promises to keep {k.what}, and here it would be off by {k.far(unit)}.")
    return outcome, tuple(k.sentence(unit) for k in kept)


def apply_tape(scene: Scene, tape: Sequence[Call], *, refuse_wrong_calls: bool = False) -> tuple[Scene, list[MendRun]]:
    """Play a tape in order. A mend that does not apply, or that would break what it promises, is passed over and says so; the scene goes
    on without it. A wrong call is passed over too, or raises InputError where that is asked for.

    Where it would have applied before an earlier slip, `before` says which: that slip takes away what it needs. So it does where an
    earlier slip rests on what this one changes.
    """
    runs: list[MendRun] = []
    scenes = [scene]
    cost: DrawCost | None = None
    for id, params in tape:
        try:
            outcome, kept = apply_as_promised(scenes[-1], id, params)
        except (MendError, InputError) as error:
            if refuse_wrong_calls and isinstance(error, InputError):
                raise
            runs.append(MendRun(id, params, False, because=str(error), before=_conflict(scenes, runs, id, params)))
            scenes.append(scenes[-1])
            continue
        scenes.append(outcome.scene)
        spoilt = _rests_on(runs, id)
        remarks = tuple(str(remark) for remark in outcome.remarks)
        if spoilt is not None:
            later = find_mend(runs[spoilt].mend).title
            remarks = (*remarks, f"{later} was played before it and rests on it: it holds better the other way round.")
        if (scaled := _scaled(runs)) != 1.0 and any(name.endswith("_mm") for name in params):
            remarks = (*remarks, f"Its millimetres are counted on the model as scaled by {scaled:g} before it, not as it came.")
        was, cost = cost or draw_cost(scenes[-2]), draw_cost(outcome.scene)
        runs.append(MendRun(id, params, True, outcome.all_figures(), remarks, before=spoilt, kept=kept, draw_cost=(was, cost)))
    return scenes[-1], runs


def declared_unit(tape: Sequence[Call]) -> str | None:
    """What a tape says that the numbers of a file are in that states no unit, as the intent has it; None where it says nothing, or a unit
    that has no name there."""
    factor = 1.0
    for mend_id, params in tape:
        if mend_id != "size.scale":
            continue
        factor *= float(params["factor"])
        unit = params.get("unit", "as-it-is")
        if unit != "as-it-is":
            return next((name for name, length in UNITS.items() if abs(factor * UNITS[unit] / length - 1) < 1e-6), None)
    return None


def _scaled(runs: list[MendRun]) -> float:
    """By what all lengths were multiplied so far."""
    return math.prod(float(run.params["factor"]) for run in runs if run.applied and run.mend == "size.scale")


def _rests_on(runs: list[MendRun], id: str) -> int | None:
    """The first slip that was played and rests on what a mend does, though the mend only comes now."""
    return next((k for k, run in enumerate(runs) if run.applied and id in find_mend(run.mend).after), None)


def _conflict(scenes: list[Scene], runs: list[MendRun], id: str, params: dict[str, Any]) -> int | None:
    """The latest earlier slip before which a mend still applies, if there is one."""
    for k in range(len(runs) - 1, -1, -1):
        if not runs[k].applied:
            continue
        try:
            apply_mend(scenes[k], id, params)
        except (MendError, InputError):
            continue
        return k
    return None

"""A scene measured, and every mend that is offered for it tried."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..judge.trials import with_trials
from ..measures import Measures
from ..measures.known import Known
from ..route.measuring import measure
from ..rules import Intent, RuleSheet
from ..scene import Scene

#: Told a phase in words and the share done, 0 to 1.
Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class Inspected:
    """measures: with what came of the offers. fresh: meshes that had to be measured anew. seconds: what each step took."""

    measures: Measures
    fresh: int
    seconds: dict[str, float]


def inspect(
    scene: Scene,
    sheets: Sequence[RuleSheet],
    intent: Intent,
    earlier: Measures | None = None,
    progress: Progress = lambda phase, share: None,
) -> Inspected:
    """Measure a scene and try what is offered by any of the sheets.

    earlier: measures of the same model, of which those of equal meshes are taken over.
    """
    began = time.perf_counter()
    known = Known(earlier)
    measures = measure(scene, lambda phase, share: progress(phase, 0.8 * share), known)
    measured = time.perf_counter()
    measures = with_trials(
        scene, measures, sheets, intent, progress=lambda share: progress("trying what is offered", 0.8 + 0.2 * share)
    )
    tried = time.perf_counter()
    return Inspected(measures, known.fresh, {"measure": round(measured - began, 3), "try": round(tried - measured, 3)})

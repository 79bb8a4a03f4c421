"""A scene measured, and every mend that is offered for it tried."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from ..measures import Measures
from ..measures.known import Known
from ..offers.trials import with_trials
from ..route.measuring import measure
from ..rules import Intent, RuleSheet
from ..scene import Scene

#: How much of what is offered is tried: nothing; what fits into the time that measuring took, or into two seconds; all.
Trying = Literal["none", "quick", "all"]
#: Seconds that trying may take at the least where it is quick.
_QUICK = 2.0
#: Seconds that one play may be reckoned to take where trying is quick: nobody who asked for a verdict waits longer for one offer.
_A_PLAY = 0.5
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
    trying: Trying = "quick",
    keep: bool = True,
) -> Inspected:
    """Measure a scene and try what is offered by any of the sheets, what mends the worst finding first.

    earlier: measures of the same model, of which those of equal meshes are taken over. keep: whether later ones may take over from these.
    """
    began = time.perf_counter()
    # What nobody takes over later need not be known by its content.
    known = None if earlier is None and trying == "none" and not keep else Known(earlier)
    measures = measure(scene, lambda phase, share: progress(phase, 0.8 * share), known)
    measured = time.perf_counter()
    if trying != "none":
        seconds = math.inf if trying == "all" else max(measured - began, _QUICK)
        tell = lambda share: progress("trying what is offered", 0.8 + 0.2 * share)
        pace = (measured - began) / max(sum(mesh.triangle_count for mesh in scene.meshes), 1)
        longest = math.inf if trying == "all" else _A_PLAY
        measures = with_trials(scene, measures, sheets, intent, progress=tell, seconds=seconds, pace=pace, longest=longest)
    tried = time.perf_counter()
    return Inspected(
        measures,
        len(scene.meshes) if known is None else known.fresh,
        {"measure": round(measured - began, 3), "try": round(tried - measured, 3)},
    )

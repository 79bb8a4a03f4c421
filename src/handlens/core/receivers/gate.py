"""An upload gate: what breaks its sheet is refused, with a reason for each."""

from __future__ import annotations

from collections.abc import Iterator

from ..rules.sheet import RuleSheet
from .answer import Line, Variant
from .engine import not_used, unknown_extensions
from .limits_met import Package, all_rules
from .reading import MODELS, ending


def receive(package: Package, sheet: RuleSheet, variant: Variant) -> Iterator[Line]:
    """What a gate says to a package."""
    models = [path for path in package.files if ending(path) in MODELS]
    if len(models) > 1:
        yield Line("refused", f"{len(models):,} models in one package; one is taken")
    yield from unknown_extensions(package, variant)
    yield from all_rules(package, sheet)
    if variant == "older" and package.received.clips:
        yield Line("left-out", "Clips: uploaded models do not move here")
    yield from not_used(package)

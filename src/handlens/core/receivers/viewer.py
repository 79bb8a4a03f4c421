"""A viewer on a phone: one file, small, played at once."""

from __future__ import annotations

from collections.abc import Iterator

from ..rules.sheet import RuleSheet
from .answer import Line, Variant
from .engine import not_used, unknown_extensions
from .limits_met import Package, all_rules, as_it_can


def receive(package: Package, sheet: RuleSheet, variant: Variant) -> Iterator[Line]:
    """What a viewer says to a package: it takes a single file that holds everything."""
    if len(package.files) > 1:
        yield Line("refused", f"{len(package.files):,} files; one that holds everything is taken", "handoff.files")
    yield from unknown_extensions(package, variant)
    yield from as_it_can(all_rules(package, sheet))
    clips = package.received.clips
    if len(clips) > 1:
        yield Line("left-out", f"{len(clips) - 1:,} of {len(clips):,} clips: only the first, {clips[0]}, is played")
    if variant == "older" and any(node.skin >= 0 for node in package.received.drawn):
        yield Line("otherwise", "Skinned parts stand in their bind pose: clips of joints are not played")
    yield from not_used(package)

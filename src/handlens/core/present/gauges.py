"""The sheet's limits on what is drawn, against what came, what each mend on the tape made of it, and what it is now."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from ..declare.panel import Result
from ..measures.drawing import Drawing
from ..rules import RuleSheet
from ..words.json_tree import Json

_MIB = 2**20


class Reached(msgspec.Struct, frozen=True):
    """What it was after a slip. slip: place on the tape among those that were played, None for what came. words: the value as read."""

    slip: int | None
    title: str
    value: int
    words: str
    result: Result | None


class Gauge(msgspec.Struct, frozen=True):
    """One limit. limit: None where the sheet sets none."""

    key: str
    title: str
    limit: int | None
    limit_words: str
    reached: list[Reached]


def gauges(now: Drawing, runs: Sequence[Json], titles: Sequence[str], sheet: RuleSheet) -> list[Gauge]:
    """A gauge for each figure that a sheet may limit. now: what the model costs as it was read last; runs: what each slip did, as it is
    stored; titles: of their mends. Without slips each gauge has one value, what came.
    """
    lim = sheet.limits
    count: Callable[[int], str] = lambda n: f"{n:,}"
    mib: Callable[[int], str] = lambda n: f"{n / _MIB:,.1f} MiB"
    rows = [
        ("triangles", "Triangles in all", lim.triangles_total, now.triangles, count),
        ("largest", "Triangles, largest mesh", lim.triangles_mesh, now.largest_mesh, count),
        ("draw_calls", "Draw calls", lim.draw_calls, now.draw_calls, count),
        ("texture_bytes", "Texture memory", lim.texture_memory_bytes, now.texture_memory, mib),
    ]
    # "spent" is what an earlier version stored it as.
    costs = [run.get("draw_cost") or run.get("spent") for run in runs]
    played = [(k, cost, title) for k, (cost, title) in enumerate(zip(costs, titles, strict=True)) if cost]

    def reached(key: str, limit: int | None, last: int, words: Callable[[int], str]) -> list[Reached]:
        result: Callable[[int], Result | None] = lambda n: None if limit is None else "caution" if n > limit else "clear"
        made: list[tuple[int | None, str, int]] = [(None, "as it came", played[0][1][0][key] if played else last)]
        made += [(k, title, cost[1][key]) for k, cost, title in played]
        return [Reached(slip, title, value, words(value), result(value)) for slip, title, value in made]

    return [
        Gauge(key, title, limit, "no limit" if limit is None else words(limit), reached(key, limit, last, words))
        for key, title, limit, last, words in rows
    ]

"""What the ledger shows for each station: one line, headline figures, and tables with measured beside wanted."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence

import msgspec

from ..declare.panel import Figure, Row, Table
from ..judge.judge import Judgement, relevant_measures
from ..kit.roles import in_intended_unit, with_declared_roles
from ..measures import Measures
from ..route.stations import stations
from ..rules import Intent, RuleSheet
from ..words.json_tree import Json
from .kinds import stands_under_its_like

#: A meter past all measure, as JSON can write it.
_FULL = 1e9


class Counts(msgspec.Struct, frozen=True):
    """Findings by result."""

    stop: int = 0
    caution: int = 0
    note: int = 0


class Entry(msgspec.Struct, frozen=True):
    """One station on the ledger. inspected: whether any check looks at it yet. counts: findings by result. The
    rest is its panel's.
    """

    number: int
    name: str
    slug: str
    inspected: bool
    counts: Counts
    line: str
    about: str = ""
    limit: str | None = None
    meter: float | None = None
    headline: list[Figure] = []
    tables: list[Table] = []
    nothing: bool = False


def ledger(measures: Measures, sheet: RuleSheet, intent: Intent, judgement: Judgement) -> list[Entry]:
    """One entry a station, in order."""
    by_id = {finding.id: finding.check for finding in judgement.findings}
    # The same on another part is told by the one that stands for it.
    counts = _counts(
        (finding.station, finding.result) for finding in judgement.findings if by_id.get(finding.under) != finding.check
    )
    intent = with_declared_roles(sheet.meant(intent), measures)
    measures = in_intended_unit(measures, intent)
    things = relevant_measures(measures, intent)
    keys = _keys(measures)
    out = []
    for number, station in enumerate(stations(), 1):
        entry = Entry(number, station.name, station.slug, station.panel is not None, counts[station.name], station.blank)
        if station.panel is not None:
            shown = station.panel(things if station.of_things else measures, sheet, intent)
            _name_parts(shown.tables, keys)
            entry = msgspec.structs.replace(entry, **{f: getattr(shown, f) for f in shown.__struct_fields__})
            if entry.meter is not None and not math.isfinite(entry.meter):
                entry = msgspec.structs.replace(entry, meter=_FULL)
        out.append(entry)
    return out


def recounted(entries: Sequence[Entry], report: Json) -> list[Entry]:
    """The ledger with the findings counted that a report tells of and that nobody waived, the same on several parts once."""
    standing = [f for f in report["findings"] if f["waived"] is None]
    by_id = {f["id"]: f for f in standing}
    counts = _counts((f["station"], f["result"]) for f in standing if not stands_under_its_like(f, by_id))
    return [msgspec.structs.replace(entry, counts=counts[entry.name]) for entry in entries]


def _counts(results: Iterable[tuple[str, str]]) -> dict[str, Counts]:
    """Findings by station, of (station, result) of each."""
    by_result = Counter(results)
    return {station.name: Counts(*(by_result[station.name, r] for r in Counts.__struct_fields__)) for station in stations()}


def _keys(measures: Measures) -> dict[int, str]:
    """By node, the key by which mends name its part."""
    counts = Counter(n.name for n in measures.nodes)
    return {n.index: n.name if counts[n.name] == 1 else f"{n.name}~{n.index}" for n in measures.nodes}


def _name_parts(tables: Sequence[Table], keys: dict[int, str]) -> None:
    rows: list[Row] = [row for table in tables for row in table.rows]
    for row in rows:
        # It was for sorting, and may be any number.
        row.weight = 0.0
        row.key = keys.get(row.node) if row.node is not None else None

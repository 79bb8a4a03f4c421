"""Run every check over measures: milliseconds, because nothing is measured here."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass, field
from dataclasses import replace as replace_fields

from msgspec.structs import replace

from ..declare.check import Finding, Skipped, settle
from ..kit.roles import in_intended_unit, with_declared_roles
from ..measures import Measures
from ..measures.records import TrialFigures
from ..route.stations import refuse_unread_keys, stations
from ..rules import Intent, RuleSheet
from ..rules.intent import APART
from ..words.calls import call_text
from ..words.json_tree import Json
from .causes import folded
from .judged_by import judged_by


@dataclass(frozen=True)
class Judgement:
    """findings in station order; clear: checks that ran and found nothing; skipped: (check, reason). unlooked: stations that
    have something to look at and were not looked at, as no check is there yet, or one could not look or failed. by: the sheet, the
    intent and the tool, as a report names them.
    """

    findings: tuple[Finding, ...]
    clear: tuple[str, ...]
    skipped: tuple[tuple[str, str], ...]
    unlooked: tuple[str, ...] = ()
    by: Json = field(default_factory=dict)

    def verdict(self) -> dict[str, int]:
        counts = {"stop": 0, "caution": 0, "note": 0}
        for finding in self.findings:
            counts[finding.result] += 1
        return counts


def judge(measures: Measures, sheet: RuleSheet, intent: Intent) -> Judgement:
    """Judge measures by a sheet and an intent. Raises InputError where the sheet has keys that no check reads."""
    refuse_unread_keys(sheet)
    by = judged_by(sheet, intent)
    intent = with_declared_roles(sheet.meant(intent), measures)
    measures = in_intended_unit(measures, intent)
    findings: list[Finding] = []
    clear: list[str] = []
    skipped: list[tuple[str, str]] = []
    route = stations()
    things, drawn = relevant_measures(measures, intent), relevant_measures(measures, intent, _BESIDE)
    tried = {trial.call: trial for trial in measures.trials}
    unlooked = {
        station.slug for station in route if not station.checks and (station.concerns is None or station.concerns(measures))
    }
    for station, registered in ((each, check) for each in route for check in each.checks):
        if registered.result_on(sheet) == "off":
            skipped.append((registered.id, f"{sheet.name} does not ask for it"))
            continue
        try:
            found = list(
                registered.run(things if station.of_things else measures if station.slug == _ALL else drawn, sheet, intent)
            )
        except Exception as error:
            # One check that falls must not take the others' answers along; what it was to look at counts as not looked at.
            logging.getLogger(__name__).exception("the check %s failed", registered.id)
            found = [Skipped(f"{FAILED}: {type(error).__name__}", unseen=True)]
        reasons = [str(f.because) for f in found if isinstance(f, Skipped)]
        if any(isinstance(f, Skipped) and f.unseen for f in found):
            unlooked.add(station.slug)
        real = [offered(settle(f, registered, sheet), tried, sheet) for f in found if isinstance(f, Finding)]
        findings += real
        if reasons and not real:
            skipped.append((registered.id, reasons[0]))
        elif not real:
            clear.append(registered.id)
    findings = folded(findings)
    return Judgement(
        tuple(findings), tuple(clear), tuple(skipped), tuple(station.name for station in route if station.slug in unlooked), by
    )


def offered(finding: Finding, tried: dict[str, TrialFigures], sheet: RuleSheet) -> Finding:
    """The finding with those of its mends that take it away and bring no other, and what each costs; ones that nobody tried stay,
    as do those that were tried in memory alone, of which no cost is known."""
    kept, costs, needs = [], list[tuple[str, ...] | None](), list[str | None]()
    for call in finding.mends:
        trial = tried.get(call_text(*call))
        if trial is not None and (trial.refused is not None or finding.id not in trial.gone or trial.came.get(sheet.slug)):
            continue
        kept.append(call)
        costs.append(None if trial is None or not trial.written else tuple(trial.costs))
        needs.append(None if trial is None else trial.needs_format)
    return replace_fields(finding, mends=tuple(kept), costs=tuple(costs), needs=tuple(needs))


#: What is never drawn with the thing: only the station that takes stock looks at it.
_BESIDE, _ALL = tuple(r for r in APART if r != "aside"), "arrival"


def relevant_measures(measures: Measures, intent: Intent, aside: Sequence[str] = APART) -> Measures:
    """Measures without the parts that the intent says are not of the thing: figures for scale, lamps, backdrops, stand-ins, coarser levels.
    aside: the roles that are left out."""
    kept = [part for part in measures.parts if intent.of_part(part.name).role not in aside] if intent.parts else measures.parts
    if len(kept) == len(measures.parts):
        return measures
    nodes = {p.node for p in kept}
    low = [p.bounds_min for p in kept if p.bounds_min is not None]
    high = [p.bounds_max for p in kept if p.bounds_max is not None]
    return replace(
        measures,
        parts=kept,
        facing=[figures for figures in measures.facing if figures.node in nodes],
        bounds_min=[min(x) for x in zip(*low, strict=True)] or None,
        bounds_max=[max(x) for x in zip(*high, strict=True)] or None,
    )


#: What a check that fell is skipped for.
FAILED = "the check itself failed"

"""Run every check over measures: milliseconds, because nothing is measured here."""

from __future__ import annotations

from dataclasses import dataclass

from ..measures import Measures
from ..rules import Intent, RuleSheet
from .registry import Finding, Skipped, all_checks, settle


@dataclass(frozen=True)
class Judgement:
    """findings in station order; clear: checks that ran and found nothing; skipped: (check, reason)."""

    findings: tuple[Finding, ...]
    clear: tuple[str, ...]
    skipped: tuple[tuple[str, str], ...]

    def verdict(self) -> dict[str, int]:
        counts = {"stop": 0, "caution": 0, "note": 0}
        for f in self.findings:
            counts[f.result] += 1
        return counts


def judge(measures: Measures, sheet: RuleSheet, intent: Intent) -> Judgement:
    """Judge measures by a sheet and an intent."""
    findings: list[Finding] = []
    clear: list[str] = []
    skipped: list[tuple[str, str]] = []
    for registered in all_checks():
        if registered.result_on(sheet) == "off":
            skipped.append((registered.id, f"{sheet.name} does not ask for it"))
            continue
        found = list(registered.run(measures, sheet, intent))
        reasons = [f.because for f in found if isinstance(f, Skipped)]
        real = [settle(f, registered, sheet) for f in found if isinstance(f, Finding)]
        findings += real
        if reasons and not real:
            skipped.append((registered.id, reasons[0]))
        elif not real:
            clear.append(registered.id)
    return Judgement(tuple(findings), tuple(clear), tuple(skipped))

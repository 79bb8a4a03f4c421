"""A report as a table: one row a finding, in CSV (RFC 4180)."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from ...words.calls import call_text
from ...words.json_tree import Json
from .reported import Reported

COLUMNS = (
    "model",
    "sheet",
    "station",
    "check",
    "result",
    "part",
    "title",
    "measured",
    "measured unit",
    "wanted",
    "wanted unit",
    "count",
    "why",
    "mends",
    "under",
    "waived",
)


def table(reported: Sequence[Reported]) -> bytes:
    """The table, UTF-8, with a row for each finding and one for each model that has none or could not be read."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(COLUMNS)
    for one in reported:
        findings = one.report.get("findings", [])
        for finding in findings:
            rows.writerow([safe(x) for x in (one.path, one.sheet, *_cells(finding))])
        if not findings:
            what = ("error", "", one.error) if one.error else ("clear", "", "nothing was found")
            rows.writerow([safe(x) for x in (one.path, one.sheet, "", "", *what, *[""] * 9)])
    return out.getvalue().encode()


def _cells(finding: Json) -> list[object]:
    measured, wanted = finding["measured"] or {}, finding["wanted"] or {}
    calls = " | ".join(call_text(mend["mend"], mend["params"]) for mend in finding["mends"])
    figures = [x for value in (measured, wanted) for x in (value.get("value"), value.get("unit"))]
    return [
        finding["station"],
        finding["check"],
        finding["result"],
        finding["part"],
        finding["title"],
        *figures,
        finding["count"],
        finding["why"],
        calls,
        finding["under"],
        finding["waived"],
    ]


def safe(cell: object) -> object:
    """A cell that no program for tables takes for a formula, as a part of a model may be called like one."""
    text = "" if cell is None else cell
    return f"'{text}" if isinstance(text, str) and text[:1] in ("=", "+", "-", "@", "\t", "\r") else text

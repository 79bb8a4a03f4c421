"""Many models by stations as a table: one row a model, in CSV (RFC 4180)."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from ...limits import plural
from ...route.stations import stations
from .reported import RESULTS
from .table import safe


class BoardRow(NamedTuple):
    """One model of a board. state: a word; counts: by result, None where it was not judged; after: those that what was tried leaves; stations: by
    slug, counts by result, with "nothing" or "unlooked" where that holds; proved: of what was written, None where nothing was."""

    model: str
    folder: str
    sheet: str
    state: str
    counts: Mapping[str, int] | None
    after: Mapping[str, int] | None
    stations: Mapping[str, Mapping[str, Any]]
    proved: bool | None
    error: str


def board(rows: Sequence[BoardRow]) -> bytes:
    """The table, UTF-8."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    route = stations()
    named = [*(f"{result}s" for result in RESULTS), *(station.name for station in route)]
    table.writerow(["model", "folder", "sheet", "state", *named, "stops after", "cautions after", "proved", "error"])
    for row in rows:
        counts, after = row.counts or {}, row.after or {}
        cells = [_cell(row.stations.get(station.slug)) for station in route]
        proved = {None: "", True: "yes", False: "no"}[row.proved]
        told = [row.model, row.folder, row.sheet, row.state, *(counts.get(result, "") for result in RESULTS), *cells]
        table.writerow([safe(x) for x in (*told, after.get("stop", ""), after.get("caution", ""), proved, row.error)])
    return out.getvalue().encode()


def _cell(counts: Mapping[str, Any] | None) -> str:
    """What a station counts, in words: "2 stops, 1 caution"; "clear", or "nothing to check"."""
    if counts is None:
        return ""
    if counts.get("unlooked"):
        return "not looked at"
    told = [plural(counts[result], result) for result in RESULTS if counts[result]]
    return ", ".join(told) or ("nothing to check" if counts["nothing"] else "clear")

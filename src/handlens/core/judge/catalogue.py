"""Lists of all checks and mends as plain data: the command line, the web and the documentation print the same."""

from __future__ import annotations

from typing import Any

from ..formats.table import WRITERS
from ..kit.check import all_checks, station_of
from ..kit.mend import all_mends
from ..rules import shipped


def checks() -> list[dict[str, Any]]:
    """Every check with its result on each shipped sheet."""
    return [
        {
            "id": c.id, "station": c.station, "title": c.title, "does": c.does, "why": c.why, "measured": c.measured, "source": c.source,
            "mends": list(c.mends), "results": {s.slug: c.result_on(s) for s in shipped()},
        }
        for c in all_checks()
    ]  # fmt: skip


def mends() -> list[dict[str, Any]]:
    """Every mend with its parameters."""
    return [
        {
            "id": m.id, "station": station_of(m.id), "title": m.title, "does": m.says, "keeps": m.keeps, "costs": m.costs, "safe": m.safe,
            "parameters": [
                {"name": p.name, "kind": p.kind, "says": p.says, "choices": list(p.choices), "default": p.default, "zero": p.zero} for p in m.parameters
            ],
        }
        for m in all_mends()
    ]  # fmt: skip


def formats() -> list[dict[str, Any]]:
    """Every format that can be written."""
    return [{"name": f.name, "short": f.short, "says": f.says} for f in WRITERS.values()]

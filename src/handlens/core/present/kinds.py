"""Findings of one kind stand together, and are mended in one go."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from ..words.json_tree import Json

#: From this many on, findings of one kind stand together.
MANY = 3
#: Calls that are worth laying at once for one kind of findings.
_MOST_CALLS = 12
#: Parameters that say whom a mend is for.
_WHOM = ("parts", "materials", "images")


def kinds(findings: Sequence[Json]) -> list[Json]:
    """Findings, as a report holds them, by kind: those of one check and result, the waived ones apart.

    Each kind stands where its first finding stands. findings: their ids. mends: the calls that mend them all, none where one
    of them has no mend, or where there are too many to lay at once. Fewer than three of a kind stand each by itself.
    """
    groups: dict[tuple[str, str, bool], list[dict[str, Any]]] = {}
    by_id = {finding["id"]: finding for finding in findings}
    for finding in findings:
        result = by_id[finding["under"]]["result"] if stands_under_its_like(finding, by_id) else finding["result"]
        groups.setdefault((finding["check"], result, finding["waived"] is not None), []).append(finding)
    for group in groups.values():
        group.sort(key=lambda f: stands_under_its_like(f, by_id))
    out = []
    for group in groups.values():
        for kind in [group] if len(group) >= MANY else [[f] for f in group]:
            calls = together([f["mends"][0] for f in kind]) if all(f["mends"] for f in kind) else []
            out.append({"findings": [f["id"] for f in kind], "mends": calls if len(calls) <= _MOST_CALLS else []})
    return out


def stands_under_its_like(finding: Json, by_id: Mapping[str, Json]) -> bool:
    """Whether a finding is of the same check as the one that it stands under: another part's, which stands for it."""
    head = by_id.get(finding.get("under") or "")
    return head is not None and head["check"] == finding["check"]


def together(calls: Sequence[Json]) -> list[Json]:
    """Calls of mends, each once; calls that differ only in whom they are for become one for all of those."""
    made: dict[str, dict[str, Any]] = {}
    told: dict[str, dict[str, dict[str, None]]] = {}
    for call in calls:
        params = call["params"]
        rest = {k: v for k, v in params.items() if k not in _WHOM}
        whom = {k: params[k] if isinstance(params[k], list) else str(params[k]).split(";") for k in _WHOM if k in params}
        key = json.dumps([call["mend"], rest, sorted(whom)], sort_keys=True, default=str)
        made.setdefault(key, {"mend": call["mend"], "params": rest})
        for k, names in whom.items():
            told.setdefault(key, {}).setdefault(k, {}).update(dict.fromkeys(names))
    return [
        {"mend": c["mend"], "params": {**c["params"], **{k: list(v) for k, v in told.get(key, {}).items()}}}
        for key, c in made.items()
    ]

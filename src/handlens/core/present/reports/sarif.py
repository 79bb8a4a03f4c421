"""A report as SARIF 2.1.0 (OASIS Standard, errata 01), for whatever collects findings of tools."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from .... import __version__
from ...words.calls import call_text
from ...words.json_tree import Json
from ..catalogue import CheckEntry, checks
from .reported import Reported

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
#: SARIF's words for our results (§3.27.10).
_LEVELS = {"stop": "error", "caution": "warning", "note": "note"}


def sarif(reported: Sequence[Reported]) -> bytes:
    """One run over all models. Rules are the checks that found something; a fingerprint outlives a new revision of the model."""
    catalogue = {entry.id: entry for entry in checks()}
    named = [finding["check"] for one in reported for finding in one.report.get("findings", [])]
    order = {check: k for k, check in enumerate(dict.fromkeys(named))}
    unread = [
        {"level": "error", "message": {"text": f"{one.path}: {one.error}"}, "locations": [_place(one.path, None)]}
        for one in reported
        if one.error
    ]
    run: dict[str, Any] = {
        "tool": {
            "driver": {
                "name": "Hand Lens",
                "version": __version__,
                "rules": [_rule(check, catalogue.get(check)) for check in order],
            }
        },
        "invocations": [{"executionSuccessful": not unread, "toolExecutionNotifications": unread}],
        "artifacts": _artifacts(reported),
        "results": [_result(one, finding, order) for one in reported for finding in one.report.get("findings", [])],
        "columnKind": "unicodeCodePoints",
    }
    return json.dumps({"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}, indent=2, ensure_ascii=False).encode() + b"\n"


def _rule(check: str, entry: CheckEntry | None) -> Json:
    if entry is None:
        return {"id": check}
    return {
        "id": check,
        "shortDescription": {"text": entry.title},
        "fullDescription": {"text": entry.does or entry.title},
        "help": {"text": f"Why: {entry.why}\nMeasured: {entry.measured}\nSource: {entry.source}"},
        "properties": {"tags": [entry.station]},
    }


def _result(one: Reported, finding: Json, order: dict[str, int]) -> Json:
    out: dict[str, Any] = {
        "ruleId": finding["check"],
        "ruleIndex": order[finding["check"]],
        "level": _LEVELS[finding["result"]],
        "message": {"text": f"{finding['title']}. {finding['why']}"},
        "locations": [_place(one.path, finding["part"])],
        # The id of a finding is the same in a later revision of the model.
        "partialFingerprints": {"finding/v1": f"{one.path}:{finding['id']}"},
        "properties": {
            "measured": finding["measured"],
            "wanted": finding["wanted"],
            "count": finding["count"],
            "mends": [call_text(mend["mend"], mend["params"]) for mend in finding["mends"]],
        },
    }
    if "known" in finding:
        out["baselineState"] = "unchanged" if finding["known"] else "new"
    if finding["waived"] is not None:
        out["suppressions"] = [{"kind": "external", "justification": finding["waived"] or "waived"}]
    return out


def _place(path: str, part: str | None) -> Json:
    place: dict[str, Any] = {"physicalLocation": {"artifactLocation": {"uri": _uri(path)}}}
    if part is not None:
        place["logicalLocations"] = [{"name": part, "kind": "object"}]
    return place


def _uri(path: str) -> str:
    """A path as a URI reference (RFC 3986 §4.1): an absolute one as a file's."""
    text = quote(path.replace("\\", "/"), errors="replace")
    return f"file://{text}" if text.startswith("/") else text


def _artifacts(reported: Sequence[Reported]) -> list[Json]:
    found: dict[str, Json] = {}
    for one in reported:
        for file in one.report.get("source", {}).get("files", []):
            found.setdefault(
                file["sha256"],
                {
                    "location": {"uri": _uri(file["path"])},
                    "length": file["bytes"],
                    "hashes": {"sha-256": file["sha256"]},
                    "description": {"text": file["role"]},
                },
            )
    return list(found.values())

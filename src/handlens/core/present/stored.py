"""A judgement as it is kept beside an inspection: its report, its ledger, and where each finding lies, so that a look judges nothing."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping
from typing import Any

import msgspec
import numpy as np

from ..declare.check import Elements, Finding
from ..judge.judge import Judgement, judge
from ..measures import Measures
from ..measures.slots import users_of
from ..rules import Intent, RuleSheet
from ..words.calls import Call
from ..words.json_tree import Json
from ..words.messages import Text
from .ledger import Entry, ledger
from .report import report

#: Kinds of elements that are many, and hang on a mesh; the others name things of the scene.
OF_MESHES = ("faces", "vertices", "edges", "nodes")


class Mark(msgspec.Struct, frozen=True):
    """Where a finding lies: what kind of elements, and the digest under which their indices are kept.

    drawn: the digest of what is drawn for them: of images the materials that use them, of joints and clips nodes, else their own.
    """

    kind: str
    digest: str
    drawn: str
    uv_set: int | None = None
    skin: int | None = None


class StoredJudgement(msgspec.Struct, frozen=True):
    """report: as the contract has it, without indices. marks: by id, of findings that lie somewhere."""

    report: dict[str, Any]
    ledger: list[Entry]
    marks: dict[str, Mark]


def opened(tree: Json) -> StoredJudgement:
    """What was kept, from plain data."""
    return msgspec.convert(tree, StoredJudgement)


# Once while this module is imported: the library works out the shape of a record on first use, and falls where two threads do.
opened({"report": {}, "ledger": [], "marks": {}})


#: Changes with the shape of what is kept, so that nothing of another shape is opened.
SHAPE = hashlib.sha256(msgspec.json.encode(msgspec.json.schema(StoredJudgement))).hexdigest()


def judged(where: Json, measures: Measures, sheet: RuleSheet, intent: Intent) -> tuple[StoredJudgement, dict[str, bytes]]:
    """Judge measures once, for all that will be shown of it. Returns what to keep, and indices as little-endian int32 by digest."""
    made = judge(measures, sheet, intent)
    evidence: dict[str, bytes] = {}

    def put(indices: Any) -> str:
        data = np.ascontiguousarray(indices, "<i4").tobytes()
        digest = hashlib.blake2b(data, digest_size=16).hexdigest()
        evidence[digest] = data
        return digest

    marks = {}
    for finding in made.findings:
        if finding.elements is not None:
            own = put(finding.elements.indices)
            shown = users_of(measures, finding.elements.indices) if finding.elements.kind == "images" else finding.elements.drawn
            marks[finding.id] = Mark(
                finding.elements.kind, own, own if shown is None else put(shown), finding.elements.uv_set, finding.elements.skin
            )
    return StoredJudgement(
        report(where, measures, made, with_indices=False), ledger(measures, sheet, intent, made), marks
    ), evidence


def judgement_of(stored: StoredJudgement, evidence: Mapping[str, bytes]) -> Judgement:
    """The judgement that was kept. Elements of meshes come back without indices; evidence: those of all others, by digest."""

    def finding(source: Json) -> Finding:
        mark = stored.marks.get(source["id"])
        data = b"" if mark is None or mark.kind in OF_MESHES else evidence[mark.digest]
        lies = None if mark is None else Elements(mark.kind, np.frombuffer(data, "<i4"), mark.uv_set, mark.skin)
        named = {k: source[k] for k in ("measured", "wanted", "count", "part", "node", "result", "check", "why")}
        calls, costs = (
            [Call(c["mend"], c["params"]) for c in source["mends"]],
            [tuple(c["costs"]) if c["tried"] else None for c in source["mends"]],
        )
        title: str = source["title"]
        if source.get("message_id"):
            title = Text(source["message_id"], source["values"], source["message"], source["args"])
        return Finding(
            title,
            **named,
            elements=lies,
            mends=tuple(calls),
            costs=tuple(costs),
            needs=tuple(c.get("needs_format") for c in source["mends"]),
            key=source["id"].partition(":")[2],
            under=source["under"] or "",
            samples=source.get("samples"),
            confidence=source.get("confidence"),
        )

    tree = stored.report
    return Judgement(
        tuple(finding(f) for f in tree["findings"]),
        tuple(tree["clear"]),
        tuple((x["check"], x["because"]) for x in tree["skipped"]),
        tuple(tree["not_looked_at"]),
        tree["judged_by"],
    )


def needed_evidence(stored: StoredJudgement) -> Collection[str]:
    """What `judgement_of` asks of the evidence."""
    return {mark.digest for mark in stored.marks.values() if mark.kind not in OF_MESHES}

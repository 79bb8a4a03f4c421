"""One cause is one finding: what follows from another is kept, under the one that it follows from, and counts as a note.

So does the same trouble on several parts, materials or images: it is one finding, told of the one that has most of it, with those of
the others under it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from ..declare.check import RESULTS, Finding
from ..route.stations import checks_by_id

#: From so many parts on, the same trouble on each is one finding.
ALIKE = 3


def folded(findings: Sequence[Finding]) -> list[Finding]:
    """The findings with `under` set on those that follow from another, which are notes then.

    A finding stands under the first of the causes that its check declares; a cause that follows from another itself passes it on. What
    weighs more than its cause stands by itself: no stop is hidden under a caution.
    """
    by_part: dict[tuple[str, int], Finding] = {}
    by_check: dict[str, Finding] = {}
    for finding in findings:
        if finding.node is not None:
            by_part.setdefault((finding.check, finding.node), finding)
        by_check.setdefault(finding.check, finding)
    checks = checks_by_id()
    under: dict[str, str] = {}
    for finding in findings:
        declared = checks[finding.check]
        causes = [by_part.get((follow, finding.node)) for follow in declared.follows] if finding.node is not None else []
        causes += [by_check.get(c) for c in declared.follows_in_model]
        weight = RESULTS.index(finding.result)
        cause = next(
            (cause for cause in causes if cause is not None and cause.id != finding.id and RESULTS.index(cause.result) <= weight),
            None,
        )
        if cause is not None:
            under[finding.id] = cause.id
    heads = _heads(finding for finding in findings if finding.id not in under)
    under |= {id: head for id, head in heads.items() if id != head}
    return [
        replace(finding, under=_first(under, finding.id), result="note") if finding.id in under else finding
        for finding in findings
    ]


def _heads(findings: Iterable[Finding]) -> dict[str, str]:
    """By id of a finding on a part, a material or an image that of the one that stands for all of its check and result: the one with the
    most elements."""
    alike: dict[tuple[str, str, str], list[Finding]] = {}
    for finding in findings:
        if (of := _of_what(finding)) is not None:
            alike.setdefault((finding.check, finding.result, of), []).append(finding)
    out: dict[str, str] = {}
    for (_, _, of), group in alike.items():
        if len({f.node if of == "parts" else f.key for f in group}) >= ALIKE:
            head = max(group, key=lambda f: f.count or 0)
            out |= {f.id: head.id for f in group}
    return out


def _of_what(finding: Finding) -> str | None:
    """Of what kind of thing a finding is, where the same trouble on several is one. An image that did not come is one of its own."""
    if finding.node is not None:
        return "parts"
    kind = finding.elements.kind if finding.elements is not None else ""
    return kind if kind == "materials" or (kind == "images" and finding.result != "stop") else None


def own_result(finding: Finding, by_id: Mapping[str, Finding]) -> str:
    """The result of a finding by itself, where it is only a note because another part's stands for it."""
    head = by_id.get(finding.under)
    return head.result if head is not None and head.check == finding.check else finding.result


def _first(under: dict[str, str], id: str) -> str:
    while id in under:
        id = under[id]
    return id

"""A report as one page to read, send and print: HTML that needs nothing else, no network and no script."""

from __future__ import annotations

import base64
import re
from collections.abc import Sequence
from typing import Any

from lxml import etree
from lxml.builder import E

from ...limits import plural
from ...route.stations import stations
from ...words.calls import call_text
from ...words.figures import plain
from ...words.json_tree import Json
from ...words.lengths import metres
from .reported import RESULTS, Reported, amount

#: What HTML cannot hold as text.
_NO_TEXT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]")
#: Findings of one check that are written out; the rest are counted.
_LISTED = 25
#: Stops that are named at the top.
_FIRST = 6
_MARKS = {"stop": "■", "caution": "◆", "note": "●"}

_STYLE = """
@page { size: A4; margin: 16mm }
body { margin: 0 auto; max-width: 46rem; padding: 1.5rem; background: #fffdf8; color: #1e2a2f; font: 15px/1.45 "Atkinson Hyperlegible", Verdana, sans-serif }
h1, h2, h3 { font-family: Fraunces, Georgia, serif; font-weight: 600; margin: 0 }
h1 { font-size: 1.7rem } h2 { font-size: 1.25rem; margin-top: 1.6rem; border-bottom: 1px solid #d9cfbc } h3 { font-size: 1rem; margin-top: .9rem }
header { display: flex; gap: 1.5rem; align-items: start; justify-content: space-between }
img { width: 12rem; background: #f6f1e7; border: 1px solid #d9cfbc }
.stamp { display: inline-block; padding: .25rem .8rem; border: 3px double; font-weight: 700; margin: .6rem 0 }
.stop { color: #9e3136 } .caution { color: #8a560c } .note { color: #44607c } .clear { color: #466a2c } .faded { color: #566468 }
table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: .15rem .6rem .15rem 0; border-bottom: 1px solid #d9cfbc; vertical-align: top }
td.figure, code { font-family: "IBM Plex Mono", Consolas, monospace; font-size: .86em } code { overflow-wrap: anywhere }
article { margin: .6rem 0; padding: .5rem .8rem; border-left: 4px solid; background: #f6f1e7; break-inside: avoid } article > * { color: #1e2a2f; margin: .15rem 0 }
article > p.faded { color: #566468 } ul { margin: .3rem 0; padding-left: 1.2rem }
.model + .model { break-before: page }
"""


def page(reported: Sequence[Reported]) -> bytes:
    """The page. The same reports give the same bytes."""
    titles = " · ".join(one.path for one in reported[:3]) + (" …" if len(reported) > 3 else "")
    body = E.body(*(_model(one) for one in reported))
    head = E.head(
        E.meta(charset="utf-8"),
        E.meta(name="viewport", content="width=device-width, initial-scale=1"),
        E.title(_text(f"Hand Lens: {titles}")),
        E.style(_STYLE),
    )
    tree = E.html(head, body, lang="en")
    return b"<!doctype html>\n" + bytes(etree.tostring(tree, method="html", encoding="utf-8")) + b"\n"


def _model(one: Reported) -> Any:
    if one.error:
        return _tag("section", E.h1(_text(one.path)), E.p(_text(one.error), {"class": "stop"}), kind="model")
    tree = one.report
    v = tree["verdict"]
    held = v["stop"] > 0
    words = ", ".join(plural(v[k], k) for k in RESULTS if v[k]) or "nothing was found"
    stamp = _tag("p", f"{'Held' if held else 'Fit'}: {words}", kind=f"stamp {'stop' if held else 'clear'}")
    by = tree["judged_by"]
    about = E.div(
        E.h1(_text(one.path)),
        E.p(_text(f"judged for {one.sheet}, version {by['sheet_version']}")),
        stamp,
        *_stops(tree["findings"]),
        *(
            [E.p(_text(f"Not looked at: {', '.join(tree['not_looked_at'])}."), {"class": "stop"})]
            if tree["not_looked_at"]
            else []
        ),
    )
    header = E.header(about)
    if one.picture is not None:
        data = base64.b64encode(one.picture).decode()
        header.append(E.img(src=f"data:image/webp;base64,{data}", alt=_text(f"{one.path}, seen from the right of the front")))
    return _tag(
        "section",
        header,
        *_facts(tree["facts"]),
        *_mends(one.mends),
        *_stations(one),
        *_waived(tree["findings"]),
        *_proof(one.proof),
        *_answers(one.answers),
        *_files(tree["source"]),
        _tag("p", _text(f"{by['tool']}; sheet {by['sheet']} {by['sheet_sha256'][:12]}; {_judged(tree)}"), kind="faded"),
        kind="model",
    )


def _stops(findings: Sequence[Json]) -> list[Any]:
    """What stops it, first of all."""
    found = [finding for finding in findings if finding["result"] == "stop" and finding["waived"] is None]
    more = [f"and {len(found) - _FIRST:,} more"] if len(found) > _FIRST else []
    return [E.ul(*(E.li(_text(words)) for words in [*(finding["title"] for finding in found[:_FIRST]), *more]))] if found else []


def _facts(facts: Json) -> list[Any]:
    unit, box = facts["unit_metres"], facts["bounds"]
    side = (lambda x: metres(x * unit)) if unit is not None else plain
    rows = {
        "size": " × ".join(side(x) for x in box["size"]) + ("" if unit is not None else " (unit not stated)") if box else "none",
        "parts": f"{facts['parts']:,}",
        "triangles": f"{facts['triangles']:,}",
        "materials": f"{len(facts['materials']):,}",
        "images": f"{len(facts['images']):,}",
        "joints": f"{sum(skin['joints'] for skin in facts['skins']):,}",
        "clips": f"{len(facts['clips']):,}",
    }
    cells = [(E.th(name), _tag("td", _text(words), kind="figure")) for name, words in rows.items()]
    return [E.h2("What it is"), E.table(*(E.tr(*(x for two in cells[k : k + 2] for x in two)) for k in range(0, len(cells), 2)))]


def _mends(mends: Sequence[Json]) -> list[Any]:
    """What was done to it, with what each mend changed."""
    items = []
    for mend in mends:
        figures = "; ".join(f"{figure['what']} {figure['before']} → {figure['after']}" for figure in mend["figures"])
        words = figures if mend["applied"] else f"not applied: {mend['because']}"
        items.append(E.li(E.code(_text(call_text(mend["mend"], mend["params"]))), _text(f" {words}")))
    return [E.h2("Mends"), E.ol(*items)] if items else []


def _proof(proof: Json | None) -> list[Any]:
    """Whether the written file was read back as it was sent, and every row that was not."""
    if proof is None:
        return []
    rows = [row for row in proof["rows"] if row["result"] != "clear"]
    words = "Proved" if proof["proved"] else "Not proved"
    head = f"{words}: {plural(len(proof['rows']), 'row')} compared, {len(rows):,} of them differ"
    cells = [
        E.tr(
            E.td(_text(f"{row['group']}: {row['what']}")),
            _tag("td", _text(str(row["sent"])), kind="figure"),
            _tag("td", _text(str(row["read_back"])), kind="figure"),
            E.td(_text(row["remark"] or row["difference"])),
        )
        for row in rows
    ]
    heads = E.tr(E.th("row"), E.th("sent"), E.th("read back"), E.th("why"))
    return [
        E.h2("Proof of the export"),
        _tag("p", head, kind="clear" if proof["proved"] else "stop"),
        *([E.table(heads, *cells)] if cells else []),
    ]


def _answers(answers: Sequence[Json]) -> list[Any]:
    """What destinations said to the export."""
    out: list[Any] = []
    for answer in answers:
        accepted = answer["accepted"]
        words = "accepted" if accepted else "refused" if accepted is False else "not opened"
        lines = [line for line in answer["lines"] if line["result"] != "taken"]
        out.append(
            _tag("p", _text(f"{words} by {answer['destination']} of {answer['sheet']}"), kind="clear" if accepted else "stop")
        )
        out.append(E.ul(*(E.li(_text(f"{line['result'].replace('-', ' ')}: {line['says']}")) for line in lines)))
    return [E.h2("What the destination answered"), *out] if out else []


def _stations(one: Reported) -> list[Any]:
    open_ = [finding for finding in one.report["findings"] if finding["waived"] is None]
    out: list[Any] = []
    for station in [station.name for station in stations()]:
        here = sorted((f for f in open_ if f["station"] == station), key=lambda f: RESULTS.index(f["result"]))
        if not here:
            continue
        out.append(E.h2(station))
        by_check: dict[str, list[Json]] = {}
        for finding in here:
            by_check.setdefault(finding["check"], []).append(finding)
        for findings in by_check.values():
            out += [_finding(finding) for finding in findings[:_LISTED]]
            if len(findings) > _LISTED:
                out.append(_tag("p", f"and {len(findings) - _LISTED:,} more of this kind", kind="faded"))
    return out or [E.h2("Findings"), E.p("Nothing was found.")]


def _finding(finding: Json) -> Any:
    measured, wanted = amount(finding["measured"]), amount(finding["wanted"])
    calls = [call_text(mend["mend"], mend["params"]) for mend in finding["mends"]]
    return _tag(
        "article",
        E.p(E.strong(_text(f"{_MARKS[finding['result']]} {finding['result']}: {finding['title']}"))),
        *([E.p(_text(f"{measured} measured, {wanted} wanted"))] if measured and wanted else []),
        _tag("p", _text(finding["why"]), kind="faded"),
        *([E.p("Mend: ", *_between([E.code(_text(call)) for call in calls]))] if calls else []),
        kind=finding["result"],
    )


def _between(codes: list[Any]) -> list[Any]:
    return [x for k, code in enumerate(codes) for x in ((" or ", code) if k else (code,))]


def _waived(findings: Sequence[Json]) -> list[Any]:
    found = [finding for finding in findings if finding["waived"] is not None]
    items = [E.li(_text(f"{finding['title']}: {finding['waived']}")) for finding in found]
    return [E.h2("Waived"), E.ul(*items)] if items else []


def _files(source: Json) -> list[Any]:
    rows = [
        E.tr(
            E.td(_text(file["path"])),
            E.td(file["role"]),
            _tag("td", f"{file['bytes']:,}", kind="figure"),
            _tag("td", file["sha256"][:16], kind="figure"),
        )
        for file in source.get("files", [])
    ]
    heads = E.tr(E.th("file"), E.th("role"), E.th("bytes"), E.th("SHA-256, its beginning"))
    return [E.h2("Files that were read"), E.table(heads, *rows)] if rows else []


def _judged(tree: Json) -> str:
    return f"{plural(len(tree['clear']), 'check')} found nothing, {plural(len(tree['skipped']), 'check')} did not apply"


def _tag(name: str, *inside: Any, kind: str) -> Any:
    made = getattr(E, name)(*inside)
    made.set("class", kind)
    return made


def _text(text: str) -> str:
    return _NO_TEXT.sub("\ufffd", text)

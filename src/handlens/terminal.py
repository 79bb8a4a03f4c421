"""How findings read on a terminal: station by station, the worst first, those of one kind together, each mend as a call to paste."""

from __future__ import annotations

import shlex
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from .core.declare.check import RESULTS
from .core.limits import plural
from .core.present.kinds import MANY, kinds
from .core.proof import Proof
from .core.route.stations import stations
from .core.words.calls import call_text
from .core.words.figures import plain
from .core.words.lengths import metres

if TYPE_CHECKING:
    from .core.offers.way.records import Cost, Slip, Way

#: Titles of one kind that are listed; the rest are counted.
_LISTED = 5


def findings_text(path: str, sheet: str, tree: dict[str, Any]) -> str:
    """A report in lines. tree: as `core.present.report.report` makes it."""
    facts, verdict = tree["facts"], tree["verdict"]
    sides = facts["bounds"]["size"] if facts["bounds"] is not None else []
    told = [metres(x * facts["unit_metres"]) for x in sides] if facts["unit_metres"] is not None else [plain(x) for x in sides]
    size = f"{' × '.join(told)}{' units, not stated' if facts['unit_metres'] is None else ''}" if sides else "without a size"
    lines = [
        f"{path}: {plural(facts['parts'], 'part')}, {plural(facts['triangles'], 'triangle')}, {size}",
        f"{sheet}: {plural(verdict['stop'], 'stop')}, {plural(verdict['caution'], 'caution')}, {plural(verdict['note'], 'note')}",
        *([f"Not looked at: {' and '.join(tree['not_looked_at'])}"] if tree["not_looked_at"] else []),
    ]
    by_id = {x["id"]: x for x in tree["findings"]}
    all_kinds = kinds(tree["findings"])
    for station in [station.name for station in stations()]:
        here = [k for k in all_kinds if by_id[k["findings"][0]]["station"] == station]
        here.sort(key=lambda k: RESULTS.index(by_id[k["findings"][0]]["result"]))
        if here:
            lines += ["", station]
        for kind in here:
            lines += _kind([by_id[x] for x in kind["findings"]], kind["mends"])
    return "\n".join(lines)


def compact_text(place: str, tree: dict[str, Any]) -> str:
    """A model in one line: where it is, how many of each result, how many of those are known. tree: as for `findings_text`."""
    counts = ", ".join(plural(tree["verdict"][k], k) for k in RESULTS if tree["verdict"][k]) or "nothing found"
    known = sum(bool(finding.get("known")) for finding in tree["findings"])
    waived = sum(finding["waived"] is not None for finding in tree["findings"])
    more = [f"{n:,} {word}" for n, word in ((known, "known"), (waived, "waived")) if n]
    return f"{place}: {counts}" + (f" ({' and '.join(more)})" if more else "")


def verbose_text(tree: dict[str, Any]) -> str:
    """What was clear and what did not apply, with its reason, and how long each phase took. tree: as for `findings_text`."""
    lines = ["", f"Clear: {', '.join(tree['clear']) or 'nothing'}."]
    lines += [f"Not asked: {skipped['check']}: {skipped['because']}" for skipped in tree["skipped"]]
    return "\n".join([*lines, "Seconds: " + ", ".join(f"{name} {value}" for name, value in tree["seconds"].items())])


def summary_text(trees: list[dict[str, Any]]) -> str:
    """Many models in one line."""
    read = [tree for tree in trees if "verdict" in tree]
    held = sum(tree["verdict"]["stop"] > 0 for tree in read)
    sums = ", ".join(plural(n, k) for k in RESULTS if (n := sum(tree["verdict"][k] for tree in read))) or "nothing found"
    lost = f", {len(trees) - len(read):,} could not be read" if len(read) < len(trees) else ""
    return f"{plural(len(trees), 'model')}: {held:,} held, {len(read) - held:,} fit{lost}; {sums}"


def _kind(findings: list[dict[str, Any]], together: list[dict[str, Any]]) -> Iterator[str]:
    shown = findings if len(findings) <= _LISTED + 1 else findings[:_LISTED]
    for finding in shown:
        # The same on another part has the result of the one that stands for it.
        like = finding is not findings[0] and finding["under"] == findings[0]["id"]
        state = "waived" if finding["waived"] is not None else "known" if finding.get("known") else finding["result"]
        yield f"  {'' if like else state:8}{finding['title']}{' (follows from another)' if finding['under'] and not like else ''}"
    if len(shown) < len(findings):
        yield f"{'':10}and {len(findings) - len(shown):,} more of this kind, all of them in --json"
    # Reasons may differ within a kind; each is told once.
    for why in dict.fromkeys(f["why"] for f in shown):
        yield f"{'':10}{why}"
    calls = together if len(findings) >= MANY and together else [c for f in shown for c in f["mends"]]
    for text in dict.fromkeys(call_text(call["mend"], call["params"]) for call in calls):
        yield f"{'':10}mend: --mend {shlex.quote(text)}"


def proof_text(proof: Proof) -> list[str]:
    """A proof in lines: the verdict, then every row under its group."""
    counts = {k: sum(row.result == k for row in proof.rows) for k in WORDS}
    said = f", {plural(counts['caution'], 'thing differs', 'things differ')} as expected" if counts["caution"] else ""
    lines = [
        f"proved: {plural(counts['clear'], 'row')} the same{said}"
        if proof.proved
        else f"not proved: {plural(counts['stop'], 'row differs', 'rows differ')}{said}"
    ]
    width = max((len(row.what) for row in proof.rows), default=0)
    for group in dict.fromkeys(row.group for row in proof.rows):
        lines += ["", group]
        for line in (x for x in proof.rows if x.group == group):
            figures = line.sent if line.sent == line.read_back else f"{line.sent} → {line.read_back}"
            told = "; ".join(x for x in (line.difference if line.result == "stop" else "", line.where, line.remark) if x)
            lines.append(f"  {WORDS[line.result]:9}{line.what:{width}}  {figures}  {told}".rstrip())
    return lines


#: Outcomes of a row in words.
WORDS = {"clear": "same", "caution": "expected", "stop": "DIFFERS"}


def way_text(place: str, way: Way) -> list[str]:
    """The way to Fit of a model in lines. place: where it is."""
    lines = [f"{place}: {_ends(way)}"]
    for n, slip in enumerate(way.slips, 1):
        lines += _slip(str(n), slip, len(way.branches))
    for branch in way.branches:
        b, a = branch.before, branch.after
        verdict = f"{plural(a.stop, 'stop')}, {plural(a.caution, 'caution')}, {plural(a.note, 'note')}"
        was = f"was {plural(b.stop, 'stop')}, {plural(b.caution, 'caution')}, {plural(b.note, 'note')}"
        lines += ["", f"{branch.name}: {'Fit' if a.fit else 'held'}; {verdict} ({was})"]
        for n, slip in enumerate(branch.slips, len(way.slips) + 1):
            lines += _slip(f"{n} (for {branch.name} alone)", slip, 1)
        if branch.format:
            lines.append(f"  goes out as .{branch.format}: its own format cannot hold all of it")
        lines += [f"  brings  {title}" for title in branch.comes]
        for left in branch.left:
            lines += [f"  {left.result:8}{left.title}", f"{'':10}{left.because}"]
        if a.unlooked:
            lines.append(f"  Not looked at: {' and '.join(a.unlooked)}")
    lines += ["", *_price(way)] if way.slips else []
    if way.questions:
        lines += ["", "Not said, and what the model suggests:"]
        lines += [f"  {question.asks}: {question.words}; {question.why}" for question in way.questions]
    if way.ended:
        lines += ["", way.ended]
    return lines


def batch_table(tree: dict[str, Any]) -> str:
    """Models by how they stand, then what several of them have in common. tree: as `batch --json` has it."""
    rows = [["", "", "came", "after", ""]]
    for one in tree["models"]:
        if "error" in one:
            rows.append([one["place"], "could not be read"])
            continue
        now = one["after"] if one["helps"] else one["verdict"]
        word = "held" if now["stop"] or now["unlooked"] else "Fit"
        after = "" if one["after"] is None else _counted(one["after"]) if one["helps"] else "no better"
        proved = {None: "", True: "proved", False: "not proved"}[one["proved"]]
        rows.append([one["place"], word, _counted(one["verdict"]), after, proved])
    widths = [max(len(row[k]) for row in rows if k < len(row)) for k in range(5)]
    lines = ["  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=False)).rstrip() for row in rows[1:]]
    for trouble in tree["troubles"]:
        if trouble["models"] > 1:
            mends = ", ".join(f"{m['mend']} in {m['models']:,}" for m in trouble["mends"])
            lines.append(
                f"{trouble['result']:8} {plural(trouble['models'], 'model')}: {trouble['check']}{f' ({mends})' if mends else ''}"
            )
    return "\n".join(lines) + f"\n{summary_text(tree['models'])}"


def _counted(verdict: dict[str, int]) -> str:
    return ", ".join(plural(verdict[k], k) for k in ("stop", "caution") if verdict[k]) or "nothing to mend"


def ways_table(trees: list[dict[str, Any]]) -> str:
    """Models by destinations: what is left where. trees: as `way --json` has them."""
    read = [tree for tree in trees if "branches" in tree]
    names = [branch["name"] for branch in read[0]["branches"]]
    rows = [["", *names]]
    for tree in trees:
        cells = ["could not be read"] if "error" in tree else []
        for branch in tree.get("branches", []):
            after = branch["after"]
            counts = ", ".join(plural(after[k], k) for k in ("stop", "caution") if after[k]) or "nothing left"
            cells.append(
                f"{'held' if after['stop'] or after['unlooked'] else 'Fit'}, {plural(len(tree['slips']) + len(branch['slips']), 'mend')}, {counts}"
            )
        rows.append([tree["path"], *cells])
    widths = [max(len(row[k]) for row in rows if k < len(row)) for k in range(len(names) + 1)]
    return "\n" + "\n".join(
        "  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=False)).rstrip() for row in rows
    )


def _ends(way: Way) -> str:
    most = len(way.slips) + max((len(branch.slips) for branch in way.branches), default=0)
    yours = len({left.id for branch in way.branches for left in branch.left})
    after = f" after {plural(most, 'mend')}" if most else " as it is" if way.fit else ", and no mend helps"
    return f"{'Fit' if way.fit else 'Held'}{after}" + (
        f"; {plural(yours, 'thing is', 'things are')} left to you" if yours else ""
    )


def _slip(number: str, slip: Slip, sheets: int) -> Iterator[str]:
    serves = f"  (for {len(slip.serves)} of {sheets})" if 0 < len(slip.serves) < sheets else ""
    yield f"  {number} {slip.title}{serves}"
    yield f"{'':10}--mend {shlex.quote(call_text(slip.mend, slip.params))}"
    yield from (f"{'':10}clears {title}" for title in slip.clears)
    yield from (f"{'':10}{figure.what}: {figure.before} → {figure.after}" for figure in slip.figures)
    yield from (f"{'':10}{remark}" for remark in slip.remarks)
    for option in slip.options:
        if not option.chosen:
            rule = shlex.quote(f"{slip.checks[0]}={option.rule}") if slip.checks else option.rule
            yield f"{'':10}or: {option.title}{_cost(option.cost)}; --prefer {rule}"


def _price(way: Way) -> Iterator[str]:
    yield f"Together: {_cost(way.cost).removeprefix(': ') or 'nothing that is drawn or stored changes in number'}."
    if way.looks is not None:
        looks = way.looks
        worst = max(looks.sides, key=lambda side: side.pixels)
        far = "" if looks.distance_m is None else f"; the surface is off by {metres(looks.distance_m)} at most"
        if looks.worst:
            yield f"Looks: {looks.mean:.1f} of {looks.of:,} pixels differ in the mean of twelve sides, {looks.worst:,} from {worst.words}{far}."
        else:
            yield f"Looks: no pixel differs from any of twelve sides{far}."


def _cost(cost: Cost) -> str:
    """Figures of a cost, after a colon; nothing where there are none."""
    counted = (
        (cost.triangles, "triangle", "triangles"),
        (cost.draw_calls, "draw call", "draw calls"),
        (cost.parts, "part", "parts"),
    )
    said = [f"{plural(abs(n), one, several)} {'more' if n > 0 else 'fewer'}" for n, one, several in counted if n]
    if cost.pixels:
        said.append(f"{plural(cost.pixels, 'pixel')} of images lost")
    if cost.bytes:
        said.append(f"files {plural(abs(cost.bytes), 'byte')} {'larger' if cost.bytes > 0 else 'smaller'}")
    if cost.used_names:
        said.append(f"files beside use {', '.join(cost.used_names[:3])}, which has another name then")
    return f": {', '.join(said)}" if said else ""

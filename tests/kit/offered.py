"""The demo models, what is offered for them, and which offers may leave their finding."""

from __future__ import annotations

import json
import re
from collections import Counter
from functools import cache

from conftest import ROOT
from handlens.core.judge import judge
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.rules import load_sheet
from handlens.core.rules.intent import intent_from_json
from kit.scenes import ledger

DEMO = ROOT / "demo" / "models"


LISTED = json.loads((DEMO / "manifest.json").read_text())["models"]


RESULTS = {"stop", "caution", "note", "clear", None}


#: What a number that is none, or a Python object, would leave in words.
RUBBISH = re.compile(r"\b(None|nan|NaN|inf|Infinity)\b|<[a-z_]+ object|\{|\}")


@cache
def demo(folder):
    """The scene of a demo model, its measures, and what it is meant to be and for."""
    listed = next(m for m in LISTED if m["folder"] == folder)
    opened = open_scene(DEMO / folder)[2]
    return opened, measure(opened), load_sheet(listed["sheet"]), intent_from_json(json.dumps(listed["intent"]))


def words_of(thing):
    """Every text in a tree of dictionaries and lists."""
    if isinstance(thing, dict):
        return [w for v in thing.values() for w in words_of(v)]
    if isinstance(thing, list | tuple):
        return [w for v in thing for w in words_of(v)]
    return [thing] if isinstance(thing, str) else []


def looked_over(measures, sheet, intent):
    """What holds of every judgement and every ledger."""
    judged = judge(measures, sheet, intent)
    assert max(Counter(f.id for f in judged.findings).values(), default=1) == 1
    nodes = {n.index for n in measures.nodes}
    check_of = {f.id: f.check for f in judged.findings}
    for f in judged.findings:
        assert f.result in RESULTS - {None, "clear"}, f
        assert f.title
        assert not RUBBISH.search(f.title), f.title
        assert f.why, f.check
        assert f.node is None or f.node in nodes
        for told in (f.measured, f.wanted):
            assert told is None or set(told) == {"value", "unit"}, f
        assert f.elements is None or f.elements.total > 0, f.title
    stations = ledger(measures, sheet, intent, judged)
    json.dumps(stations, allow_nan=False)
    assert [s["number"] for s in stations] == list(range(1, 14))
    for s in stations:
        assert s["line"]
        for text in words_of({k: s.get(k) for k in ("line", "about", "limit", "headline", "tables")}):
            assert not RUBBISH.search(text), (s["name"], text)
        for shown in s.get("tables", []):
            keys = {c["key"] for c in shown["columns"]}
            assert len(keys) == len(shown["columns"])
            assert shown["total"] >= len(shown["rows"])
            for r in shown["rows"]:
                assert set(r["cells"]) == keys, (s["name"], shown["title"])
                assert all(isinstance(v["text"], str) for v in r["cells"].values()), r
                # A column of figures sorts by the numbers behind them: each that is written has one.
                figures = [r["cells"][c["key"]] for c in shown["columns"] if c["number"]]
                assert all(v["value"] is not None or not re.search(r"\d", v["text"]) for v in figures), r
                assert r.get("result") in RESULTS
                assert r.get("node") is None or r["node"] in nodes
        for h in s.get("headline", []):
            assert h["result"] in RESULTS
            assert h["value"]
        # What a station counts is what the findings say, the same on several parts once.
        own = [f for f in judged.findings if f.station == s["name"] and check_of.get(f.under) != f.check]
        assert sum(s["counts"].values()) == len(own)


#: What one looks through may be meant to be open: filling holes up to a size need not close it. A near name is never taken by itself.
MAY_STAY = {"facing.walk-round", "textures.missing"}


def weight(found, finding):
    """How much of a finding is left: nothing, or its count."""
    left = next((f for f in found if f.id == finding.id), None)
    return 0 if left is None else (left.count or 1)

"""What Hand Lens says of models that others made, and what comes of every mend that it offers for them.

Run: PYTHONPATH=src python tools/try_models.py OUT.json MODEL ... [--play]. Each model is judged by every shipped sheet without an
intent; with --play each offer is played by itself on the model as it came. OUT.json holds all of it; what is printed are two tables.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

from handlens.core import proof
from handlens.core.declare.check import Finding
from handlens.core.judge import Judgement, judge
from handlens.core.limits import InputError, MendError
from handlens.core.measures.known import Known
from handlens.core.offers.trials import new_or_worse, with_trials
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.rules.sheet import RuleSheet
from handlens.core.scene import Scene
from handlens.core.words.calls import call_text


def played(
    scene: Scene, before: Judgement, finding: Finding, call: tuple[str, dict[str, Any]], sheet: RuleSheet
) -> dict[str, Any]:
    """What an offer does: whether its finding goes, what comes, what else differs by the proof's comparison."""
    told = {"finding": finding.id, "title": finding.title, "mend": call_text(*call)}
    try:
        outcome = apply_mend(scene, *call)
    except (MendError, InputError) as error:
        return told | {"refused": str(error)}
    judged = judge(measure(outcome.scene), sheet, Intent())
    after = {f.id: f for f in judged.findings}
    left = after.get(finding.id)
    return told | {
        "gone": left is None,
        "left": None if left is None else left.title,
        "came": [f.title for f in new_or_worse(before, judged)],
        "went": [f.id for f in before.findings if f.id not in after and f.id != finding.id],
        "differs": sorted({f"{r.group}: {r.what}" for r in proof.compare(scene, outcome.scene, True) if r.result == "stop"}),
    }


def tried(path: str, play: bool) -> dict[str, Any]:
    began = time.monotonic()
    try:
        _, _, scene = open_scene(path)
    except InputError as error:
        return {"path": path, "unread": str(error)}
    measures = measure(scene, known=Known())
    bare = {f.id: f for f in judge(measures, load_sheet(None), Intent()).findings}
    measures = with_trials(scene, measures, shipped(), Intent(), work=float("inf"))
    judged = {s.slug: judge(measures, s, Intent()) for s in shipped()}
    first = judged["realtime-engine"]
    told: dict[str, Any] = {
        "path": path,
        "seconds": round(time.monotonic() - began, 2),
        "verdicts": {slug: j.verdict() for slug, j in judged.items()},
        "unlooked": list(first.unlooked),
        "dropped": [
            [t.call, t.refused, t.gone, t.came.get("realtime-engine")]
            for t in measures.trials
            if t.refused or not t.gone or t.came.get("realtime-engine")
        ],
        "findings": [
            {
                "check": f.check,
                "id": f.id,
                "result": f.result,
                "title": f.title,
                "count": f.count,
                "thought_of": len(bare[f.id].mends),
                "offered": len(f.mends),
            }
            for f in first.findings
        ],
    }
    if play:
        sheet = load_sheet(None)
        told["plays"] = [played(scene, first, f, call, sheet) for f in first.findings for call in f.mends]
    return told


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    parser.add_argument("models", nargs="+")
    parser.add_argument("--play", action="store_true")
    args = parser.parse_args()
    with ProcessPoolExecutor() as pool:
        all_told = list(pool.map(tried, args.models, [args.play] * len(args.models)))
    args.out.write_text(json.dumps(all_told, indent=1))
    read = [t for t in all_told if "unread" not in t]
    print(f"{len(read)} models read, {len(all_told) - len(read)} refused\n\n| check | findings | models |\n|---|---|---|")
    counts = Counter(f["check"] for t in read for f in t["findings"])
    models = Counter(check for t in read for check in {f["check"] for f in t["findings"]})
    for check, n in counts.most_common():
        print(f"| {check} | {n} | {models[check]} |")
    plays = [(t["path"], p) for t in read for p in t.get("plays", [])]
    wrong = [(path, p) for path, p in plays if "refused" in p or not p["gone"] or p["came"]]
    print(f"\n{len(plays)} offers, {len(wrong)} that are refused, leave their finding, or bring another")
    for path, p in wrong:
        said = f"refused: {p['refused']}" if "refused" in p else f"left: {p['left']}; came: {p['came']}"
        print(f"  {Path(path).name}  {p['title']}  [{p['mend']}]  {said}")
    return 0


if __name__ == "__main__":
    sys.exit(main())

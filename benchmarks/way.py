"""How far the way to Fit goes: on the demo's models, on models of others, and on sixty models with seeded defects. Writes a page to standard output.

Of each: whether it ends in Fit, with how many mends, what is left and who is wanted for it, what changes to look at, whether the mended
file is proved, and how many readings it takes. The fewest mends that can be are found by trying all, on models where they are few.
"""

from __future__ import annotations

import json
import statistics
import sys
import time
from collections import Counter
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests")]
OTHERS = Path("/usr/share/assimp/models")
#: Bytes up to which a model of others is looked at.
_MOST = 1_500_000


class Line(NamedTuple):
    """What came of one model. fewest: a shorter tape that does as well, None where there is none or it was not looked for."""

    group: str
    name: str
    before: tuple[int, int]
    after: tuple[int, int]
    fit: bool
    was_fit: bool
    slips: int
    left: list[tuple[str, str]]
    pixels: int
    proved: bool | None
    readings: float
    seconds: float
    shorter: int | None = None


def looked_at(job: tuple[str, str]) -> Line | None:
    """One model; None where it cannot be read. job: its group, and where it is or its seed."""
    from handlens.core.limits import InputError
    from handlens.core.offers.way import Wish, find_way
    from handlens.core.packages import MemoryPackage
    from handlens.core.pipeline.writing import write_as
    from handlens.core.route.measuring import measure
    from handlens.core.rules import load_sheet
    from handlens.core.rules.intent import intent_from_json
    from handlens.library import open_model

    group, name = job
    sheet = load_sheet("realtime-engine")
    intent, answered = intent_from_json("{}"), frozenset[str]()
    try:
        if group == "seeded":
            from kit.defects import INTENT, seeded

            scene, _ = seeded(int(name))
            intent, answered = intent_from_json(INTENT), frozenset(json.loads(INTENT))
        else:
            scene = open_model(ROOT / "demo" / "models" / name if group == "demo" else name).scene
            if group == "demo":
                listed = json.loads((ROOT / "demo" / "models" / "manifest.json").read_text())["models"]
                own = next((m.get("intent", {}) for m in listed if m["folder"] == name), {})
                intent, answered = intent_from_json(json.dumps(own)), frozenset(own)
    except InputError:
        return None
    measure(scene)
    began = time.perf_counter()
    measure(scene)
    reading = time.perf_counter() - began
    found = find_way(scene, [sheet], intent, Wish(answered=answered))
    way, branch = found.way, found.way.branches[0]
    try:
        made = write_as(found.scenes[-1], branch.format or "glb", "model", sheet.writes, intent)
        proved: bool | None = made.proof(MemoryPackage(made.files), next(iter(made.files))).proved
    except InputError:
        proved = None
    shorter = None
    if group == "seeded" and 1 < len(way.slips) <= 3:
        from core.test_way import fewest

        shorter = fewest(scene, len(way.slips) - 1)
    b, a = branch.before, branch.after
    seconds = way.seconds["search"] + way.seconds["look"]
    return Line(
        group,
        Path(name).name,
        (b.stop, b.caution),
        (a.stop, a.caution),
        a.fit,
        b.fit,
        len(way.slips),
        [(left.check, left.needs) for left in branch.left],
        way.looks.worst if way.looks else 0,
        proved,
        seconds / max(reading, 1e-3),
        seconds,
        shorter,
    )


def main() -> None:
    """Look at all of them and print the page."""
    demo = sorted(p.name for p in (ROOT / "demo" / "models").iterdir() if p.is_dir())
    endings = {".obj", ".gltf", ".glb", ".stl", ".ply", ".dae", ".3mf", ".off", ".usda", ".usdz"}
    others = sorted(
        str(p) for p in OTHERS.rglob("*") if p.suffix.lower() in endings and p.is_file() and p.stat().st_size <= _MOST
    )
    jobs = [("demo", n) for n in demo] + [("others", n) for n in others] + [("seeded", str(k)) for k in range(60)]
    from handlens.core.machine.one_each import one_each

    # Each in a process of its own: what ends one of them takes no other along.
    ended = sorted(one_each(looked_at, jobs, 2), key=lambda one: one.number)
    lines = [one.answer for one in ended if one.answer is not None]
    fell = [jobs[one.number][1] for one in ended if one.answer is None and one.error is not None]
    print("# How far the way to Fit goes\n")
    print(
        "Made by `benchmarks/way.py`, by the sheet *Realtime engine*, one process a core. Readings: what the search took, over measuring the"
    )
    print(
        "model once. Pixels: of 9,216, from the side that changes most. Proved: the mended model written as GLB and opened afresh.\n"
    )
    print(
        "| models | | Fit before | Fit after | mends, mean | stops left | cautions left | not proved | pixels, most | readings, median | seconds, median |"
    )
    print("|---|---|---|---|---|---|---|---|---|---|---|")
    for group, words in (("demo", "the demo's"), ("others", "of others"), ("seeded", "seeded, 3 to 8 defects")):
        own = [line for line in lines if line.group == group]
        print(
            f"| {words} | {len(own)} | {sum(x.was_fit for x in own)} | {sum(x.fit for x in own)} | {statistics.mean(x.slips for x in own):.1f} "
            f"| {sum(x.after[0] for x in own)} of {sum(x.before[0] for x in own)} | {sum(x.after[1] for x in own)} of {sum(x.before[1] for x in own)} "
            f"| {sum(x.proved is False for x in own)} | {max(x.pixels for x in own)} | {statistics.median(x.readings for x in own):.1f} "
            f"| {statistics.median(x.seconds for x in own):.1f} |"
        )
    tried = [x for x in lines if x.group == "seeded" and 1 < x.slips <= 3]
    print(
        f"\nOf {len(tried)} seeded models with two or three mends a shorter tape does as well for {sum(x.shorter is not None for x in tried)}, by trying all.\n"
    )
    print("What is left, by check and by what is wanted:\n\n| check | wanted | models |\n|---|---|---|")
    for (check, needs), n in Counter(x for line in lines for x in set(line.left)).most_common():
        print(f"| {check} | {needs} | {n} |")
    print("\nModels that are held still, and those of which more than a hundredth of a picture changes or that are not proved:\n")
    for x in lines:
        if not x.fit or x.pixels > 92 or x.proved is False:
            print(
                f"- {x.name}: {x.before} → {x.after}, {x.slips} mends, {x.pixels} pixels, proved {x.proved}; left {', '.join(f'{c} ({n})' for c, n in x.left)}"
            )
    if fell:
        print(f"\nNot looked at, since something failed: {', '.join(fell)}.")


if __name__ == "__main__":
    main()

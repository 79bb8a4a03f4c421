"""The command for many models against one rule sheet: batch."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.limits import InputError
from ..terminal import batch_table
from .judging import Which, check_parts, named_models, progress_bar, sheet_of_call
from .messages import say
from .outputs import outputs_of, read_of, read_text, write_json
from .writing import is_package

if TYPE_CHECKING:
    from ..core.offers.way import Found
    from ..core.proof import Proof
    from ..core.rules import Intent, RuleSheet
    from ..core.scene import Scene
    from ..core.words.calls import Call

#: Models that a kind of trouble names.
_NAMED = 8


@dataclass(frozen=True)
class _Answered:
    """What came of one model. tree: as the JSON has it; report: of it as it came; files: what is written, by its path in the model's folder;
    read: files that were read."""

    tree: dict[str, Any]
    report: dict[str, Any] = field(default_factory=dict)
    files: Mapping[str, bytes] = field(default_factory=dict)
    read: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class _Wish:
    """What is done with every model beside judging it. recipe: calls; rules: choices on the way to Fit; None where neither is tried."""

    recipe: list[Call] | None
    rules: dict[str, str] | None


def run_batch(args: argparse.Namespace) -> int:
    """Judge many models, try a recipe or the way on all, write those; returns the exit code. args: as `arguments` lays them out."""
    from ..core.offers.way import read_rules
    from ..core.words.calls import calls_of_json

    if args.out and Path(args.out).suffix and not Path(args.out).is_dir():
        raise InputError(say("call.batch-into-file", out=args.out))
    if args.format and not args.out:
        raise InputError(say("call.format-without-out"))
    sheet = sheet_of_call(args)
    recipe = calls_of_json(read_text(args.recipe), f"The recipe {Path(args.recipe).name}") if args.recipe else None
    wish = _Wish(recipe, read_rules(dict(args.project.way) if args.project else {}) if args.way else None)
    named = named_models(args)
    outputs = outputs_of(args)
    folders = _folders(named)
    done: list[_Answered] = []
    for which, one in zip(named, _each(args, sheet, wish, named), strict=True):
        outputs.keep_out(one.read)
        if one.files:
            folder = Path(args.out) / folders[which.place]
            outputs.write({folder / name: data for name, data in one.files.items()})
            one.tree["files"] = [str(folder / name) for name in one.files]
        if "error" in one.tree:
            print(f"handlens: {which.place}: {one.tree['error']}", file=sys.stderr)
        done.append(one)
    if all("error" in one.tree for one in done):
        raise InputError(say("call.none-read", count=len(done), error=done[0].tree["error"]))
    return _tell(args, sheet, done, outputs)


def _tell(args: argparse.Namespace, sheet: RuleSheet, done: list[_Answered], outputs: Any) -> int:
    trees = [one.tree for one in done]
    tree = {"schema": 1, "sheet": sheet.slug, "models": trees, "verdict": _sums(trees), "troubles": _troubles(done)}
    if args.csv:
        outputs.write({Path(args.csv): _board(sheet, trees)}, report=True)
    if args.report:
        from ..core.present.reports import Reported, report_file

        reported = [Reported(one.tree["place"], sheet.name, one.report, one.tree.get("error", "")) for one in done]
        outputs.write({Path(args.report): report_file(args.report, reported)}, report=True)
    if args.json:
        write_json(args.json, tree, outputs)
    if args.json != "-" and not args.quiet:
        print(batch_table(tree))
    return 0 if all(_passes(tree) for tree in trees) else 1


def _passes(tree: dict[str, Any]) -> bool:
    """Whether nothing stops a model as it would be handed on, and what was written of it is proved."""
    if "error" in tree:
        return False
    verdict = tree["after"] if tree["helps"] else tree["verdict"]
    return not verdict["stop"] and not verdict["unlooked"] and tree["proved"] is not False


def _sums(trees: list[dict[str, Any]]) -> dict[str, int]:
    return {k: sum(tree["verdict"][k] for tree in trees if "verdict" in tree) for k in ("stop", "caution", "note")}


def _folders(named: list[Which]) -> dict[str, str]:
    """A folder's name for each model, by its place: its own name, with a number where several go by it."""
    out: dict[str, str] = {}
    taken: set[str] = set()
    for which in named:
        name = Path(which.main).stem or "model"
        chosen, count = name, 1
        while chosen.casefold() in taken:
            count += 1
            chosen = f"{name}_{count}"
        taken.add(chosen.casefold())
        out[which.place] = chosen
    return out


def _each(args: argparse.Namespace, sheet: RuleSheet, wish: _Wish, named: list[Which]) -> Iterator[_Answered]:
    """What came of each model, in their order; several are worked on at once, each in a process of its own."""
    from ..core.machine.one_each import one_each
    from ..core.route.stations import stations

    # Loaded before the processes part: none of them loads it for itself.
    stations()
    work = lambda which: _one(args, sheet, wish, which)
    bar = progress_bar(len(named), args)
    early: dict[int, _Answered] = {}
    told = 0
    for ended in one_each(work, named, args.jobs):
        why = str(ended.error) if isinstance(ended.error, InputError) else ""
        if ended.answer is not None:
            early[ended.number] = ended.answer
        elif ended.error is None or isinstance(ended.error, InputError | MemoryError):
            why = why or "It asks for more time or memory than one model may, or is damaged; send it alone, or export it again."
            early[ended.number] = _Answered({"place": named[ended.number].place, "error": why})
        else:
            raise ended.error
        bar.update()
        # What came in its turn is handed on at once: its files need not be held.
        while told in early:
            yield early.pop(told)
            told += 1
    bar.close()


def _one(args: argparse.Namespace, sheet: RuleSheet, wish: _Wish, which: Which) -> _Answered:
    """Judge one model, try what is wished on a copy, and write it. Raises InputError."""
    from ..core.judge import judge
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_main
    from ..core.pipeline.project import intent_for
    from ..core.present import report
    from ..core.present.ledger import ledger, recounted
    from ..core.scene.transforms import walk

    intent = intent_for(Path(which.place), args.intent, args.project)
    scene = open_main(which.package, which.main)
    check_parts(intent, [scene.part_name(i) for i in walk(scene) if scene.nodes[i].mesh is not None], args.intent)
    measures = inspect(scene, [sheet], intent, trying="none", keep=False).measures
    judgement = judge(measures, sheet, intent)
    tree = report.report(report.source(which.package, which.main, scene), measures, judgement, with_indices=False)
    if args.project:
        tree = report.with_waivers(tree, args.project.reasons(Path(which.place), tree["findings"], date.today()))
    waived = {f["id"] for f in tree["findings"] if f["waived"] is not None}
    verdict = {**tree["verdict"], "unlooked": len(tree["not_looked_at"])}
    counts = {
        station.slug: {
            "stop": station.counts.stop,
            "caution": station.counts.caution,
            "note": station.counts.note,
            "nothing": station.nothing,
        }
        for station in recounted(ledger(measures, sheet, intent, judgement), tree)
    }
    entry: dict[str, Any] = {"place": which.place, "verdict": verdict, "stations": counts}
    entry |= {"after": None, "helps": False, "mends": [], "left": [], "proved": None, "files": []}
    mended = scene
    if wish.rules is not None:
        mended = _by_way(args, sheet, intent, wish.rules, scene, measures, frozenset(waived), entry)
    elif wish.recipe is not None:
        mended = _by_recipe(sheet, intent, wish.recipe, scene, judgement, waived, entry)
    files: Mapping[str, bytes] = {}
    if args.out:
        files, proof, entry["lost"] = _written(args, sheet, intent, which, mended if entry["helps"] else scene, entry["mends"])
        entry["proved"] = proof.proved
    return _Answered(entry, tree, files, read_of(which.path, which.main, scene))


def _by_way(
    args: argparse.Namespace,
    sheet: RuleSheet,
    intent: Intent,
    rules: dict[str, str],
    scene: Scene,
    measures: Any,
    waived: frozenset[str],
    entry: dict[str, Any],
) -> Scene:
    from ..core.offers.better import is_better
    from ..core.offers.way import Wish, find_way

    found: Found = find_way(scene, [sheet], intent, Wish(args.goal, rules, waived, frozenset(), look=False), measures)
    branch = found.way.branches[0]
    after = {k: getattr(branch.after, k) for k in ("stop", "caution", "note")} | {"unlooked": len(branch.after.unlooked)}
    # By what a way promises no stop and no caution comes with it.
    entry["after"], entry["helps"] = after, is_better(entry["verdict"], after)
    entry["mends"] = [{"mend": slip.mend, "params": slip.params} for slip in (*found.way.slips, *branch.slips)]
    entry["left"] = [left.title for left in branch.left]
    return found.scenes[1]


def _by_recipe(
    sheet: RuleSheet, intent: Intent, recipe: list[Call], scene: Scene, before: Any, waived: set[str], entry: dict[str, Any]
) -> Scene:
    from ..core.judge import judge
    from ..core.offers.better import brings_harm, is_better
    from ..core.pipeline.inspecting import inspect
    from ..core.route.tape import apply_tape

    mended, runs = apply_tape(scene, recipe)
    judgement = judge(inspect(mended, [sheet], intent, trying="none", keep=False).measures, sheet, intent)
    standing = [f for f in judgement.findings if f.id not in waived]
    after = {k: sum(f.result == k for f in standing) for k in ("stop", "caution", "note")} | {"unlooked": len(judgement.unlooked)}
    entry["after"], entry["helps"] = after, is_better(entry["verdict"], after) and not brings_harm(before, judgement)
    entry["mends"] = [{"mend": run.mend, "params": run.params} for run in runs if run.applied]
    entry["left"] = [f"{run.mend}: {run.because}" for run in runs if not run.applied]
    return mended


def _written(
    args: argparse.Namespace, sheet: RuleSheet, intent: Intent, which: Which, scene: Scene, mends: list[dict[str, Any]]
) -> tuple[Mapping[str, bytes], Proof, list[str]]:
    """The files of one model, proved as they are read from memory, and what the format cannot hold. Raises InputError."""
    from ..core.packages import MemoryPackage
    from ..core.pipeline.packaged import packaged_as
    from ..core.pipeline.writing import format_for, write_as

    name = args.format or format_for(scene.format, sheet)
    meant = sheet.meant(intent)
    if args.package and is_package(which.path):
        whole, made = packaged_as(which.package, which.main, scene, name, sheet.writes, meant, [m["mend"] for m in mends])
        return whole.files, made.proof(MemoryPackage(whole.files), whole.main), made.lost
    made = write_as(scene, name, Path(which.main).stem, sheet.writes, meant)
    return made.files, made.proof(MemoryPackage(made.files), next(iter(made.files))), made.lost


def _troubles(done: list[_Answered]) -> list[dict[str, Any]]:
    """What is wrong by its check: what several models have first, then the gravest; in which, and what mends it in how many of them."""
    found: dict[str, dict[str, Any]] = {}
    for one in done:
        for finding in one.report.get("findings", []):
            if finding["waived"] is not None or finding["result"] == "note":
                continue
            known = found.setdefault(finding["check"], {"result": "caution", "models": {}, "mends": {}})
            known["result"] = "stop" if "stop" in (known["result"], finding["result"]) else "caution"
            known["models"][one.tree["place"]] = None
            for call in finding["mends"]:
                known["mends"].setdefault(call["mend"], {})[one.tree["place"]] = None
    rows = [
        {
            "check": check,
            "result": known["result"],
            "models": len(known["models"]),
            "places": list(known["models"])[:_NAMED],
            "mends": [{"mend": mend, "models": len(places)} for mend, places in known["mends"].items()],
        }
        for check, known in found.items()
    ]
    return sorted(rows, key=lambda row: (row["models"] < 2, row["result"] != "stop", -row["models"], row["check"]))


def _board(sheet: RuleSheet, trees: list[dict[str, Any]]) -> bytes:
    from ..core.present.reports.board import BoardRow, board

    return board(
        [
            BoardRow(
                tree["place"],
                str(Path(tree["place"]).parent),
                sheet.name,
                "failed" if "error" in tree else "fit" if _passes(tree) else "held",
                tree.get("verdict"),
                tree.get("after"),
                tree.get("stations", {}),
                tree.get("proved"),
                tree.get("error", ""),
            )
            for tree in trees
        ]
    )

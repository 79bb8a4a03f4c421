"""Commands that measure and judge: inspect, report, explain, watch."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from ..core.limits import InputError, plural
from ..core.pipeline.saving import Outputs
from ..terminal import findings_text
from .outputs import outputs_of, read_of, write_json

if TYPE_CHECKING:
    from ..core.packages import Package
    from ..core.rules import Intent, RuleSheet
    from ..core.scene import Scene

_RANK = {"note": 1, "caution": 2, "stop": 3}


def run_inspect(args: argparse.Namespace) -> int:
    """Measure and judge models; returns the exit code. args: as `arguments` lays them out."""
    outputs = outputs_of(args)
    entries, code = _judged_models(args, outputs, bool(args.json), args.json != "-")
    if args.json:
        found = [entry for entry, _, _ in entries]
        sums = {k: sum(entry["verdict"][k] for entry in found if "verdict" in entry) for k in ("stop", "caution", "note")}
        tree = found[0] if len(found) == 1 else {"schema": 1, "models": found, "verdict": sums}
        write_json(args.json, tree, outputs)
    return code


def run_report(args: argparse.Namespace) -> int:
    """Measure and judge models, and write a report to hand on; returns the exit code. args: as `arguments` lays them out."""
    from ..core.present.reports import Reported, report_file
    from ..core.rules import load_sheet

    # A wrong ending is told before anything is measured.
    report_file(args.out, [])
    sheet = load_sheet(args.rules)
    outputs = outputs_of(args)
    entries, code = _judged_models(args, outputs, True, False, pictures=Path(args.out).suffix.lower() in (".html", ".pdf"))
    reported = [
        Reported(where, sheet.name, entry, entry.get("error", ""), args.fail_on, picture) for entry, picture, where in entries
    ]
    outputs.write({Path(args.out): report_file(args.out, reported)}, report=True)
    stops = sum("error" in entry or entry["verdict"]["stop"] > 0 for entry, _, _ in entries)
    print(f"{args.out}: {plural(len(entries), 'model')}, {stops:,} held")
    return code


def _judged_models(
    args: argparse.Namespace, outputs: Outputs, sources: bool, printed: bool, pictures: bool = False
) -> tuple[list[tuple[dict[str, Any], bytes | None, str]], int]:
    """The report of every model that a call names, each with its picture where those are wanted and with where it lies, and the exit code. Raises InputError
    where none could be read.

    sources: whether the files that were read are listed. printed: whether findings are printed.
    """
    from ..core.pipeline.opening import models_of
    from ..core.rules import load_intent, load_sheet

    sheet, intent = load_sheet(args.rules), load_intent(args.intent)
    named = [(path, package, main) for path in args.path for package, main in models_of(path, args.search)]
    entries: list[tuple[dict[str, Any], bytes | None, str]] = []
    code = 0
    for which in named:
        try:
            entry, picture, worst = _inspected(args, sheet, intent, which, outputs, sources, printed, pictures)
            code = max(code, worst)
        except InputError as error:
            if len(named) == 1:
                raise
            # One that cannot be read must not take the others' verdicts along, and must not pass for one of them.
            entry, picture, code = {"source": {"path": which[2]}, "error": str(error)}, None, 1
            print(f"handlens: {which[2]}: {error}", file=sys.stderr)
        path, _, main = which
        # By its name alone it could not be told from that of another folder.
        entries.append((entry, picture, path if Path(path).name == main else f"{path.rstrip('/')}/{main}"))
    if all("error" in entry for entry, _, _ in entries):
        raise InputError(f"None of the {len(entries):,} models could be read; the first: {entries[0][0]['error']}")
    return entries, code


def _inspected(
    args: argparse.Namespace,
    sheet: RuleSheet,
    intent: Intent,
    which: tuple[str, Package, str],
    outputs: Outputs,
    sources: bool,
    printed: bool,
    pictures: bool,
) -> tuple[dict[str, Any], bytes | None, int]:
    """The report of one model, its picture where that is wanted, and the exit code that it asks for. Raises InputError."""
    from ..core.judge import judge
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_main
    from ..core.present import report
    from ..core.scene.transforms import walk

    path, package, main = which
    began = time.perf_counter()
    scene = open_main(package, main)
    outputs.keep_out(read_of(path, main, scene))
    read = time.perf_counter()
    check_parts(intent, [scene.part_name(i) for i in walk(scene) if scene.nodes[i].mesh is not None], args.intent)
    inspected = inspect(scene, [sheet], intent, trying=args.trying, keep=False)
    measures, tried = inspected.measures, time.perf_counter()
    judgement = judge(measures, sheet, intent)
    tree = report.report(
        report.source(package, main, scene) if sources else {}, measures, judgement, with_indices=sources and not pictures
    )
    now = time.perf_counter()
    tree["seconds"] = {"read": round(read - began, 3), **inspected.seconds, "judge": round(now - tried, 3)}
    if printed:
        print(findings_text(main, sheet.name, tree))
    picture = _portrait(scene) if pictures else None
    worst = max((_RANK[k] for k, n in judgement.verdict().items() if n), default=0)
    unlooked = bool(judgement.unlooked) and not args.allow_unlooked
    return tree, picture, 1 if worst >= _RANK[args.fail_on] or unlooked else 0


def _portrait(scene: Scene) -> bytes | None:
    """A WebP of a model; None where nothing of it can be drawn."""
    from ..core.display import display_copy, reduced_copy
    from ..core.display.portrait import portrait

    full = display_copy(scene)
    return portrait(reduced_copy(full) or full)


def check_parts(intent: Any, names: Sequence[str], path: str | None) -> None:
    """Raises InputError where the intent speaks of parts that are not among the names of a model's."""
    lost = intent.without(names)
    if lost:
        known = ", ".join(dict.fromkeys(names[:8])) + (" …" if len(names) > 8 else "")
        raise InputError(
            f"The intent file {Path(path or '').name} speaks of {lost[0]!r}, which is no part of the model; its parts are: {known}."
        )


def run_explain(args: argparse.Namespace) -> int:
    """Go from how a model looked to what is wrong with it; returns the exit code. args: as `arguments` lays them out."""
    from ..core.judge import judge
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_scene
    from ..core.present import report
    from ..core.present.symptoms import SYMPTOMS, explained
    from ..core.rules import load_intent, load_sheet

    if args.look not in {symptom.key for symptom in SYMPTOMS}:
        raise InputError(f"{args.look!r} is no look that is known; use one of: {', '.join(symptom.key for symptom in SYMPTOMS)}.")
    sheet, intent = load_sheet(args.rules), load_intent(args.intent)
    _, path, scene = open_scene(args.path, args.search)
    measures = inspect(scene, [sheet], intent).measures
    tree = report.report({}, measures, judge(measures, sheet, intent), with_indices=False)
    answer = explained(tree["findings"], tree["clear"], args.look)
    if args.json:
        outputs = outputs_of(args, (args.path, path, scene))
        write_json(args.json, {"schema": 1, "look": args.look, **msgspec.to_builtins(answer)}, outputs)
    if args.json != "-":
        for cause in answer.causes:
            print(f"{cause.explains:12}{cause.title}{f' (and {cause.more} more)' if cause.more else ''}")
        print(f"{path}: nothing that was found explains it." if not answer.causes else "")
        print(f"Looked at and clear: {', '.join(answer.clear) or 'nothing'}.")
    return 1 if answer.causes else 0


def run_watch(args: argparse.Namespace) -> int:
    """Inspect saved models of a folder anew; returns the exit code. args: as `arguments` lays them out."""
    from ..watching import watch

    return watch(Path(args.path), args.rules, args.intent)

"""Commands that measure and judge: inspect, report, explain, watch."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec

from ..core.limits import InputError, plural
from ..core.pipeline.saving import Outputs
from ..terminal import compact_text, findings_text, summary_text, verbose_text
from .messages import say
from .outputs import outputs_of, read_of, write_json

if TYPE_CHECKING:
    from ..core.packages import Package
    from ..core.pipeline.baseline import Baseline
    from ..core.rules import RuleSheet
    from ..core.scene import Scene

_RANK = {"note": 1, "caution": 2, "stop": 3}


def run_inspect(args: argparse.Namespace) -> int:
    """Measure and judge models; returns the exit code. args: as `arguments` lays them out."""
    outputs = outputs_of(args)
    judged = _judged_models(args, outputs, bool(args.json), args.json != "-" and not args.quiet)
    if args.json:
        found = [one.tree for one in judged]
        tree = found[0] if len(found) == 1 else {"schema": 1, "models": found, "verdict": _sums(found)}
        write_json(args.json, tree, outputs)
    if len(judged) > 1 and args.json != "-" and not args.quiet:
        print(summary_text([one.tree for one in judged]))
    return max(one.code for one in judged)


def run_report(args: argparse.Namespace) -> int:
    """Measure and judge models, and write a report to hand on; returns the exit code. args: as `arguments` lays them out."""
    from ..core.present.reports import Reported, report_file

    # A wrong ending is told before anything is measured.
    report_file(args.out, [])
    outputs = outputs_of(args)
    judged = _judged_models(args, outputs, True, False, pictures=Path(args.out).suffix.lower() in (".html", ".pdf"))
    sheet = sheet_of_call(args).name
    reported = [Reported(one.place, sheet, one.tree, one.tree.get("error", ""), _fails_from(args), one.picture) for one in judged]
    outputs.write({Path(args.out): report_file(args.out, reported)}, report=True)
    if not args.quiet:
        stops = sum("error" in one.tree or one.tree["verdict"]["stop"] > 0 for one in judged)
        print(f"{args.out}: {plural(len(judged), 'model')}, {stops:,} held")
    return max(one.code for one in judged)


def _sums(found: list[dict[str, Any]]) -> dict[str, int]:
    return {k: sum(entry["verdict"][k] for entry in found if "verdict" in entry) for k in ("stop", "caution", "note")}


class Which(NamedTuple):
    """A model that a call names: where its package is, the package, its main file in there, and how people know it."""

    path: str
    package: Package
    main: str
    place: str


class _Judged(NamedTuple):
    """What came of one model. code: the exit code that it asks for. read: files that were read."""

    tree: dict[str, Any]
    picture: bytes | None
    code: int
    place: str
    read: list[str]


def named_models(args: argparse.Namespace) -> list[Which]:
    """Every model that a call names. Raises InputError."""
    from ..core.pipeline.opening import models_below, models_of

    out = []
    for path in args.path:
        found = (
            models_below(path, args.search)
            if getattr(args, "recursive", False)
            else [(path, *one) for one in models_of(path, args.search)]
        )
        for where, package, main in found:
            # By its name alone it could not be told from that of another folder.
            place = where if Path(where).name == main else f"{where.rstrip('/')}/{main}"
            out.append(Which(where, package, main, place))
    return out


def sheet_of_call(args: argparse.Namespace) -> RuleSheet:
    """The rule sheet that a call names, else its project's. Raises InputError."""
    from ..core.rules import load_sheet

    return load_sheet(args.rules or (args.project.sheet if args.project else None))


def _fails_from(args: argparse.Namespace) -> str:
    return args.fail_on or (args.project.fail_on if args.project else None) or "stop"


def _judged_models(
    args: argparse.Namespace, outputs: Outputs, sources: bool, printed: bool, pictures: bool = False
) -> list[_Judged]:
    """What came of every model that a call names, in its order. Raises InputError where none could be read.

    sources: whether the files that were read are listed. printed: whether findings are printed. pictures: whether each is drawn.
    """
    from ..core.pipeline.baseline import read_baseline

    sheet = sheet_of_call(args)
    baseline = read_baseline(Path(args.baseline)) if args.baseline else None
    if args.project:
        for sentence in args.project.ended(date.today()):
            print(f"handlens: {sentence}", file=sys.stderr)
    named = named_models(args)
    work = lambda which: _inspected(args, sheet, which, baseline, sources, pictures)
    judged: list[_Judged] = []
    for one in _each(work, named, args):
        outputs.keep_out(one.read)
        judged.append(one)
        if "error" in one.tree:
            print(f"handlens: {one.place}: {one.tree['error']}", file=sys.stderr)
        elif printed:
            said = (
                compact_text(one.place, one.tree)
                if args.compact
                else findings_text(one.place if args.recursive else one.tree["source"]["path"], sheet.name, one.tree)
            )
            print(said + (f"\n{verbose_text(one.tree)}" if args.verbose else ""))
        if not sources:
            one.tree.pop("source")
    if all("error" in one.tree for one in judged):
        raise InputError(say("call.none-read", count=len(judged), error=judged[0].tree["error"]))
    return judged


def _each(work: Callable[[Which], _Judged], named: list[Which], args: argparse.Namespace) -> Iterator[_Judged]:
    """Models one after another, or several at once, in their order; one that cannot be read takes no other along."""
    from ..core.machine.one_each import one_each

    bar = progress_bar(len(named), args)
    if args.jobs == 1 or len(named) == 1:
        for which in named:
            try:
                yield work(which)
            except InputError as error:
                if len(named) == 1:
                    raise
                yield _unread(which, str(error))
            bar.update()
        bar.close()
        return
    _load()
    done: dict[int, _Judged] = {}
    for ended in one_each(work, named, args.jobs):
        which = named[ended.number]
        if ended.answer is not None:
            done[ended.number] = ended.answer
        elif isinstance(ended.error, InputError | MemoryError):
            done[ended.number] = _unread(which, str(ended.error) or "It asks for more memory than one command may use.")
        elif ended.error is not None:
            raise ended.error
        else:
            done[ended.number] = _unread(
                which, "The file made its reader stop unexpectedly, so it is damaged; export it again, or in another format."
            )
        bar.update()
    bar.close()
    yield from (done[k] for k in range(len(named)))


def _unread(which: Which, why: str) -> _Judged:
    # One that cannot be read must not pass for one that was.
    return _Judged({"source": {"path": which.main}, "place": which.place, "error": why}, None, 1, which.place, [])


def _load() -> None:
    """What every model asks for, before the processes part: none of them loads it for itself."""
    from ..core.judge import judge  # noqa: F401
    from ..core.pipeline.inspecting import inspect  # noqa: F401
    from ..core.present import report  # noqa: F401
    from ..core.route.stations import stations

    stations()


def progress_bar(total: int, args: argparse.Namespace) -> Any:
    """A bar on standard error while several models are worked on, where a person looks at it."""
    from tqdm import tqdm

    off = total < 2 or args.quiet or not sys.stderr.isatty()
    return tqdm(total=total, unit="model", file=sys.stderr, disable=off, leave=False)


def _inspected(
    args: argparse.Namespace, sheet: RuleSheet, which: Which, baseline: Baseline | None, sources: bool, pictures: bool
) -> _Judged:
    """What came of one model. Raises InputError."""
    from ..core.judge import judge
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_main
    from ..core.pipeline.project import intent_for
    from ..core.present import report
    from ..core.scene.transforms import walk

    began = time.perf_counter()
    intent = intent_for(Path(which.place), args.intent, args.project)
    scene = open_main(which.package, which.main)
    read = time.perf_counter()
    check_parts(intent, [scene.part_name(i) for i in walk(scene) if scene.nodes[i].mesh is not None], args.intent)
    inspected = inspect(scene, [sheet], intent, trying=args.trying, keep=False)
    measures, tried = inspected.measures, time.perf_counter()
    judgement = judge(measures, sheet, intent)
    where = report.source(which.package, which.main, scene) if sources else {"path": which.main}
    tree = report.report(where, measures, judgement, with_indices=sources and not pictures)
    if args.project:
        tree = report.with_waivers(tree, args.project.reasons(Path(which.place), tree["findings"], date.today()))
    if baseline is not None:
        tree["findings"] = [{**finding, "known": baseline.known(which.place, finding)} for finding in tree["findings"]]
    now = time.perf_counter()
    tree["seconds"] = {"read": round(read - began, 3), **inspected.seconds, "judge": round(now - tried, 3)}
    if len(args.path) > 1 or args.recursive:
        tree["place"] = which.place
    picture = _portrait(scene) if pictures else None
    counted = [f for f in tree["findings"] if f["waived"] is None and not f.get("known")]
    worst = max((_RANK[f["result"]] for f in counted), default=0)
    unlooked = bool(judgement.unlooked) and not args.allow_unlooked
    code = 1 if worst >= _RANK[_fails_from(args)] or unlooked else 0
    return _Judged(tree, picture, code, which.place, read_of(which.path, which.main, scene))


def _portrait(scene: Scene) -> bytes | None:
    """A WebP of a model; None where nothing of it can be drawn."""
    from ..core.display import display_copy, reduced_copy
    from ..core.display.portrait import portrait

    full = display_copy(scene)
    return portrait(reduced_copy(full) or full)


def check_parts(intent: Any, names: Sequence[str], path: str | None) -> None:
    """Raises InputError where the intent speaks of parts that are not among the names of a model's. path: of the intent file, where the call
    names one; else the project says it."""
    lost = intent.without(names)
    if lost:
        known = ", ".join(dict.fromkeys(names[:8])) + (" …" if len(names) > 8 else "")
        where = f"The intent file {Path(path).name}" if path is not None else "The intent in handlens.toml"
        raise InputError(say("call.no-such-part", where=where, what=lost[0], known=known))


def run_explain(args: argparse.Namespace) -> int:
    """Go from how a model looked to what is wrong with it; returns the exit code. args: as `arguments` lays them out."""
    from ..core.judge import judge
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_scene
    from ..core.present import report
    from ..core.present.symptoms import SYMPTOMS, explained
    from ..core.rules import load_intent, load_sheet

    if args.look not in {symptom.key for symptom in SYMPTOMS}:
        raise InputError(say("call.no-such-look", look=args.look, names=", ".join(symptom.key for symptom in SYMPTOMS)))
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

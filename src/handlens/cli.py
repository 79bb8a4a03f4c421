"""The command line: the same core as the web app, without database or server."""

from __future__ import annotations

import argparse
import json
import os
import signal
import sys
import time
import warnings
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from . import __version__
from .core.formats.table import WRITABLE
from .core.limits import InputError, plural
from .core.pipeline.saving import Outputs
from .guarded import guarded
from .locked import lock_in
from .terminal import findings_text, proof_text

if TYPE_CHECKING:
    from .core.packages import Package
    from .core.rules import Intent, RuleSheet
    from .core.rules.export import ExportOptions
    from .core.scene import Scene

_RANK = {"note": 1, "caution": 2, "stop": 3}


def main(argv: Sequence[str] | None = None, scratch: Path | None = None) -> int:
    """Run a command. Returns 0 (ran), 1 (findings at or above --fail-on) or 2 (cannot be read, wrong call).

    With a folder for temporary files the process locks itself in to what the call names, before it opens any of it.
    """
    parser = _parser()
    # Numbers past what floats hold are findings; numpy's own words about them would only garble the output.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    try:
        args = parser.parse_args(argv)
        if scratch is not None:
            lock_in(args, scratch)
        code: int = args.run(args)
        sys.stdout.flush()
        return code
    except InputError as error:
        print(f"handlens: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # The reader of our output went away; that is its right. Keep the interpreter from complaining at exit. What was not told to its
        # end must not pass for a verdict: the code is that of a program which the signal ends.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 128 + signal.SIGPIPE
    except KeyboardInterrupt:
        print("handlens: stopped.", file=sys.stderr)
        return 130


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise InputError(f"{message}; see `{self.prog} --help`.")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="handlens", description="Checks a model before it moves, mends it, and proves the export.")
    parser.add_argument("--version", action="version", version=f"Hand Lens {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True, parser_class=_Parser)

    p = commands.add_parser("inspect", help="measure and judge a model")
    p.add_argument(
        "path", metavar="PATH", nargs="+", help="a model file, a folder or a zip; of the last two every model is judged"
    )
    p.add_argument("--json", metavar="FILE|-", help="write the whole report as JSON")
    _judging(p)
    _replace(p)
    p.set_defaults(run=_inspect)

    p = commands.add_parser(
        "report",
        help="measure and judge, and write a report to hand on",
        description="The ending says which: .html a page to read and print, .csv a table, .xml JUnit, .sarif SARIF 2.1.0. The exit code is that of inspect.",
    )
    p.add_argument(
        "path", metavar="PATH", nargs="+", help="a model file, a folder or a zip; of the last two every model is judged"
    )
    p.add_argument("--out", required=True, metavar="FILE", help="a file that ends in .html, .csv, .xml or .sarif")
    _judging(p)
    _replace(p)
    p.set_defaults(run=_report)

    p = commands.add_parser("mend", help="apply mends and write the result in its own format")
    p.add_argument("path", metavar="PATH")
    p.add_argument(
        "--mend",
        action="append",
        required=True,
        metavar="ID[:key=value,...]",
        help="a mend; may be given again, applied in order",
    )
    p.add_argument("--out", required=True, metavar="FILE_OR_DIR")
    _rules(p)
    p.add_argument("--search", action="append", default=[], metavar="DIR")
    p.add_argument("--json", metavar="FILE|-", help="write what each mend did as JSON")
    _replace(p)
    p.set_defaults(run=_mend)

    p = commands.add_parser("export", help="write a model in another format and prove it")
    p.add_argument("path", metavar="PATH")
    p.add_argument("--out", required=True, metavar="FILE_OR_DIR")
    p.add_argument("--format", required=True, metavar="FORMAT", help=WRITABLE)
    p.add_argument(
        "--unit",
        choices=("m", "cm", "mm"),
        help="unit of the numbers, where the format leaves it open (default: the sheet's, else as they are)",
    )
    p.add_argument("--up", choices=("Y", "Z"), help="axis that is up, where the format leaves it open")
    p.add_argument("--triangulate", action="store_true", help="cut polygons into triangles")
    p.add_argument(
        "--images", choices=("as-format", "embedded", "beside", "none"), help="where images go, where the format allows it"
    )
    p.add_argument("--folder", metavar="NAME", help="folder for images beside; {model} stands for the model's name")
    p.add_argument("--no-library", action="store_true", help="an OBJ without its material library")
    _rules(p)
    p.add_argument("--search", action="append", default=[], metavar="DIR")
    p.add_argument("--proof", metavar="FILE|-", help="read the written file afresh and write the comparison as JSON")
    _replace(p)
    p.set_defaults(run=_export)

    p = commands.add_parser("prove", help="compare two model files row by row")
    p.add_argument("a", metavar="A")
    p.add_argument("b", metavar="B")
    p.add_argument("--json", metavar="FILE|-")
    p.add_argument(
        "--mended",
        metavar="TAPE",
        help="mends that were asked for between A and B, as `mend --json` wrote them: what they changed is told apart from accidents",
    )
    _rules(p, "whose unit and axis a file is read in that states none")
    _replace(p)
    p.set_defaults(run=_prove)

    p = commands.add_parser("explain", help="from how a model looked wrong to what is wrong with it, the likeliest cause first")
    p.add_argument("path", metavar="PATH")
    p.add_argument(
        "--look", metavar="LOOK", required=True, help="how it looked, such as white, hole or jumps; any other word lists all"
    )
    _rules(p)
    p.add_argument("--search", action="append", default=[], metavar="DIR")
    p.add_argument("--json", metavar="FILE|-")
    _replace(p)
    p.set_defaults(run=_explain)

    p = commands.add_parser(
        "fits", help="whether a model fits in the place of an earlier one: names, pivots, size, slots, clips, sockets"
    )
    p.add_argument("a", metavar="EARLIER")
    p.add_argument("b", metavar="LATER")
    p.add_argument("--json", metavar="FILE|-")
    _replace(p)
    p.set_defaults(run=_fits)

    p = commands.add_parser("stale", help="whether what lies at a destination is still what was sent there, file by file")
    p.add_argument("sent", metavar="MANIFEST|EXPORT", help="the manifest of a package, or the folder or zip that was sent")
    p.add_argument("place", metavar="PLACE", help="the folder or zip at the destination")
    p.add_argument("--json", metavar="FILE|-")
    _replace(p)
    p.set_defaults(run=_stale)

    p = commands.add_parser("watch", help="inspect each saved model of a folder anew, and say what is fixed and what is new")
    p.add_argument("path", metavar="FOLDER")
    _rules(p)
    p.set_defaults(run=_watch)

    p = commands.add_parser("rules", help="the shipped rule sheets")
    which = p.add_subparsers(metavar="list|show", required=True, parser_class=_Parser)
    which.add_parser("list", help="slug and name of each").set_defaults(run=_rules_list)
    show = which.add_parser("show", help="one sheet as JSON")
    show.add_argument("name", metavar="NAME")
    show.set_defaults(run=_rules_show)

    for name, run in (("checks", _checks), ("mends", _mends)):
        p = commands.add_parser(name, help=f"every one of the {name}")
        p.add_argument("--json", action="store_true")
        p.set_defaults(run=run)
    return parser


def _judging(parser: argparse.ArgumentParser) -> None:
    """Options of what measures and judges."""
    _rules(parser)
    parser.add_argument(
        "--search", action="append", default=[], metavar="DIR", help="a folder to look for missing files in; may be given again"
    )
    parser.add_argument(
        "--fail-on", choices=["stop", "caution", "note"], default="stop", help="exit 1 from this result on (default: stop)"
    )
    parser.add_argument(
        "--allow-unlooked", action="store_true", help="exit 0 even where a station or a house check could not look at the model"
    )
    parser.add_argument(
        "--try",
        dest="trying",
        choices=["none", "quick", "all"],
        default="quick",
        help="which offered mends are played on a copy first: none, as many as fit into the time that measuring takes "
        "or into two seconds (quick, the default), or all",
    )


def _replace(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--replace", action="store_true", help="replace files that are there already, never one that was read")


def _rules(parser: argparse.ArgumentParser, why: str = "") -> None:
    """Options that say by what is judged; with `why`, only the sheet is asked for."""
    if why:
        parser.add_argument("--rules", metavar="NAME_OR_FILE", help=f"a rule sheet, {why} (default: realtime-engine)")
        return
    parser.add_argument(
        "--rules", metavar="NAME_OR_FILE", help="a rule sheet's name, slug or JSON file (default: realtime-engine)"
    )
    parser.add_argument("--intent", metavar="FILE", help="what the thing is meant to be, as JSON")


# --- output -----------------------------------------------------------------------------------------


def _write_json(target: str, tree: dict[str, Any], outputs: Outputs) -> None:
    # Laid out by msgspec, the same to the letter: the standard library's encoder is four times as long at it.
    text = msgspec.json.format(json.dumps(tree, ensure_ascii=False, allow_nan=False).encode(), indent=2) + b"\n"
    if target == "-":
        sys.stdout.write(text.decode())
    else:
        outputs.write({Path(target): text}, report=True)


# --- commands ---------------------------------------------------------------------------------------


def _inspect(args: argparse.Namespace) -> int:
    outputs = _outputs(args)
    entries, code = _judged_models(args, outputs, bool(args.json), args.json != "-")
    if args.json:
        found = [entry for entry, _, _ in entries]
        sums = {k: sum(entry["verdict"][k] for entry in found if "verdict" in entry) for k in ("stop", "caution", "note")}
        tree = found[0] if len(found) == 1 else {"schema": 1, "models": found, "verdict": sums}
        _write_json(args.json, tree, outputs)
    return code


def _report(args: argparse.Namespace) -> int:
    from .core.present.reports import Reported, report_file
    from .core.rules import load_sheet

    # A wrong ending is told before anything is measured.
    report_file(args.out, [])
    sheet = load_sheet(args.rules)
    outputs = _outputs(args)
    entries, code = _judged_models(args, outputs, True, False, pictures=Path(args.out).suffix.lower() == ".html")
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
    from .core.pipeline.opening import models_of
    from .core.rules import load_intent, load_sheet

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
    from .core.judge import judge
    from .core.pipeline.inspecting import inspect
    from .core.pipeline.opening import open_main
    from .core.present import report
    from .core.scene.transforms import walk

    path, package, main = which
    began = time.perf_counter()
    scene = open_main(package, main)
    outputs.keep_out(_read_of(path, main, scene))
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
    from .core.display import display_copy, reduced_copy
    from .core.display.portrait import portrait

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


def _mended(args: argparse.Namespace) -> tuple[Any, str, Any, Any, list[Any]]:
    from .core.pipeline.opening import open_to_mend
    from .core.route.tape import apply_tape
    from .core.rules import load_intent, load_sheet
    from .core.words.calls import parse_call

    load_sheet(args.rules), load_intent(args.intent)
    calls = [parse_call(text) for text in args.mend]
    package, path, before = open_to_mend(args.path, args.search)
    scene, runs = apply_tape(before, calls, refuse_wrong_calls=True)
    for run in runs:
        if not run.applied:
            print(f"handlens: {run.mend} was passed over: {run.because}", file=sys.stderr)
    return package, path, before, scene, runs


def _mend(args: argparse.Namespace) -> int:
    from .core import formats
    from .core.pipeline.writing import changed_files, in_intended_unit
    from .core.rules import load_intent, load_sheet
    from .core.rules.export import ExportOptions

    package, path, before, scene, runs = _mended(args)
    scene = in_intended_unit(scene, load_intent(args.intent))
    outputs = _outputs(args, (args.path, path, before))
    # A format that cannot state its unit is written in the one in which the destination will read it; nothing else is changed.
    sheet = load_sheet(args.rules)
    options = ExportOptions(unstated_unit=sheet.unit, unstated_axis=sheet.up_axis)
    changed: list[str] | None = None
    if _is_package(args.path) and _is_package(args.out, written=True):
        if Path(args.out).resolve().is_relative_to(Path(args.path).resolve()):
            raise InputError(f"{args.out} is inside the package itself; name a place outside of it.")
        placed, changed, format_name = _package_files(
            args.out, package, path, before, scene, [r.mend for r in runs if r.applied], options
        )
    else:
        out, format_name = _target(args.out, path, scene.format)
        files = formats.write(scene, format_name, out.stem, options)
        files |= {path: data for path, data in changed_files(scene).items() if path not in files}
        placed = {(out if k == 0 else out.parent / name): data for k, (name, data) in enumerate(files.items())}
    outputs.write(placed)
    lost = formats.what_is_lost(scene, format_name, options)
    tree = {
        "schema": 1,
        "mends": [
            {
                "mend": run.mend,
                "params": run.params,
                "applied": run.applied,
                "because": run.because,
                "figures": [{"what": figure.what, "before": figure.before, "after": figure.after} for figure in run.figures],
                "remarks": list(run.remarks),
                "kept": list(run.kept),
            }
            for run in runs
        ],
        "files": [str(part) for part in placed],
        **({} if changed is None else {"changed": changed}),
        "lost": lost,
    }
    if args.json:
        _write_json(args.json, tree, outputs)
    if args.json != "-":
        for run in runs:
            for figure in run.figures:
                print(f"{run.mend}: {figure.what} {figure.before} → {figure.after}")
            for sentence in (*(f"kept {k}" for k in run.kept), *run.remarks):
                print(f"{run.mend}: {sentence}")
        for sentence in lost:
            print(f"not held: {sentence}")
        if changed is None:
            print(f"written: {', '.join(str(part) for part in placed)}")
        else:
            print(
                f"written: {args.out}, the whole package; {plural(len(changed), 'file')} changed: {', '.join(changed) or 'none'}"
            )
    return 0 if all(run.applied for run in runs) else 1


def _is_package(path: str, written: bool = False) -> bool:
    """Whether a path is a folder or a zip; written: whether it will be one."""
    there = Path(path)
    folder = there.is_dir() or (written and (path.endswith(("/", os.sep)) or not there.suffix))
    return folder or (there.suffix.lower() == ".zip" and (written or there.is_file()))


def _package_files(
    out: str, package: Package, path: str, before: Scene, after: Scene, because: list[str], options: ExportOptions
) -> tuple[dict[Path, bytes], list[str], str]:
    """The files of a mended package by where they are written, those that are new or changed, and the format of its model. Raises InputError."""
    from .core.pipeline.packaged import as_zip, packaged

    made = packaged(package, path, before, after, because, options)
    if Path(out).suffix.lower() == ".zip":
        placed = {Path(out): as_zip(made.files)}
    else:
        placed = {Path(out) / name: data for name, data in made.files.items()}
        _refuse_links(Path(out), placed)
    return placed, list(made.changed), made.main.rpartition(".")[2]


def _refuse_links(folder: Path, placed: Iterable[Path]) -> None:
    """Raises InputError where a folder below the chosen one is a link: it would lead what is written elsewhere."""
    for parent in {parent for path in placed for parent in path.parents if parent != folder and parent.is_relative_to(folder)}:
        if parent.is_symlink():
            raise InputError(f"{parent} is a link, and nothing is written through one; choose another --out.")


def _stale(args: argparse.Namespace) -> int:
    from .core.pipeline.stale import compared, counts, sent_files

    files = compared(sent_files(Path(args.sent)), Path(args.place))
    tree = {"schema": 1, "files": [file.to_json() for file in files], "counts": counts(files)}
    if args.json:
        _write_json(args.json, tree, _outputs(args))
    if args.json != "-":
        for file in files:
            if file.state != "same":
                print(f"{file.state:9}{file.path}")
        print(", ".join(f"{n:,} {state}" for state, n in counts(files).items() if n) or "no files")
    return 0 if all(file.state == "same" for file in files) else 1


def _export(args: argparse.Namespace) -> int:
    from .core.formats.table import WRITERS
    from .core.packages import FilePackage
    from .core.pipeline.opening import open_scene
    from .core.pipeline.writing import write_as
    from .core.rules import load_intent, load_sheet

    sheet = load_sheet(args.rules)
    options, intent = _options(sheet.writes, args), sheet.meant(load_intent(args.intent))
    _, path, scene = open_scene(args.path, args.search)
    format_name = args.format.lower().lstrip(".")
    if format_name not in WRITERS:
        raise InputError(f"The format {format_name} cannot be written; use one of: {', '.join(WRITERS)}.")
    out, ending = _target(args.out, path, format_name)
    if ending != format_name:
        raise InputError(f"{out.name} says .{ending} and --format says {format_name}; name one format.")
    made = write_as(scene, format_name, out.stem, options, intent)
    placed = {(out if k == 0 else out.parent / name): data for k, (name, data) in enumerate(made.files.items())}
    outputs = _outputs(args, (args.path, path, scene))
    outputs.write(placed)
    proof = None
    if args.proof:
        proof = made.proof(FilePackage(out), out.name)
        _write_json(args.proof, proof.to_json(), outputs)
    if args.proof != "-":
        for sentence in made.lost:
            print(f"not held: {sentence}")
        print(f"written: {', '.join(str(part) for part in placed)}")
        if proof is not None:
            print("\n".join(proof_text(proof)))
    return 0 if proof is None or proof.proved else 1


def _options(wanted: ExportOptions, args: argparse.Namespace) -> ExportOptions:
    """The sheet's options with those that the call states in their place."""
    stated = {"unit": args.unit, "up_axis": args.up, "images": args.images, "folder": args.folder}
    stated |= {"triangulate": args.triangulate or None, "material_library": False if args.no_library else None}
    return msgspec.structs.replace(wanted, **{k: v for k, v in stated.items() if v is not None})


def _read_text(path: str) -> str:
    try:
        return Path(path).read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"{path} cannot be read: {getattr(error, 'strerror', None) or 'it is no text'}.") from error


def _prove(args: argparse.Namespace) -> int:
    from .core.pipeline.opening import open_scene
    from .core.proof import prove, prove_mended
    from .core.route.tape import apply_tape
    from .core.rules import load_sheet
    from .core.words.calls import calls_of_json

    options = load_sheet(args.rules).writes
    calls = calls_of_json(_read_text(args.mended), f"The tape {Path(args.mended).name}") if args.mended else []
    (_, one, a), (_, other, b) = open_scene(args.a), open_scene(args.b)
    mended, runs = apply_tape(a, calls, refuse_wrong_calls=True)
    passed = next((run for run in runs if not run.applied), None)
    if passed is not None:
        raise InputError(f"{passed.mend} of the tape does not apply to {one}: {passed.because}")
    proof = prove_mended(a, mended, b, options) if args.mended else prove(a, b, options)
    if args.json:
        outputs = _outputs(args, (args.a, one, a), (args.b, other, b))
        if args.mended:
            outputs.keep_out([Path(args.mended)])
        _write_json(args.json, proof.to_json(), outputs)
    if args.json != "-":
        print("\n".join(proof_text(proof)))
    return 0 if proof.proved else 1


def _explain(args: argparse.Namespace) -> int:
    from .core.judge import judge
    from .core.pipeline.inspecting import inspect
    from .core.pipeline.opening import open_scene
    from .core.present import report
    from .core.present.symptoms import SYMPTOMS, explained
    from .core.rules import load_intent, load_sheet

    if args.look not in {symptom.key for symptom in SYMPTOMS}:
        raise InputError(f"{args.look!r} is no look that is known; use one of: {', '.join(symptom.key for symptom in SYMPTOMS)}.")
    sheet, intent = load_sheet(args.rules), load_intent(args.intent)
    _, path, scene = open_scene(args.path, args.search)
    measures = inspect(scene, [sheet], intent).measures
    tree = report.report({}, measures, judge(measures, sheet, intent), with_indices=False)
    answer = explained(tree["findings"], tree["clear"], args.look)
    if args.json:
        outputs = _outputs(args, (args.path, path, scene))
        _write_json(args.json, {"schema": 1, "look": args.look, **msgspec.to_builtins(answer)}, outputs)
    if args.json != "-":
        for cause in answer.causes:
            print(f"{cause.explains:12}{cause.title}{f' (and {cause.more} more)' if cause.more else ''}")
        print(f"{path}: nothing that was found explains it." if not answer.causes else "")
        print(f"Looked at and clear: {', '.join(answer.clear) or 'nothing'}.")
    return 1 if answer.causes else 0


def _fits(args: argparse.Namespace) -> int:
    from .core.pipeline.opening import open_scene
    from .core.proof.in_place import in_place

    (_, one, a), (_, other, b) = open_scene(args.a), open_scene(args.b)
    made = in_place(a, b)
    if args.json:
        outputs = _outputs(args, (args.a, one, a), (args.b, other, b))
        _write_json(args.json, {"schema": 1, **msgspec.to_builtins(made)}, outputs)
    if args.json != "-":
        print("fits in the old one's place" if made.fits else "does not fit in the old one's place")
        for row in made.rows:
            print(
                f"  {row.what:12}{'kept' if not row.broke else f'{len(row.broke)} broke'}{'' if row.count else ' (there were none)'}"
            )
            for sentence in row.broke[:20]:
                print(f"{'':14}{sentence}")
    return 0 if made.fits else 1


def _outputs(args: argparse.Namespace, *read: tuple[str, str, Scene]) -> Outputs:
    """What a call may write. read: the path of each model that was read, its main file in there, and its scene."""
    inputs = [*getattr(args, "search", ()), *(x for name in ("rules", "intent") if (x := getattr(args, name, None)))]
    return Outputs([*inputs, *(name for one in read for name in _read_of(*one))], getattr(args, "replace", False))


def _read_of(path: str, main: str, scene: Scene) -> list[str]:
    """Every file that was read of a model, and what came with it."""
    base = Path(path).parent if Path(path).is_file() else Path(path)
    names = [main, *(name for name, _ in scene.files), *(i.found_at for i in scene.images if i.found_at)]
    # Of other models that lie beside only the names are read.
    names += [n.path for n in scene.beside if n.origin == "package" and n.role != "model"]
    return [path, *(str(base / name) for name in names)]


def _target(out: str, model: str, format_name: str) -> tuple[Path, str]:
    """The main file to write. A folder, or a name without an ending, takes the model's own name."""
    path = Path(out)
    ending = path.suffix.lower().lstrip(".")
    from .core.formats.table import WRITERS

    if path.is_dir() or not ending or out.endswith(("/", os.sep)):
        # What can only be read is written as the nearest that can be.
        written = format_name if format_name in WRITERS else {"usdc": "usda"}.get(format_name, "obj")
        return path / f"{Path(model).stem}.{written}", written
    if ending not in WRITERS:
        raise InputError(f"{path.name}: .{ending} cannot be written; use one of: {', '.join(WRITERS)}.")
    return path, ending


def _rules_list(args: argparse.Namespace) -> int:
    from .core.rules import shipped

    for sheet in shipped():
        print(f"{sheet.slug}\t{sheet.name}")
    return 0


def _rules_show(args: argparse.Namespace) -> int:
    import msgspec

    from .core.rules import load_sheet

    _write_json("-", msgspec.to_builtins(load_sheet(args.name)), Outputs())
    return 0


def _checks(args: argparse.Namespace) -> int:
    from .core.present import catalogue

    listed = catalogue.checks()
    if args.json:
        print(json.dumps(msgspec.to_builtins(listed), indent=2, ensure_ascii=False))
    else:
        for c in listed:
            print(f"{c.id:28}{c.title}\n{'':28}{c.does}\n{'':28}Why: {c.why}{_brought_by(c.origin, 28)}")
    return 0


def _mends(args: argparse.Namespace) -> int:
    from .core.present import catalogue

    listed = catalogue.mends()
    if args.json:
        print(json.dumps(msgspec.to_builtins(listed), indent=2, ensure_ascii=False))
    else:
        for m in listed:
            call = m.id + (":" + ",".join(f"{parameter.name}=" for parameter in m.parameters) if m.parameters else "")
            says = f"{call:36}{m.title}\n{'':36}Keeps: {m.keeps}.\n{'':36}Costs: {m.costs}."
            print(says + _brought_by(m.origin, 36))
    return 0


def _brought_by(origin: str, indent: int) -> str:
    """A line that says who brings a check or a mend that is not ours."""
    from .core.declare.check import OURS

    return "" if origin == OURS else f"\n{'':{indent}}From: {origin}"


def _watch(args: argparse.Namespace) -> int:
    from .watching import watch

    return watch(Path(args.path), args.rules, args.intent)


def guarded_main() -> int:
    """The command line in a child with limits, locked in to what its call names.

    Watching goes on for days and opens nothing itself: each save is inspected by a command of its own, which is guarded.
    """
    if sys.argv[1:2] == ["watch"]:
        return main()
    return guarded(lambda scratch: main(scratch=scratch))


if __name__ == "__main__":
    sys.exit(guarded_main())

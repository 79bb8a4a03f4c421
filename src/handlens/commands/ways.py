"""The command that finds the tape which makes models fit: way."""

from __future__ import annotations

import argparse
import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec

from ..core.limits import InputError
from ..terminal import proof_text, way_text, ways_table
from .judging import check_parts, named_models
from .messages import say
from .outputs import outputs_of, read_of, write_json
from .writing import is_package, placed_package, refuse_inside, target

if TYPE_CHECKING:
    from ..core.offers.way import Found
    from ..core.pipeline.saving import Outputs
    from ..core.rules import Intent, RuleSheet
    from .judging import Which


class _Answered(NamedTuple):
    """What came of one model. code: the exit code that it asks for."""

    place: str
    tree: dict[str, Any]
    code: int


def run_way(args: argparse.Namespace) -> int:
    """Find the way to Fit of models; returns the exit code. args: as `arguments` lays them out."""
    from ..core.offers.way import read_rules
    from ..core.rules import load_sheet

    project = args.project
    sheets = [load_sheet(name) for name in args.rules or [project.sheet if project else None]]
    if len({sheet.slug for sheet in sheets}) < len(sheets):
        raise InputError(say("call.sheet-twice"))
    rules = read_rules({**(project.way if project else {}), **dict(map(_rule, args.prefer))})
    which = named_models(args)
    if len(which) > 1 and (args.out or args.recipe_out or args.picture):
        raise InputError(say("call.several-models", count=len(which)))
    outputs = outputs_of(args)
    told = []
    for one in which:
        try:
            told.append(_one(args, one, sheets, rules, outputs))
        except InputError as error:
            if len(which) == 1:
                raise
            print(f"handlens: {one.place}: {error}", file=sys.stderr)
            told.append(_Answered(one.place, {"path": one.place, "error": str(error)}, 1))
    if all("error" in one.tree for one in told):
        raise InputError(say("call.none-read", count=len(told), error=told[0].tree["error"]))
    if args.json:
        trees = [one.tree for one in told]
        write_json(args.json, {"schema": 1, **trees[0]} if len(trees) == 1 else {"schema": 1, "models": trees}, outputs)
    if len(told) > 1 and args.json != "-" and not args.quiet:
        print(ways_table([one.tree for one in told]))
    return max(one.code for one in told)


def _rule(text: str) -> tuple[str, str]:
    check, equals, mend = text.partition("=")
    if not equals or not check.strip() or not mend.strip():
        raise InputError(say("call.no-rule", text=text))
    return check.strip(), mend.strip()


def _one(args: argparse.Namespace, which: Which, sheets: list[RuleSheet], rules: dict[str, str], outputs: Outputs) -> _Answered:
    from ..core.measures.known import Known
    from ..core.offers.way import Wish, find_way
    from ..core.offers.way.questions import as_suggested, questions
    from ..core.pipeline.opening import open_main
    from ..core.pipeline.project import answered_for, intent_for
    from ..core.route.measuring import measure
    from ..core.scene.transforms import walk

    intent = intent_for(Path(which.place), args.intent, args.project)
    answered = answered_for(Path(which.place), args.intent, args.project)
    scene = open_main(which.package, which.main)
    check_parts(intent, [scene.part_name(i) for i in walk(scene) if scene.nodes[i].mesh is not None], args.intent)
    outputs.keep_out(read_of(which.path, which.main, scene))
    measures = None
    waived: frozenset[str] = frozenset()
    if args.project or args.as_suggested:
        measures = measure(scene, known=Known())
        if args.as_suggested:
            asked = questions(measures, sheets[0], intent, answered)
            intent, answered = as_suggested(intent, asked), answered | {q.key.partition(".")[0] for q in asked}
        waived = _waived(args, which, measures, sheets, intent)
    wish = Wish(args.goal, rules, waived, answered, look=not args.no_looks)
    found = find_way(scene, sheets, intent, wish, measures)
    tree = {
        "path": which.place,
        "fit": found.way.fit,
        "intent": msgspec.to_builtins(intent),
        **msgspec.to_builtins(found.way),
    }
    lines = way_text(which.place, found.way)
    proved = True
    if args.out:
        tree["files"], said, proved = _write(args, which, found, sheets, intent, outputs)
        lines += said
    if args.recipe_out:
        _keep_recipe(args, found, outputs)
    if args.picture and found.picture:
        outputs.write({Path(args.picture): found.picture}, report=True)
    if args.json != "-" and not args.quiet:
        print("\n".join(lines))
    return _Answered(which.place, tree, 0 if found.way.fit and proved else 1)


def _waived(args: argparse.Namespace, which: Which, measures: Any, sheets: list[RuleSheet], intent: Intent) -> frozenset[str]:
    """Ids of findings that the project accepts."""
    from ..core.judge import judge
    from ..core.present.report import finding_json

    if not args.project:
        return frozenset()
    found = [finding_json(f, with_indices=False) for sheet in sheets for f in judge(measures, sheet, intent).findings]
    return frozenset(args.project.reasons(Path(which.place), found, date.today()))


def _keep_recipe(args: argparse.Namespace, found: Found, outputs: Outputs) -> None:
    from ..core.offers.way import recipe

    only = found.way.branches[0].sheet if len(found.way.branches) == 1 else None
    tape = [{"mend": call.mend, "params": call.params} for call in recipe(found.way, only)]
    write_json(args.recipe_out, {"schema": 1, "mends": tape}, outputs)


def _write(
    args: argparse.Namespace, which: Which, found: Found, sheets: list[RuleSheet], intent: Intent, outputs: Outputs
) -> tuple[list[str], list[str], bool]:
    """Write the model for each destination and read it afresh: its files, what is said of that, and whether all is proved. Raises InputError."""
    files, lines, proved = [], [], True
    folder = args.out.rstrip("/")
    if len(sheets) > 1 and Path(folder).suffix:
        raise InputError(say("call.sheets-into-file", out=args.out))
    outs = [args.out] if len(sheets) == 1 else [f"{folder}/{sheet.slug}/" for sheet in sheets]
    every = [_written(args, which, found, k, sheet, intent, out) for k, (sheet, out) in enumerate(zip(sheets, outs, strict=True))]
    # All of them, or none.
    outputs.write({path: data for placed, *_ in every for path, data in placed.items()})
    for placed, main, made, package in every:
        proof = made.proof(package(), main)
        files += [str(path) for path in placed]
        lines += [f"not held: {sentence}" for sentence in made.lost]
        # Of a proof that holds one line is enough; `prove` tells every row.
        lines += [
            f"written: {', '.join(str(path) for path in placed)}",
            *(proof_text(proof)[:1] if proof.proved else proof_text(proof)),
        ]
        proved &= proof.proved
    return files, lines, proved


def _written(
    args: argparse.Namespace, which: Which, found: Found, k: int, sheet: RuleSheet, intent: Intent, out: str
) -> tuple[dict[Path, bytes], str, Any, Any]:
    """The files of one destination by where they go, the main one, what was written, and a way to open it. Raises InputError."""
    from ..core.offers.way import recipe
    from ..core.packages import FilePackage, FolderPackage, ZipPackage
    from ..core.pipeline.packaged import packaged_as
    from ..core.pipeline.writing import format_for, write_as

    scene, branch = found.scenes[k + 1], found.way.branches[k]
    name = branch.format or format_for(scene.format, sheet)
    if is_package(args.path[0]) and is_package(out, written=True):
        refuse_inside(args.path[0], out)
        because = [call.mend for call in recipe(found.way, sheet.slug)]
        whole, made = packaged_as(which.package, which.main, scene, name, sheet.writes, intent, because)
        placed = placed_package(out, whole.files)
        return (
            placed,
            whole.main,
            made,
            lambda: ZipPackage(Path(out)) if out.lower().endswith(".zip") else FolderPackage(Path(out)),
        )
    path, name = target(out, which.main, name)
    made = write_as(scene, name, path.stem, sheet.writes, intent)
    return (
        {(path if n == 0 else path.parent / file): data for n, (file, data) in enumerate(made.files.items())},
        path.name,
        made,
        lambda: FilePackage(path),
    )

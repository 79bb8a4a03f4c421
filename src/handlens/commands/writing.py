"""Commands that write models: mend, export."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from ..core.limits import InputError, plural
from ..terminal import proof_text
from .messages import say
from .outputs import outputs_of, read_text, write_json

if TYPE_CHECKING:
    from ..core.packages import Package
    from ..core.rules.export import ExportOptions
    from ..core.scene import Scene


def _mended(args: argparse.Namespace) -> tuple[Any, str, Any, Any, list[Any]]:
    from ..core.pipeline.opening import open_to_mend
    from ..core.route.tape import apply_tape
    from ..core.rules import load_intent, load_sheet
    from ..core.words.calls import calls_of_json, parse_call

    load_sheet(args.rules), load_intent(args.intent)
    recipe = calls_of_json(read_text(args.recipe), f"The recipe {Path(args.recipe).name}") if args.recipe else []
    calls = [*recipe, *(parse_call(text) for text in args.mend)]
    if not calls:
        raise InputError(say("call.no-mend"))
    package, path, before = open_to_mend(args.path, args.search)
    scene, runs = apply_tape(before, calls, refuse_wrong_calls=True)
    for run in runs:
        if not run.applied:
            print(f"handlens: {run.mend} was passed over: {run.because}", file=sys.stderr)
    return package, path, before, scene, runs


def run_mend(args: argparse.Namespace) -> int:
    """Apply mends and write the result in its own format; returns the exit code. args: as `arguments` lays them out."""
    from ..core import formats
    from ..core.pipeline.writing import changed_beside, in_intended_unit
    from ..core.rules import load_intent, load_sheet
    from ..core.rules.export import ExportOptions

    package, path, before, scene, runs = _mended(args)
    scene = in_intended_unit(scene, load_intent(args.intent))
    outputs = outputs_of(args, (args.path, path, before))
    # A format that cannot state its unit is written in the one in which the destination will read it; nothing else is changed.
    sheet = load_sheet(args.rules)
    options = ExportOptions(unstated_unit=sheet.unit, unstated_axis=sheet.up_axis)
    changed: list[str] | None = None
    if is_package(args.path) and is_package(args.out, written=True):
        refuse_inside(args.path, args.out)
        placed, changed, format_name = _package_files(
            args.out, package, path, before, scene, [r.mend for r in runs if r.applied], options
        )
    else:
        out, format_name = target(args.out, path, scene.format)
        files = formats.write(scene, format_name, out.stem, options)
        files |= {path: data for path, data in changed_beside(scene).items() if path not in files}
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
        write_json(args.json, tree, outputs)
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


def is_package(path: str, written: bool = False) -> bool:
    """Whether a path is a folder or a zip; written: whether it will be one."""
    there = Path(path)
    folder = there.is_dir() or (written and (path.endswith(("/", os.sep)) or not there.suffix))
    return folder or (there.suffix.lower() == ".zip" and (written or there.is_file()))


def _package_files(
    out: str, package: Package, path: str, before: Scene, after: Scene, because: list[str], options: ExportOptions
) -> tuple[dict[Path, bytes], list[str], str]:
    """The files of a mended package by where they are written, those that are new or changed, and the format of its model. Raises InputError."""
    from ..core.pipeline.packaged import packaged

    made = packaged(package, path, before, after, because, options)
    return placed_package(out, made.files), list(made.changed), made.main.rpartition(".")[2]


def placed_package(out: str, files: Mapping[str, bytes]) -> dict[Path, bytes]:
    """The files of a package by where they are written: in a zip, or below a folder. Raises InputError."""
    from ..core.pipeline.packaged import as_zip

    if Path(out).suffix.lower() == ".zip":
        return {Path(out): as_zip(files)}
    placed = {Path(out) / name: data for name, data in files.items()}
    _refuse_links(Path(out), placed)
    return placed


def _refuse_no_package(args: argparse.Namespace) -> None:
    """Raises InputError where --package has nothing to go by, or no place to go to."""
    if not is_package(args.path):
        raise InputError(say("call.package-of-file", path=args.path))
    if not is_package(args.out, written=True):
        raise InputError(say("call.package-into-file", out=args.out))
    refuse_inside(args.path, args.out)


def refuse_inside(path: str, out: str) -> None:
    """Raises InputError where a package would be written into itself."""
    if Path(out).resolve().is_relative_to(Path(path).resolve()):
        raise InputError(say("call.inside-package", out=out))


def _refuse_links(folder: Path, placed: Iterable[Path]) -> None:
    """Raises InputError where a folder below the chosen one is a link: it would lead what is written elsewhere."""
    for parent in {parent for path in placed for parent in path.parents if parent != folder and parent.is_relative_to(folder)}:
        if parent.is_symlink():
            raise InputError(say("call.link", parent=parent))


def run_export(args: argparse.Namespace) -> int:
    """Write a model in another format; returns the exit code. args: as `arguments` lays them out."""
    from ..core.formats.table import WRITERS
    from ..core.packages import FilePackage, FolderPackage, ZipPackage
    from ..core.pipeline.opening import open_scene
    from ..core.pipeline.packaged import packaged_as
    from ..core.pipeline.writing import write_as
    from ..core.rules import load_intent, load_sheet

    sheet = load_sheet(args.rules)
    options, intent = _options(sheet.writes, args), sheet.meant(load_intent(args.intent))
    package, path, scene = open_scene(args.path, args.search)
    format_name = args.format.lower().lstrip(".")
    if format_name not in WRITERS:
        raise InputError(say("call.format-not-written", format_name=format_name, writers=", ".join(WRITERS)))
    outputs = outputs_of(args, (args.path, path, scene))
    if args.package:
        _refuse_no_package(args)
        whole, made = packaged_as(package, path, scene, format_name, options, intent)
        placed = placed_package(args.out, whole.files)
        outputs.write(placed)
        written: Package = ZipPackage(Path(args.out)) if args.out.lower().endswith(".zip") else FolderPackage(Path(args.out))
        main, count = whole.main, plural(len(whole.changed), "file")
        gone = f"; left out: {', '.join(whole.left_out)}" if whole.left_out else ""
        says = f"{args.out}, the whole package; {count} changed: {', '.join(whole.changed)}{gone}"
    else:
        out, ending = target(args.out, path, format_name)
        if ending != format_name:
            raise InputError(say("call.two-formats", name=out.name, ending=ending, format_name=format_name))
        made = write_as(scene, format_name, out.stem, options, intent)
        placed = {(out if k == 0 else out.parent / name): data for k, (name, data) in enumerate(made.files.items())}
        outputs.write(placed)
        written, main, says = FilePackage(out), out.name, ", ".join(str(part) for part in placed)
    proof = None
    if args.proof:
        proof = made.proof(written, main)
        write_json(args.proof, proof.to_json(), outputs)
    if args.proof != "-":
        for sentence in made.lost:
            print(f"not held: {sentence}")
        print(f"written: {says}")
        if proof is not None:
            print("\n".join(proof_text(proof)))
    return 0 if proof is None or proof.proved else 1


def _options(wanted: ExportOptions, args: argparse.Namespace) -> ExportOptions:
    """The sheet's options with those that the call states in their place."""
    stated = {
        "unit": args.unit,
        "up_axis": args.up,
        "images": args.images,
        "folder": args.folder,
        "image_names": args.image_names,
    }
    stated |= {"triangulate": args.triangulate or None, "material_library": False if args.no_library else None}
    given = {k: v for k, v in stated.items() if v is not None}
    try:
        msgspec.convert(given, type(wanted))
    except msgspec.ValidationError as error:
        raise InputError(say("call.wish", error=str(error))) from error
    return msgspec.structs.replace(wanted, **given)


def target(out: str, model: str, format_name: str) -> tuple[Path, str]:
    """The main file to write. A folder, or a name without an ending, takes the model's own name."""
    path = Path(out)
    ending = path.suffix.lower().lstrip(".")
    from ..core.formats.table import WRITERS

    if path.is_dir() or not ending or out.endswith(("/", os.sep)):
        # What can only be read is written as the nearest that can be.
        written = format_name if format_name in WRITERS else {"usdc": "usda"}.get(format_name, "obj")
        return path / f"{Path(model).stem}.{written}", written
    if ending not in WRITERS:
        raise InputError(say("call.ending-not-written", name=path.name, ending=ending, writers=", ".join(WRITERS)))
    return path, ending

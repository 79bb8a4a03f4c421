"""The command that makes a sheet of examples: learn-sheet."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..core.limits import InputError
from .messages import say
from .outputs import outputs_of

if TYPE_CHECKING:
    from ..core.pipeline.learning import Example
    from ..core.pipeline.saving import Outputs
    from ..core.rules import Intent, RuleSheet


def run_learn(args: argparse.Namespace) -> int:
    """Make a sheet of models that were accepted and some that were refused; returns the exit code. args: as `arguments` lays them out."""
    from ..core.pipeline.learning import SURE, draft, learn
    from ..core.rules import load_intent, load_sheet

    beside, intent = load_sheet(args.rules), load_intent(args.intent)
    outputs = outputs_of(args)
    out = Path(args.out)
    if out.suffix.lower() != ".json":
        raise InputError(say("call.sheet-ending", out=args.out))
    fit = [x for path in args.fit for x in _examples(path, args, beside, intent, outputs)]
    unfit = [x for path in args.unfit for x in _examples(path, args, beside, intent, outputs)]
    lesson = learn(fit, unfit, beside)
    name = args.name or out.stem.replace("-", " ").replace("_", " ").capitalize()
    slug = "".join(x if x.isascii() and x.isalnum() else "-" for x in name.lower()).strip("-")[:60] or "learnt"
    sheet = draft(lesson, beside, name, slug, "".join(x for x in name.upper() if x.isascii() and x.isalpha())[:2].ljust(2, "X"))
    outputs.write({out: msgspec.json.format(msgspec.json.encode(sheet), indent=2) + b"\n"}, report=True)
    for line in lesson.lines:
        print(f"{line.path}: {_words(line.before)} → {_words(line.value)}  ({SURE[line.sure]})\n{'':4}{line.says}")
    for sentence in lesson.untold:
        print(f"not told: {sentence}")
    print(f"written: {args.out}, from {len(fit):,} accepted and {len(unfit):,} refused, beside {beside.name}")
    return 0


def _examples(path: str, args: argparse.Namespace, beside: RuleSheet, intent: Intent, outputs: Outputs) -> list[Example]:
    """Every model of a file, a folder or a zip, measured. Raises InputError where none can be read."""
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.learning import Example
    from ..core.pipeline.opening import models_of, open_main
    from .outputs import read_of

    out, last = [], None
    named = models_of(path, args.search)
    for package, main in named:
        try:
            scene = open_main(package, main)
        except InputError as error:
            if len(named) == 1:
                raise
            print(f"handlens: {main}: {error}", file=sys.stderr)
            last = error
            continue
        outputs.keep_out(read_of(path, main, scene))
        measures = inspect(scene, [beside], intent, trying="none", keep=False).measures
        out.append(Example(main, measures, intent, main.rpartition(".")[2].lower()))
    if not out and last is not None:
        raise last
    return out


def _words(value: object) -> str:
    if value is None:
        return "nothing"
    return (
        ", ".join(str(x["name"] if isinstance(x, dict) else x) for x in value) or "none"
        if isinstance(value, list)
        else str(value)
    )

"""Commands that hold one thing against another: prove, fits, stale."""

from __future__ import annotations

import argparse
from pathlib import Path

import msgspec

from ..core.limits import InputError
from ..terminal import proof_text
from .messages import say
from .outputs import outputs_of, read_text, write_json


def run_prove(args: argparse.Namespace) -> int:
    """Compare two model files row by row; returns the exit code. args: as `arguments` lays them out."""
    from ..core.pipeline.opening import open_scene
    from ..core.proof import prove, prove_mended
    from ..core.route.tape import apply_tape
    from ..core.rules import load_sheet
    from ..core.words.calls import calls_of_json

    options = load_sheet(args.rules).writes
    calls = calls_of_json(read_text(args.mended), f"The tape {Path(args.mended).name}") if args.mended else []
    (_, one, a), (_, other, b) = open_scene(args.a), open_scene(args.b)
    mended, runs = apply_tape(a, calls, refuse_wrong_calls=True)
    passed = next((run for run in runs if not run.applied), None)
    if passed is not None:
        raise InputError(say("call.tape-does-not-apply", mend=passed.mend, one=one, because=passed.because))
    proof = prove_mended(a, mended, b, options) if args.mended else prove(a, b, options)
    if args.json:
        outputs = outputs_of(args, (args.a, one, a), (args.b, other, b))
        if args.mended:
            outputs.keep_out([Path(args.mended)])
        write_json(args.json, proof.to_json(), outputs)
    if args.json != "-":
        print("\n".join(proof_text(proof)))
    return 0 if proof.proved else 1


def run_fits(args: argparse.Namespace) -> int:
    """Say whether a model fits in another one's place; returns the exit code. args: as `arguments` lays them out."""
    from ..core.pipeline.opening import open_scene
    from ..core.proof.in_place import in_place

    (_, one, a), (_, other, b) = open_scene(args.a), open_scene(args.b)
    made = in_place(a, b)
    if args.json:
        outputs = outputs_of(args, (args.a, one, a), (args.b, other, b))
        write_json(args.json, {"schema": 1, **msgspec.to_builtins(made)}, outputs)
    if args.json != "-":
        print("fits in the old one's place" if made.fits else "does not fit in the old one's place")
        for row in made.rows:
            print(
                f"  {row.what:12}{'kept' if not row.broke else f'{len(row.broke)} broke'}{'' if row.count else ' (there were none)'}"
            )
            for sentence in row.broke[:20]:
                print(f"{'':14}{sentence}")
    return 0 if made.fits else 1


def run_stale(args: argparse.Namespace) -> int:
    """Say whether what lies at a destination is what was sent; returns the exit code. args: as `arguments` lays them out."""
    from ..core.pipeline.stale import compared, counts, sent_files

    files = compared(sent_files(Path(args.sent)), Path(args.place))
    tree = {"schema": 1, "files": [file.to_json() for file in files], "counts": counts(files)}
    if args.json:
        write_json(args.json, tree, outputs_of(args))
    if args.json != "-":
        for file in files:
            if file.state != "same":
                print(f"{file.state:9}{file.path}")
        print(", ".join(f"{n:,} {state}" for state, n in counts(files).items() if n) or "no files")
    return 0 if all(file.state == "same" for file in files) else 1

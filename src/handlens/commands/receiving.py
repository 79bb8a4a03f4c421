"""The command that asks a destination's stand-in whether it takes a package: receive."""

from __future__ import annotations

import argparse
from pathlib import Path

from .outputs import outputs_of, write_json

_MARKS = {"refused": "refused", "otherwise": "differs", "left-out": "left out", "taken": "taken"}


def run_receive(args: argparse.Namespace) -> int:
    """Ask a destination whether it takes a package; returns the exit code. args: as `arguments` lays them out."""
    from ..core.receivers import answer
    from ..core.receivers.parcel import files_of
    from ..core.rules import load_sheet

    sheet = load_sheet(args.rules)
    told = answer(files_of(Path(args.path)), sheet, args.variant, drawn=bool(args.picture))
    outputs = outputs_of(args)
    outputs.keep_out([args.path])
    if args.json:
        write_json(args.json, told.to_json(), outputs)
    if args.picture and told.picture:
        outputs.write({Path(args.picture): told.picture}, report=True)
    if args.json != "-":
        for line in told.lines:
            print(f"{_MARKS[line.result]:10}{line.says}{f'  ({line.check})' if line.check else ''}")
        verdict = "accepted" if told.accepted else "refused"
        print(f"{verdict} by {told.destination} of {sheet.name}")
    return 0 if told.accepted else 1

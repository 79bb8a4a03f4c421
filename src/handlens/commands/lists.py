"""Commands that list what there is: rules, checks, mends."""

from __future__ import annotations

import argparse
import json

import msgspec

from ..core.pipeline.saving import Outputs
from .outputs import write_json


def run_rules_list(args: argparse.Namespace) -> int:
    """List the shipped sheets; returns the exit code. args: as `arguments` lays them out."""
    from ..core.rules import shipped

    for sheet in shipped():
        print(f"{sheet.slug}\t{sheet.name}")
    return 0


def run_rules_show(args: argparse.Namespace) -> int:
    """Print a sheet as JSON; returns the exit code. args: as `arguments` lays them out."""
    import msgspec

    from ..core.rules import load_sheet

    write_json("-", msgspec.to_builtins(load_sheet(args.name)), Outputs())
    return 0


def run_checks(args: argparse.Namespace) -> int:
    """List every check; returns the exit code. args: as `arguments` lays them out."""
    from ..core.present import catalogue

    listed = catalogue.checks()
    if args.json:
        print(json.dumps(msgspec.to_builtins(listed), indent=2, ensure_ascii=False))
    else:
        for c in listed:
            print(f"{c.id:28}{c.title}\n{'':28}{c.does}\n{'':28}Why: {c.why}{_brought_by(c.origin, 28)}")
    return 0


def run_mends(args: argparse.Namespace) -> int:
    """List every mend; returns the exit code. args: as `arguments` lays them out."""
    from ..core.present import catalogue

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
    from ..core.declare.check import OURS

    return "" if origin == OURS else f"\n{'':{indent}}From: {origin}"

"""Commands that list what there is: rules, checks, mends."""

from __future__ import annotations

import argparse
import json
import time
from collections.abc import Sequence
from difflib import get_close_matches
from typing import Any

import msgspec

from ..core.limits import InputError
from ..core.pipeline.saving import Outputs
from .messages import say
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

    listed = _named(catalogue.checks(), args.name, "check")
    if args.json:
        print(json.dumps(msgspec.to_builtins(listed), indent=2, ensure_ascii=False))
    else:
        for declared in listed:
            print(
                f"{declared.id:28}{declared.title}\n{'':28}{declared.does}\n{'':28}Why: {declared.why}{_brought_by(declared.origin, 28)}"
            )
            if args.name:
                print(f"{'':28}Measured: {declared.measured}\n{'':28}Source: {declared.source}")
                print(f"{'':28}Result: {', '.join(f'{result} on {slug}' for slug, result in declared.results.items())}")
                print(f"{'':28}Mends: {', '.join(declared.mends) or 'none'}")
    return 0


def run_mends(args: argparse.Namespace) -> int:
    """List every mend; returns the exit code. args: as `arguments` lays them out."""
    from ..core.present import catalogue

    listed = _named(catalogue.mends(), args.name, "mend")
    if args.json:
        print(json.dumps(msgspec.to_builtins(listed), indent=2, ensure_ascii=False))
    else:
        for declared in listed:
            call = declared.id + (
                ":" + ",".join(f"{parameter.name}=" for parameter in declared.parameters) if declared.parameters else ""
            )
            says = f"{call:36}{declared.title}\n{'':36}Keeps: {declared.keeps}.\n{'':36}Costs: {declared.costs}."
            print(says + _brought_by(declared.origin, 36))
    return 0


def _named(listed: list[Any], names: Sequence[str], kind: str) -> list[Any]:
    """Those that are named, by their ids or by their station; all where none is. Raises InputError for a name of none."""
    from ..core.declare.check import slug_of

    known = {x for entry in listed for x in (entry.id, slug_of(entry.id))}
    lost = next((name for name in names if name not in known), None)
    if lost is not None:
        near = get_close_matches(lost, known, 1)
        raise InputError(say("call.no-such-one", kind=kind, lost=lost, what=f"; did you mean {near[0]}?" if near else ""))
    return [entry for entry in listed if not names or entry.id in names or slug_of(entry.id) in names]


def run_house_test(args: argparse.Namespace) -> int:
    """Run the house's checks alone on a model; returns the exit code. args: as `arguments` lays them out."""
    from ..core.declare.check import OURS, Finding, origin_of
    from ..core.pipeline.inspecting import inspect
    from ..core.pipeline.opening import open_scene
    from ..core.route.house import FOLDERS
    from ..core.route.stations import all_checks
    from ..core.rules import load_intent, load_sheet

    house = [declared for declared in all_checks() if origin_of(declared.run) != OURS]
    if not house:
        raise InputError(say("call.no-house", variable=FOLDERS))
    sheet, intent = load_sheet(args.rules), load_intent(args.intent)
    _, _, scene = open_scene(args.path, args.search)
    measures = inspect(scene, [sheet], intent, trying="none", keep=False).measures
    found = 0
    for declared in house:
        began = time.perf_counter()
        try:
            told = list(declared.run(measures, sheet, intent))
        except Exception as error:
            # Whoever writes a check wants to see where it falls; in a report it would be passed over.
            print(f"{declared.id:28}falls: {type(error).__name__}: {error}")
            found += 1
            continue
        print(f"{declared.id:28}{1000 * (time.perf_counter() - began):.1f} ms, {declared.result_on(sheet)}")
        for one in told:
            if isinstance(one, Finding):
                found += 1
                places = f"  [{one.elements.total:,} {one.elements.kind}]" if one.elements is not None else ""
                print(f"{'':28}{one.result or declared.result_on(sheet)}: {one.title}{places}")
            else:
                print(f"{'':28}not asked: {one.because}")
    return 1 if found else 0


def run_completions(args: argparse.Namespace, commands: argparse.ArgumentParser) -> int:
    """Print completions for a shell; returns the exit code. args: as `arguments` lays them out. commands: the parser of all of them."""
    import shtab

    print(shtab.complete(commands, shell=args.shell))
    return 0


def _brought_by(origin: str, indent: int) -> str:
    """A line that says who brings a check or a mend that is not ours."""
    from ..core.declare.check import OURS

    return "" if origin == OURS else f"\n{'':{indent}}From: {origin}"

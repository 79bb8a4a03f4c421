"""What each command is called, what it takes, and what it says of itself."""

from __future__ import annotations

import argparse

from .. import __version__
from ..core.formats.table import WRITABLE
from ..core.limits import InputError
from ..core.words.lengths import WISHES
from . import batching, comparing, judging, learning, lists, receiving, ways, writing
from .examples import after
from .messages import say


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise InputError(say("call.see-help", message=message, prog=self.prog))


def parser() -> argparse.ArgumentParser:
    """The parser of the whole command line; each command's `run` takes what it parsed."""
    whole = _Parser(prog="handlens", description="Checks a model before it moves, mends it, and proves the export.")
    whole.add_argument("--version", action="version", version=f"Hand Lens {__version__}")
    commands = whole.add_subparsers(metavar="COMMAND", required=True, parser_class=_Parser)

    subparser = commands.add_parser("inspect", help="measure and judge a model")
    subparser.add_argument(
        "path", metavar="PATH", nargs="+", help="a model file, a folder or a zip; of the last two every model is judged"
    )
    subparser.add_argument("--json", metavar="FILE|-", help="write the whole report as JSON")
    _judging(subparser)
    _replace(subparser)
    subparser.set_defaults(run=judging.run_inspect)

    subparser = commands.add_parser(
        "report",
        help="measure and judge, and write a report to hand on",
        description="The ending says which: .html a page to read and print, .pdf the same page printed, .csv a table, .xml JUnit, .sarif SARIF 2.1.0. The exit code is that of inspect.",
    )
    subparser.add_argument(
        "path", metavar="PATH", nargs="+", help="a model file, a folder or a zip; of the last two every model is judged"
    )
    subparser.add_argument("--out", required=True, metavar="FILE", help="a file that ends in .html, .pdf, .csv, .xml or .sarif")
    _judging(subparser)
    _replace(subparser)
    subparser.set_defaults(run=judging.run_report)

    subparser = commands.add_parser("mend", help="apply mends and write the result in its own format")
    subparser.add_argument("path", metavar="PATH")
    subparser.add_argument(
        "--mend",
        action="append",
        default=[],
        metavar="ID[:key=value,...]",
        help="a mend; may be given again, applied in order",
    )
    subparser.add_argument(
        "--recipe",
        metavar="FILE",
        help="mends from a file, before those of --mend: a recipe from the Bench, or what `mend --json` wrote",
    )
    subparser.add_argument("--out", required=True, metavar="FILE_OR_DIR")
    _rules(subparser)
    subparser.add_argument("--search", action="append", default=[], metavar="DIR")
    subparser.add_argument("--json", metavar="FILE|-", help="write what each mend did as JSON")
    _replace(subparser)
    subparser.set_defaults(run=writing.run_mend)

    subparser = commands.add_parser("export", help="write a model in another format and prove it")
    subparser.add_argument("path", metavar="PATH")
    subparser.add_argument("--out", required=True, metavar="FILE_OR_DIR")
    subparser.add_argument("--format", required=True, metavar="FORMAT", help=WRITABLE)
    subparser.add_argument(
        "--unit",
        choices=("m", "cm", "mm"),
        help="unit of the numbers, where the format leaves it open (default: the sheet's, else as they are)",
    )
    subparser.add_argument("--up", choices=("Y", "Z"), help="axis that is up, where the format leaves it open")
    subparser.add_argument("--triangulate", action="store_true", help="cut polygons into triangles")
    subparser.add_argument(
        "--images", choices=("as-format", "embedded", "beside", "none"), help="where images go, where the format allows it"
    )
    subparser.add_argument("--folder", metavar="NAME", help="folder for images beside; {model} stands for the model's name")
    subparser.add_argument(
        "--image-names",
        metavar="PATTERN",
        help="names of images beside, such as {material}_{role}; {model} and {part} stand for theirs too",
    )
    subparser.add_argument("--no-library", action="store_true", help="an OBJ without its material library")
    subparser.add_argument(
        "--package",
        action="store_true",
        help="the whole folder or zip that it came in, to a folder or .zip: what the model is not stays byte for byte, with a manifest",
    )
    _rules(subparser)
    subparser.add_argument("--search", action="append", default=[], metavar="DIR")
    subparser.add_argument("--proof", metavar="FILE|-", help="read the written file afresh and write the comparison as JSON")
    _replace(subparser)
    subparser.set_defaults(run=writing.run_export)

    subparser = commands.add_parser(
        "batch",
        help="judge many models by one sheet, try a recipe or the way to Fit on all, write and prove them",
        description="Of a folder every model below it. What is tried is tried on copies; a model that it leaves no better, or to which it brings "
        "anything, is written as it came.",
    )
    subparser.add_argument(
        "path",
        metavar="PATH",
        nargs="+",
        help="model files, folders and zips; below a folder each folder with a model, and each zip, is a package of its own",
    )
    _rules(subparser)
    subparser.add_argument(
        "--search", action="append", default=[], metavar="DIR", help="a folder to look for missing files in; may be given again"
    )
    subparser.add_argument("--jobs", type=_jobs, default=1, metavar="N", help="models that are worked on at once (default: 1)")
    tried = subparser.add_mutually_exclusive_group()
    tried.add_argument("--way", action="store_true", help="try the way to Fit on each")
    tried.add_argument("--recipe", metavar="FILE", help="try a recipe on each, as `way --recipe` writes it")
    subparser.add_argument(
        "--goal",
        choices=["stop", "caution", "note"],
        default="caution",
        help="from which result on the way mends (default: caution)",
    )
    subparser.add_argument("--out", metavar="DIR", help="write each model into a folder of its own, and prove it")
    subparser.add_argument(
        "--format", metavar="NAME", help="in which format (default: its own where the sheet takes it, else the sheet's first)"
    )
    subparser.add_argument("--package", action="store_true", help="write the whole package of each that came in one")
    subparser.add_argument("--csv", metavar="FILE", help="write models by stations as a table")
    subparser.add_argument("--report", metavar="FILE", help="write a report of all: .html, .pdf, .csv, .xml or .sarif")
    subparser.add_argument("--json", metavar="FILE|-", help="write it all as JSON")
    subparser.add_argument("--quiet", action="store_true", help="print nothing but what could not be read")
    subparser.add_argument("--no-project", action="store_true", help="leave a handlens.toml in this folder or above aside")
    _replace(subparser)
    subparser.set_defaults(run=batching.run_batch, recursive=True)

    subparser = commands.add_parser(
        "way",
        help="find the fewest mends that make a model fit, in an order that holds, and what is left for a person",
        description="Each mend is played on what those before it made, and stays only where its finding goes and no stop or caution comes. "
        "With several sheets: what serves all of them, and for each what it needs beyond.",
    )
    subparser.add_argument("path", metavar="PATH", nargs="+", help="a model file, a folder or a zip; of the last two every model")
    subparser.add_argument(
        "--rules",
        action="append",
        default=[],
        metavar="NAME_OR_FILE",
        help="a rule sheet's name, slug or JSON file; may be given again for more destinations (default: the project's, else realtime-engine)",
    )
    subparser.add_argument("--intent", metavar="FILE", help="what the thing is meant to be, as JSON")
    subparser.add_argument(
        "--as-suggested", action="store_true", help="take what the model suggests where the intent says nothing"
    )
    subparser.add_argument(
        "--goal",
        choices=["stop", "caution", "note"],
        default="caution",
        help="from which result on findings are mended (default: caution)",
    )
    subparser.add_argument(
        "--prefer",
        action="append",
        default=[],
        metavar="CHECK=MEND",
        help="which mend is taken where a finding has several; may be given again",
    )
    subparser.add_argument(
        "--search", action="append", default=[], metavar="DIR", help="a folder to look for missing files in; may be given again"
    )
    subparser.add_argument(
        "--no-looks", action="store_true", help="do not compare how it looks from twelve sides before and after"
    )
    subparser.add_argument("--picture", metavar="FILE", help="write the side that changes most, as WebP: before, after, where")
    subparser.add_argument(
        "--recipe", dest="recipe_out", metavar="FILE", help="write the mends as a recipe that `mend --recipe` takes"
    )
    subparser.add_argument("--json", metavar="FILE|-", help="write the whole way as JSON")
    subparser.add_argument(
        "--out",
        metavar="FILE_OR_DIR",
        help="write the mended model and prove it; with several sheets a folder, for each one of its own",
    )
    subparser.add_argument("--quiet", action="store_true", help="print nothing but what could not be read")
    subparser.add_argument("--no-project", action="store_true", help="leave a handlens.toml in this folder or above aside")
    _replace(subparser)
    subparser.set_defaults(run=ways.run_way)

    subparser = commands.add_parser("prove", help="compare two model files row by row")
    subparser.add_argument("a", metavar="A")
    subparser.add_argument("b", metavar="B")
    subparser.add_argument("--json", metavar="FILE|-")
    subparser.add_argument(
        "--mended",
        metavar="TAPE",
        help="mends that were asked for between A and B, as `mend --json` wrote them: what they changed is told apart from accidents",
    )
    _rules(subparser, "whose unit and axis a file is read in that states none")
    _replace(subparser)
    subparser.set_defaults(run=comparing.run_prove)

    subparser = commands.add_parser(
        "explain", help="from how a model looked wrong to what is wrong with it, the likeliest cause first"
    )
    subparser.add_argument("path", metavar="PATH")
    subparser.add_argument(
        "--look", metavar="LOOK", required=True, help="how it looked, such as white, hole or jumps; any other word lists all"
    )
    _rules(subparser)
    subparser.add_argument("--search", action="append", default=[], metavar="DIR")
    subparser.add_argument("--json", metavar="FILE|-")
    _replace(subparser)
    subparser.set_defaults(run=judging.run_explain)

    subparser = commands.add_parser(
        "fits", help="whether a model fits in the place of an earlier one: names, pivots, size, slots, clips, sockets"
    )
    subparser.add_argument("a", metavar="EARLIER")
    subparser.add_argument("b", metavar="LATER")
    subparser.add_argument("--json", metavar="FILE|-")
    _replace(subparser)
    subparser.set_defaults(run=comparing.run_fits)

    subparser = commands.add_parser("stale", help="whether what lies at a destination is still what was sent there, file by file")
    subparser.add_argument(
        "sent", metavar="MANIFEST|EXPORT", help="the manifest of a package, or the folder or zip that was sent"
    )
    subparser.add_argument("place", metavar="PLACE", help="the folder or zip at the destination")
    subparser.add_argument("--json", metavar="FILE|-")
    _replace(subparser)
    subparser.set_defaults(run=comparing.run_stale)

    subparser = commands.add_parser(
        "receive",
        help="ask a destination's stand-in whether it takes a package",
        description="The stand-in is the one that the rule sheet names. It reads the package by itself, by rules of its own. "
        "The exit code is 0 where it takes the package, 1 where it refuses.",
    )
    subparser.add_argument("path", metavar="PACKAGE", help="the folder, zip or file that would be sent")
    subparser.add_argument(
        "--variant",
        choices=("current", "older", "stricter"),
        default="current",
        help="the destination as it is now, one of some years ago, or one with half the room (default: current)",
    )
    _rules(subparser, "whose destination is asked")
    subparser.add_argument("--json", metavar="FILE|-", help="write the answer as JSON")
    subparser.add_argument("--picture", metavar="FILE", help="write the destination's picture of it, as WebP")
    _replace(subparser)
    subparser.set_defaults(run=receiving.run_receive)

    subparser = commands.add_parser(
        "learn-sheet",
        help="make a rule sheet of models that were accepted, and of some that were refused",
        description="Each value that the examples imply is printed with its evidence and how sure it is; the rest is as in the sheet beside.",
    )
    subparser.add_argument("fit", metavar="FIT", nargs="+", help="models that were accepted: files, folders or zips")
    subparser.add_argument("--unfit", metavar="PATH", nargs="+", default=[], help="models that were refused")
    subparser.add_argument("--out", required=True, metavar="FILE", help="the sheet, a file that ends in .json")
    subparser.add_argument("--name", metavar="NAME", help="what the sheet is called (default: as the file)")
    subparser.add_argument("--search", action="append", default=[], metavar="DIR", help="a folder to look for missing files in")
    _rules(subparser)
    _replace(subparser)
    subparser.set_defaults(run=learning.run_learn)

    subparser = commands.add_parser(
        "watch", help="inspect each saved model of a folder anew, and say what is fixed and what is new"
    )
    subparser.add_argument("path", metavar="FOLDER")
    _rules(subparser)
    subparser.set_defaults(run=judging.run_watch)

    subparser = commands.add_parser("rules", help="the shipped rule sheets")
    which = subparser.add_subparsers(metavar="list|show", required=True, parser_class=_Parser)
    which.add_parser("list", help="slug and name of each").set_defaults(run=lists.run_rules_list)
    show = which.add_parser("show", help="one sheet as JSON")
    show.add_argument("name", metavar="NAME")
    show.set_defaults(run=lists.run_rules_show)

    for name, run in (("checks", lists.run_checks), ("mends", lists.run_mends)):
        subparser = commands.add_parser(name, help=f"every one of the {name}, or those that are named")
        subparser.add_argument("name", metavar="NAME", nargs="*", help="an id, or a station's name for all of its own")
        subparser.add_argument("--json", action="store_true")
        subparser.set_defaults(run=run)
    subparser = commands.add_parser("house", help="a team's own checks")
    which = subparser.add_subparsers(metavar="test", required=True, parser_class=_Parser)
    test = which.add_parser("test", help="run the house's checks alone on a model, with what each found and how long it took")
    test.add_argument("path", metavar="MODEL")
    _rules(test)
    test.add_argument("--search", action="append", default=[], metavar="DIR")
    test.set_defaults(run=lists.run_house_test)

    subparser = commands.add_parser("completions", help="completions for a shell, to be read by it")
    subparser.add_argument("shell", choices=("bash", "zsh", "tcsh"))
    subparser.set_defaults(run=lambda args: lists.run_completions(args, whole))

    for name, command in commands.choices.items():
        command.epilog, command.formatter_class = after(name), argparse.RawDescriptionHelpFormatter
    return whole


def _judging(parser: argparse.ArgumentParser) -> None:
    """Options of what measures and judges."""
    _rules(parser)
    parser.add_argument(
        "--search", action="append", default=[], metavar="DIR", help="a folder to look for missing files in; may be given again"
    )
    parser.add_argument(
        "--lengths",
        choices=WISHES,
        help="in which lengths are told: metric, or feet with inches and miles; figures in JSON stay metres",
    )
    parser.add_argument(
        "--fail-on", choices=["stop", "caution", "note"], help="exit 1 from this result on (default: the project's, else stop)"
    )
    parser.add_argument("--baseline", metavar="FILE", help="an earlier `inspect --json`: what it has already does not fail again")
    parser.add_argument(
        "--recursive", action="store_true", help="below a folder each folder with a model, and each zip, is a package of its own"
    )
    parser.add_argument("--jobs", type=_jobs, default=1, metavar="N", help="models that are worked on at once (default: 1)")
    said = parser.add_mutually_exclusive_group()
    said.add_argument("--quiet", action="store_true", help="print nothing but what could not be read")
    said.add_argument("--compact", action="store_true", help="print one line a model")
    said.add_argument("--verbose", action="store_true", help="print what was clear and what was not asked as well")
    parser.add_argument("--no-project", action="store_true", help="leave a handlens.toml in this folder or above aside")
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


def _jobs(text: str) -> int:
    number = int(text) if text.isascii() and text.isdigit() else 0
    if not 1 <= number <= 256:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of models; name one from 1 to 256")
    return number


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

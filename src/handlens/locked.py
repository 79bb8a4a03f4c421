"""What a command may reach: the files that its call names, and nothing else."""

from __future__ import annotations

import argparse
from pathlib import Path

from .core.machine.compiled_ahead import load_ahead
from .core.machine.confine import confine
from .core.route.house import house_folders

_READ, _WRITTEN = (
    ("path", "fit", "unfit", "a", "b", "sent", "place", "rules", "intent", "baseline", "recipe", "mended"),
    ("out", "json", "proof", "picture", "recipe_out", "csv", "report"),
)


def lock_in(args: argparse.Namespace, scratch: Path) -> None:
    """Confine this process to a call's arguments. scratch: a folder for temporary files."""
    told_in = [value for name in _READ if (value := getattr(args, name, None))]
    given = [Path(str(x)) for value in told_in for x in (value if isinstance(value, list) else [value])]
    given += [Path(folder) for folder in getattr(args, "search", ())]
    project = getattr(args, "project", None)
    if project is not None and project.sheet is not None:
        given.append(Path(project.sheet))
    told = [value for name in _WRITTEN if isinstance(value := getattr(args, name, None), str) and value != "-"]
    load_ahead({str(p): p.stat().st_size for p in given if p.is_file()} | _inside(given))
    # What a link leads to is what the call names, too.
    house = [path for path in house_folders() if path.is_dir()]
    confine(
        [*(_readable(p) for p in given), *(p.resolve() for p in given), *house], [scratch, *(_writable(Path(t), t) for t in told)]
    )


def _inside(given: list[Path]) -> dict[str, int]:
    """Sizes of what lies right inside the folders of a call, and whether a zip of it may hold as large a text."""
    sizes = {f"{p}.obj": p.stat().st_size * 4 for p in given if p.suffix.lower() == ".zip" and p.is_file()}
    for folder in (p for p in given if p.is_dir()):
        sizes |= {str(f): f.stat().st_size for f in folder.rglob("*.[oO][bB][jJ]") if f.is_file()}
    return sizes


def _readable(path: Path) -> Path:
    """A model may use what lies beside it; a sheet's own name is no file, and reading it needs nothing."""
    return path.parent if path.is_file() else path


def _writable(path: Path, text: str) -> Path:
    """The folder that a file is written into, or the nearest one above it that is there."""
    folder = path if path.is_dir() or text.endswith("/") else path.parent
    while not folder.is_dir() and folder != folder.parent:
        folder = folder.parent
    return folder

"""What a project file says is laid beside a call's own arguments, before the process locks itself in."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path


def lay_project(args: argparse.Namespace) -> None:
    """Find the project file of a command that judges, and take its sheet, folders and house checks where the call says nothing else.

    args: of the call; `project` is set. Raises InputError where the project file cannot be used.
    """
    args.project = None
    if not hasattr(args, "no_project") or args.no_project:
        return
    # Read only where there is one: most calls have none, and start the sooner.
    here = Path.cwd()
    if not any((folder / "handlens.toml").is_file() for folder in (here, *here.parents)):
        return
    from ..core.pipeline.project import find_project
    from ..core.route.house import FOLDERS

    project = args.project = find_project(here, [Path(path) for path in args.path])
    if project is None:
        return
    args.search = [*args.search, *project.search]
    if project.house:
        before = [part for part in os.environ.get(FOLDERS, "").split(os.pathsep) if part]
        os.environ[FOLDERS] = os.pathsep.join(dict.fromkeys([*before, *map(str, project.house)]))
    if not args.quiet:
        print(f"handlens: judged by {project.path}", file=sys.stderr)

"""What every command does with what it read and what it writes."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from ..core.limits import InputError
from ..core.pipeline.saving import Outputs
from .messages import say

if TYPE_CHECKING:
    from ..core.scene import Scene


def write_json(target: str, tree: dict[str, Any], outputs: Outputs) -> None:
    """Write JSON to a file, or print it where the target is `-`. Raises InputError."""
    # Laid out by msgspec, the same to the letter: the standard library's encoder is four times as long at it.
    text = msgspec.json.format(json.dumps(tree, ensure_ascii=False, allow_nan=False).encode(), indent=2) + b"\n"
    if target == "-":
        sys.stdout.write(text.decode())
    else:
        outputs.write({Path(target): text}, report=True)


def outputs_of(args: argparse.Namespace, *read: tuple[str, str, Scene]) -> Outputs:
    """What a call may write. read: the path of each model that was read, its main file in there, and its scene."""
    project = getattr(args, "project", None)
    inputs = [
        *([] if project is None else [project.path, *([project.sheet] if project.sheet else [])]),
        *getattr(args, "search", ()),
        *(x for name in ("rules", "intent", "baseline", "recipe") for x in _listed(getattr(args, name, None))),
    ]
    return Outputs([*inputs, *(name for one in read for name in read_of(*one))], getattr(args, "replace", False))


def _listed(value: str | list[str] | None) -> list[str]:
    """What an argument names: nothing, one thing or several."""
    return value if isinstance(value, list) else [value] if value else []


def read_of(path: str, main: str, scene: Scene) -> list[str]:
    """Every file that was read of a model, and what came with it."""
    base = Path(path).parent if Path(path).is_file() else Path(path)
    names = [main, *(name for name, _ in scene.files), *(i.found_at for i in scene.images if i.found_at)]
    # Of other models that lie beside only the names are read.
    names += [n.path for n in scene.beside if n.origin == "package" and n.role != "model"]
    return [path, *(str(base / name) for name in names)]


def read_text(path: str) -> str:
    """The text of a file. Raises InputError."""
    try:
        return Path(path).read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(say("call.unreadable", path=path, reason=getattr(error, "strerror", None) or "it is no text")) from error

"""Refuses names that say nothing: vague words as names of functions, classes and parameters, and one-letter parameters.

Run: python tools/check_names.py [FOLDER]. Prints one line for each name that it refuses; docs/style.md says what to call things instead.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]

#: Words for which the trade, or the reader, has a better one.
VAGUE = frozenset(
    [
        "told",
        "made",
        "kept",
        "said",
        "held",
        "apart",
        "whole",
        "standing",
        "shaped",
        "through",
        "conjugate",
        "hung",
        "dissolved",
        "levers",
        "smeared",
        "laid",
        "came",
        "spent",
        "thing",
        "things",
    ]
)
#: Letters that are used so in every text on the subject: counters, coordinates, and the two coordinates of a UV or of a plane.
LETTERS = frozenset("ijknxyzuv_")
#: Names that somebody else fixed, and ids of ours in which the word is the trade's.
FIXED = frozenset({"connection_made", "held_pose", "take_apart"})

Function = ast.FunctionDef | ast.AsyncFunctionDef


def words_of(name: str) -> list[str]:
    """The words of a name, as snake case has them; a class is one word."""
    return name.strip("_").lower().split("_")


def refused(tree: ast.AST) -> Iterator[tuple[int, str]]:
    """Line and reason of each name in a module that is refused."""
    for node in ast.walk(tree):
        if isinstance(node, Function | ast.ClassDef) and node.name not in FIXED:
            for word in VAGUE.intersection(words_of(node.name)):
                yield node.lineno, f"{node.name}: {word!r} does not say what it is"
        if isinstance(node, Function):
            arguments = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
            names = {argument.arg for argument in arguments}
            for argument in arguments:
                name = argument.arg
                # Two of a kind that are held against each other are a and b, as in array libraries.
                if len(name) == 1 and name not in LETTERS and not (name in "ab" and {"a", "b"} <= names):
                    yield node.lineno, f"{node.name}({name}): one letter for a parameter"
                if name in VAGUE:
                    yield node.lineno, f"{node.name}({name}): does not say what it is"


def main(folder: Path) -> int:
    found = [
        f"{path.relative_to(folder)}:{line}: {why}"
        for path in sorted(folder.rglob("*.py"))
        if "versions" not in path.parts
        for line, why in refused(ast.parse(path.read_text()))
    ]
    for line in found:
        print(line)
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "src"))

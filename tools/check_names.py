"""Refuses names that say nothing: vague words as names of functions, classes and parameters, and one-letter parameters and locals.

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
#: Letters that name one thing together: corners of a face, a colour, a quaternion, sides of a triangle. A local may be one of them where
#: all others of its kind are there too.
FAMILIES = tuple(map(frozenset, ("ab", "abc", "abcd", "rgb", "xyzw", "uvw")))
#: Names that somebody else fixed, and ids of ours in which the word is the trade's.
FIXED = frozenset({"connection_made", "held_pose", "take_apart"})

Function = ast.FunctionDef | ast.AsyncFunctionDef
#: What has names of its own that live for an expression.
Short = ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp


def words_of(name: str) -> list[str]:
    """The words of a name, as snake case has them; a class is one word."""
    return name.strip("_").lower().split("_")


def letters_of(function: Function) -> dict[str, int]:
    """The one-letter locals of a function, with the line where each is first given a value."""
    found: dict[str, int] = {}
    waiting: list[ast.AST] = list(reversed(function.body))
    while waiting:
        node = waiting.pop()
        if isinstance(node, Function | ast.ClassDef | ast.Lambda):
            continue
        if isinstance(node, Short):
            # What is named in passing within one belongs to the function.
            named = [x.target.id for x in ast.walk(node) if isinstance(x, ast.NamedExpr)]
        else:
            named = [node.id] if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store) else []
            waiting.extend(reversed(list(ast.iter_child_nodes(node))))
        for name in named:
            if len(name) == 1:
                found.setdefault(name, node.lineno)
    return found


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
            letters = letters_of(node)
            together = {x for family in FAMILIES if family <= {*letters, *names} for x in family}
            for name, line in letters.items():
                if name not in LETTERS and name not in together:
                    yield line, f"{name} in {node.name}: one letter for what lives longer than an expression"


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

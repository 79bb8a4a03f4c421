"""Writes docs/measures.md from the records: every field that a check may read, ours or the house's.

Run: python tools/list_fields.py
"""

from __future__ import annotations

import ast
import inspect
from pathlib import Path

from handlens.core.measures import records

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs" / "measures.md"


def page() -> str:
    """The page: each record with what it says of itself, and its fields with their types and the comments above them."""
    source = inspect.getsource(records)
    lines = source.splitlines()
    out = [
        "# Measures",
        "",
        "Every field that a check may read. Written by `tools/list_fields.py` from `core/measures/records.py`; what a station measures for itself",
        "is in its own `records.py`.",
        "",
    ]
    made = [node for node in ast.parse(source).body if isinstance(node, ast.ClassDef) and not node.name.startswith("_")]
    # The whole comes first: it says where the rest is found.
    for node in sorted(made, key=lambda node: node.name != "Measures"):
        out += [f"## {node.name}", ""]
        told = ast.get_docstring(node)
        if told:
            out += [" ".join(told.split()), ""]
        for field in node.body:
            if isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name):
                kind = ast.unparse(field.annotation)
                out.append(f"- `{field.target.id}`: {kind}{_comment(lines, field.lineno)}")
        out.append("")
    return "\n".join(out)


def _comment(lines: list[str], at: int) -> str:
    """What the comment above a line says of it. at: the number of the line, from one."""
    above: list[str] = []
    while at > 1 and lines[at - 2].strip().startswith("#:"):
        above.insert(0, lines[at - 2].strip().removeprefix("#:").strip())
        at -= 1
    return f": {' '.join(above)}" if above else ""


if __name__ == "__main__":
    PAGE.write_text(page())

"""Writes the rooms of the core into docs/architecture.md, drawn from the code: the order of the import contract, and what each package
and module says of itself in its first line.

Run: python tools/list_rooms.py
"""

from __future__ import annotations

import ast
import re
import tomllib
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = ROOT / "src/handlens/core"
PAGE = ROOT / "docs/architecture.md"
BEGIN, END = "<!-- drawn by tools/list_rooms.py -->", "<!-- end -->"


def first_line(path: Path) -> str:
    """The first sentence of a module's docstring."""
    first = " ".join((ast.get_docstring(ast.parse(path.read_text())) or "").split("\n\n")[0].split())
    return re.split(r"(?<=[.:]) (?=[A-Z])", first)[0] if len(first) > 160 else first


def layers() -> list[str]:
    """The rooms from the ground up, as the import contract has them."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    found: list[str] = next(c["layers"] for c in contracts if c["type"] == "layers")
    return found[::-1]


def rooms() -> str:
    """The rooms with their modules, a line each."""
    out = []
    for name in layers():
        room = CORE / name
        if not room.is_dir():
            out += [f"### `{name}.py`", "", first_line(room.with_suffix(".py")), ""]
            continue
        out += [f"### `{name}/`", "", first_line(room / "__init__.py"), ""]
        for path in sorted(room.rglob("*.py")):
            inner = path.relative_to(room)
            if path.name == "__init__.py":
                if len(inner.parts) > 1:
                    out.append(f"- **`{inner.parent}/`** {first_line(path)}")
            elif len(inner.parts) == 1 or name != "stations":
                out.append(f"{'  ' * (len(inner.parts) - 1)}- `{inner}` {first_line(path)}")
        out.append("")
    return "\n".join(out)


def drawn() -> str:
    """The page with its rooms as the code has them now."""
    before, _, rest = PAGE.read_text().partition(BEGIN)
    return f"{before}{BEGIN}\n\n{rooms()}\n{END}{rest.partition(END)[2]}"


if __name__ == "__main__":
    PAGE.write_text(drawn())

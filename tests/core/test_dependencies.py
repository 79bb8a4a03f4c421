"""Every package that is asked for is told in docs/dependencies.md, and pinned."""

from __future__ import annotations

import json
import re
from pathlib import Path

ROOT = Path(__file__).parents[2]
PAGE = (ROOT / "docs" / "dependencies.md").read_text().lower()


def asked(file: Path) -> set[str]:
    lines = (line.split("#")[0].strip() for line in file.read_text().splitlines())
    return {re.split(r"[\[=<>~ ]", line)[0].lower() for line in lines if line and not line.startswith("-")}


def test_python_packages_are_told_and_pinned():
    for file in (ROOT / "requirements").glob("*.in"):
        # What is an extra is pinned with all that runs.
        lock = file.with_suffix(".txt") if file.with_suffix(".txt").exists() else file.with_name("run.txt")
        pinned = {line.split("==")[0].lower() for line in lock.read_text().splitlines() if "==" in line}
        assert asked(file) <= {name.split("[")[0] for name in pinned}, file.name
        assert not [name for name in asked(file) if name not in PAGE], file.name


def test_the_front_ends_packages_are_told_and_pinned():
    wanted = json.loads((ROOT / "frontend" / "package.json").read_text())
    lock = json.loads((ROOT / "frontend" / "package-lock.json").read_text())["packages"]
    for name in {**wanted["dependencies"], **wanted["devDependencies"]}:
        assert f"node_modules/{name}" in lock, name
        assert name in PAGE or ("@fontsource/*" in PAGE and name.startswith("@fontsource/")), name

"""The library, and the package that it comes in: built, put beside nothing else of ours, and used."""

import json
import os
import re
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from handlens.library import InputError, MendError, open_model

ROOT = Path(__file__).parents[2]
CRAB = ROOT / "demo/models/crab_pot"


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """A folder with the built wheel unpacked, as an installer lays it out."""
    folder = tmp_path_factory.mktemp("wheel")
    build = [
        sys.executable,
        "-m",
        "pip",
        "wheel",
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "--wheel-dir",
        str(folder),
        ".",
    ]
    shutil.copytree(ROOT / "src", folder / "tree/src", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copytree(ROOT / "requirements", folder / "tree/requirements")
    for name in ("pyproject.toml", "README.md"):
        shutil.copy(ROOT / name, folder / "tree")
    subprocess.run(build, cwd=folder / "tree", check=True, env={**os.environ, "PIP_DISABLE_PIP_VERSION_CHECK": "1"})
    with zipfile.ZipFile(next(folder.glob("*.whl"))) as wheel:
        wheel.extractall(folder / "site")
    return folder / "site"


def run(installed, *call):
    env = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"}
    return subprocess.run(
        [sys.executable, *call], capture_output=True, text=True, cwd="/", env={**env, "PYTHONPATH": str(installed)}, check=False
    )


def test_the_built_package_holds_all_that_the_command_needs(installed):
    assert "handlens = handlens.__main__:main" in next(installed.glob("*.dist-info/entry_points.txt")).read_text()
    told = run(
        installed, "-m", "handlens", "inspect", str(CRAB), "--json", "-", "--rules", "creator-platform-strict", "--try", "all"
    )
    here = run(
        ROOT / "src", "-m", "handlens", "inspect", str(CRAB), "--json", "-", "--rules", "creator-platform-strict", "--try", "all"
    )
    there, ours = json.loads(told.stdout), json.loads(here.stdout)
    assert {**there, "seconds": 0} == {**ours, "seconds": 0}


def test_the_examples_run_as_they_are_written(installed, tmp_path):
    told = run(installed, str(ROOT / "docs/examples/gate.py"), str(CRAB), str(tmp_path / "out"))
    assert (told.returncode, told.stderr) == (0, ""), told
    assert (tmp_path / "out/crab_pot.glb").is_file()
    text = (ROOT / "docs/library.md").read_text()
    code = (
        re.search(r"```python\n(.*?)```", text, re.S)[1]
        .replace("demo/models/crab_pot", str(CRAB))
        .replace('"out"', f'"{tmp_path / "two"}"')
    )
    told = run(installed, "-c", code)
    assert told.returncode == 0, told.stderr
    assert (tmp_path / "two/crab_pot.glb").is_file()
    assert "True" in told.stdout


def test_a_model_is_not_changed_by_its_mends_and_mistakes_are_sentences():
    model = open_model(CRAB)
    larger = model.mend("size.scale", factor=2)
    assert larger.measures.bounds_max[1] == pytest.approx(2 * model.measures.bounds_max[1])
    assert larger.figures
    with pytest.raises(InputError, match="no mend"):
        model.mend("size.shrink")
    with pytest.raises(MendError):
        model.mend("arrival.remove", what="hidden")
    with pytest.raises(InputError, match="no rule sheet"):
        model.judge("quayside")

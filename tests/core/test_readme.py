"""Every command that the README and the pages of docs show runs as it stands there, one after another."""

import os
import re
import shlex
import shutil
import signal
import subprocess
import sys

import pytest

from conftest import ROOT

PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
#: Lines of fenced blocks that call the command line.
LINE = re.compile(r"^\./handlens .*$", re.MULTILINE)
FENCED = re.compile(r"^```[a-z]*\n(.*?)^```", re.MULTILINE | re.DOTALL)


def commands(page):
    return [line for block in FENCED.findall(page.read_text()) for line in LINE.findall(block)]


@pytest.mark.parametrize("page", [p for p in PAGES if commands(p)], ids=lambda p: p.name)
def test_every_command_runs(page, tmp_path):
    shutil.copytree(ROOT / "demo" / "models", tmp_path / "demo" / "models")
    for line in commands(page):
        _, *args = shlex.split(line)
        run = [sys.executable, "-m", "handlens", *args]
        here = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        if args[0] == "watch":
            watching = subprocess.Popen(run, cwd=tmp_path, env=here, stdout=subprocess.PIPE, text=True)
            assert "Watching" in watching.stdout.readline(), line
            watching.send_signal(signal.SIGTERM)
            watching.communicate(timeout=30)
            continue
        done = subprocess.run(run, cwd=tmp_path, env=here, capture_output=True, text=True, check=False, timeout=120)
        # What is found, differs or does not fit is an answer; a call that is wrong is not.
        assert done.returncode in (0, 1), f"{line}\n{done.stderr}"
        assert done.stdout, line
        assert "Traceback" not in done.stderr, line


def test_the_readme_shows_commands():
    assert len(commands(ROOT / "README.md")) > 8

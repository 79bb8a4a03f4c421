"""Every file that is opened while a model is read, by the kernel's own account: the program's, or of what was sent."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import ROOT
from handlens.core.machine.confine import landlock_version, program_places

#: One for each reader, with layers, libraries, textures and packed geometry; `HANDLENS_TRACE=all` takes every model that there is.
SOME = (
    "OBJ/spider.obj",
    "Collada/duck.dae",
    "glTF2/BoxTextured-glTF/BoxTextured.gltf",
    "PLY/Wuson.ply",
    "STL/Wuson.stl",
    "OFF/Cube.off",
    "3MF/box.3mf",
)
#: What any program may open, as `confine` has it.
SYSTEM = (
    "/usr/",
    "/bin/",
    "/lib",
    "/etc/ld.so",
    "/etc/fonts/",
    "/etc/localtime",
    "/proc/",
    "/sys/devices/system/",
    "/sys/fs/cgroup/",
    "/dev/null",
    "/dev/zero",
    "/dev/urandom",
    "/dev/random",
)
OPENED = re.compile(r'^\d+ +(?:open|openat|openat2|creat|execve)\((?:AT_FDCWD, |\d+, )?"((?:[^"\\]|\\.)*)".*\) = \d+', re.M)


def _can_trace() -> bool:
    """Some machines let nobody be traced."""
    return (
        shutil.which("strace") is not None
        and subprocess.run(["strace", "-o", os.devnull, "true"], capture_output=True).returncode == 0
    )


pytestmark = pytest.mark.skipif(landlock_version() == 0 or not _can_trace(), reason="no Landlock here, or nothing may be traced")


def _models() -> list[str]:
    there = Path("/usr/share/assimp/models")
    every = [
        str(p.relative_to(there))
        for p in sorted(there.rglob("*"))
        if p.suffix.lower() in (".obj", ".dae", ".gltf", ".glb", ".ply", ".stl", ".off", ".3mf")
    ]
    return every if os.environ.get("HANDLENS_TRACE") == "all" else [m for m in SOME if (there / m).exists()]


def _opened(model: Path, out: Path) -> set[str]:
    log = out / "trace"
    command = [
        "strace",
        "-f",
        "-qq",
        "-o",
        str(log),
        "-e",
        "trace=open,openat,openat2,creat,execve",
        sys.executable,
        "-m",
        "handlens",
    ]
    done = subprocess.run(
        [*command, "inspect", str(model), "--json", str(out / "report.json")],
        capture_output=True,
        text=True,
        cwd="/",
        timeout=300,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": os.environ["PATH"], "TMPDIR": str(out), "HOME": "/nonexistent"},
    )
    assert done.returncode in (0, 1, 2), done.stderr
    assert "Traceback" not in done.stderr
    return {os.path.normpath(x) for x in OPENED.findall(log.read_text(errors="replace")) if x.startswith("/")}


def _strangers(opened: set[str], *given: Path) -> list[str]:
    inside = [str(p) for p in (*program_places(), *given)]
    return sorted(
        x
        for x in opened
        if x != "/" and not (x + "/").startswith(SYSTEM) and not any(x == p or x.startswith(p + "/") for p in inside)
    )


@pytest.mark.parametrize("name", _models())
def test_only_the_program_and_what_was_sent_is_opened(name, models, tmp_path):
    sent, out = tmp_path / "sent", tmp_path / "out"
    shutil.copytree((models / name).parent, sent)
    out.mkdir()
    opened = _opened(sent / Path(name).name, out)
    assert str(sent / Path(name).name) in opened, "what was traced is not what was read"
    assert _strangers(opened, sent, out) == []


def test_a_usd_stage_that_names_what_lies_outside(tmp_path):
    sent, out, secret = tmp_path / "sent", tmp_path / "out", tmp_path / "secret"
    for folder in (sent, out, secret):
        folder.mkdir()
    mesh = 'def Mesh "m"\n{\n    int[] faceVertexCounts = [3]\n    int[] faceVertexIndices = [0, 1, 2]\n    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n}\n'
    (secret / "p.usda").write_text(f"#usda 1.0\n{mesh}")
    (sent / "a.usda").write_text(
        f"#usda 1.0\n(\n    subLayers = [\n        @{secret}/p.usda@,\n        @../secret/p.usda@\n    ]\n)\n{mesh}"
    )
    assert _strangers(_opened(sent / "a.usda", out), sent, out) == []

"""What a reader's child can reach: what it was given, its own program, and nothing else."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from handlens.core.machine.confine import landlock_version, plain_environment

CODE = """
import json, os, socket, sys
from pathlib import Path
from handlens.core.machine.confine import confine
asked = json.load(sys.stdin)
taken = confine(asked["read"], asked["write"])
def could(work):
    try:
        work()
        return True
    except OSError:
        return False
def connect():
    s = socket.socket(); s.settimeout(2); s.connect(("127.0.0.1", asked["port"]))
print(json.dumps({
    "taken": taken, "user": os.geteuid(), "environment": sorted(os.environ), "threads": len(os.listdir("/proc/self/task")),
    "read": could(lambda: Path(asked["read"][0], "given.txt").read_text()), "list": could(lambda: os.listdir(asked["read"][0])),
    "write given": could(lambda: Path(asked["read"][0], "new").write_text("x")),
    "write": could(lambda: Path(asked["write"][0], "new").write_text("x")),
    "planted": could(lambda: Path(asked["planted"]).read_text()), "list planted": could(lambda: os.listdir(Path(asked["planted"]).parent)),
    "passwords": could(lambda: Path("/etc/passwd").read_text()), "parent": could(lambda: Path(f"/proc/{os.getppid()}/environ").read_bytes()),
    "escape": could(lambda: Path("/tmp/handlens-escaped").write_text("x")), "connect": could(connect),
    "imports": could(lambda: __import__("pxr.Usd")),
}))
"""


@pytest.mark.skipif(landlock_version() == 0, reason="this kernel has no Landlock")
def test_it_reaches_what_it_was_given_and_nothing_else(tmp_path, monkeypatch):
    import socket

    given, out, planted = tmp_path / "given", tmp_path / "out", tmp_path / "planted" / "secret.txt"
    for folder in (given, out, planted.parent):
        folder.mkdir()
    (given / "given.txt").write_text("given")
    planted.write_text("secret")
    monkeypatch.setenv("HANDLENS_DATABASE", "postgresql://secret")
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        listener.listen(1)
        asked = {"read": [str(given)], "write": [str(out)], "planted": str(planted), "port": listener.getsockname()[1]}
        done = subprocess.run(
            [sys.executable, "-c", CODE],
            input=json.dumps(asked).encode(),
            capture_output=True,
            env={**plain_environment(), "PYTHONPATH": str(Path(__file__).parents[2] / "src")},
        )
    told = json.loads(done.stdout or pytest.fail(done.stderr.decode()))
    assert "files" in told["taken"]
    assert {k for k in ("read", "list", "write", "imports") if not told[k]} == set()
    reached = {k for k in ("write given", "planted", "list planted", "passwords", "parent", "escape", "connect") if told[k]}
    assert reached == set()
    assert not any("HANDLENS" in name for name in told["environment"])
    # A thread that began before would not be locked in.
    assert told["threads"] == 1
    if os.geteuid() == 0:
        assert {"capabilities", "network"} <= set(told["taken"])


def test_root_becomes_nobody_where_nobody_can_reach_what_is_needed(tmp_path):
    if os.geteuid() != 0:
        pytest.skip("only root can become another user")
    import tempfile

    from handlens.core.machine.confine import give_to_nobody, program_places

    with tempfile.TemporaryDirectory() as folder:
        give_to_nobody(Path(folder))
        code = f"import os; from handlens.core.machine.confine import confine; print(confine([], [{folder!r}]), os.geteuid())"
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, env={**plain_environment(), "PYTHONPATH": "src"}
        )
    closed = [p for p in program_places() for q in (p, *p.parents) if q.is_dir() and not q.stat().st_mode & 1]
    assert ("65534" in done.stdout) == (not closed), done.stdout + done.stderr

"""A worker on another machine: one in a network namespace of its own, which reaches the database by its address, over TLS, with the secret."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import urllib.request
from pathlib import Path

import pytest

from conftest import ROOT, wait_for
from handlens.launch.cluster import Cluster, ClusterError, free_port
from handlens.launch.other_machines import NoAddress, address_for_worker, interface

OBJ = b"o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
SPACE = f"hl{os.getpid()}"
HERE, THERE = "10.83.47.1", "10.83.47.2"


def ip(*words: str) -> bool:
    return subprocess.run(["ip", *words], capture_output=True).returncode == 0


@pytest.fixture(scope="module")
def machine():
    """Words that run a command on the other machine."""
    if os.geteuid() != 0 or not shutil.which("ip") or not ip("netns", "add", SPACE):
        pytest.skip("a network namespace wants root and the program ip")
    ends = f"{SPACE}a", f"{SPACE}b"
    steps = (
        ("link", "add", ends[0], "type", "veth", "peer", "name", ends[1]),
        ("link", "set", ends[1], "netns", SPACE),
        ("addr", "add", f"{HERE}/30", "dev", ends[0]),
        ("link", "set", ends[0], "up"),
        ("netns", "exec", SPACE, "ip", "addr", "add", f"{THERE}/30", "dev", ends[1]),
        ("netns", "exec", SPACE, "ip", "link", "set", ends[1], "up"),
    )
    assert all(ip(*step) for step in steps)
    yield ["ip", "netns", "exec", SPACE]
    ip("link", "del", ends[0])
    ip("netns", "del", SPACE)


def launch(*words: str, before: tuple[str, ...] = (), out: Path) -> subprocess.Popen[bytes]:
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "HANDLENS_JOBS": "1", "HANDLENS_STALLED_SECONDS": "60"}
    with out.open("wb") as log:
        return subprocess.Popen(
            [*before, sys.executable, "-m", "handlens.launch", *words], cwd=ROOT, env=env, stdout=log, stderr=log
        )


@pytest.fixture(scope="module")
def quay(machine):
    """A Hand Lens that lets workers of the other machine in: its folder and its web address."""
    with tempfile.TemporaryDirectory(prefix="handlens-two-") as name:
        os.chmod(name, 0o755)
        folder, port = Path(name), free_port(9300)
        out = folder / "out"
        started = launch(
            "--no-demo", "--port", str(port), "--data", str(folder / "data"), "--workers-from", f"{HERE}/30", out=out
        )
        wait_for(lambda: "Workers join by" in out.read_text(), 90)
        yield folder, f"http://127.0.0.1:{port}"
        started.terminate()
        started.wait(30)


def ask(base: str, method: str, path: str, body: object = None, raw: bytes | None = None):
    data = raw if raw is not None else None if body is None else json.dumps(body).encode()
    kind = "application/octet-stream" if raw is not None else "application/json"
    request = urllib.request.Request(base + path, data, {"Content-Type": kind}, method=method)
    with urllib.request.urlopen(request, timeout=30) as answer:
        return json.loads(answer.read() or b"{}")


def here(folder: Path) -> list[int]:
    """What the children of the machine that keeps the database come from."""
    found = subprocess.run(["pgrep", "-f", "handlens.jobs.worker"], capture_output=True, text=True).stdout.split()
    env = f"HANDLENS_DATA={folder / 'data'}\0".encode()
    own = [pid for pid in found if env in Path(f"/proc/{pid}/environ").read_bytes()]
    below = [subprocess.run(["pgrep", "-P", pid], capture_output=True, text=True).stdout.split() for pid in own]
    return [int(pid) for pids in below for pid in pids]


def test_a_worker_elsewhere_reads_what_the_one_here_does_not(machine, quay):
    folder, base = quay
    where = (folder / "out").read_text().partition("--worker ")[2].split()[0]
    assert where.startswith(HERE)
    shutil.copy(folder / "data/worker-secret", folder / "copied")
    elsewhere = launch(
        "--worker",
        where,
        "--secret",
        str(folder / "copied"),
        "--data",
        str(folder / "far"),
        before=tuple(machine),
        out=folder / "far-out",
    )
    try:
        wait_for(lambda: "works for" in (folder / "far-out").read_text(), 60)
        drop = ask(base, "POST", "/api/drops", {"model": None})["id"]
        for k in range(14):
            ask(base, "PUT", f"/api/drops/{drop}/files?path=far/{k}/sail_{k}.obj", raw=OBJ + b"# %d\n" % k)
        ask(base, "POST", f"/api/drops/{drop}/close")
        batch = wait_for(lambda: next(iter(ask(base, "GET", "/api/batches")["batches"]), None))
        # No child can be begun here any more: but for what is in hand here, the other machine does it all.
        for pid in here(folder):
            os.kill(pid, signal.SIGSTOP)
        try:
            wait_for(lambda: ask(base, "GET", f"/api/batches/{batch['id']}")["batch"]["count"]["waiting"] <= 1, 45)
        finally:
            for pid in here(folder):
                os.kill(pid, signal.SIGCONT)
        told = wait_for(lambda: (p := ask(base, "GET", f"/api/batches/{batch['id']}"))["batch"]["state"] == "done" and p, 90)
        assert not told["batch"]["count"]["failed"]
        assert {tuple(sorted(r["verdict"].items())) for r in told["rows"]} == {tuple(sorted(told["rows"][0]["verdict"].items()))}
    finally:
        elsewhere.terminate()
        elsewhere.wait(30)
    assert not list((folder / "far/work").iterdir()), "nothing of the models stays on the other machine"


def test_who_has_no_secret_or_comes_in_the_clear_is_not_let_in(machine, quay):
    folder, _ = quay
    where = (folder / "out").read_text().partition("--worker ")[2].split()[0]
    secret = (folder / "data/worker-secret").read_text()
    (folder / "wrong").write_text("*:*:handlens:handlens:guessed\n" + secret.partition("\n")[2])
    tried = launch(
        "--worker",
        where,
        "--secret",
        str(folder / "wrong"),
        "--data",
        str(folder / "odd"),
        before=tuple(machine),
        out=folder / "odd-out",
    )
    assert tried.wait(60) == 1
    said = (folder / "odd-out").read_text()
    assert len(said.splitlines()) == 1
    assert "does not let this worker in" in said
    assert "guessed" not in said
    host, _, port = where.partition(":")
    plain = f"import psycopg; psycopg.connect(host='{host}', port={port}, user='handlens', dbname='handlens', sslmode='disable', password='{secret.partition(chr(10))[0].rpartition(':')[2]}')"
    clear = subprocess.run([*machine, sys.executable, "-c", plain], capture_output=True, text=True)
    assert "no pg_hba.conf entry" in clear.stderr
    assert oct((folder / "data/worker-secret").stat().st_mode)[-3:] == "600"


def test_another_version_does_not_mix_in(database, monkeypatch):
    from handlens.core.limits import InputError
    from handlens.store import about

    about.write_version()
    about.refuse_other_version()
    monkeypatch.setattr(about, "measures_key", lambda: "an earlier one")
    with pytest.raises(InputError, match="another version"):
        about.refuse_other_version()


def test_an_address_of_another_machine_is_no_place_to_listen_at(tmp_path):
    with pytest.raises(ClusterError, match=r"Nothing can listen at 192\.0\.2\.7.*Name an address of this machine"):
        Cluster(tmp_path, free_port(9400), interface("192.0.2.7/24"))._refuse_elsewhere("192.0.2.7")


@pytest.mark.parametrize("text", ["10.0.0.1", "quay", "10.0.0.1/0", "10.0.0.1/99"])
def test_an_address_that_is_none_is_one_sentence(text, tmp_path):
    with pytest.raises(NoAddress):
        interface(text)
    (tmp_path / "secret").write_text("Dear harbour master")
    for address in (text, "10.0.0.1:8441"):
        with pytest.raises(NoAddress), contextlib.suppress(FileNotFoundError):
            address_for_worker(address, tmp_path / "secret", tmp_path)

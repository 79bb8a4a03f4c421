"""A PostgreSQL cluster of the tests' own, a worker, and a server for the browser."""

from __future__ import annotations

import logging
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

# The same cases each time, so that a change is told from chance; `HYPOTHESIS_PROFILE=search` looks for new ones.
settings.register_profile("same", derandomize=True, database=None)
settings.register_profile("search", max_examples=500)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "same"))

# Offers are tried in the tests that are about that: every wait for a reading would wait for all of them too.
os.environ.setdefault("HANDLENS_TRIES", "0")
# What tests watch lies where pytest makes its folders.
os.environ.setdefault("HANDLENS_WATCH_ROOTS", tempfile.gettempdir())

ROOT = Path(__file__).parents[1]
MODELS = Path("/usr/share/assimp/models")


@pytest.fixture(scope="session", autouse=True)
def falls() -> Iterator[None]:
    """A check that falls is passed over in life; here it fails the test that ran it."""
    log = logging.getLogger("handlens.core.judge.judge")
    log.addHandler(told := _Raising())
    yield
    log.removeHandler(told)


class _Raising(logging.Handler):
    def emit(self, record: logging.LogRecord) -> None:
        if record.exc_info and record.exc_info[1]:
            raise record.exc_info[1]


@pytest.fixture(scope="session")
def database() -> Iterator[str]:
    """Address of a migrated database in a cluster that is made for this run and thrown away after it."""
    from handlens.launch.cluster import Cluster

    with tempfile.TemporaryDirectory(prefix="handlens-test-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), 8470)
        cluster.start()
        os.environ["HANDLENS_DATABASE"] = cluster.url
        from handlens.store.migrate import upgrade

        upgrade()
        try:
            yield cluster.url
        finally:
            from handlens.store.database import engine

            engine().dispose()
            cluster.stop()


#: In the tests a dead worker is told sooner than in life.
STALLED_SECONDS = 4.0


def start(*command: str) -> subprocess.Popen[bytes]:
    env = {
        **os.environ,
        "PYTHONPATH": str(ROOT / "src"),
        "HANDLENS_STALLED_SECONDS": str(STALLED_SECONDS),
        "HANDLENS_HEADER_SECONDS": "2",
    }
    return subprocess.Popen([sys.executable, "-m", *command], cwd=ROOT, env=env, start_new_session=True)


class Gate:
    """A gate of the tests' own, which can be away for a while."""

    def __init__(self, folder: str) -> None:
        from handlens.launch.cluster import free_port

        self.port, self.folder = free_port(8480), folder
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def come(self) -> None:
        self.process = start("handlens.gate.serve", str(self.port), self.folder)
        wait_for(self._open)

    def go(self) -> None:
        if self.process is not None:
            self.process.kill()
            self.process.wait()

    def _open(self) -> bool:
        try:
            with urllib.request.urlopen(self.address, timeout=1):
                return True
        except OSError:
            return False


@pytest.fixture(scope="session")
def gate() -> Iterator[Gate]:
    with tempfile.TemporaryDirectory(prefix="handlens-gate-") as folder:
        os.chmod(folder, 0o755)
        made = Gate(f"{folder}/sent")
        os.environ["HANDLENS_GATE"] = made.address
        made.come()
        yield made
        made.go()


@pytest.fixture(scope="session")
def worker(database: str, gate: Gate) -> Iterator[subprocess.Popen[bytes]]:
    process = start("handlens.jobs.worker")
    yield process
    process.terminate()
    process.wait(15)


@pytest.fixture(scope="session")
def client(database: str):
    """A test client that speaks as a page of our own would."""
    from handlens.web.app import create_app

    app = create_app()
    made = app.test_client()
    made.environ_base["HTTP_HOST"] = "127.0.0.1"
    return made


@pytest.fixture(scope="session")
def server(worker) -> Iterator[str]:
    """Address of a running web server."""
    from handlens.launch.cluster import free_port

    port = free_port(8490)
    process = start("handlens.web.serve", str(port))
    address = f"http://127.0.0.1:{port}"
    for _ in range(200):
        try:
            urllib.request.urlopen(address + "/api/health", timeout=1)
            break
        except OSError:
            time.sleep(0.1)
    yield address
    process.terminate()
    process.wait(15)


def wait_for(ask, seconds: float = 60, every: float = 0.2):
    """Ask until the answer is true; returns it."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        answer = ask()
        if answer:
            return answer
        time.sleep(every)
    raise AssertionError(f"nothing came within {seconds} s")


def drop(client, files: dict[str, bytes], model: int | None = None):
    """Send files as the page does; returns the answer to closing the drop."""
    made = client.post("/api/drops", json={"model": model})
    for path, data in files.items():
        answer = client.put(f"/api/drops/{made.json['id']}/files", query_string={"path": path}, data=data)
        if answer.status_code != 201:
            return answer
    return client.post(f"/api/drops/{made.json['id']}/close")


def settled(client, name: str, seconds: float = 60):
    """The Shelf's entry of that name, once it is read or has failed."""

    def ask():
        entry = next(
            (m for m in client.get("/api/shelf", query_string={"search": name}).json["models"] if m["name"] == name), None
        )
        return entry if entry and entry["state"] in ("done", "failed", "cancelled") else None

    return wait_for(ask, seconds)


@pytest.fixture(scope="session")
def models() -> Path:
    """Third-party models from Debian's package assimp-testmodels."""
    assert MODELS.is_dir(), "Debian's package assimp-testmodels is not installed; ./check installs it"
    return MODELS

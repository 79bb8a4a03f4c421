"""Starting: one Hand Lens a data folder, and a database that is seen to be there."""

import itertools
import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

import psycopg
import pytest
from sqlalchemy.exc import OperationalError

from conftest import wait_for
from handlens.launch import __main__ as launched
from handlens.launch.claim import Claimed, began, claim, tell
from handlens.launch.cluster import Cluster, free_port
from handlens.launch.parts import GivenUp, Part, look_after
from handlens.web import parts as shown


def test_a_second_one_is_told_where_the_first_is(tmp_path):
    first = claim(tmp_path)
    with pytest.raises(Claimed, match="already; stop that one first"):
        claim(tmp_path, patience=0.0)
    tell(first, "http://127.0.0.1:8440/", [])
    with pytest.raises(Claimed, match=r"already, at http://127\.0\.0\.1:8440/;"):
        claim(tmp_path, patience=0.0)
    first.close()
    # The next one begins without the address of the one before.
    second = claim(tmp_path, patience=0.0)
    with pytest.raises(Claimed, match="already; stop"):
        claim(tmp_path, patience=0.0)
    second.close()


def test_a_worker_that_somebody_halted_is_said_to_be(tmp_path, monkeypatch):
    """SIGSTOP leaves a process there that does nothing: it is not up."""
    sleeper = subprocess.Popen(["sleep", "60"])
    state = tmp_path / "state.json"
    monkeypatch.setenv("HANDLENS_STATE", str(state))
    told = []

    def changed(states):
        launched.tell_state(state, states)
        told.append((states, shown.troubles()))
        os.kill(sleeper.pid, signal.SIGSTOP if len(told) == 1 else signal.SIGCONT)
        if len(told) == 3:
            raise KeyboardInterrupt

    worker = Part("worker", lambda: None, lambda: sleeper.pid, lambda: None, tmp_path / "log")
    try:
        with pytest.raises(KeyboardInterrupt):
            look_after([worker], changed, every=0.05)
    finally:
        sleeper.kill()
        sleeper.wait()
    assert [states["worker"] for states, _ in told] == ["up", "stopped", "up"]
    assert [bool(troubles) for _, troubles in told] == [False, True, False]
    assert "halted" in told[1][1][0]


def test_one_that_is_being_stopped_is_waited_for(tmp_path):
    code = f"from pathlib import Path; from handlens.launch.claim import claim; import time; held = claim(Path({str(tmp_path)!r})); print('held', flush=True); time.sleep(1)"
    other = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, env={"PYTHONPATH": ":".join(sys.path)})
    assert other.stdout.readline() == b"held\n"
    claim(tmp_path, patience=20.0).close()
    assert other.wait(10) == 0


def test_what_a_dead_one_left_is_ended(tmp_path):
    left = subprocess.Popen(["sleep", "600"])
    other = subprocess.Popen(["sleep", "600"])
    first = claim(tmp_path)
    tell(first, "http://127.0.0.1:8440/", [left.pid])
    # Another process that came to the number of one that had ended is none of ours.
    text = (tmp_path / "running").read_text().replace("]]", f"], [{other.pid}, 1]]")
    first.close()
    (tmp_path / "running").write_text(text)
    claim(tmp_path, patience=0.0).close()
    assert left.wait(5) == -signal.SIGTERM
    assert other.poll() is None
    other.kill()
    other.wait()


# --- parts that end by themselves ---------------------------------------------------------------------


def _part(alive: list[bool], begun: list[float], log: Path) -> Part:
    return Part("worker", lambda: begun.append(1), lambda: 1 if alive[0] else None, lambda: None, log)


def test_a_part_is_started_again_later_each_time_and_given_up_at_last(tmp_path):
    begun: list[float] = []
    part, now, waits = _part([False], begun, tmp_path / "log"), 100.0, []
    with pytest.raises(GivenUp, match=r"^The worker stopped 9 times within 3 minutes; .*log says why\.$"):
        while now < 400:
            before = len(begun)
            part.tend(now)
            if len(begun) > before:
                waits.append(now)
            now += 0.25
    gaps = [b - a for a, b in itertools.pairwise(waits)]
    assert len(waits) == 8
    assert gaps == sorted(gaps)


def test_ends_that_are_far_apart_do_not_add_up(tmp_path):
    begun: list[float] = []
    part = _part([False], begun, tmp_path / "log")
    for now in range(0, 20_000, 100):
        part.tend(float(now))
        part.tend(now + 50.0)
    assert len(begun) > 50


def test_what_ends_before_the_first_answer_is_started_again(tmp_path):
    begun: list[float] = []
    part = Part("database", lambda: begun.append(1), lambda: 1 if begun else None, lambda: None, tmp_path / "log")
    tries = []

    def work() -> None:
        tries.append(1)
        if not begun:
            raise OperationalError("SELECT 1", {}, Exception("gone"))

    launched._whatever_ends(work, [part])
    assert (len(tries), len(begun)) == (2, 1)
    # One that cannot start is not tried for minutes.
    fallen = _part([False], begun, tmp_path / "log")
    with pytest.raises(launched.CannotStart, match=r"^The worker did not start; .*log says why\.$"):
        while True:
            launched._tend_first([fallen])
    assert len(begun) < 6


def test_a_child_ends_with_its_parent():
    code = "from handlens.core.machine.parent import end_with_parent; import time; end_with_parent(); print('there', flush=True); time.sleep(600)"
    outer = f"import subprocess, sys, time; p = subprocess.Popen([sys.executable, '-c', {code!r}], stdout=subprocess.PIPE); p.stdout.readline(); print(p.pid, flush=True); time.sleep(600)"
    parent = subprocess.Popen([sys.executable, "-c", outer], stdout=subprocess.PIPE, env={"PYTHONPATH": ":".join(sys.path)})
    child = int(parent.stdout.readline())
    assert began(child) is not None
    parent.kill()
    parent.wait()
    wait_for(lambda: began(child) is None, 10)


# --- the database -------------------------------------------------------------------------------------


def test_a_cluster_that_stops_is_missed():
    # Not below pytest's own folder, which is closed to the user that the database runs as.
    with tempfile.TemporaryDirectory(prefix="handlens-test-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), free_port(9200))
        assert not cluster.alive
        cluster.start()
        assert cluster.alive
        cluster.stop()
        assert not cluster.alive


def _comes_in(*at: str, **more: str) -> str:
    """What libpq's own client says to a statement, asked by this very user."""
    env = {"PATH": os.environ["PATH"], **more}
    done = subprocess.run(["psql", *at, "-X", "-A", "-t", "-c", "SELECT current_user"], capture_output=True, text=True, env=env)
    return done.stdout.strip() or done.stderr.strip()


def test_a_making_that_was_cut_off_is_begun_anew():
    with tempfile.TemporaryDirectory() as folder:
        left = Path(folder) / "database.making"
        left.mkdir()
        (left / "PG_VERSION").write_text("15")
        cluster = Cluster(Path(folder), free_port(9950))
        cluster.start()
        cluster.stop()
        assert not left.exists()
        assert (cluster.base / "PG_VERSION").exists()


def test_nobody_comes_in_without_the_secret_and_our_role_owns_nothing_else():
    with tempfile.TemporaryDirectory(prefix="handlens-test-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), free_port(9210))
        cluster.start()
        try:
            word = cluster.secret.read_text().strip().rpartition(":")[2]
            assert cluster.secret.stat().st_mode & 0o077 == 0
            assert word not in cluster.url
            loopback = ("-h", "127.0.0.1", "-p", str(cluster.port), "-d", "handlens", "-w")
            assert "no password supplied" in _comes_in(*loopback, "-U", "handlens")
            assert "password authentication failed" in _comes_in(*loopback, "-U", "handlens", PGPASSWORD="trust")
            assert _comes_in(*loopback, "-U", "handlens", PGPASSWORD=word) == "handlens"
            for role in ("administrator", "postgres"):
                assert "no pg_hba.conf entry" in _comes_in(*loopback, "-U", role, PGPASSWORD=word)
            with psycopg.connect(cluster.url) as c:
                row = c.execute(
                    "SELECT rolsuper, rolcreaterole, rolcreatedb FROM pg_roles WHERE rolname = current_user"
                ).fetchone()
                assert row == (False, False, False)
            with psycopg.connect(cluster.url) as c, pytest.raises(psycopg.errors.InsufficientPrivilege):
                c.execute("COPY (SELECT 1) TO PROGRAM 'true'")
        finally:
            cluster.stop()


def test_a_cluster_of_an_earlier_version_gives_up_trusting_everyone():
    """Made as versions before this one made it: one superuser, whom anyone could be. Nothing in it is lost."""
    with tempfile.TemporaryDirectory(prefix="handlens-test-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), free_port(9220))
        cluster.base.mkdir()
        if cluster.user is not None:
            os.chown(cluster.base, cluster.user.pw_uid, cluster.user.pw_gid)
        made = cluster._run(
            str(cluster.bin / "initdb"), "-D", str(cluster.base), "-U", "handlens", "-A", "trust", "-E", "UTF8", "--no-sync"
        )
        assert made.returncode == 0, made.stderr
        (cluster.base / "hand-lens-made-this").touch()
        trusting = (cluster.base / "pg_hba.conf").read_text()
        cluster._launch()
        cluster._psql("postgres", "CREATE DATABASE handlens", "handlens")
        cluster._psql(
            "handlens",
            "CREATE SCHEMA queue; CREATE TABLE kept (id serial PRIMARY KEY, n int); INSERT INTO kept (n) VALUES (7); CREATE TYPE queue.how AS ENUM ('a'); CREATE FUNCTION queue.f() RETURNS int LANGUAGE sql AS 'SELECT 1'",
            "handlens",
        )
        cluster.stop()
        for _ in range(2):  # a second start finds nothing to do
            cluster.start()
            with psycopg.connect(cluster.url) as c:
                assert c.execute("SELECT n FROM kept WHERE n = 7").fetchone() == (7,)
                c.execute("ALTER TABLE kept ADD COLUMN IF NOT EXISTS more int")
                c.execute("INSERT INTO kept (n) VALUES (8)")
                c.execute("ALTER TYPE queue.how ADD VALUE IF NOT EXISTS 'b'")
                assert c.execute("SELECT rolsuper FROM pg_roles WHERE rolname = 'handlens'").fetchone() == (False,)
            cluster.stop()
        assert "trust" in trusting
        assert "trust" not in (cluster.base / "pg_hba.conf").read_text()

"""Jobs through the real queue and worker: done, failed in one sentence, stopped, taken up again."""

import contextlib
import os
import signal
import subprocess
from pathlib import Path

import pytest
from sqlalchemy import select, text

from conftest import ROOT, STALLED_SECONDS, drop, settled, start, wait_for
from handlens.store import contents
from handlens.store.database import session
from handlens.store.models import Inspection, Job

pytestmark = pytest.mark.usefixtures("worker")
OBJ = b"o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"


def job_state(job_id):
    with session() as s:
        return s.get(Job, job_id).state


def test_a_drop_becomes_a_model_and_an_inspection(client):
    answer = drop(client, {"a_sail.obj": OBJ})
    assert answer.status_code == 202
    entry = settled(client, "A sail")
    assert (entry["state"], entry["triangles"]) == ("done", 1)
    assert wait_for(lambda: job_state(answer.json["id"]) == "done")


def test_a_folder_with_two_models_shares_the_images(client):
    library = b"newmtl net\nmap_Kd maps/net.png\n"
    drop(
        client,
        {"q/left.obj": b"mtllib q.mtl\nusemtl net\n" + OBJ, "q/right.obj": OBJ, "q/q.mtl": library, "q/maps/net.png": b"x"},
    )
    left, right = settled(client, "Left"), settled(client, "Right")
    assert left["state"] == right["state"] == "done"
    with session() as s:
        inspection = s.get(Inspection, left["stage"])
        assert [f["path"] for f in inspection.source["files"]] == ["q/left.obj", "q/q.mtl", "q/maps/net.png"]


BAD = {
    "cut.glb": (b"glTF\x02\x00\x00\x00\x99\x99\x00\x00", "cut off"),
    "letters.obj": b"Dear harbour master,\n" * 3,
    "binary.obj": bytes(range(256)) * 40,
    "circle.gltf": b'{"asset":{"version":"2.0"},"nodes":[{"children":[0]}]}',
    "outside.obj": OBJ + b"f 1 2 77\n",
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_fail_in_one_sentence_and_hurt_nothing_else(client, name, capsys, tmp_path):
    data = BAD[name][0] if isinstance(BAD[name], tuple) else BAD[name]
    drop(client, {name: data})
    label = name.rpartition(".")[0].capitalize()
    entry = settled(client, label)
    assert entry["state"] == "failed"
    assert len(entry["error"].splitlines()) == 1
    # The command line says the same sentence.
    from handlens import cli

    (tmp_path / name).write_bytes(data)
    assert cli.main(["inspect", str(tmp_path / name)]) == 2
    assert capsys.readouterr().err.strip() == f"handlens: {entry['error']}"
    drop(client, {f"after_{label}.obj": OBJ})
    assert settled(client, f"After {label}")["state"] == "done"


def test_a_bad_zip_is_told_by_its_job(client):
    answer = drop(client, {"x.zip": b"PK\x03\x04 no zip"})
    job = wait_for(
        lambda: next(
            (j for j in client.get("/api/jobs").json["jobs"] if j["id"] == answer.json["id"] and j["state"] == "failed"), None
        )
    )
    assert "not a readable zip" in job["error"]


def below(*words: str) -> list[int]:
    return [int(pid) for pid in subprocess.run(["pgrep", *words], capture_output=True, text=True).stdout.split()]


def environment(pid: int) -> bytes:
    try:
        return Path(f"/proc/{pid}/environ").read_bytes()
    except OSError:
        return b""


def nurseries() -> list[int]:
    """Processes that children come from: those of a worker, by its number."""
    return [
        pid for worker in below("-f", "handlens.jobs.worker") for pid in below("-P", str(worker), "-f", "handlens.jobs.child")
    ]


def at_work() -> list[int]:
    """Children that have a job."""
    return [pid for parent in nurseries() for pid in below("-P", str(parent))]


def slow_model():
    """An OBJ that takes a good while: every line has its own shape, so each is read by itself."""
    rows = [f"v {k} 0 0" + (" 1 1 1" if k % 2 else "") for k in range(400_000)]
    return ("\n".join(rows) + "\nf 1 2 3\n").encode()


def test_a_running_job_can_be_stopped_and_taken_up_again(client):
    drop(client, {"slow_boat.obj": slow_model()})

    def running():
        return next(
            (
                j
                for j in client.get("/api/jobs").json["jobs"]
                if j["kind"] == "inspect" and j["state"] == "running" and "Slow boat" in j["title"]
            ),
            None,
        )

    job = wait_for(running)
    assert client.post(f"/api/jobs/{job['id']}/stop").status_code == 202
    entry = settled(client, "Slow boat")
    assert entry["state"] == "cancelled"
    bench = client.get(f"/api/revisions/{entry['revision']}/bench").json
    assert (bench["state"], bench["reading"]) == ("cancelled", None)
    client.post(f"/api/jobs/{job['id']}/again")
    assert wait_for(lambda: settled(client, "Slow boat")["state"] == "done", 90)


def test_a_killed_workers_job_is_taken_up_by_another(client, worker):
    """The queue's own heartbeat shows the dead worker; whoever keeps house takes its jobs up again."""
    worker.send_signal(signal.SIGSTOP)
    second = start("handlens.jobs.worker")
    try:
        drop(client, {"orphan_boat.obj": slow_model()})
        wait_for(
            lambda: any(j["state"] == "running" and "Orphan boat" in j["title"] for j in client.get("/api/jobs").json["jobs"])
        )
        os.killpg(second.pid, signal.SIGKILL)
        second.wait()
        with session() as s:
            job = s.scalar(select(Job).where(Job.title.contains("Orphan boat"), Job.kind == "inspect"))
            assert job.state == "running"
    finally:
        worker.send_signal(signal.SIGCONT)
    wait_for(lambda: _heartbeat_age() > STALLED_SECONDS)
    assert settled(client, "Orphan boat")["state"] == "done"


def _heartbeat_age() -> float:
    """Seconds since the worker that died last gave a sign of life; the other one has gone on doing so."""
    with session() as s:
        return float(s.scalar(text("SELECT extract(epoch FROM now() - min(last_heartbeat)) FROM procrastinate_workers")) or 0)


@pytest.mark.parametrize(("how", "says"), [(signal.SIGSEGV, "stop unexpectedly"), (signal.SIGKILL, "more time or memory")])
def test_the_crash_of_a_child_is_a_sentence_and_hurts_no_other_job(client, how, says):
    """The reading process dies as a crashed native library or the kernel's memory guard would make it die."""
    name = f"Brittle boat {how.name[3:].lower()}"
    drop(client, {f"{name.replace(' ', '_').lower()}.obj": slow_model()})
    wait_for(
        lambda: any(
            j["state"] == "running" and name in j["title"] and j["phase"] == "reading"
            for j in client.get("/api/jobs").json["jobs"]
        )
    )

    def kill() -> dict | None:
        """A crash is the file's doing; what is killed from outside is tried again, and killed again here."""
        for pid in at_work():
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, how)
        entry = settled(client, name) if how == signal.SIGSEGV else None
        return entry or next(
            (m for m in client.get("/api/shelf").json["models"] if m["name"] == name and m["state"] == "failed"), None
        )

    entry = wait_for(kill, 60, 0.5)
    assert entry["state"] == "failed"
    assert says in entry["error"]
    drop(client, {f"after_{how.name.lower()}.obj": OBJ})
    assert settled(client, f"After {how.name.lower()}")["state"] == "done"


@pytest.mark.parametrize("what", ["child", "parent"])
def test_a_child_that_is_killed_once_is_begun_again(client, what):
    """The child itself, or the process that it was parted from, with which it goes."""
    drop(client, {f"killed_{what}.obj": slow_model()})
    running = lambda: any(
        j["state"] == "running" and f"Killed {what}" in j["title"] and j["phase"] == "reading"
        for j in client.get("/api/jobs").json["jobs"]
    )
    wait_for(running)
    for pid in at_work() if what == "child" else nurseries():
        os.kill(pid, signal.SIGKILL)
    assert settled(client, f"Killed {what}", 90)["state"] == "done"


def test_what_children_come_from_goes_with_its_worker(client, worker):
    """The second of two workers gets a job of its own while the first is held; when it ends, what its children came from does."""
    worker.send_signal(signal.SIGSTOP)
    waiting = lambda of: subprocess.run(
        ["pgrep", "-P", str(of), "-f", "handlens.jobs.child"], capture_output=True, text=True
    ).stdout.split()
    second = start("handlens.jobs.worker")
    try:
        drop(client, {"spare_boat.obj": OBJ})
        assert settled(client, "Spare boat")["state"] == "done"
        kept = wait_for(lambda: waiting(second.pid))
        second.send_signal(signal.SIGTERM)
        second.wait(15)
    finally:
        worker.send_signal(signal.SIGCONT)
    wait_for(lambda: not any(Path(f"/proc/{pid}").exists() for pid in kept))


def test_display_copies_are_kept(client):
    drop(client, {"kept_sail.obj": OBJ})
    entry = settled(client, "Kept sail")
    with session() as s:
        stage = contents.read(s, s.get(Inspection, entry["stage"]).stage_id)
    assert stage[:4] == b"HLST"
    assert client.get(f"/api/inspections/{entry['stage']}/stage").data == stage


def test_the_demo_is_loaded_only_onto_a_shelf_that_never_held_anything(client):
    from handlens.jobs.demo import load_once

    drop(client, {"first_sail.obj": OBJ})
    settled(client, "First sail")
    assert load_once(ROOT / "demo" / "models") == 0


def test_what_an_older_version_read_is_read_again(client):
    """Stored measures of another version are never shown: their records may lack what this one looks at."""
    from handlens.store.models import Revision
    from handlens.store.queue import want_missing
    from handlens.store.shelf import latest_done

    drop(client, {"old_reading.obj": OBJ})
    entry = settled(client, "Old reading")
    with session() as s:
        s.get(Inspection, entry["stage"]).tape_key = "made by an older version"
    with session() as s:
        assert latest_done(s, s.get(Revision, entry["revision"])) is None
        assert want_missing(s) >= 1
    again = wait_for(lambda: (m := settled(client, "Old reading")) and m["stage"] and m)
    assert again["stage"] != entry["stage"]

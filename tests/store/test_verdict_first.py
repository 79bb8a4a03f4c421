"""The verdict comes before the trials, the picture before the verdict; who waits comes before what nobody asked for."""

import json
import os
from datetime import timedelta

import pytest
from sqlalchemy import select

from conftest import ROOT, drop, settled, wait_for
from handlens.core import limits
from handlens.jobs import child, running
from handlens.store.database import session
from handlens.store.models import Inspection, Job, Judgement, Model, now
from handlens.store.queue import places, rank, settle

POT = (ROOT / "demo/models/crab_pot/crab_pot.glb").read_bytes()


@pytest.fixture(scope="module")
def pot(client, worker):
    drop(client, {"first_pot.glb": POT})
    return settled(client, "First pot")


def bench(client, entry):
    return client.get(f"/api/revisions/{entry['revision']}/bench").json


def offers(answer):
    return [m for f in answer["reading"]["findings"] for m in f["mends"]]


def test_what_is_offered_is_tried_after_the_verdict_by_a_job_of_its_own(client, pot, monkeypatch):
    judged = bench(client, pot)
    assert judged["reading"]["offers"] == "none"
    assert not any(m["tried"] for m in offers(judged))
    monkeypatch.setattr(limits, "TRIES", True)
    asked = client.post(f"/api/revisions/{pot['revision']}/read-again").json
    assert asked["state"] == "done", "the verdict stands meanwhile"
    assert asked["reading"]["offers"] == "waiting"
    done = wait_for(lambda: (b := bench(client, pot))["reading"]["offers"] == "done" and b)
    assert done["reading"]["verdict"] == judged["reading"]["verdict"]
    assert offers(done)
    assert all(m["tried"] for m in offers(done))


def test_looking_asks_for_nothing(client, pot):
    with session() as s:
        s.get_one(Inspection, pot["stage"]).tape_key = "another version's"
    try:
        before = client.get("/api/jobs").json["jobs"]
        assert bench(client, pot)["state"] == "unread"
        assert [j["id"] for j in client.get("/api/jobs").json["jobs"]] == [j["id"] for j in before]
        assert client.post(f"/api/revisions/{pot['revision']}/read-again").json["state"] != "unread"
    finally:
        wait_for(lambda: bench(client, pot)["state"] == "done")


def test_a_picture_and_a_verdict_stand_before_the_end(client, pot, tmp_path):
    """As the child leaves them: first the one, then the other, each kept while the job still runs."""
    from handlens.jobs import tasks

    (tmp_path / "in").mkdir()
    (tmp_path / "out").mkdir()
    (tmp_path / "in/pot.glb").write_bytes(POT)
    request = {"folder": str(tmp_path / "in"), "main": "pot.glb", "tape": [], "intent": {}}
    child.inspect(request, tmp_path / "out")
    with session() as s:
        model = s.get_one(Model, pot["id"])
        row = Inspection(revision_id=model.revisions[-1].id, tape_key="being read", state="running")
        s.add(row)
        s.flush()
        subject = {"inspection": row.id}
        tasks._keep_picture(s, subject, {"coarse": True}, tmp_path)
        assert (row.stage_id is not None, row.coarse, row.source) == (True, True, None)
        tasks._keep_verdict(s, subject, {}, tmp_path)
        assert row.state == "running"
        assert row.source["files"]
        assert s.scalar(select(Judgement.id).where(Judgement.inspection_id == row.id))
        s.delete(row)


def test_offers_come_one_by_one_while_the_rest_is_tried(client, pot, tmp_path, monkeypatch):
    """As the child hands them on: more of them each time, and the findings are those of before."""
    from handlens.jobs import tasks

    for name in ("in", "out"):
        (tmp_path / name).mkdir()
    (tmp_path / "in/pot.glb").write_bytes(POT)
    news = []
    monkeypatch.setattr(child, "_BETWEEN_OFFERS", 0.0)
    monkeypatch.setattr(child, "come", lambda what, **more: news.append(more))
    was = bench(client, pot)["reading"]
    with session() as s:
        row = s.get_one(Inspection, was["inspection"])
        (tmp_path / "known.bin").write_bytes(row.measures)
        row.offers = "running"
    request = {"folder": str(tmp_path / "in"), "main": "pot.glb", "tape": [], "intent": {}, "known": str(tmp_path / "known.bin")}
    child.try_offers(request, tmp_path / "out")
    tried = []
    for told in (news[0], news[-1]):
        with session() as s:
            tasks._keep_some_trials(s, {"trying": was["inspection"]}, told, tmp_path)
        now = bench(client, pot)["reading"]
        tried.append(sum(m["tried"] for f in now["findings"] for m in f["mends"]))
    with session() as s:
        s.get_one(Inspection, was["inspection"]).offers = was["offers"]
    assert [f["id"] for f in now["findings"]] == [f["id"] for f in was["findings"]]
    assert len(news) > 2
    assert tried[0] < tried[1]


@pytest.mark.parametrize("planted", ["link", "folder's link", "outside", "pipe"])
def test_what_a_child_leaves_is_taken_only_where_it_belongs(tmp_path, planted):
    out, secret = tmp_path / "job/out", tmp_path / "secret"
    out.mkdir(parents=True)
    secret.write_text("the harbour master's")
    name = "out/portrait.webp"
    if planted == "link":
        (out / "portrait.webp").symlink_to(secret)
    elif planted == "folder's link":
        (out / "files").symlink_to(tmp_path)
        name = "out/files/secret"
    elif planted == "outside":
        name = str(secret)
    else:
        os.mkfifo(out / "portrait.webp")
    with pytest.raises(running.Failed, match="nothing of it was taken"):
        running.left(tmp_path / "job", name)
    (out / "plain").write_text("x")
    assert running.left(tmp_path / "job", "out/plain").read_text() == "x"


def test_who_waits_comes_first_and_small_before_large(database):
    with session() as s:
        rows = [
            Job(kind=kind, title=kind, subject={"bytes": size << 20} if size else {}, state="waiting")
            for kind, size in (("try", 0), ("inspect", 400), ("inspect", 2), ("intake", 0), ("export", 0))
        ]
        rows.append(Job(kind="inspect", title="batch", subject={"batch": 1}, state="waiting"))
        moment = now()
        for row in rows:
            row.created = moment
        s.add_all(rows)
        s.flush()
        ahead = places(s)
        order = [job for job in sorted(rows, key=lambda job: (-rank(job), job.id)) if job.kind != "intake"]
        assert [job.kind for job in order] == ["export", "inspect", "inspect", "try", "inspect"]
        assert order[1].subject["bytes"] < order[2].subject["bytes"]
        assert order[-1].title == "batch", "what a batch asks for comes after what a person waits for"
        assert ahead[rows[-1].id] > ahead[rows[0].id] > ahead[rows[1].id] > ahead[rows[2].id]
        # A large model is put back, but not for ever: what comes ten minutes after it is begun after it, however small.
        later = Job(kind="inspect", title="later", subject={}, created=moment + timedelta(minutes=10))
        assert rank(later) < rank(rows[1])
        assert ahead[rows[3].id] == 0, "naming what came waits for no reading"
        for job in rows:
            settle(s, job, "cancelled")
            s.delete(job)


def test_first_pictures_of_large_models_are_coarse_and_those_of_small_ones_are_not(tmp_path):
    import bench_shapes

    from handlens.core.display import coarse, display_copy
    from handlens.core.machine.sections import Opened
    from handlens.core.pipeline.opening import open_scene

    bench_shapes.open_(tmp_path / "large.glb", 200_000)
    scene = open_scene(str(tmp_path / "large.glb"))[2]
    few = Opened(display_copy(coarse(scene))).header
    assert 5_000 < sum(m["triangles"] for m in few["meshes"]) < 60_000
    whole = Opened(display_copy(scene)).header
    assert few["origin"] == pytest.approx(whole["origin"], abs=0.05)
    small = open_scene(str(ROOT / "demo/models/crab_pot/crab_pot.glb"))[2]
    assert coarse(small) is small
    assert json.dumps(few)

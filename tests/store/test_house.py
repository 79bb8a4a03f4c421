"""Keeping house: nothing stays under way without a living worker, nothing is kept twice, nothing stays that nobody wants."""

from __future__ import annotations

import asyncio
import errno
import itertools
import os
import time
from datetime import timedelta

import pytest
from sqlalchemy import func, select, text, update

from conftest import drop, settled, wait_for
from handlens.core.limits import InputError
from handlens.core.rules import Intent
from handlens.core.rules.intent import Expected
from handlens.store import contents, shelf, shelf_page, sweep
from handlens.store.database import engine, session
from handlens.store.models import (
    Card,
    Chunk,
    Content,
    Curve,
    Drop,
    DropFile,
    Evidence,
    Export,
    ExportFile,
    Inspection,
    Job,
    Judgement,
    Model,
    Revision,
    TapeState,
    now,
)
from handlens.store.queue import deliver, want_export, want_inspection
from handlens.store.sheets import sheet_of

pytestmark = pytest.mark.usefixtures("worker")
OBJ = b"o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"


def _model(client, name: str) -> int:
    drop(client, {f"{name}.obj": OBJ + f"# {name}\n".encode()})
    return settled(client, name.replace("_", " ").capitalize())["revision"]


def _phase(job: int) -> str:
    with session() as s:
        return s.get_one(Job, job).phase


def _state(job: int) -> str:
    with session() as s:
        return s.get_one(Job, job).state


@pytest.mark.parametrize(("wanted_stopped", "end"), [(False, "failed"), (True, "cancelled")])
def test_a_job_that_the_queue_knows_nothing_of_comes_to_an_end(client, wanted_stopped, end):
    with session() as s:
        job = Job(
            kind="inspect",
            title="Lost",
            subject={"inspection": 2**30, "revision": 2**30},
            state="running",
            stop_wanted=wanted_stopped,
        )
        s.add(job)
        s.flush()
        s.execute(text("UPDATE job SET updated = now() - interval '1 minute' WHERE id = :k"), {"k": job.id})
        number = job.id
    assert wait_for(lambda: _state(number) == end, 15)
    if not wanted_stopped:
        with session() as s:
            assert s.get_one(Job, number).error == "The model was taken off the shelf."


def test_a_job_that_was_begun_too_often_is_given_up_and_one_that_is_done_is_not(client):
    from handlens.jobs.house import MOST_TRIES, _give_up

    with session() as s:
        jobs = [Job(kind="inspect", title="Often", subject={}, state=state) for state in ("running", "done")]
        s.add_all(jobs)
        s.flush()
        numbers = [j.id for j in jobs]
    for k in numbers:
        _give_up(k)
    assert [_state(k) for k in numbers] == ["failed", "done"]
    with session() as s:
        assert s.get_one(Job, numbers[0]).error == f"It was begun {MOST_TRIES} times and never came to an end; the log says why."


def test_what_is_delivered_twice_is_kept_once(client):
    revision = _model(client, "house_twice")
    with session() as s:
        export, job = want_export(s, s.get_one(Revision, revision), [], "glb", "realtime-engine", [])
        deliver(s, job)
        numbers = export.id, job.id
    assert wait_for(lambda: _state(numbers[1]) == "done")
    with session() as s:
        deliver(s, s.get_one(Job, numbers[1]))
    with session() as s:
        queued = text("SELECT count(*) FROM queue.procrastinate_jobs WHERE status IN ('todo', 'doing')")
        assert wait_for(lambda: s.execute(queued).scalar() == 0)
        assert s.scalar(select(func.count(ExportFile.id)).where(ExportFile.export_id == numbers[0])) == 1
        assert s.get_one(Export, numbers[0]).state == "done"


def test_a_drop_that_is_closed_twice_becomes_one_model(client):
    made = client.post("/api/drops", json={}).json["id"]
    client.put(f"/api/drops/{made}/files", query_string={"path": "house_once.obj"}, data=OBJ)
    answers = [client.post(f"/api/drops/{made}/close") for _ in range(3)]
    assert {a.status_code for a in answers} <= {202, 404}
    assert len({a.json["id"] for a in answers if a.status_code == 202}) == 1
    settled(client, "House once")
    with session() as s:
        assert s.scalar(select(func.count(Model.id)).where(Model.name == "House once")) == 1


def test_what_nobody_wants_is_swept_and_the_rest_is_not(client):
    revision = _model(client, "house_swept")
    slips = [{"mend": "arrival.rename", "params": {"search": "s", "replace": "t", "pattern": False}, "on": True}]
    kept = [{**slips[0], "params": {**slips[0]["params"], "replace": "k"}}]
    client.put(f"/api/revisions/{revision}/tape", json={"slips": kept})
    with session() as s:
        trial, _ = want_inspection(s, s.get_one(Revision, revision), slips)
        trial_id = trial.id
    done = lambda: {state for (state,) in _states(revision)}
    assert wait_for(lambda: done() == {"done"})
    with session() as s:
        old, fresh = Drop(created=now() - timedelta(days=2)), Drop()
        s.add_all([old, fresh])
        s.flush()
        content = contents.put_bytes(s, b"given up", "x")
        s.add(DropFile(drop_id=old.id, path="x", content_id=content.id))
        drops, number = (old.id, fresh.id), content.id
        s.execute(update(Inspection).where(Inspection.revision_id == revision).values(created=now() - timedelta(hours=3)))
    sweep.all_of_it()
    with session() as s:
        assert s.get(Drop, drops[0]) is None
        assert s.get(Drop, drops[1]) is not None
        assert s.get(Content, number) is None
        assert s.get(Inspection, trial_id) is None
        assert s.scalar(select(func.count(Inspection.id)).where(Inspection.revision_id == revision)) == 2


def test_judgements_steps_and_curves_that_nobody_asks_for_go(client, monkeypatch):
    revision = _model(client, "house_judged")
    monkeypatch.setattr(sweep, "UNDO", 2)
    names = "abcd"
    for a, b in itertools.pairwise("s" + names):
        slips = [{"mend": "arrival.rename", "params": {"search": a, "replace": b, "pattern": False}, "on": True}]
        client.put(f"/api/revisions/{revision}/tape", json={"slips": slips})
    wait_for(lambda: not {state for (state,) in _states(revision)} & {"waiting", "running"})
    with session() as s:
        done = select(Inspection).where(Inspection.revision_id == revision, Inspection.state == "done")
        inspection = s.scalars(done.order_by(Inspection.id)).all()[-1]
        number = inspection.id
        for tall in (1.0, 2.0, 3.0):
            shelf.judgement(s, inspection, sheet_of(s, "realtime-engine"), Intent(expected=Expected(height_m=tall)))
        s.add_all(
            [
                Curve(inspection_id=number, key=k, state="done", created=at)
                for k, at in (("old", now() - timedelta(days=2)), ("new", now()))
            ]
        )
        s.execute(update(Inspection).where(Inspection.revision_id == revision).values(created=now() - timedelta(hours=3)))
    sweep.all_of_it()
    with session() as s:
        kept = s.scalars(select(Judgement).where(Judgement.inspection_id == number, Judgement.sheet == "realtime-engine")).all()
        assert [j.report["judged_by"]["intent"] for j in kept] == [{"expected": {"height_m": 3.0}}]
        marked = {
            d
            for j in s.scalars(select(Judgement).where(Judgement.inspection_id == number))
            for m in j.marks.values()
            for d in (m["digest"], m["drawn"])
        }
        assert set(s.scalars(select(Evidence.digest).where(Evidence.inspection_id == number))) == marked
        assert s.scalars(select(Curve.key).where(Curve.inspection_id == number)).all() == ["new"]
        assert s.scalars(select(TapeState.number).where(TapeState.revision_id == revision).order_by(TapeState.number)).all() == [
            2,
            3,
            4,
        ]
    # Undo goes back as far as there are steps, and never to an empty tape that was none.
    seen = [client.post(f"/api/revisions/{revision}/tape/undo", json={}) for _ in range(3)]
    assert [a.status_code for a in seen] == [200, 200, 409]
    assert seen[1].json["can_undo"] is False
    assert [x["params"]["replace"] for x in seen[1].json["tape"]] == ["b"]


def _states(revision: int):
    with session() as s:
        return s.execute(select(Inspection.state).where(Inspection.revision_id == revision)).all()


def test_the_disk_is_given_back(client, monkeypatch):
    monkeypatch.setattr(contents, "_IDLE_BYTES", 8 << 20)

    def size() -> int:
        with session() as s:
            return s.scalar(text("SELECT pg_total_relation_size('content_chunk')"))

    with session() as s:
        for k in range(4):
            contents.put_bytes(s, os.urandom(8 << 20) + bytes([k]), "x")
    full, deadline = size(), time.monotonic() + 30
    sweep.all_of_it()
    # Rows that a transaction of somebody else may still see, such as the server's own analysis of tables, go with the next round.
    while size() > full - (24 << 20) and time.monotonic() < deadline:
        time.sleep(0.5)
        sweep.all_of_it()
    assert size() < full - (24 << 20)
    with session() as s:
        orphans = select(func.count(Chunk.content_id)).where(Chunk.content_id.not_in(select(Content.id)))
        assert s.scalar(orphans) == 0


def test_a_crowd_of_models_that_share_a_crowd_of_files_is_refused_in_a_sentence(tmp_path, capsys):
    from handlens.jobs.intake import intake

    for k in range(145):
        (tmp_path / f"boat_{k}.obj").write_bytes(OBJ)
        (tmp_path / f"net_{k}.png").write_bytes(b"x")
    with pytest.raises(
        InputError, match=r"^These 145 models with what each may use would be 2\d,\d{3} files on the shelf, of which 20,000"
    ):
        intake({"folder": str(tmp_path)}, tmp_path / "out")
    for k in range(5, 145):
        (tmp_path / f"net_{k}.png").unlink()
    assert len(intake({"folder": str(tmp_path)}, tmp_path / "out")["models"]) == 145


def test_a_full_disk_is_said_where_results_are_kept_too(database, monkeypatch):
    monkeypatch.setattr("handlens.store.room.RESERVE_BYTES", 1 << 60)
    with pytest.raises(InputError, match="stay free for the database"), session() as s:
        contents.put_bytes(s, bytes(2 << 20), "x")


def test_a_job_that_found_the_disk_full_begins_again_by_itself(client, monkeypatch):
    """On the way in, in the child's own words, and while results are kept: it waits, and goes on as soon as there is room."""
    from handlens.jobs import house, running

    with session() as s:
        job = Job(kind="inspect", title="Full", subject={"inspection": 2**30, "revision": 2**30}, state="waiting")
        s.add(job)
        s.flush()
        number = job.id

    def full(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    asyncio.run(running.run(number, full, full))
    assert (_state(number), _phase(number)) == ("waiting", running.WAITS_FOR_ROOM)
    monkeypatch.setattr(house, "abandoned", lambda s: [s.get_one(Job, number)])
    monkeypatch.setattr("handlens.store.room.RESERVE_BYTES", 1 << 60)
    house._settle_abandoned()
    assert _phase(number) == running.WAITS_FOR_ROOM
    monkeypatch.undo()
    # There is room: it is begun, and ends as one does whose model is no more.
    assert wait_for(lambda: _state(number) == "failed", 20)


# --- the Shelf ----------------------------------------------------------------------------------------


def test_the_shelf_comes_a_page_at_a_time_from_what_was_kept(client, monkeypatch):
    for k in range(3):
        _model(client, f"house_page_{k}")
    whole = client.get("/api/shelf", query_string={"search": "house page"}).json
    monkeypatch.setattr(shelf_page, "PAGE", 2)
    ask = lambda first: client.get("/api/shelf", query_string={"search": "HOUSE page", "first": first}).json
    pages = ask(0), ask(2), ask(4)
    assert [len(p["models"]) for p in pages] == [2, 1, 0]
    assert [m["id"] for p in pages for m in p["models"]] == [m["id"] for m in whole["models"]]
    assert {p["found"] for p in pages} == {3}
    assert client.get("/api/shelf", query_string={"search": "house%page"}).json["found"] == 0
    with session() as s:
        assert pages[0]["totals"]["models"] == s.scalar(select(func.count(func.distinct(Revision.model_id))))
    held = client.get("/api/shelf", query_string={"show": "held"}).json
    assert held["found"] == held["totals"]["held"]
    assert all(any(v["counts"] and v["counts"]["stop"] for v in m["verdicts"]) for m in held["models"])


def test_no_look_at_the_shelf_judges_or_loads_measures(client, monkeypatch):
    _model(client, "house_looked_at")
    seen: list[str] = []
    from sqlalchemy import event

    listen = lambda conn, cursor, statement, *_: seen.append(statement)
    event.listen(engine(), "before_cursor_execute", listen)
    monkeypatch.setattr("handlens.store.shelf.judged_in_child", lambda *_: pytest.fail("judged while looking"))
    try:
        assert client.get("/api/shelf").json["models"]
    finally:
        event.remove(engine(), "before_cursor_execute", listen)
    assert not [x for x in seen if "inspection.measures" in x]
    assert len(seen) < 20, "one look is a few questions, however many models there are"


def test_cards_of_another_version_are_renewed(client):
    revision = _model(client, "house_renewed")
    with session() as s:
        model = s.get_one(Revision, revision).model_id
        s.execute(update(Card).where(Card.model_id == model).values(version="old", triangles=7, verdicts=[]))
    assert wait_for(lambda: _triangles(model) == 1, 20)


def _triangles(model: int) -> int | None:
    with session() as s:
        return s.get_one(Card, model).triangles


def test_of_many_models_each_gets_its_own_folder_and_what_all_share(tmp_path, capsys):
    from handlens.jobs.intake import intake

    def lay(name: str) -> None:
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(OBJ)

    for k in range(12):
        lay(f"pack/boat_{k}/boat_{k}.obj")
        lay(f"pack/boat_{k}/maps/net.png")
    for name in ("pack/boat_3/oar/oar.obj", "pack/boat_3/oar/grain.png", "pack/shared/tar.png", "readme.txt"):
        lay(name)
    found = {m["main"]: set(m["files"]) - {m["main"]} for m in intake({"folder": str(tmp_path)}, tmp_path / "out")["models"]}
    common = {"pack/shared/tar.png", "readme.txt"}
    assert found["pack/boat_0/boat_0.obj"] == {"pack/boat_0/maps/net.png", *common}
    assert found["pack/boat_3/boat_3.obj"] == {"pack/boat_3/maps/net.png", *common}
    assert found["pack/boat_3/oar/oar.obj"] == {"pack/boat_3/oar/grain.png", *common}

"""Many at once over HTTP: a drop of many is a batch; judged, tried, laid, taken back, written; paused, stopped, gone on with."""

from __future__ import annotations

import csv
import io
import json
import zipfile

import pytest
from sqlalchemy import select, text

from conftest import drop, settled, wait_for
from handlens.core import formats
from handlens.store.batches import feeding, making
from handlens.store.database import session
from handlens.store.models import Batch, BatchRow, Inspection, Job, Model, now
from handlens.store.queue import turn
from kit.defects import seeded

OBJ = b"o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
DEFECTS = (0, 1, 2)


def page(client, batch, **query):
    return client.get(f"/api/batches/{batch}", query_string=query).json


def ended(client, batch, seconds=120):
    return wait_for(lambda: (p := page(client, batch))["batch"]["state"] == "done" and p, seconds)


@pytest.fixture(scope="module")
def fleet(client, worker):
    """Twelve models of one folder: nine plain sails, three with seeded defects. Returns their batch."""
    files = {f"fleet/{k}/sail_{k}.obj": OBJ + b"# %d\n" % k for k in range(9)}
    files |= {f"fleet/cart_{k}.glb": formats.write(seeded(k)[0], "glb", "x")["x.glb"] for k in DEFECTS}
    before = {b["id"] for b in client.get("/api/batches").json["batches"]}
    drop(client, files)
    made = wait_for(lambda: next((b for b in client.get("/api/batches").json["batches"] if b["id"] not in before), None))
    ended(client, made["id"])
    return made["id"]


def carts(client, fleet):
    return {r["name"]: r for r in page(client, fleet, search="cart")["rows"]}


def test_a_drop_of_many_is_a_batch_that_judges_each_once(client, fleet):
    told = page(client, fleet)
    assert (told["batch"]["name"], told["batch"]["models"], told["found"]) == ("fleet", 12, 12)
    assert told["batch"]["count"]["held"] + told["batch"]["count"]["cautions"] + told["batch"]["count"]["fit"] == 12
    row = next(r for r in told["rows"] if r["name"] == "Cart 0")
    # What the board says of a model is what its Bench says.
    reading = client.get(f"/api/revisions/{row['revision']}/bench").json["reading"]
    assert {k: row["verdict"][k] for k in ("stop", "caution", "note")} == reading["verdict"]
    for station in reading["stations"]:
        cell = row["stations"][station["slug"]]
        assert {k: cell[k] for k in ("stop", "caution", "note")} == station["counts"], station["slug"]
    assert told["stations"]["skin"] == {"stop": 0, "caution": 0}
    assert row["stations"]["skin"]["nothing"]
    assert row["folder"] == "fleet"
    with session() as s:
        ids = list(s.scalars(select(BatchRow.model_id).where(BatchRow.batch_id == fleet)))
        readings = s.scalars(select(Inspection).join(BatchRow, BatchRow.revision_id == Inspection.revision_id)).all()
        assert len([x for x in readings if not x.tape]) == len(ids) == 12
    tried = [j for j in client.get("/api/jobs").json["jobs"] if j["kind"] == "try" and "Cart" in j["title"]]
    assert not tried, "nobody looks at them: nothing is tried"


def test_the_board_is_filtered_sorted_and_asked_for_a_cell(client, fleet):
    worst = page(client, fleet, sort="worst")["rows"]
    weights = [(r["verdict"]["stop"], r["verdict"]["caution"], r["verdict"]["note"]) for r in worst]
    assert weights == sorted(weights, reverse=True)
    count = page(client, fleet)["batch"]["count"]
    for show in ("held", "cautions", "fit", "proved", "failed"):
        assert page(client, fleet, show=show)["found"] == count[show]
    row = worst[0]
    slug = next(slug for slug, cell in row["stations"].items() if cell["stop"] + cell["caution"])
    cell = client.get(f"/api/batches/{fleet}/cell", query_string={"model": row["model"], "station": slug}).json["findings"]
    assert cell
    assert all(f["check"].startswith(f"{slug}.") for f in cell)
    assert page(client, fleet, show="odd").get("status") == 422


def test_same_trouble_is_tried_on_copies_laid_and_taken_back(client, fleet):
    told = client.get(f"/api/batches/{fleet}/troubles").json["troubles"]
    assert told == sorted(told, key=lambda t: (t["models"] < 2, t["result"] != "stop", -t["models"], -t["findings"], t["check"]))
    trouble = next(t for t in told if any(m["models"] == t["models"] and m["safe"] for m in t["mends"]))
    remedy = next(m for m in trouble["mends"] if m["models"] == trouble["models"] and m["safe"])
    wish = {"kind": "mend", "check": trouble["check"], "mend": remedy["mend"]}
    assert client.post(f"/api/batches/{fleet}/try", json=wish).status_code == 202
    tried = [r for r in ended(client, fleet)["rows"] if r["trial"]]
    assert len(tried) == trouble["models"]
    assert all(not client.get(f"/api/revisions/{r['revision']}/bench").json["tape"] for r in tried), "nothing is laid by itself"
    helped = [r for r in tried if r["trial"]["helps"]]
    assert helped
    done = client.put(f"/api/batches/{fleet}/tried", json={}).json
    assert done == {"laid": len(helped), "useless": len(tried) - len(helped), "changed": 0}
    after = {r["model"]: r for r in ended(client, fleet)["rows"]}
    for r in helped:
        now_is = after[r["model"]]["verdict"]
        assert now_is == r["trial"]["verdict"]
        assert after[r["model"]]["changed"]
    assert page(client, fleet)["batch"]["laid"] == len(helped)
    # One of them is changed by somebody else: the others are taken back, and that one stays.
    other = helped[0]["revision"]
    client.put(f"/api/revisions/{other}/tape", json={"slips": [], "version": None})
    back = client.post(f"/api/batches/{fleet}/take-back").json
    assert (back["laid"], back["changed"]) == (len(helped) - 1, 1)
    again = {r["model"]: r["verdict"] for r in ended(client, fleet)["rows"]}
    assert all(again[r["model"]] == r["verdict"] for r in tried)


def test_what_was_tried_on_another_state_of_the_tape_is_not_laid(client, fleet):
    rename = {"mend": "arrival.rename", "params": {"search": "sail", "replace": "jib", "pattern": False}, "on": True}
    some = [r["model"] for r in page(client, fleet, search="Sail 1")["rows"]]
    wish = {"kind": "recipe", "name": "to jib", "slips": [rename], "models": some}
    client.post(f"/api/batches/{fleet}/try", json=wish)
    row = next(r for r in ended(client, fleet)["rows"] if r["trial"])
    assert not row["trial"]["helps"], "a name that nobody asked for clears nothing"
    assert client.put(f"/api/batches/{fleet}/tried", json={}).json["useless"] == 1
    assert client.delete(f"/api/batches/{fleet}/tried").status_code == 204
    assert page(client, fleet)["batch"]["count"]["tried"] == 0
    for bad in ({"kind": "recipe"}, {"kind": "mend", "check": "x", "mend": "none.such"}, {**wish, "models": [0]}):
        assert client.post(f"/api/batches/{fleet}/try", json=bad).status_code in (409, 422), bad


def test_the_way_is_looked_for_on_all_then_kept_written_and_proved(client, fleet):
    models = [r["model"] for r in carts(client, fleet).values()]
    client.post(f"/api/batches/{fleet}/try", json={"kind": "way", "models": models})
    tried = [r for r in ended(client, fleet, 240)["rows"] if r["trial"]]
    assert len(tried) == 3
    assert client.put(f"/api/batches/{fleet}/tried", json={}).json["laid"] >= 2
    ended(client, fleet)
    assert client.get(f"/api/batches/{fleet}/packages").status_code == 409
    client.post(f"/api/batches/{fleet}/exports", json={"models": models})
    told = ended(client, fleet)
    assert told["batch"]["count"]["proved"] == 3
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/batches/{fleet}/packages").data))
    assert sum(n.endswith(".glb") for n in archive.namelist()) == 3
    assert all(proof["proved"] for proof in json.loads(archive.read("proofs.json")).values())
    table = list(csv.DictReader(io.StringIO(client.get(f"/api/batches/{fleet}/csv").data.decode())))
    assert len(table) == 12
    assert [x["proved"] for x in table if x["model"].startswith("Cart")] == ["yes"] * 3
    report = client.get(f"/api/batches/{fleet}/report.html")
    assert report.status_code == 200
    assert b"Cart 0" in report.data
    assert client.get(f"/api/batches/{fleet}/report.doc").status_code == 404


def test_failed_ones_are_told_and_tried_again(client, worker):
    files = {f"wreck/{k}.obj": OBJ + b"# w%d\n" % k for k in range(11)} | {
        "wreck/broken.glb": b"glTF\x02\x00\x00\x00\x99\x99\x00\x00"
    }
    drop(client, files)
    made = wait_for(lambda: next((b for b in client.get("/api/batches").json["batches"] if b["name"] == "wreck"), None))
    told = ended(client, made["id"])
    assert told["batch"]["count"]["failed"] == 1
    failed = page(client, made["id"], show="failed")["rows"][0]
    assert "cut off" in failed["error"]
    assert client.post(f"/api/batches/{made['id']}/again").json["count"]["waiting"] == 1
    assert ended(client, made["id"])["batch"]["count"]["failed"] == 1
    assert client.delete(f"/api/batches/{made['id']}").status_code == 204
    assert settled(client, "Broken")["state"] == "failed", "its models stay on the shelf"


@pytest.fixture
def still(database):
    """A batch of models that were never read, with no worker to read them; all of it is undone at the end."""
    with session() as s:
        from handlens.store.models import Revision

        models = [Model(name=f"Still {k}") for k in range(10)]
        for k, model in enumerate(models):
            model.revisions.append(Revision(number=1, main=f"{k}.obj"))
        s.add_all(models)
        s.flush()
        yield s, [m.id for m in models]
        s.rollback()


def test_a_few_at_a_time_are_queued_and_two_batches_share(still):
    s, models = still
    s.execute(text("UPDATE batch SET state = 'stopped'"))
    first = making.begin(s, "first", "realtime-engine", models[:7])
    feeding.feed(s)
    waiting = lambda batch: s.query(Job).filter(Job.state == "waiting", Job.subject["batch"].as_integer() == batch.id).count()
    under_way = lambda batch: s.query(BatchRow).filter_by(batch_id=batch.id, state="running").count()
    assert (waiting(first), under_way(first)) == (4, 4)
    second = making.begin(s, "second", "realtime-engine", models[7:])
    for job in (
        s.query(Job).filter(Job.state == "waiting", Job.subject["batch"].as_integer() == first.id).order_by(Job.id).limit(2)
    ):
        job.state = "done"
        s.get_one(Inspection, job.subject["inspection"]).state = "failed"
    s.flush()
    feeding.feed(s)
    assert under_way(second) == 2, "who has less under way is next"
    making.pause(s, first)
    s.flush()
    assert (waiting(first), under_way(first)) == (0, 0)
    feeding.feed(s)
    assert (waiting(first), under_way(second)) == (0, 3), "a pause holds at once"
    making.go_on(s, first)
    making.end(s, second)
    s.flush()
    assert s.query(BatchRow).filter_by(batch_id=second.id, state="cancelled").count() == 3
    feeding.feed(s)
    assert waiting(first) == 4


def test_a_model_that_cannot_go_on_holds_no_other_up(still, monkeypatch):
    s, models = still
    s.execute(text("UPDATE batch SET state = 'stopped'"))
    batch = making.begin(s, "odd", "realtime-engine", models[:3])
    first = s.query(BatchRow).filter_by(batch_id=batch.id).order_by(BatchRow.turn, BatchRow.id).first()
    asked = feeding.want_inspection

    def falls(db, revision, *more):
        if revision.model_id == first.model_id:
            raise IndexError("nothing is there")
        return asked(db, revision, *more)

    monkeypatch.setattr(feeding, "want_inspection", falls)
    feeding.feed(s)
    states = {row.model_id: row.state for row in s.query(BatchRow).filter_by(batch_id=batch.id)}
    assert states.pop(first.model_id) == "failed"
    assert set(states.values()) == {"running"}
    assert "the log says what" in s.get_one(BatchRow, first.id).error


def test_small_before_large_but_not_for_ever():
    moment = now()
    small, large = turn(1000, moment), turn(1 << 30, moment)
    assert small < large < turn(1000, now()) + 600


def test_a_sheet_that_is_thrown_away_leaves_its_batches_judged_by_what_it_inherits_from(client, fleet):
    made = client.post("/api/sheets", json={"inherits": "ar-viewing", "name": "Fleet rules", "changes": {}, "note": ""})
    with session() as s:
        s.get_one(Batch, fleet).sheet = made.json["sheet"]["slug"]
    assert client.delete(f"/api/sheets/{made.json['sheet']['slug']}").status_code == 204
    assert page(client, fleet)["batch"]["sheet"] == "ar-viewing"

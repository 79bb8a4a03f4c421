"""Handing a model on: sheets of one's own, exports as wished, the gate, what was sent, and reports."""

from __future__ import annotations

import hashlib
import io
import json
import subprocess
import threading
import urllib.error
import urllib.request
import zipfile
from pathlib import Path

import msgspec
import numpy as np
import pytest

from conftest import drop, settled, wait_for
from handlens.core import formats
from handlens.core.rules import load_sheet
from handlens.gate import keeping, sending
from handlens.gate.sending import send
from kit.pictures import png, textured
from kit.scenes import cube, scene

pytestmark = pytest.mark.usefixtures("worker")
STRICT = msgspec.to_builtins(load_sheet("creator-platform-strict"))


@pytest.fixture(scope="module")
def board(client):
    """A painted board, read."""
    drop(client, {"quay_board.glb": formats.write(textured(png(noise=3)), "glb", "x")["x.glb"]})
    return settled(client, "Quay board")


def exported(client, revision, **wish):
    made = client.post(f"/api/revisions/{revision}/exports", json={"format": "glb", **wish})
    assert made.status_code == 202, made.json
    return wait_for(
        lambda: (e := client.get(f"/api/exports/{made.json['id']}").json)["state"] not in ("waiting", "running") and e
    )


def answered(client, export, **wish):
    sent = client.post(f"/api/exports/{export}/sendings", json={"sheet": "creator-platform-strict", **wish})
    assert sent.status_code == 202, sent.json

    def ask():
        last = client.get(f"/api/exports/{export}").json["sendings"][0]
        return last if last["state"] not in ("waiting", "running") else None

    return wait_for(ask)


# --- exports and the gate -----------------------------------------------------------------------------


def test_the_destination_is_asked_before_anything_is_written_and_only_when_that_is_wished(client, board):
    revision = board["revision"]
    inspection = client.get(f"/api/revisions/{revision}/bench").json["reading"]["inspection"]
    ask = lambda **wish: client.post(f"/api/inspections/{inspection}/asking", json={"format": "glb", **wish}).json
    assert ask()["state"] == "none"
    assert ask(begin=True)["state"] == "waiting"
    said = wait_for(lambda: (a := ask())["state"] == "done" and a)
    assert said["answer"]["accepted"]
    assert [f["path"] for f in said["files"]] == ["quay_board.glb"]
    assert client.get(f"/api/askings/{said['id']}/picture").mimetype == "image/webp"
    assert ask(options={"unit": "cm"})["state"] == "none", "another wish has another answer"
    assert "mud cannot be written" in json.dumps(ask(format="mud"))
    assert not client.get(f"/api/revisions/{revision}/handoff").json["sent"]
    # An own sheet's limit, or another intent, may change what it says: of before nothing is told.
    client.patch(f"/api/models/{board['id']}", json={"intent": {"kind": "effect"}})
    assert ask()["state"] == "none"
    client.patch(f"/api/models/{board['id']}", json={"intent": {}})
    assert ask()["state"] == "done"


def test_an_export_is_written_as_it_was_wished_this_once(client, board):
    plain = exported(client, board["revision"], format="gltf")
    wished = exported(client, board["revision"], format="gltf", options={"images": "beside", "folder": "paint"})
    assert wished["proof"]["proved"]
    assert {f["path"] for f in wished["files"]} > {"paint/paint.png"}
    assert "paint/paint.png" not in {f["path"] for f in plain["files"]}
    for options in ({"images": "under"}, {"colour": "mud"}, {"unstated_unit": "m"}, {"folder": "../up"}):
        refused = client.post(f"/api/revisions/{board['revision']}/exports", json={"format": "glb", "options": options})
        assert refused.status_code == 422, options


def test_the_gate_answers_an_export_and_a_stricter_one_may_answer_otherwise(client, board):
    made = exported(client, board["revision"])
    taken = answered(client, made["id"])
    assert taken["answer"]["accepted"]
    assert taken["picture"]
    assert client.get(f"/api/sendings/{taken['id']}/picture").data[8:12] == b"WEBP"
    assert answered(client, made["id"], variant="stricter")["answer"]["accepted"]
    handed = client.get(f"/api/revisions/{board['revision']}/handoff").json["sent"][0]
    assert handed["accepted"]
    assert handed["changed"] == []
    assert handed["files"][0]["state"] in ("same", "new", "changed")
    client.put(
        f"/api/revisions/{board['revision']}/tape", json={"slips": [{"mend": "size.scale", "params": {"factor": 2}, "on": True}]}
    )
    handed = client.get(f"/api/revisions/{board['revision']}/handoff").json["sent"][0]
    assert handed["changed"] == ["the mends are others by now"]
    client.put(f"/api/revisions/{board['revision']}/tape", json={"slips": []})


def test_a_gate_that_is_away_is_waited_for(client, board, gate):
    made = exported(client, board["revision"])
    gate.go()
    try:
        sent = client.post(f"/api/exports/{made['id']}/sendings", json={"sheet": "creator-platform-strict"}).json
        phase = lambda: next(
            j["phase"] for j in client.get("/api/jobs").json["jobs"] if j["subject"].get("sending") == sent["id"]
        )
        wait_for(lambda: "does not answer" in phase())
    finally:
        gate.come()
    done = wait_for(lambda: (s := client.get(f"/api/exports/{made['id']}").json["sendings"][0])["state"] == "done" and s)
    assert done["answer"]["accepted"]


def test_sending_goes_on_where_it_broke_off(tmp_path, gate, monkeypatch):
    monkeypatch.setattr(sending, "BETWEEN", 0.01)
    monkeypatch.setattr(sending, "PIECE", 900)
    package = tmp_path / "crate.glb"
    package.write_bytes(formats.write(scene(cube()), "glb", "crate")["crate.glb"])
    told = []
    answer = send(gate.address, package, package.name, STRICT, "current", lambda *x: told.append(x) or True, fails=0.6)
    assert answer["accepted"]
    assert any("broke off" in phase for phase, _ in told)
    shares = [share for _, share in told]
    assert shares == sorted(shares), "what was sent once is not sent again"
    with pytest.raises(sending.Stopped):
        send(gate.address, package, package.name, STRICT, "current", lambda *_: False)
    with pytest.raises(sending.Refused, match="variant"):
        send(gate.address, package, package.name, STRICT, "odd", lambda *_: True)
    with pytest.raises(sending.Away):
        send("http://127.0.0.1:9", package, package.name, STRICT, "current", lambda *_: True, away=0.05)


def test_the_gate_takes_nothing_but_what_was_announced(gate):
    def ask(method, path, body=None, **headers):
        call = urllib.request.Request(gate.address + path, body, headers, method=method)
        try:
            with urllib.request.urlopen(call, timeout=10) as answer:
                return answer.status, json.loads(answer.read() or b"{}")
        except urllib.error.HTTPError as error:
            return error.code, error.headers.get("Upload-Offset")

    data = b"no model at all"
    wish = {"sheet": STRICT, "name": "mud.glb", "bytes": len(data), "sha256": hashlib.sha256(b"other").hexdigest()}
    begin = lambda **more: ask("POST", "/packages", json.dumps({**wish, **more}).encode(), **{"Content-Type": "application/json"})
    for wrong in ({"name": "../mud.glb"}, {"bytes": 0}, {"bytes": 1 << 50}, {"sha256": "x"}, {"sheet": {}}, {"fails": 1}):
        assert begin(**wrong)[0] == 422, wrong
    number = begin()[1]["id"]
    assert ask("PATCH", f"/packages/{number}/bytes", data, **{"Upload-Offset": "3"}) == (409, "0")
    assert ask("PATCH", f"/packages/{number}/bytes", data + b"!", **{"Upload-Offset": "0"})[0] == 413
    assert ask("PATCH", f"/packages/{number}/bytes", data, **{"Upload-Offset": "0"})[0] == 204
    ended = wait_for(lambda: (s := ask("GET", f"/packages/{number}")[1])["state"] != "looking" and s)
    assert "digest differs" in ended["answer"]["error"]
    assert ask("POST", "/packages", b"{}", Origin="http://quay.example")[0] == 403
    assert ask("DELETE", f"/packages/{number}")[0] == 204
    assert ask("GET", f"/packages/{number}")[0] == 404


def test_a_package_goes_back_out_as_the_same_package(client):
    files = {
        "hut/hut.obj": b"mtllib hut.mtl\no hut\nv 0 0 0\nv 2 0 0\nv 0 3 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl oak\nf 1/1 2/2 3/3\n",
        "hut/hut.mtl": b"newmtl oak\nmap_Kd paint/oak.png\n",
        "hut/paint/oak.png": png(noise=4),
        "hut/notes/read me.txt": b"mind the tide",
    }
    drop(client, files)
    hut = settled(client, "Hut")
    slips = [{"mend": "textures.resize", "params": {"pixels": 32}, "on": True}]
    client.put(f"/api/revisions/{hut['revision']}/tape", json={"slips": slips})
    made = exported(client, hut["revision"], whole=True)
    assert made["proof"]["proved"], made
    told = {f["path"]: f["state"] for f in client.get(f"/api/revisions/{hut['revision']}/handoff").json["sent"][0]["files"]}
    changed = {path for path, state in told.items() if state == "changed"}
    assert {path.rpartition("/")[2] for path in changed} == {"oak.png"}
    assert {p.rpartition("/")[2] for p, state in told.items() if state == "new"} == {"handlens-manifest.json"}
    whole = client.get(f"/api/exports/{made['id']}/download")
    with zipfile.ZipFile(io.BytesIO(whole.data)) as archive:
        manifest = json.loads(archive.read("handlens-manifest.json"))
        assert {f["path"] for f in manifest["files"] if f["because"]} == changed
        assert archive.read(next(n for n in archive.namelist() if n.endswith("read me.txt"))) == files["hut/notes/read me.txt"]
    assert (
        client.post(
            f"/api/revisions/{settled(client, 'Quay board')['revision']}/exports", json={"format": "glb", "whole": True}
        ).status_code
        == 422
    )


@pytest.mark.parametrize(
    ("left", "state"),
    [
        (b"mud", "failed"),
        (b"[]", "failed"),
        (
            b'{"schema":1,"sheet":"x","destination":"y","variant":"current","accepted":"yes","reasons":[],"lines":[],"picture":""}',
            "failed",
        ),
        (
            b'{"schema":1,"sheet":"x","destination":"y","variant":"current","accepted":true,"reasons":[],"lines":[],"picture":"?"}',
            "failed",
        ),
        (
            b'{"schema":1,"sheet":"x","destination":"y","variant":"current","accepted":null,"reasons":[],"lines":[],"picture":""}',
            "failed",
        ),
        (None, "failed"),
    ],
)
def test_what_the_gates_child_leaves_is_not_trusted_and_nobody_waits_for_ever(tmp_path, monkeypatch, left, state):
    def child(command, **_):
        if left is not None:
            (Path(command[-1]) / "out" / "answer.json").write_bytes(left)
        else:
            (Path(command[-1]) / "out" / "answer.json").symlink_to("/etc/hostname")
        return subprocess.CompletedProcess(command, 0)

    monkeypatch.setattr(keeping.subprocess, "run", child)
    packages = keeping.Packages(tmp_path / "gate")
    sent = packages.begin(STRICT, "current", "mud.glb", 3, hashlib.sha256(b"mud").hexdigest(), 0.0)
    packages.add(sent, b"mud")
    wait_for(lambda: sent.state != "looking")
    assert sent.state == state
    gone = packages.begin(STRICT, "current", "mud.glb", 3, hashlib.sha256(b"mud").hexdigest(), 0.0)
    packages.drop(gone.number)
    keeping._look(gone)
    assert gone.state == "failed"


# --- what lies there ----------------------------------------------------------------------------------


def test_what_lay_there_before_is_known_by_its_digest(client):
    name = "Still there"
    drop(client, {"still_there.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"})
    first = settled(client, name)
    exported(client, first["revision"], format="obj")
    drop(client, {"still_there.obj": b"v 0 0 0\nv 2 0 0\nv 0 1 0\nf 1 2 3\n"}, first["id"])
    second = wait_for(lambda: (e := settled(client, name))["number"] == 2 and e)
    made = exported(client, second["revision"], format="obj")
    known = client.get(f"/api/exports/{made['id']}/known").json
    (sent,) = [f for f in known["files"] if f["path"] == "still_there.obj"]
    before = {e["number"] for e in known["earlier"] if e["path"] == "still_there.obj" and e["sha256"] != sent["sha256"]}
    assert before >= {1}


# --- reports ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("ending", "begins"), [("html", b"<!doctype html>"), ("pdf", b"%PDF"), ("csv", b""), ("xml", b"<?xml"), ("sarif", b"{")]
)
def test_a_report_of_what_is_on_the_bench(client, board, ending, begins):
    made = client.get(f"/api/revisions/{board['revision']}/report.{ending}")
    assert made.status_code == 200
    assert made.data.lstrip().startswith(begins)
    assert "attachment" in made.headers["Content-Disposition"]


def test_the_report_has_mends_proof_and_answer(client, board):
    revision = board["revision"]
    client.put(f"/api/revisions/{revision}/tape", json={"slips": [{"mend": "size.scale", "params": {"factor": 3}, "on": True}]})
    wait_for(lambda: client.get(f"/api/revisions/{revision}/bench").json["state"] == "done")
    answered(client, exported(client, revision)["id"])
    text = client.get(f"/api/revisions/{revision}/report.html").get_data(as_text=True)
    for words in ("longest side 1.00 m → 3.00 m", "Proved:", "accepted by the gate"):
        assert words in text, words
    client.put(f"/api/revisions/{revision}/tape", json={"slips": []})
    assert client.get(f"/api/revisions/{revision}/report.docx").status_code == 404


# --- rule sheets --------------------------------------------------------------------------------------


@pytest.fixture
def own(client):
    made = client.post(
        "/api/sheets", json={"inherits": "creator-platform-strict", "name": "Ferry gate", "changes": {"limits": {"parts": None}}}
    )
    assert made.status_code == 201, made.json
    yield made.json
    client.delete("/api/sheets/ferry-gate")


def test_a_sheet_of_ones_own_is_what_it_inherits_but_for_its_changes(client, own):
    assert own["sheet"]["code"] == "FG"
    assert own["sheet"]["version"] == 1
    assert own["sheet"]["limits"]["parts"] is None
    assert own["sheet"]["limits"]["triangles_mesh"] == 10_000
    assert [(x["title"], x["before"], x["after"]) for x in own["differs"]] == [("Parts", "24 parts", "")]
    assert "ferry-gate" in {s["slug"] for s in client.get("/api/catalogue").json["sheets"]}
    again = client.post("/api/sheets", json={"inherits": "ar-viewing", "name": "ferry GATE"})
    assert again.status_code == 422
    assert "already" in again.json["detail"]


def test_versions_are_kept_in_turn_and_wrong_ones_name_the_place(client, own):
    keep = lambda seen, changes: client.put("/api/sheets/ferry-gate", json={"seen": seen, "changes": changes, "note": "fewer"})
    made = keep(1, {"limits": {"triangles_mesh": 500}, "results": {"budget.triangles-mesh": "note"}})
    assert made.status_code == 200
    assert made.json["sheet"]["version"] == 2
    said = {(x["title"], x["before"], x["after"]) for x in made.json["versions"][0]["changed"]}
    assert ("Too many triangles in a mesh", "stop", "note") in said
    assert ("Parts", "", "24 parts") in said
    assert keep(1, {}).status_code == 409
    wrong = keep(2, {"limits": {"triangles_mesh": 0}})
    assert wrong.status_code == 422
    assert "limits/triangles_mesh" in wrong.json["detail"]
    assert client.get("/api/sheets/ferry-gate").json["sheet"]["version"] == 2
    assert client.put("/api/sheets/ar-viewing", json={"seen": 1, "changes": {}}).status_code == 409
    assert client.get("/api/sheets/none").status_code == 404


def test_an_edit_is_tried_on_the_shelf_before_it_is_kept(client, board, own):
    changed, first = [], 0
    while first is not None:
        tried = client.post(
            "/api/sheets/ferry-gate/try", json={"changes": {"limits": {"texture_pixels": 32}}, "first": first}
        ).json
        changed, first = [*changed, *tried["changed"]], tried["next"]
    said = next(x for x in changed if x["name"] == "Quay board")["says"]
    assert any(words.startswith("new stop: ") and "paint.png" in words for words in said)
    assert {x["path"] for x in tried["differs"]} == {"limits.texture_pixels", "limits.parts"}
    assert client.get("/api/sheets/ferry-gate").json["sheet"]["limits"]["texture_pixels"] == 1024


def test_a_bench_is_held_to_it_and_falls_back_when_it_is_taken_away(client, board, own):
    client.put("/api/sheets/ferry-gate", json={"seen": 1, "changes": {"limits": {"texture_pixels": 32}}})
    client.patch(f"/api/models/{board['id']}", json={"sheet": "ferry-gate"})
    bench = client.get(f"/api/revisions/{board['revision']}/bench").json
    assert "textures.size" in {f["check"] for f in bench["reading"]["findings"]}
    assert bench["reading"]["lost"]["glb"] == []
    page = client.get("/api/sheets/ferry-gate").json
    assert [m["name"] for m in page["used_by"]] == ["Quay board"]
    assert {f["check"]: f["models"] for f in page["falls_short"]}["textures.size"] >= 1
    assert exported(client, board["revision"])["proof"]["proved"]
    assert client.delete("/api/sheets/ferry-gate").status_code == 204
    assert client.get(f"/api/revisions/{board['revision']}/bench").json["sheet"] == "creator-platform-strict"
    client.patch(f"/api/models/{board['id']}", json={"sheet": "realtime-engine"})


def test_a_sheet_goes_out_and_comes_in_again(client, own):
    text = client.get("/api/sheets/ferry-gate/file").get_data(as_text=True)
    assert json.loads(text)["name"] == "Ferry gate"
    came = client.post("/api/sheets/bring-in", json={"text": text.replace("Ferry gate", "Brought gate")}).json
    assert came["inherits"]["slug"] == "creator-platform-strict"
    assert [x["title"] for x in came["differs"]] == ["Parts"]
    client.delete(f"/api/sheets/{came['sheet']['slug']}")
    wrong = client.post("/api/sheets/bring-in", json={"text": text.replace('"Y"', '"up"', 1)})
    assert wrong.status_code == 422
    assert "up_axis" in wrong.json["detail"]
    odd = client.post("/api/sheets/bring-in", json={"text": json.dumps({**json.loads(text), "name": "Odd", "about": "mud\0"})})
    assert odd.status_code == 422


def test_two_who_begin_a_sheet_of_one_name_at_once_get_one(client, database):
    answers = []
    ask = lambda: answers.append(
        client.application.test_client()
        .post("/api/sheets", json={"inherits": "ar-viewing", "name": "Twin"}, headers={"Host": "127.0.0.1"})
        .status_code
    )
    threads = [threading.Thread(target=ask) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(answers) == [201, 422, 422, 422]
    client.delete("/api/sheets/twin")


def test_a_pattern_is_tried_on_the_names_of_a_model(client, board):
    met = lambda **wish: client.post(f"/api/revisions/{board['revision']}/names-met", json=wish)
    assert met(pattern="a-z_").json == {"names": 2, "missed": []}
    assert met(pattern="b-c", of="materials").json["missed"] == ["paint"]
    assert met(pattern="(", of="materials").status_code == 422


def test_a_sheet_is_learnt_from_models_of_the_shelf_line_by_line(client, board):
    learn = lambda **wish: client.post("/api/sheets/learn", json={"beside": "creator-platform-strict", **wish})
    drop(client, {"odd_board.glb": formats.write(textured(png((48, 48))), "glb", "x")["x.glb"]})
    odd = settled(client, "Odd board")
    lesson = learn(fit=[odd["id"]], unfit=[]).json
    line = next(x for x in lesson["lines"] if x["path"] == "textures.power_of_two")
    assert (line["before"], line["after"], line["models"], line["sure"]) == ("yes", "no", ["Odd board"], "seen")
    made = client.post(
        "/api/sheets", json={"inherits": "creator-platform-strict", "name": "Learnt gate", "changes": line["changes"]}
    ).json
    assert made["sheet"]["textures"]["power_of_two"] is False
    assert "Odd board" in made["sheet"]["sources"]["textures.power_of_two"]
    client.delete("/api/sheets/learnt-gate")
    assert learn(fit=[], unfit=[odd["id"]]).status_code == 422
    assert learn(fit=[9999]).status_code == 404
    assert learn(fit=[odd["id"]], beside="none").status_code == 404


# --- lost images by content ---------------------------------------------------------------------------


def test_a_lost_image_is_found_by_its_bytes_and_by_its_look(client):
    """The next revision brings the picture under another name, and once more, smaller and compressed."""
    from io import BytesIO

    from PIL import Image as Pillow

    pixels = np.zeros((96, 96, 3), np.uint8)
    pixels[10:40, 20:80], pixels[50:90, 5:30], pixels[60:80, 50:90] = 200, (180, 60, 20), (30, 90, 160)
    kept = {}
    for kind, size in (("PNG", 96), ("JPEG", 48)):
        out = BytesIO()
        Pillow.fromarray(pixels).resize((size, size)).save(out, kind)
        kept[kind] = out.getvalue()
    model = b"mtllib lookout.mtl\no board\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl oak\nf 1/1 2/2 3/3\n"
    files = {"lookout.obj": model, "lookout.mtl": b"newmtl oak\nmap_Kd wood.png\n"}
    drop(client, {**files, "wood.png": kept["PNG"]})
    first = settled(client, "Lookout")
    more = {"plank_b.png": kept["PNG"], "old/scan.jpg": kept["JPEG"], "other.png": png((64, 64), noise=5)}
    drop(client, {**files, **more, "lookout.obj": model + b"# again\n"}, first["id"])
    second = wait_for(lambda: (e := settled(client, "Lookout"))["number"] == 2 and e)["revision"]
    ask = lambda: client.get(f"/api/revisions/{second}/lost-images").json
    (lost,) = ask()["images"]
    assert lost["before"]["number"] == 1
    first_named = next(c for c in lost["candidates"] if c["path"] == "plank_b.png")
    assert (first_named["reason"], first_named["sure"]) == ("the same bytes as in rev 1", True)
    assert client.get(f"/api/revisions/{second}/lost-images/{lost['before']['content']}").data == kept["PNG"]
    assert client.post(f"/api/revisions/{second}/lost-images/look").status_code == 202
    wait_for(lambda: ask()["looked"]["state"] == "done")
    found = {c["path"]: c for c in ask()["images"][0]["candidates"]}
    assert found["old/scan.jpg"]["reason"].startswith("looks like it")
    assert not found["old/scan.jpg"]["sure"], "never silently"
    assert "other.png" not in found
    slip = {"mend": "textures.find", "params": {"images": "wood.png", "file": "old/scan.jpg"}, "on": True}
    client.put(f"/api/revisions/{second}/tape", json={"slips": [slip]})
    wait_for(lambda: client.get(f"/api/revisions/{second}/bench").json["state"] == "done")
    assert "textures.missing" not in {
        f["check"] for f in client.get(f"/api/revisions/{second}/bench").json["reading"]["findings"]
    }
    assert client.post(f"/api/revisions/{first['revision']}/lost-images/look").status_code == 409

"""The web API: intake, Bench, tape, exports, problems and same-origin."""

import gzip
import io
import json
import signal
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import select

from conftest import ROOT, drop, settled, wait_for
from handlens.core import formats
from handlens.core.scene import Layer, Node
from handlens.core.scene.model import frozen
from handlens.store.database import session
from handlens.store.models import Inspection, Model
from kit.pictures import png, textured
from kit.scenes import cube, scene

pytestmark = pytest.mark.usefixtures("worker")


@pytest.fixture(scope="module")
def crate(client):
    """A crate of two metres by its node's scale, read."""
    made = scene(cube(), nodes=(Node("n", "crate", scale=(2.0, 2.0, 2.0), mesh=0),))
    drop(client, {"web_crate.glb": formats.write(made, "glb", "x")["x.glb"]})
    return settled(client, "Web crate")


def bench(client, entry):
    def ask():
        b = client.get(f"/api/revisions/{entry['revision']}/bench").json
        return b if b["state"] in ("done", "failed") and not b["stale"] else None

    return wait_for(ask)


def test_the_documents_types_are_those_of_the_front_end(client):
    now = client.get("/api/openapi.json").json
    assert now == json.loads((ROOT / "docs" / "openapi.json").read_text()), "run tools/api-types"


def test_shelf(crate):
    assert [v["code"] for v in crate["verdicts"]] == ["RT", "RC", "AR", "CP", "MR", "BW"]
    assert crate["verdicts"][0]["counts"] == {"stop": 0, "caution": 1, "note": 0}
    assert crate["longest_m"] == 2


def test_bench(client, crate):
    b = bench(client, crate)
    assert [s["name"] for s in b["reading"]["stations"]][:3] == ["Arrival", "Size", "Placement"]
    finding = next(f for f in b["reading"]["findings"] if f["check"] == "placement.scale")
    assert finding["elements"] == {"kind": "nodes", "total": 1}
    got = client.get(f"/api/inspections/{b['reading']['inspection']}/elements", query_string={"finding": finding["id"]})
    assert got.data == b"\x00\x00\x00\x00"
    assert b["reading"]["lost"]["obj"]


def test_another_sheet_judges_without_measuring_again(client, crate):
    before = bench(client, crate)["reading"]["inspection"]
    assert client.patch(f"/api/models/{crate['id']}", json={"sheet": "modelling-room"}).status_code == 204
    b = bench(client, crate)
    assert b["reading"]["inspection"] == before
    assert "placement.scale" not in {f["check"] for f in b["reading"]["findings"]}
    client.patch(f"/api/models/{crate['id']}", json={"sheet": "realtime-engine"})


def test_intent(client, crate):
    client.patch(f"/api/models/{crate['id']}", json={"intent": {"kind": "prop", "expected": {"height_m": 200}}})
    assert "size.expected" in {f["check"] for f in bench(client, crate)["reading"]["findings"]}
    bad = client.patch(f"/api/models/{crate['id']}", json={"intent": {"kind": "boat"}})
    assert bad.status_code == 422
    assert "kind: Must be one of: building" in bad.json["detail"]
    client.patch(f"/api/models/{crate['id']}", json={"intent": {}})


def lay(client, crate, *slips):
    return client.put(
        f"/api/revisions/{crate['revision']}/tape", json={"slips": [{"mend": m, "params": p, "on": on} for m, p, on in slips]}
    )


def test_tape(client, crate):
    lay(client, crate, ("size.scale", {"factor": "3"}, True), ("placement.bake", {}, True))
    b = bench(client, crate)
    assert [s["run"]["applied"] for s in b["tape"]] == [True, True]
    assert b["tape"][1]["run"]["figures"][0] == {"what": "nodes scaled or turned", "before": "1 node", "after": "0 nodes"}
    assert "placement.scale" not in {f["check"] for f in b["reading"]["findings"]}
    lay(client, crate, ("placement.bake", {}, True), ("size.scale", {"factor": 3}, False))
    b = bench(client, crate)
    assert b["tape"][1]["run"] is None
    for step in ("undo", "undo"):
        client.post(f"/api/revisions/{crate['revision']}/tape/{step}")
    b = bench(client, crate)
    assert (b["tape"], b["can_undo"], b["can_redo"]) == ([], False, True)
    assert "placement.scale" in {f["check"] for f in b["reading"]["findings"]}
    assert client.post(f"/api/revisions/{crate['revision']}/tape/undo").status_code == 409
    client.post(f"/api/revisions/{crate['revision']}/tape/redo")
    assert len(bench(client, crate)["tape"]) == 2
    # The original is what it was.
    assert client.get("/api/shelf").json["models"]


def test_ten_changes_in_a_row_are_not_ten_readings(client, crate):
    """Only the last state of the tape is wanted; what has been overtaken while it waited is not begun."""
    for n in range(10):
        lay(client, crate, ("size.scale", {"factor": 5 + n}, True))
    b = bench(client, crate)
    assert (b["tape"][0]["params"]["factor"], b["tape"][0]["run"]["applied"]) == (14, True)
    with session() as s:
        wanted = Inspection.revision_id == crate["revision"]
        states = {x.tape[0]["params"].get("factor"): x.state for x in s.scalars(select(Inspection).where(wanted)) if x.tape}
    assert states[14] == "done"
    # How many depends on how soon one change follows the other, so on the machine.
    assert list(states.values()).count("cancelled") >= 1
    # What was overtaken is read when it is looked at.
    lay(client, crate, ("size.scale", {"factor": next(f for f, x in states.items() if x == "cancelled")}, True))
    assert bench(client, crate)["tape"][0]["run"]["applied"]
    lay(client, crate)


def test_a_mend_that_does_not_apply_says_so(client, crate):
    lay(client, crate, ("arrival.remove", {"what": "cameras"}, True))
    run = bench(client, crate)["tape"][0]["run"]
    assert (run["applied"], run["because"]) == (False, "There is no camera to remove.")
    lay(client, crate)


@pytest.mark.parametrize(
    "slip",
    [
        ("size.scale", {"factor": 0}, True),
        ("size.scale", {}, True),
        ("size.shrink", {}, True),
        ("placement.bake", {"hard": 1}, True),
    ],
)
def test_bad_slips_are_refused_before_anything_is_kept(client, crate, slip):
    answer = lay(client, crate, slip)
    assert answer.status_code == 422
    assert answer.mimetype == "application/problem+json"
    assert bench(client, crate)["tape"] == []


def test_rename_preview(client, crate):
    look = lambda **w: client.post(f"/api/revisions/{crate['revision']}/rename-preview", json=w)
    assert look(search="crate", replace="box").json["changes"] == [{"old": "crate", "new": "box"}]
    assert look(search="(", pattern=True).status_code == 422


def test_export_and_download(client, crate):
    for form, names in (("glb", None), ("obj", ["web_crate.obj", "web_crate.mtl"])):
        made = client.post(f"/api/revisions/{crate['revision']}/exports", json={"format": form}).json

        def ask(number=made["id"]):
            e = client.get(f"/api/exports/{number}").json
            return e if e["state"] in ("done", "failed") else None

        done = wait_for(ask)
        assert done["proof"]["proved"]
        data = client.get(f"/api/exports/{made['id']}/download")
        if names is None:
            assert data.data[:4] == b"glTF"
        else:
            assert zipfile.ZipFile(io.BytesIO(data.data)).namelist() == names
    assert bench(client, crate)["last_export"] == made["id"]
    assert bench(client, crate)["proved"]


def test_the_next_revision(client, crate):
    made = scene(cube(size=3))
    drop(client, {"web_crate_2.glb": formats.write(made, "glb", "x")["x.glb"]}, crate["id"])
    entry = wait_for(
        lambda: next(
            (
                m
                for m in client.get("/api/shelf").json["models"]
                if m["id"] == crate["id"] and m["number"] == 2 and m["state"] == "done"
            ),
            None,
        )
    )
    assert entry["longest_m"] == 3
    assert [r["number"] for r in client.get(f"/api/revisions/{entry['revision']}/bench").json["revisions"]] == [1, 2]


def test_a_picture_is_drawn_when_a_model_is_read(client, crate):
    url = f"/api/revisions/{crate['revision']}/thumbnail"
    answer = client.get(url)
    assert (answer.mimetype, Image.open(io.BytesIO(answer.data)).size) == ("image/webp", (354, 285))
    assert client.put(url, data=b"RIFF").status_code == 405


@pytest.mark.parametrize(
    ("path", "data", "status", "says"),
    [
        ("../evil.obj", b"x", 422, "leads out"),
        ("C:\\evil.obj", b"x", 422, "leads out"),
        ("quay/.DS_Store", b"x", 422, "left behind"),
    ],
)
def test_bad_uploads(client, path, data, status, says):
    answer = drop(client, {path: data})
    assert answer.status_code == status
    assert says in answer.json["detail"]


def test_a_drop_without_a_model(client):
    answer = drop(client, {"net.png": b"x"})
    assert answer.status_code == 422
    assert "no model file among the 1 file" in answer.json["detail"]
    assert "No file arrived" in drop(client, {}).json["detail"]


def test_too_large_is_refused_by_its_length(client, monkeypatch):
    monkeypatch.setattr("handlens.core.limits.MAX_FILE_BYTES", 10)
    answer = drop(client, {"big.obj": b"x" * 11})
    assert answer.status_code in (413, 422)
    assert "larger than" in answer.json["detail"]


@pytest.mark.parametrize("path", ["/api/models/999999", "/api/models/0", "/api/models/99999999999"])
def test_what_is_not_there(client, path):
    answer = client.patch(path, json={})
    assert answer.status_code == 404
    assert answer.mimetype == "application/problem+json"
    assert client.get("/api/nowhere").status_code == 404


@pytest.mark.parametrize(
    "headers", [{"Origin": "http://evil.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Host": "evil.example"}, {"Origin": "null"}]
)
def test_other_sites_may_change_nothing(client, headers):
    assert client.post("/api/drops", json={}, headers=headers).status_code == 403


def test_security_headers(client):
    page = client.get("/bench/1").headers["Content-Security-Policy"]
    assert "unsafe-inline" not in page
    assert "script-src 'self';" in page
    assert "default-src 'none'" in client.get("/api/shelf").headers["Content-Security-Policy"]
    assert client.get("/api/shelf").headers["X-Content-Type-Options"] == "nosniff"


def test_catalogue(client):
    c = client.get("/api/catalogue").json
    assert len(c["sheets"]) == 6
    assert {"size.scale", "placement.bake"} <= {m["id"] for m in c["mends"]}


def test_taking_a_model_off(client):
    made = scene(cube("spare"))
    drop(client, {"web_spare.glb": formats.write(made, "glb", "x")["x.glb"]})
    entry = settled(client, "Web spare")
    assert client.delete(f"/api/models/{entry['id']}").status_code == 204
    assert client.get(f"/api/revisions/{entry['revision']}/bench").status_code == 404


def test_waivers_hold_for_the_next_revision_and_can_be_taken_back(client):
    made = scene(cube(), nodes=(Node("n", "bollard", scale=(2.0, 2.0, 2.0), mesh=0),))
    data = formats.write(made, "glb", "x")["x.glb"]
    drop(client, {"web_bollard.glb": data})
    entry = settled(client, "Web bollard")
    b = bench(client, entry)
    finding = next(f["id"] for f in b["reading"]["findings"] if f["check"] == "placement.scale")
    assert client.put(f"/api/models/{entry['id']}/waivers", json={"finding": finding, "reason": "   "}).status_code == 422
    assert (
        client.put(
            f"/api/models/{entry['id']}/waivers", json={"finding": finding, "reason": "the quay wants it so", "by": "Maren"}
        ).status_code
        == 204
    )
    b = bench(client, entry)
    assert b["reading"]["verdict"] == {"stop": 0, "caution": 0, "note": 0}
    told = next(f for f in b["reading"]["findings"] if f["id"] == finding)
    assert (told["waived"], told["waiver"]["by"], told["waiver"]["number"]) == ("the quay wants it so", "Maren", 1)
    assert next(s["counts"]["caution"] for s in b["reading"]["stations"] if s["name"] == "Placement") == 0
    assert settled(client, "Web bollard")["verdicts"][0]["counts"]["caution"] == 0

    # The next revision has another node before it, and a second finding.
    nodes = (
        Node("m", "lamp", translation=(9.0, 0, 0), scale=(-1.0, 1, 1), mesh=0),
        Node("n", "bollard", scale=(2.0, 2.0, 2.0), mesh=0),
    )
    drop(client, {"web_bollard.glb": formats.write(scene(cube(), nodes=nodes), "glb", "x")["x.glb"]}, entry["id"])
    second = wait_for(
        lambda: next(
            (
                m
                for m in client.get("/api/shelf").json["models"]
                if m["id"] == entry["id"] and m["number"] == 2 and m["state"] == "done"
            ),
            None,
        )
    )
    b = bench(client, second)
    assert {f["check"]: f["waived"] for f in b["reading"]["findings"]} == {
        "placement.scale": "the quay wants it so",
        "placement.mirrored": None,
    }
    assert (b["since"]["number"], b["since"]["fixed"], len(b["since"]["fresh"]), b["since"]["back"]) == (1, [], 1, [])

    client.delete(f"/api/models/{entry['id']}/waivers", query_string={"finding": finding})
    assert bench(client, second)["reading"]["verdict"]["caution"] == 2


def test_findings_of_one_kind_are_told_together_and_waived_ones_apart(client):
    """Every finding is in one kind; one call mends a kind, and the set of UVs that a finding is about comes along."""
    point = lambda m: Layer(np.zeros((1, 2), np.float32), np.zeros(len(m.corners), np.int32))
    boards = [textured(png((30, 30), (200 + k, 90, 90)), name=f"web_sail_{k}.png") for k in range(4)]
    meshes = tuple(
        replace(b.meshes[0], id=f"m{k}", slot_materials=(k,), uvs=(*b.meshes[0].uvs, point(b.meshes[0])))
        for k, b in enumerate(boards)
    )
    paints = tuple(
        replace(
            b.materials[0],
            name=f"sail {k}",
            source={},
            inputs=tuple(replace(t, image=k, uv_set=1, options={"texCoord": 1}) for t in b.materials[0].inputs),
        )
        for k, b in enumerate(boards)
    )
    nodes = tuple(Node(f"n{k}", f"sail {k}", translation=(2.0 * k, 0, 0), mesh=k) for k in range(4))
    sails = scene(*meshes, nodes=nodes, materials=paints, images=tuple(b.images[0] for b in boards))
    drop(client, {"web_sails.glb": formats.write(sails, "glb", "x")["x.glb"]})
    entry = settled(client, "Web sails")
    reading = bench(client, entry)["reading"]
    assert sorted(x for k in reading["kinds"] for x in k["findings"]) == sorted(f["id"] for f in reading["findings"])
    checks = {f["id"]: f["check"] for f in reading["findings"]}
    kind = lambda r, check: next(k for k in r["kinds"] if checks[k["findings"][0]] == check)
    sizes = kind(reading, "textures.power-of-two")
    assert len(sizes["findings"]) == 4
    assert [len(c["params"]["images"]) for c in sizes["mends"]] == [4]
    collapsed = kind(reading, "textures.uv-collapsed")
    assert len(collapsed["findings"]) == 4
    assert {f["elements"]["uv_set"] for f in reading["findings"] if f["check"] == "textures.uv-collapsed"} == {1}
    first = collapsed["findings"][0]
    client.put(f"/api/models/{entry['id']}/waivers", json={"finding": first, "reason": "meant"})
    reading = bench(client, entry)["reading"]
    apart = [k["findings"] for k in reading["kinds"] if checks[k["findings"][0]] == "textures.uv-collapsed"]
    assert sorted(map(len, apart)) == [1, 3]
    assert [first] in apart


def test_what_came_back_is_told(client):
    clean, bad = scene(cube()), scene(cube(), nodes=(Node("n", "crate", scale=(2.0,) * 3, mesh=0),))
    drop(client, {"web_tide.glb": formats.write(bad, "glb", "x")["x.glb"]})
    entry = settled(client, "Web tide")
    for number, made in ((2, clean), (3, bad)):
        drop(client, {"web_tide.glb": formats.write(made, "glb", "x")["x.glb"]}, entry["id"])
        last = wait_for(
            lambda n=number: next(
                (
                    m
                    for m in client.get("/api/shelf").json["models"]
                    if m["id"] == entry["id"] and m["number"] == n and m["state"] == "done"
                ),
                None,
            )
        )
    since = bench(client, last)["since"]
    assert (since["fixed"], since["fresh"], len(since["back"])) == ([], [], 1)


def test_what_the_mends_did(client, crate):
    lay(client, crate, ("placement.bake", {}, True))
    b = bench(client, crate)
    assert b["by_mends"] == {
        "fixed": ["1 node is scaled: crate"],
        "fresh": [],
        "stations": {"placement": {"fixed": 1, "fresh": 0, "eased": 0, "worse": 0}},
    }
    lay(client, crate)
    assert bench(client, crate)["by_mends"] is None


def test_recipes(client):
    wish = {"name": "Quay standard", "slips": [{"mend": "size.scale", "params": {"factor": "100"}, "on": True}]}
    made = client.post("/api/recipes", json=wish)
    assert made.json["slips"][0]["params"] == {"factor": 100.0, "unit": "as-it-is"}
    client.post("/api/recipes", json={**wish, "slips": [{"mend": "placement.bake", "params": {}, "on": True}]})
    kept = client.get("/api/recipes").json["recipes"]
    assert [(r["name"], r["slips"][0]["mend"]) for r in kept] == [("Quay standard", "placement.bake")]
    assert (
        client.post("/api/recipes", json={"name": "x", "slips": [{"mend": "size.shrink", "params": {}, "on": True}]}).status_code
        == 422
    )
    assert client.delete(f"/api/recipes/{kept[0]['id']}").status_code == 204
    assert client.get("/api/recipes").json["recipes"] == []


def test_many_at_once_ask_for_the_same(client, server):
    """Judgements and inspections are made once, however many requests want them in the same moment."""
    import threading
    import urllib.request

    made = scene(cube("rush"))
    drop(client, {"web_rush.glb": formats.write(made, "glb", "x")["x.glb"]})
    entry = settled(client, "Web rush")
    for sheet in ("ar-viewing", "block-world"):
        client.patch(f"/api/models/{entry['id']}", json={"sheet": sheet, "intent": {"copies": 3 if sheet == "ar-viewing" else 4}})
        codes: list[int] = []

        def ask(path, codes=codes):
            try:
                codes.append(urllib.request.urlopen(server + path).status)
            except OSError as error:
                codes.append(getattr(error, "code", 0))

        paths = ["/api/shelf", f"/api/revisions/{entry['revision']}/bench"] * 6
        threads = [threading.Thread(target=ask, args=(p,)) for p in paths]
        [t.start() for t in threads]
        [t.join() for t in threads]
        assert codes == [200] * len(paths)


def test_a_mend_is_tried_without_being_kept(client, crate):
    lay(client, crate)
    bench(client, crate)
    wish = {"slips": [{"mend": "placement.bake", "params": {}, "on": True}]}
    trial = wait_for(
        lambda: (t := client.post(f"/api/revisions/{crate['revision']}/try", json=wish).json) and t["state"] == "done" and t
    )
    assert trial["run"]["figures"][0]["after"] == "0 nodes"
    assert trial["verdict"] == {"stop": 0, "caution": 0, "note": 0}
    b = bench(client, crate)
    assert b["tape"] == []
    assert b["reading"]["verdict"]["caution"] == 1
    assert client.get(f"/api/inspections/{trial['inspection']}/stage").data[:4] == b"HLST"
    plain = client.get(f"/api/inspections/{trial['inspection']}/stage", headers={"Accept-Encoding": "gzip"})
    far = client.get(f"/api/inspections/{trial['inspection']}/stage", headers={"Accept-Encoding": "gzip", "Via": "1.1 quay"})
    assert "Content-Encoding" not in plain.headers
    assert far.headers["Content-Encoding"] == "gzip"
    assert gzip.decompress(far.data) == plain.data
    assert len(far.data) < len(plain.data)
    assert (
        client.post(
            f"/api/revisions/{crate['revision']}/try", json={"slips": [{"mend": "size.scale", "params": {}, "on": True}]}
        ).status_code
        == 422
    )


def test_a_trial_tells_its_price(client):
    nodes = (Node("a", "crate", scale=(2.0, 2.0, 2.0), mesh=0), Node("b", "lid", mesh=0, translation=(0.0, 3.0, 0.0)))
    drop(client, {"web_chest.glb": formats.write(scene(cube(), nodes=nodes), "glb", "x")["x.glb"]})
    chest = settled(client, "Web chest")
    bench(client, chest)
    wish = {"slips": [{"mend": "placement.bake", "params": {}, "on": True}]}
    ask = lambda: client.post(f"/api/revisions/{chest['revision']}/try", json=wish).json
    trial = wait_for(lambda: (t := ask())["state"] == "done" and t)
    assert trial["price"] == [{"what": "Meshes stored", "before": "1", "after": "2"}]
    assert set(trial) >= {"goes", "comes"}
    assert all(isinstance(t, str) for t in (*trial["goes"], *trial["comes"]))
    # Kept, the same inspection is shown; the mesh that stays as it is was not measured again.
    lay(client, chest, ("placement.bake", {"parts": ["crate"]}, True))
    b = bench(client, chest)
    assert b["reading"]["measured"] == {"meshes": 2, "fresh": 0}
    assert b["tape"][0]["params"] == {"parts": ["crate"]}


def test_parts_are_named_in_the_tables(client, crate):
    lay(client, crate)
    placement = next(s for s in bench(client, crate)["reading"]["stations"] if s["name"] == "Placement")
    assert [(r["node"], r["key"]) for r in placement["tables"][0]["rows"]] == [(0, "crate")]


def test_a_slip_says_what_stands_in_its_way(client, crate):
    off, rename = ("size.scale", {"factor": 2}, False), ("arrival.rename", {"search": "crate", "replace": "box"}, True)
    lay(client, crate, off, rename, ("arrival.remove-parts", {"parts": ["crate"]}, True))
    tape = bench(client, crate)["tape"]
    # Counted on the tape as it lies, the slip that is off included.
    assert [t["before"] for t in tape] == [None, None, 1]
    assert "no longer has a part" in tape[2]["run"]["because"]
    lay(client, crate)


def test_marks_of_a_finding_lie_on_the_part(client):
    lined = replace(cube(), lines=frozen(np.array([[0, 6]], np.int32)))
    made = scene(lined)
    drop(client, {"web_line.glb": formats.write(made, "glb", "x")["x.glb"]})
    b = bench(client, settled(client, "Web line"))
    finding = next(f for f in b["reading"]["findings"] if f["elements"] and f["elements"]["kind"] == "edges")
    query = {"finding": finding["id"]}
    got = client.get(f"/api/inspections/{b['reading']['inspection']}/marks", query_string=query)
    places = np.frombuffer(got.data, "<f4").reshape(-1, 3)
    assert np.abs(places - (lined.positions[[0, 6]] - lined.positions.mean(axis=0))).max() < 1e-6
    gone = client.get(f"/api/inspections/{b['reading']['inspection']}/marks", query_string={"finding": "size.unknown"})
    assert gone.status_code == 404


def test_an_inspection_that_ends_while_the_bench_is_read_is_not_half_in_the_answer(client, crate, worker, monkeypatch):
    """It ends between the reading that is shown and the state that is told: the page would take the old reading for the new one."""
    from handlens.store import shelf

    bench(client, crate)
    worker.send_signal(signal.SIGSTOP)
    try:
        lay(client, crate, ("size.scale", {"factor": 2}, True))
        path, wanted = f"/api/revisions/{crate['revision']}/bench", []
        was = shelf.all_done

        def ends_meanwhile(s, model, *but_not):
            with session() as other:
                newest = other.scalar(
                    select(Inspection).where(Inspection.revision_id == crate["revision"]).order_by(Inspection.id.desc())
                )
                wanted.append((newest.id, newest.state))
                newest.state = "done"
            return was(s, model, *but_not)

        client.get(path)
        monkeypatch.setattr(shelf, "all_done", ends_meanwhile)
        answer = client.get(path).json
        monkeypatch.undo()
        with session() as s:
            s.get(Inspection, wanted[0][0]).state = wanted[0][1]
    finally:
        worker.send_signal(signal.SIGCONT)
    assert answer["stale"]
    assert answer["state"] in ("waiting", "running")
    assert answer["tape"][0]["run"] is None
    assert not bench(client, crate)["stale"]
    lay(client, crate)


def test_the_sides_round_two_blended_parts(client):
    drop(client, {"web_floats.glb": (ROOT / "demo" / "models" / "glass_floats" / "glass_floats.glb").read_bytes()})
    b = bench(client, settled(client, "Web floats"))
    ask = lambda f: client.get(f"/api/inspections/{b['reading']['inspection']}/sides", query_string={"finding": f["id"]})
    found = b["reading"]["findings"]
    order = next(f for f in found if f["check"] == "see-through.draw-order")
    sides = ask(order).json["sides"]
    assert len(sides) == 42
    assert {"above", "below"} <= {s["words"] for s in sides}
    assert all(len(s["toward"]) == 3 and (s["share"] is None or 0 <= s["share"] <= 1) for s in sides)
    other = next(f for f in found if f["elements"] and f["check"] != "see-through.draw-order")
    assert ask(other).status_code == 404


def test_a_receivers_log(client, crate):
    inspection = bench(client, crate)["reading"]["inspection"]
    entries = client.get(f"/api/inspections/{inspection}/receiver", query_string={"sheet": "block-world"}).json["entries"]
    assert {"what": "Parts", "says": "1 part taken", "result": "clear"} in entries
    assert client.get(f"/api/inspections/{inspection}/receiver").status_code == 422
    sheets = {s["slug"]: s["receiver"] for s in client.get("/api/catalogue").json["sheets"]}
    assert sheets["block-world"]["mirrored"] == "as-stored"


def test_revisions_are_compared(client):
    drop(client, {"web_skiff.glb": formats.write(scene(cube("skiff")), "glb", "x")["x.glb"]})
    entry = settled(client, "Web skiff")
    first = entry["revision"]
    grown = scene(cube("skiff"), nodes=(Node("n", "skiff", scale=(2.0, 2.0, 2.0), mesh=0),))
    drop(client, {"web_skiff.glb": formats.write(grown, "glb", "x")["x.glb"]}, entry["id"])
    find = lambda: next(m for m in client.get("/api/shelf").json["models"] if m["id"] == entry["id"])
    second = wait_for(lambda: (m := find())["number"] == 2 and m["state"] == "done" and m)["revision"]
    ask = lambda: client.post(f"/api/revisions/{second}/compare", json={"earlier": first}).json
    got = wait_for(lambda: (c := ask())["state"] == "done" and c)
    assert (got["earlier"], got["later"]) == (1, 2)
    assert ("skiff", "× 2", 0) in [(r["what"], r["change"], r["part"]) for r in got["rows"]]
    assert client.post(f"/api/revisions/{second}/compare", json={"earlier": second}).status_code == 422
    assert client.post(f"/api/revisions/{second}/compare", json={"earlier": 10**6}).status_code == 404


def test_each_archive_of_a_drop_is_a_package_of_its_own(client):
    """Two zips with a scene.obj and a base.png each: two models, each with its own picture."""

    def packed(shade: int) -> bytes:
        out = io.BytesIO()
        obj = "mtllib a.mtl\no board\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl paint\nf 1/1 2/2 3/3\n"
        with zipfile.ZipFile(out, "w") as z:
            z.writestr("scene.obj", obj)
            z.writestr("a.mtl", "newmtl paint\nmap_Kd base.png\n")
            z.writestr("base.png", png((8, 8), (shade,) * 3))
        return out.getvalue()

    listed = lambda: client.get("/api/shelf").json["models"]
    before = {m["id"] for m in listed()}
    assert drop(client, {"web_tar.zip": packed(20), "web_rope.zip": packed(200)}).status_code == 202
    new = lambda: [m for m in listed() if m["id"] not in before and m["state"] == "done"]
    entries = wait_for(lambda: len(found := new()) == 2 and found)
    shades = set()
    for e in entries:
        made = client.post(f"/api/revisions/{e['revision']}/exports", json={"format": "obj"}).json
        wait_for(lambda number=made["id"]: client.get(f"/api/exports/{number}").json["state"] == "done")
        with zipfile.ZipFile(io.BytesIO(client.get(f"/api/exports/{made['id']}/download").data)) as z:
            picture = next(n for n in z.namelist() if n.endswith(".png"))
            shades.add(Image.open(io.BytesIO(z.read(picture))).convert("L").getpixel((0, 0)))
    assert shades == {20, 200}


def test_a_kind_that_is_not_read_gets_the_command_lines_sentence(client, tmp_path, capsys):
    from handlens.cli import main

    (tmp_path / "web_net.blob").write_bytes(b"no model")
    assert main(["inspect", str(tmp_path / "web_net.blob")]) == 2
    said = capsys.readouterr().err.removeprefix("handlens: ").strip()
    assert "export it as one of" in said
    assert drop(client, {"web_net.blob": b"no model"}).json["detail"] == said
    answer = drop(client, {"web_net.blob": formats.write(scene(cube()), "glb", "x")["x.glb"]})
    assert answer.json["detail"] == "web_net.blob holds glTF 2.0 binary but is named .blob; give it its true ending, .glb."


def test_what_was_changed_by_hand_in_a_written_file_is_read_back_as_a_difference(client):
    """One number in the text of a written file, dropped as the next revision."""
    drop(client, {"web_punt.obj": b"o punt\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"})
    entry = settled(client, "Web punt")
    drop(client, {"web_punt.obj": b"o punt\nv 0 0 0\nv 1 0 0\nv 1 1.25 0\nv 0 1 0\nf 1 2 3 4\n"}, entry["id"])
    find = lambda: next(m for m in client.get("/api/shelf").json["models"] if m["id"] == entry["id"])
    second = wait_for(lambda: (m := find())["number"] == 2 and m["state"] == "done" and m)["revision"]
    got = wait_for(
        lambda: (
            (c := client.post(f"/api/revisions/{second}/compare", json={"earlier": entry["revision"]}).json)["state"] == "done"
            and c
        )
    )
    told = [r for r in got["rows"] if "corner" in r["what"].lower() + r["change"].lower() or "moved" in r["change"]]
    assert told, got["rows"]
    assert told[0]["part"] == 0


def test_the_catalogue_is_sent_once_and_then_only_asked_after(client):
    first = client.get("/api/catalogue")
    assert first.json["mends"]
    again = client.get("/api/catalogue", headers={"If-None-Match": first.headers["ETag"]})
    assert (again.status_code, again.data) == (304, b"")
    assert client.get("/api/catalogue", headers={"If-None-Match": '"another"'}).json == first.json


def test_an_intent_is_changed_field_by_field(client):
    """Two who fill in the form at once keep what both said; one who says otherwise of the same is told."""
    drop(client, {"by_field.glb": formats.write(scene(cube()), "glb", "x")["x.glb"]})
    model = settled(client, "By field")["id"]
    path = f"/api/models/{model}"
    seen = {"kind": "prop", "copies": 2}
    assert client.patch(path, json={"intent": seen}).status_code == 204
    assert client.patch(path, json={"intent": {**seen, "kind": "foliage"}, "intent_seen": seen}).status_code == 204
    assert client.patch(path, json={"intent": {**seen, "copies": 3}, "intent_seen": seen}).status_code == 204
    other = client.patch(path, json={"intent": {**seen, "kind": "room"}, "intent_seen": seen})
    assert (other.status_code, "The kind of the intent was changed meanwhile" in other.json["detail"]) == (409, True)
    with session() as s:
        assert s.get_one(Model, model).intent == {"kind": "foliage", "copies": 3}
    # What is taken away is gone, and saying what is there already is no quarrel.
    assert (
        client.patch(path, json={"intent": {"kind": "foliage"}, "intent_seen": {"kind": "prop", "copies": 3}}).status_code == 204
    )
    with session() as s:
        assert s.get_one(Model, model).intent == {"kind": "foliage"}


def test_the_unit_that_a_slip_says_is_kept_as_the_intent(client):
    """It is not asked again of the next revision, and a unit that was said before stays."""
    drop(client, {"said_unit.obj": formats.write(scene(cube()).with_(unit_metres=None), "obj", "x")["x.obj"]})
    entry = settled(client, "Said unit")
    assert "size.undeclared-unit" in {f["check"] for f in bench(client, entry)["reading"]["findings"]}
    slip = lambda **params: {"slips": [{"mend": "size.scale", "params": params, "on": True}]}
    client.put(f"/api/revisions/{entry['revision']}/tape", json=slip(factor=0.01, unit="m"))
    assert bench(client, entry)["intent"]["unit"] == "cm"
    client.put(f"/api/revisions/{entry['revision']}/tape", json={"slips": []})
    assert "size.undeclared-unit" not in {f["check"] for f in bench(client, entry)["reading"]["findings"]}
    client.put(f"/api/revisions/{entry['revision']}/tape", json=slip(factor=1.0, unit="mm"))
    assert bench(client, entry)["intent"]["unit"] == "cm"

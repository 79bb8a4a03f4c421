"""The ways in over HTTP: causes of a look, the tree, names by a pattern, what fits in an old one's place, watched folders."""

from __future__ import annotations

import shutil
from dataclasses import replace

import pytest

from conftest import drop, settled, wait_for
from handlens.core import formats
from handlens.core.scene import Material
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, mesh, scene


def glb(made, name="x"):
    return formats.write(made, "glb", name)[f"{name}.glb"]


def bench(client, entry):
    return client.get(f"/api/revisions/{entry['revision']}/bench").json


@pytest.fixture(scope="module")
def chest(client, worker):
    """A chest without a lid beside a whole box, and a figure for scale."""
    parts = (mesh(CUBE_POINTS, CUBE_FACES[:-1], "chest"), cube("box", at=(3, 0, 0)), cube("human_figure", at=(6, 0, 0)))
    made = scene(*parts, materials=(Material("m", "tar", alpha_mode="opaque"),))
    drop(client, {"sea_chest.glb": glb(made)})
    return settled(client, "Sea chest")


def test_causes_of_a_look_and_of_a_spot(client, chest):
    reading = bench(client, chest)["reading"]
    ask = lambda **query: client.get(f"/api/inspections/{reading['inspection']}/causes", query_string=query)
    told = ask(symptom="hole").json
    assert "surface.holes" in [c["check"] for c in told["causes"][:2]]
    assert told["clear"]
    of_box = next(f["node"] for f in bench(client, chest)["reading"]["findings"] if f["check"] == "surface.holes")
    assert ask(symptom="hole", node=of_box).json["causes"][0]["there"]
    assert ask(node=1).json["causes"] == [c for c in ask(node=1).json["causes"] if "holes" not in c["check"]]
    assert ask(symptom="ugly").status_code == 422
    assert {s["key"] for s in client.get("/api/catalogue").json["symptoms"]} >= {"hole", "refused"}


def test_a_face_that_was_pointed_at_goes_before_all_else(client, worker):
    turned = mesh(CUBE_POINTS, [f[::-1] if k == 2 else f for k, f in enumerate(CUBE_FACES)], "crate")
    drop(client, {"turned_crate.glb": glb(scene(turned))})
    inspection = bench(client, settled(client, "Turned crate"))["reading"]["inspection"]
    ask = lambda face: client.get(f"/api/inspections/{inspection}/causes", query_string={"node": 0, "face": face}).json["causes"]
    faces = {ask(face)[0]["check"] for face in range(12)}
    assert "facing.inward" in faces


def test_the_tree_with_what_parts_may_be(client, chest):
    told = client.get(f"/api/inspections/{bench(client, chest)['reading']['inspection']}/tree").json
    assert told["total"] == len(told["nodes"]) == 3
    figure = next(n for n in told["nodes"] if n["name"] == "human_figure")
    assert (figure["proposed"], figure["role"], figure["slots"], figure["triangles"]) == ("aside", None, ["tar"], 12)
    client.patch(f"/api/models/{chest['id']}", json={"intent": {"parts": {"human_figure": {"role": "aside"}}}})
    reading = bench(client, chest)["reading"]
    told = client.get(f"/api/inspections/{reading['inspection']}/tree").json
    assert next(n for n in told["nodes"] if n["name"] == "human_figure")["role"] == "aside"
    # What stays behind is told before anything is written.
    assert all(said[0].startswith("1 part stays behind") for said in reading["lost"].values())


def test_names_by_a_pattern_are_shown_before_they_are_given(client, chest):
    ask = lambda **wish: client.post(f"/api/revisions/{chest['revision']}/naming-preview", json=wish)
    assert ask(pattern="crate_{counter:2}").json["changes"][1] == {"old": "box", "new": "crate_02"}
    assert [c["new"] for c in ask(pattern="box", parts=["chest"]).json["changes"]] == ["box_2"]
    assert ask(pattern="{colour}").status_code == 422


def test_what_broke_in_the_old_ones_place(client, worker):
    drop(client, {"winch.glb": glb(scene(cube("drum")))})
    first = settled(client, "Winch")
    drop(client, {"winch.glb": glb(scene(cube("barrel")))}, first["id"])
    later = wait_for(lambda: (e := settled(client, "Winch"))["number"] == 2 and e["state"] == "done" and e)
    told = wait_for(
        lambda: (
            (r := client.post(f"/api/revisions/{later['revision']}/compare", json={"earlier": first["revision"]})).status_code
            == 200
            and r.json["state"] == "done"
            and r.json
        )
    )
    assert not told["place"]["fits"]
    assert told["place"]["rows"][0]["broke"] == ["the part drum is gone"]


def test_a_watched_folder_makes_revisions_of_what_is_saved(client, worker, tmp_path, monkeypatch):
    assert client.post("/api/watches", json={"path": "exports"}).status_code == 422
    assert client.post("/api/watches", json={"path": str(tmp_path / "nowhere")}).status_code == 422
    for wrong in ("~nosuchuser/x", "/" + "x" * 300, "/etc"):
        answer = client.post("/api/watches", json={"path": wrong})
        assert answer.status_code == 422, wrong
        assert answer.json["detail"]
    monkeypatch.setenv("HANDLENS_DATA", str(tmp_path / "own" / "data"))
    (tmp_path / "own" / "data").mkdir(parents=True)
    for mine in (tmp_path / "own", tmp_path / "own" / "data", tmp_path):
        assert "its own data" in client.post("/api/watches", json={"path": str(mine)}).json["detail"]
    monkeypatch.delenv("HANDLENS_DATA")
    shutil.rmtree(tmp_path / "own")
    watch = client.post("/api/watches", json={"path": str(tmp_path)}).json
    assert client.post("/api/watches", json={"path": str(tmp_path)}).json["id"] == watch["id"]
    listed = lambda: next(w for w in client.get("/api/watches").json["watches"] if w["id"] == watch["id"])
    save = lambda scale: (tmp_path / "anchor_stone.glb").write_bytes(
        glb(scene(cube()).with_(nodes=tuple(replace(n, scale=(scale,) * 3) for n in scene(cube()).nodes)), "y")
    )
    save(1.0)
    first = settled(client, "Anchor stone")
    assert (first["number"], wait_for(lambda: listed()["models"] == 1)) == (1, True)
    save(2.0)
    later = wait_for(lambda: (e := settled(client, "Anchor stone"))["number"] == 2 and e)
    assert later["id"] == first["id"]
    assert bench(client, later)["since"] is not None
    for left in tmp_path.iterdir():
        left.unlink()
    tmp_path.rmdir()
    assert "not there any more" in wait_for(lambda: listed()["error"])
    assert client.delete(f"/api/watches/{watch['id']}").status_code == 204
    assert client.get("/api/watches").json["watches"] == []


def test_a_portrait_is_of_what_the_tape_makes(client, worker):
    drop(client, {"bollard.glb": glb(scene(cube("bollard"), cube("cap", at=(0, 3, 0))))})
    entry = settled(client, "Bollard")
    before = client.get(f"/api/revisions/{entry['revision']}/thumbnail").data
    slips = [{"mend": "arrival.remove-parts", "params": {"parts": ["cap"]}, "on": True}]
    client.put(f"/api/revisions/{entry['revision']}/tape", json={"slips": slips, "version": None})
    wait_for(lambda: settled(client, "Bollard")["thumbnail"] != entry["thumbnail"])
    assert client.get(f"/api/revisions/{entry['revision']}/thumbnail").data != before


def test_an_export_holds_no_longer_where_something_else_stays_behind(client, worker):
    drop(client, {"slip_post.glb": glb(scene(cube("post"), cube("human", at=(3, 0, 0))))})
    entry = settled(client, "Slip post")
    made = client.post(f"/api/revisions/{entry['revision']}/exports", json={"format": "glb"}).json
    wait_for(lambda: client.get(f"/api/exports/{made['id']}").json["state"] == "done")
    assert bench(client, entry)["last_export"] == made["id"]
    client.patch(f"/api/models/{entry['id']}", json={"intent": {"parts": {"human": {"role": "aside"}}}})
    now = bench(client, entry)
    assert (now["last_export"], now["proved"]) == (None, False)
    again = client.post(f"/api/revisions/{entry['revision']}/exports", json={"format": "glb"}).json
    done = wait_for(lambda: (e := client.get(f"/api/exports/{again['id']}").json)["state"] == "done" and e)
    assert done["lost"][0].startswith("1 part stays behind")
    assert done["proof"]["proved"]
    assert bench(client, entry)["last_export"] == again["id"]

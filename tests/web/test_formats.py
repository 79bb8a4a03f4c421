"""Formats through the web: what can be dropped, how a destination has files written, and early links on the page."""

import io
import zipfile

import numpy as np
import pytest

from conftest import drop, settled, wait_for
from handlens.core import formats
from handlens.core.formats.table import WRITERS
from handlens.core.scene import Node
from kit.painted import painted_scene, rope_png
from kit.pictures import png
from kit.scenes import cube, rigged, scene

pytestmark = pytest.mark.usefixtures("worker")


def exported(client, entry, form):
    made = client.post(f"/api/revisions/{entry['revision']}/exports", json={"format": form}).json

    def ask():
        e = client.get(f"/api/exports/{made['id']}").json
        return e if e["state"] in ("done", "failed") else None

    return wait_for(ask)


@pytest.mark.parametrize("form", WRITERS)
def test_every_format_that_is_written_can_be_dropped_again(client, form):
    files = formats.write(rigged(np.random.default_rng(6)), form, f"web_{form}_eel")
    drop(client, files)
    entry = settled(client, f"Web {form} eel")
    assert entry["state"] == "done", entry
    reading = client.get(f"/api/revisions/{entry['revision']}/bench").json["reading"]
    assert reading["stations"][0]["inspected"]
    assert set(reading["lost"]) == set(WRITERS)


def test_a_zipped_document_with_its_image_is_unpacked(client):
    files = formats.write(painted_scene(), "dae", "web_rope")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        for name, data in files.items():
            z.writestr(name, data)
    drop(client, {"web_rope.zae": out.getvalue()})
    entry = settled(client, "Web rope")
    assert entry["state"] == "done"
    assert entry["main"] == "web_rope.dae"


def test_a_destinations_wishes_are_written_and_said(client):
    drop(client, formats.write(painted_scene(), "gltf", "web_board"))
    entry = settled(client, "Web board")
    client.patch(f"/api/models/{entry['id']}", json={"sheet": "block-world"})
    done = exported(client, entry, "obj")
    assert done["proof"]["proved"]
    assert "Images lie in the folder textures." in done["lost"]
    data = client.get(f"/api/exports/{done['id']}/download").data
    with zipfile.ZipFile(io.BytesIO(data)) as z:
        assert z.namelist() == ["web_board.obj", "web_board.mtl", "textures/rope.png"]
        assert z.read("textures/rope.png") == rope_png()
    client.patch(f"/api/models/{entry['id']}", json={"sheet": "realtime-engine-centimetres"})
    done = exported(client, entry, "stl")
    assert done["proof"]["proved"]
    assert {"Lengths are written in centimetres.", "Z is up in the file."} <= set(done["lost"])


def test_the_catalogue_lists_what_can_be_written(client):
    listed = client.get("/api/catalogue").json["formats"]
    assert [f["name"] for f in listed] == list(WRITERS)
    assert all(f["short"] and f["says"] for f in listed)


def test_the_page_of_a_bench_asks_for_its_data_at_once(client):
    drop(client, {"web_early.glb": formats.write(scene(cube()), "glb", "x")["x.glb"]})
    entry = settled(client, "Web early")
    page = client.get(f"/bench/{entry['revision']}").get_data(as_text=True)
    assert f'<link rel="preload" as="fetch" crossorigin href="/api/revisions/{entry["revision"]}/bench">' in page
    assert "/api/inspections/" in page
    for other in ("/", "/bench/999999", "/bench/x"):
        assert "/api/" not in client.get(other).get_data(as_text=True)


def test_a_damaged_file_of_each_kind_ends_in_its_sentence(client):
    for k, (name, data, says) in enumerate(
        [
            ("a.stl", b"\x00" * 80 + (9).to_bytes(4, "little"), "states 9 facets but holds only 0"),
            ("a.usdc", b"PXR-USDC" + bytes(90), "is damaged, or no USD file"),
            ("a.dae", b"<COLLADA><asset>", "the XML is broken"),
            ("a.3mf", b"PK\x03\x04" + bytes(40), "is not a complete 3MF package"),
        ]
    ):
        drop(client, {f"web_wreck_{k}{name[1:]}": data})
        entry = settled(client, f"Web wreck {k}")
        assert entry["state"] == "failed"
        assert says in entry["error"]


def test_a_lost_image_is_found_in_an_earlier_upload(client):
    """Offered with its reason and its picture, taken by the mend alone, and there in the export."""
    board = b"mtllib lost.mtl\no board\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl board\nf 1/1 2/2 3/3\n"
    drop(client, {"first_board.obj": board, "lost.mtl": b"newmtl board\n", "web_rope_paint.png": png()})
    assert settled(client, "First board")["state"] == "done"
    drop(client, {"lost_board.obj": board, "lost.mtl": b"newmtl board\nmap_Kd maps/Web_Rope_Paint.png\n"})
    entry = settled(client, "Lost board")
    at = f"/api/revisions/{entry['revision']}"
    offered = client.get(f"{at}/lost-images").json["images"]
    assert [(i["reference"], [(c["path"], c["reason"], c["own"]) for c in i["candidates"]]) for i in offered] == [
        ("maps/Web_Rope_Paint.png", [("web_rope_paint.png", "same name in other letter case", False)])
    ]
    shown = client.get(f"{at}/lost-images/{offered[0]['candidates'][0]['content']}")
    assert (shown.mimetype, shown.data) == ("image/png", png())
    assert client.get(f"{at}/lost-images/999999").status_code == 404
    slip = {"mend": "textures.find", "params": {"images": "maps/Web_Rope_Paint.png", "file": "web_rope_paint.png"}, "on": True}
    client.put(f"{at}/tape", json={"slips": [slip]})
    reading = wait_for(lambda: (b := client.get(f"{at}/bench").json) and b["state"] == "done" and b["tape"] and b)
    assert reading["tape"][0]["run"]["applied"]
    assert not any(f["check"] == "textures.missing" for f in reading["reading"]["findings"])
    assert "web_rope_paint.png" in {f["path"] for f in exported(client, entry, "obj")["files"]}


def test_names_that_no_text_of_the_database_may_hold_are_read_all_the_same(client):
    """A NUL, which JSON can name and PostgreSQL's cannot keep; half of a surrogate pair is refused as no JSON."""
    made = formats.write(scene(cube(), nodes=(Node("n", "XXXX", mesh=0),)), "gltf", "web_odd_names")
    main = next(iter(made))
    made[main] = made[main].replace(b'"XXXX"', rb'"odd\u0000sail"')
    drop(client, made)
    entry = settled(client, "Web odd names")
    assert entry["state"] == "done", entry["error"]
    assert client.get(f"/api/revisions/{entry['revision']}/bench").json["reading"]["stations"]

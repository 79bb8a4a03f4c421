"""From drop to accepted by the gate, sheets of one's own, and what lies at a destination, in a real browser."""

from __future__ import annotations

import json
import re
import zipfile

import pytest
from playwright.sync_api import expect

from browser.steps import DEMO, accessibility, as_glb, ask, open_bench, revision_of, set_on_shelf, shelf
from handlens.core.scene import Node
from kit.scenes import cube, scene


def held_to(server, name, sheet):
    model = next(m for m in shelf(server) if m["name"] == name)
    ask(server, "PATCH", f"/api/models/{model['id']}", {"sheet": sheet})


def send(page):
    """Export what is on the Bench, and send it; the slip with the answer."""
    page.get_by_role("button", name=re.compile("^Export rev")).click()
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.locator(".stamp")).to_contain_text("Proved")
    page.get_by_role("button", name="Send it", exact=True).click()
    expect(page.locator(".verdict")).to_be_visible()
    return page.locator(".gate")


def quiet(page, server):
    """Wait until nothing of any model is under way, so that what the Bench shows is of the tape as it stands."""
    for _ in range(300):
        if not [j for j in ask(server, "GET", "/api/jobs", b"")["jobs"] if j["state"] in ("waiting", "running")]:
            break
        page.wait_for_timeout(100)
    expect(page.locator(".stamp")).to_be_visible()


def mend_stops(page, server):
    """Press what each stop offers first, until none is left."""
    for _ in range(8):
        quiet(page, server)
        stops = page.locator("[data-station]").filter(has=page.get_by_role("img", name="stop"))
        if stops.count():
            stops.first.click()
        card = page.locator(".card.stop").first
        if not card.count():
            return
        before = page.get_by_label("Mend tape").get_by_role("listitem").count()
        card.locator(".btn.main").first.click()
        expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(before + 1)


@pytest.mark.parametrize(("name", "folder"), [("Heron", "heron"), ("Box textured", None)])
def test_from_drop_to_accepted_by_the_gate(page, server, models, name, folder):
    """The heron, and a model that this project did not make."""
    if folder is not None:
        set_on_shelf(server, [DEMO / folder / f"{folder}.glb"], name)
        ask(server, "PUT", f"/api/revisions/{revision_of(server, name)}/tape", {"slips": []})
    else:
        set_on_shelf(
            server,
            [
                {
                    "name": "box_textured.glb",
                    "buffer": (models / "glTF2" / "BoxTextured-glTF-Binary" / "BoxTextured.glb").read_bytes(),
                }
            ],
            name,
        )
    held_to(server, name, "creator-platform-strict")
    open_bench(page, server, name)
    if folder is not None:
        slip = send(page)
        expect(slip.locator(".verdict")).to_have_text("Refused")
        expect(slip).to_contain_text("40 vertices that no joint carries")
        slip.get_by_role("link", name=re.compile("40 vertices that no joint")).click()
        expect(page.get_by_label("Skin, open")).to_be_visible()
        expect(page.locator(".card.shown")).to_contain_text("have no weight")
        mend_stops(page, server)
    expect(page.locator(".stamp")).to_contain_text("Fit")
    slip = send(page)
    expect(slip.locator(".verdict")).to_have_text("Accepted")
    assert slip.get_by_role("img", name="The model as it was received").evaluate("e => e.naturalWidth") > 100
    page.get_by_role("link", name="Back to the Bench").click()
    page.goto(page.url + "?station=handoff")
    expect(page.locator(".handoff")).to_contain_text("Accepted by the stand-in of Creator platform, strict")
    expect(page.locator(".handoff")).to_contain_text("The model has not changed since")


def test_what_lies_at_a_destination_is_compared_where_it_lies(page, server, tmp_path):
    set_on_shelf(server, [{"name": "still.glb", "buffer": as_glb(scene(cube()), "still")["buffer"]}], "Still")
    open_bench(page, server, "Still")
    page.get_by_role("button", name=re.compile("^Export rev")).click()
    page.get_by_label("OBJ").check()
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.locator(".stamp")).to_contain_text("Proved")
    with page.expect_download() as got:
        page.get_by_role("link", name=re.compile("^Download still")).click()
    there = tmp_path / "there"
    with zipfile.ZipFile(got.value.path()) as archive:
        archive.extractall(there)
    sent = page.locator(".still")
    requests: list[str] = []
    page.on("request", lambda r: requests.append(r.method))
    sent.locator("input").first.set_input_files(there)
    expect(sent.get_by_role("status")).to_contain_text("is what was sent")
    (there / "still.obj").write_bytes(b"v 0 0 0\n")
    (there / "notes.txt").write_text("ours?")
    (there / "still.mtl").unlink()
    sent.locator("input").first.set_input_files(there)
    for words in ("still.mtl missing", "still.obj changed there", "notes.txt not ours"):
        expect(sent).to_contain_text(words)
    sent.locator("input").last.set_input_files(got.value.path())
    assert set(requests) == {"GET"}


def test_a_sheet_is_edited_tried_kept_and_taken_away(page, server):
    set_on_shelf(server, [as_glb(scene(cube("lid"), nodes=(Node("n", "lid", mesh=0),)), "lid")], "Lid")
    page.goto("/sheets/creator-platform-strict")
    page.get_by_role("spinbutton", name="Triangles in a mesh").fill("10")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Try it on the shelf").click()
    expect(page.locator(".edit")).to_contain_text("This edit changes")
    expect(page.locator(".edit")).to_contain_text("Lid: new stop: lid has 12 triangles")
    page.get_by_role("button", name="Keep as our own").click()
    page.get_by_role("dialog").get_by_label("Name").fill("Lid gate")
    page.get_by_role("button", name="Begin it").click()
    expect(page.get_by_role("heading", name="Lid gate", level=1)).to_be_visible()
    expect(page.get_by_role("link", name=re.compile("Lid gate"))).to_be_visible()
    found = page.get_by_role("radiogroup", name="Too many triangles in a mesh is")
    found.get_by_role("radio", name="note").click()
    page.get_by_role("button", name="Undo edit").click()
    expect(found.get_by_role("radio", name="stop")).to_be_checked()
    found.get_by_role("radio", name="caution").click()
    page.get_by_label("Why, in a few words").fill("lids are many")
    page.get_by_role("button", name="Keep as v2").click()
    expect(page.get_by_role("row", name=re.compile("^v2"))).to_contain_text("stop → caution")
    assert accessibility(page) == []
    held_to(server, "Lid", "lid-gate")
    page.reload()
    expect(page.get_by_text("The Bench of Lid is held to it")).to_be_visible()
    page.get_by_role("button", name="Take this sheet away Lid gate").click()
    page.get_by_role("button", name="Really take it away? Lid gate").click()
    expect(page.get_by_role("heading", name="Creator platform, strict", level=1)).to_be_visible()
    assert next(m for m in shelf(server) if m["name"] == "Lid")["sheet"] == "creator-platform-strict"


def test_a_sheet_that_is_wrong_is_one_sentence_and_one_that_is_right_comes_in(page, server):
    page.goto("/sheets")
    text = json.dumps({**ask(server, "GET", "/api/sheets/block-world/file", b""), "name": "Fog world"})
    came = lambda text: page.locator("input[type=file]").first.set_input_files(
        {"name": "fog.json", "mimeType": "application/json", "buffer": text.encode()}
    )
    came(text.replace('"up_axis": "Y"', '"up_axis": "Q"'))
    expect(page.get_by_role("alert")).to_contain_text("up_axis")
    came(text)
    expect(page.get_by_role("heading", name="Fog world", level=1)).to_be_visible()
    ask(server, "DELETE", "/api/sheets/fog-world", {})


def test_a_sheet_is_learnt_from_what_was_accepted(page, server):
    set_on_shelf(server, [as_glb(scene(cube("small")), "small_crate")], "Small crate")
    page.goto("/sheets/creator-platform-strict")
    page.get_by_role("button", name="Learn one").click()
    page.get_by_role("button", name="Small crate was accepted").click()
    page.get_by_role("button", name=re.compile("^Learn from 1 accepted")).click()
    expect(page.get_by_role("dialog")).to_contain_text("things that the examples do not tell")
    page.get_by_role("button", name="Other examples").click()
    expect(page.get_by_role("button", name="Small crate was refused")).to_be_visible()

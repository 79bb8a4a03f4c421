"""Faces that are pointed at on the stage, by mouse and by keyboard, and what is done with them, in a real browser."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import expect

from browser.steps import accessibility, as_glb, ask, on_stage, revision_of, settle, stage_there
from kit.pictures import png, textured
from kit.scenes import mesh, scene

#: Models of others that the system ships.
OTHERS = Path("/usr/share/assimp/models")


def keys():
    """Five keys in a row, each a quad of its own that looks to the front."""
    quads = [[(x, 0, 0), (x + 0.8, 0, 0), (x + 0.8, 1, 0), (x, 1, 0)] for x in range(5)]
    return scene(mesh([p for quad in quads for p in quad], [[4 * k + c for c in range(4)] for k in range(5)], "keys"))


def tape(server, name):
    return ask(server, "GET", f"/api/revisions/{revision_of(server, name)}/bench", b"")["tape"]


def bar(page):
    return page.get_by_role("region", name="Faces that are pointed at")


def middle(page):
    box = page.locator(".holder").bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def put(page, act):
    bar(page).get_by_role("button", name=act, exact=True).click()
    bar(page).get_by_role("button", name="Put on the tape").click()


def test_five_keys_of_a_row_are_turned_and_painted_without_typing_a_number(page, server):
    on_stage(page, server, "Key row", [as_glb(keys(), "key_row")])
    page.get_by_role("button", name="front", exact=True).click()
    page.get_by_label("Point at faces").click()
    settle(page)
    bar(page).get_by_role("button", name="box", exact=True).click()
    box = page.locator(".holder").bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + box["height"] / 4)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 8, box["y"] + 0.7 * box["height"], steps=8)
    page.mouse.up()
    # Ten triangles, as the file holds them.
    expect(bar(page).get_by_role("status")).to_contain_text("10 faces of keys")
    put(page, "turn")
    expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(1)
    expect(bar(page).get_by_role("status")).to_contain_text("10 faces")
    bar(page).get_by_role("button", name="paint", exact=True).click()
    bar(page).get_by_label("material", exact=True).fill("ivory")
    bar(page).get_by_role("button", name="Put on the tape").click()
    expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(2)
    assert [(x["mend"], x["params"]["faces"]) for x in tape(server, "Key row")] == [("facing.turn", "0-9"), ("slots.give", "0-9")]
    page.get_by_role("button", name=re.compile("^Export rev")).click()
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.locator(".stamp")).to_contain_text("Proved")


@pytest.mark.parametrize("way", ["mouse", "keyboard"])
def test_a_side_of_a_box_that_others_made_is_pointed_at_grown_undone_and_split_off(page, server, models, way):
    name = f"Box of others {way}"
    made = (models / "glTF2" / "BoxTextured-glTF-Binary" / "BoxTextured.glb").read_bytes()
    on_stage(page, server, name, [{"name": f"box_of_others_{way}.glb", "buffer": made}])
    status, holder = bar(page).get_by_role("status").first, page.locator(".holder")
    if way == "mouse":
        page.get_by_label("Point at faces").click()
        bar(page).get_by_role("button", name="flat", exact=True).click()
        page.mouse.click(*middle(page))
    else:
        holder.focus()
        page.keyboard.press("d")
        page.keyboard.press("4")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("Enter")
    expect(status).to_contain_text("2 faces of")
    page.keyboard.press("PageUp")
    expect(status).not_to_contain_text("2 faces of")
    page.keyboard.press("Backspace")
    expect(status).to_contain_text("2 faces of")
    page.keyboard.press("Home")
    expect(status).to_contain_text("10 faces of")
    page.keyboard.press("Home")
    bar(page).get_by_role("button", name="paint", exact=True).click()
    assert accessibility(page) == []
    # A look elsewhere loses nothing of a pick.
    page.get_by_role("link", name="Shelf").click()
    page.get_by_test_id("files").wait_for(state="attached")
    page.go_back()
    stage_there(page)
    page.get_by_label("Point at faces").click()
    expect(status).to_contain_text("2 faces of")
    put(page, "split off")
    expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(1)
    # The mend has changed the number of faces: what was picked names none of them any more.
    expect(status).not_to_contain_text("2 faces of", timeout=20_000)
    page.keyboard.press("z")
    expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(0)
    page.keyboard.press("Escape")
    expect(bar(page)).to_have_count(0)


def test_what_is_picked_is_dragged_on_the_uv_sheet_and_snaps_to_the_tile(page, server):
    made = textured(png())
    shifted = made.meshes[0].uvs[0].values * 0.5 + np.float32(0.2)
    layer = replace(made.meshes[0].uvs[0], values=shifted)
    board = made.with_(meshes=(replace(made.meshes[0], uvs=(layer,)),))
    on_stage(page, server, "Dragged board", [as_glb(board, "dragged_board")])
    page.get_by_role("button", name="UV layout", exact=True).click()
    page.get_by_label("Point at faces").click()
    sheet = page.get_by_role("complementary", name="UV layout").get_by_role("img")
    box = sheet.bounding_box()
    # The sheet shows the tile and a little more: the board's UVs lie from 0.2 to 0.7 of it.
    at = (
        lambda u: box["x"] + box["width"] * (0.5 + (u - 0.5) / 1.08),
        lambda v: box["y"] + box["height"] * (0.5 + (v - 0.5) / 1.08),
    )
    page.mouse.click(at[0](0.45), at[1](0.45))
    expect(bar(page).get_by_role("status").first).to_contain_text("2 faces of board")
    page.mouse.move(at[0](0.45), at[1](0.45))
    page.mouse.down()
    page.mouse.move(at[0](0.26), at[1](0.46), steps=6)
    page.mouse.up()
    expect(page.get_by_label("Mend tape").get_by_role("listitem")).to_have_count(1)
    slip = tape(server, "Dragged board")[0]
    # Its left side came within a hair of the tile's.
    assert (slip["mend"], slip["params"]["right"]) == ("textures.place-uvs", pytest.approx(-0.2, abs=1e-6))
    assert slip["params"]["up"] == pytest.approx(-0.01, abs=0.02)


def on_screen(page, place):
    """(x, y) pixels of the stage at which a place in the model's metres is drawn."""
    return page.evaluate(
        """place => { const { camera, w, h } = stageTest.stage; camera.updateMatrixWorld();
        const p = camera.position.clone().set(...place).project(camera); return [(p.x * 0.5 + 0.5) * w, (0.5 - p.y * 0.5) * h]; }""",
        place,
    )


@pytest.mark.parametrize("way", ["mouse", "keyboard"])
def test_faces_of_a_box_that_others_made_are_cut_joined_raised_and_proved(page, server, way):
    """Two clicks, or twice Enter at a cross that the arrows move, name where a face is cut and which corners are joined; the bar that asks
    for them covers none of the model."""
    name = f"Cut box {way}"
    on_stage(page, server, name, [{"name": f"cut_box_{way}.obj", "buffer": (OTHERS / "OBJ" / "box.obj").read_bytes()}])
    page.get_by_role("button", name="front", exact=True).click()
    page.get_by_label("Point at faces").click()
    slips = page.get_by_label("Mend tape").get_by_role("listitem")
    holder = page.locator(".holder")

    def point(x, y):
        """At a place of the front face, with either hand; on the stage the box stands on the floor."""
        settle(page)
        box, (u, v) = holder.bounding_box(), on_screen(page, (x, y + 0.5, 0.5))
        if way == "mouse":
            page.mouse.click(box["x"] + u, box["y"] + v)
            return
        # The cross stays where it was; from a corner the way is known.
        holder.focus()
        for key, times in (("ArrowLeft", 40), ("ArrowUp", 25)):
            for _ in range(times):
                page.keyboard.press(f"Shift+{key}")
        for key, far in (("ArrowRight", u), ("ArrowDown", v)):
            for _ in range(int(far // 40)):
                page.keyboard.press(f"Shift+{key}")
            for _ in range(round(far % 40)):
                page.keyboard.press(f"Control+{key}")
        page.keyboard.press("Enter")

    def act(words, count, *places, **fields):
        bar(page).get_by_role("button", name=words, exact=True).click()
        for place in places:
            point(*place)
        for field, text in fields.items():
            bar(page).get_by_label(field.replace("_", " "), exact=True).fill(text)
        bar(page).get_by_role("button", name="Put on the tape").click()
        expect(slips).to_have_count(count)
        stage_there(page)

    point(0.2, -0.2)
    act("cut", 1, (-0.46, 0), (0, 0.46))
    point(0.2, -0.2)
    act("join", 2, (-0.46, -0.46), (0.46, -0.46))
    point(0.2, 0)
    act("raise", 3, height_mm="50")
    (cut, joined, raised) = [x["params"] for x in tape(server, name)]
    assert {cut["begins"].partition(":")[0], cut["ends"].partition(":")[0]} <= {"0-3", "3-0", "3-7", "7-3"}
    assert {joined["vertex"], joined["to_vertex"]} == {0, 4}
    assert raised["height_mm"] == 50
    page.get_by_role("button", name=re.compile("^Export rev")).click()
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.locator(".stamp")).to_contain_text("Proved")

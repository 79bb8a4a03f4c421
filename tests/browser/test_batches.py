"""Many at once as a person meets it: a folder dropped, the board walked by keyboard, the same trouble tried on all, kept, taken back; the Shelf."""

from __future__ import annotations

import json
import re
import urllib.request

import pytest
from playwright.sync_api import expect

from browser.steps import accessibility
from handlens.core import formats
from kit.defects import seeded


def ask(server: str, path: str):
    with urllib.request.urlopen(server + path) as answer:
        return json.load(answer)


@pytest.fixture(scope="module")
def punts(tmp_path_factory):
    """A folder of twelve models with seeded defects, each in one of its own."""
    folder = tmp_path_factory.mktemp("many") / "punts"
    for k in range(12):
        place = folder / f"punt_{k}"
        place.mkdir(parents=True)
        (place / f"punt_{k}.glb").write_bytes(formats.write(seeded(k)[0], "glb", "x")["x.glb"])
    return folder


@pytest.fixture
def board(page, server, punts):
    """The board of that folder, all of it judged; dropped once."""
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/batches")
    page.get_by_role("heading", name="Batches").wait_for()
    if not any(b["name"] == "punts" for b in ask(server, "/api/batches")["batches"]):
        page.goto("/")
        page.locator("input[webkitdirectory]").set_input_files(str(punts))
        page.get_by_role("link", name="Batches").click()
    page.get_by_role("link", name=re.compile("^punts against")).click()
    expect(page.get_by_role("heading", name=re.compile("^punts against"))).to_be_visible()
    expect(page.get_by_text("12 of 12")).to_be_visible(timeout=90_000)
    return page


def test_the_board_is_read_filtered_and_walked_by_keyboard(board):
    table = board.get_by_role("table", name="Models by stations")
    expect(table.get_by_role("row")).to_have_count(14)
    assert accessibility(board) == []
    held = board.get_by_role("button", name=re.compile("^stop Held"))
    number = int(re.search(r"\d+", held.inner_text())[0])
    held.click()
    expect(table.get_by_role("row")).to_have_count(number + 2)
    board.get_by_role("button", name=re.compile("^All models")).click()
    board.get_by_label("sorted by").select_option("name")
    expect(table.get_by_role("rowheader").first).to_contain_text("Punt 0")
    first = table.get_by_role("cell", name=re.compile("^Punt 0, Arrival"))
    first.click()
    expect(board.get_by_role("dialog")).to_contain_text("1 Arrival")
    board.keyboard.press("Escape")
    first.focus()
    for key in ("ArrowDown", "ArrowRight", "ArrowRight"):
        board.keyboard.press(key)
    expect(table.get_by_role("cell", name=re.compile("^Punt 1, Placement"))).to_be_focused()
    board.keyboard.press("Enter")
    expect(board).to_have_url(re.compile(r"/bench/\d+\?station=placement"))


def test_the_same_trouble_is_tried_on_all_kept_and_taken_back(board, server):
    batch = next(b for b in ask(server, "/api/batches")["batches"] if b["name"] == "punts")
    card = board.get_by_role("region", name="Same trouble, several models").get_by_role("listitem").first
    card.get_by_role("button", name=re.compile("^Try ")).first.click()
    keep = board.get_by_role("button", name=re.compile("^Put it on the tapes"))
    expect(keep).to_be_visible(timeout=90_000)
    board.get_by_role("cell", name=re.compile("^(helps|.*helps)$")).first.click()
    expect(board.get_by_role("dialog")).to_contain_text("Mends:")
    board.keyboard.press("Escape")
    assert all(not row["trial"] or row["trial"]["slips"] for row in ask(server, f"/api/batches/{batch['id']}")["rows"])
    keep.click()
    back = board.get_by_role("button", name="Take it back")
    expect(back).to_be_visible(timeout=90_000)
    expect(board.get_by_text("Since first judged:")).to_be_visible()
    assert accessibility(board) == []
    back.click()
    expect(board.get_by_text("Since first judged:")).to_be_hidden(timeout=90_000)


def test_models_are_chosen_tagged_found_taken_off_and_brought_back(page, server, board):
    page.goto("/")
    find = page.get_by_role("searchbox")
    find.fill("punt 1")
    expect(page.get_by_role("article")).to_have_count(3)
    page.get_by_label("Choose Punt 10").check()
    page.get_by_label("Choose Punt 11").check()
    bar = page.get_by_role("toolbar", name="With the chosen models")
    bar.get_by_role("button", name="Tag …").click()
    page.get_by_label("Tag the 2 models").fill("ferry")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="2 models tagged")).to_be_visible()
    find.fill("")
    page.get_by_role("combobox", name=re.compile("^Tag")).select_option(label="ferry (2)")
    expect(page.get_by_role("article")).to_have_count(2)
    page.keyboard.press("Escape")
    page.get_by_role("main").press("a")
    bar.get_by_role("button", name="Take off").click()
    expect(page.get_by_text("No model here goes by that.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("article")).to_have_count(2)
    page.get_by_role("button", name="Take Punt 10 off the shelf").click()
    page.get_by_role("button", name="Show everything").click()
    page.get_by_role("button", name=re.compile("^Taken off")).click()
    gone = page.get_by_role("article").filter(has_text="Punt ")
    expect(gone).to_have_count(1)
    assert accessibility(page) == []
    gone.get_by_role("button", name="Bring back").click()
    # A part's name finds the models that have it, and the label says so.
    page.get_by_role("button", name=re.compile("^Everything")).click()
    find.fill("cork")
    expect(page.get_by_text("material: cork").first).to_be_visible()

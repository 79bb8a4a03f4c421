"""From drop to proof, and the states around it, in a real browser."""

import json
import re
import time

import pytest
from playwright.sync_api import expect

from browser.steps import accessibility, as_glb, choose_on_shelf, open_bench, revision_of, set_on_shelf, station
from kit.scenes import cube, scene


def test_a_third_party_model_from_drop_to_proof(page, server, models):
    """A model that this project did not make: intake, inspection, scale and bake, GLB, proof, download, and the file inspected again."""
    folder = models / "OBJ"
    choose_on_shelf(page, server, [folder / "spider.obj", folder / "spider.mtl", *sorted(folder.glob("*.jpg"))], "Spider")
    expect(station(page, "size")).to_contain_text("The unit is not stated")
    page.get_by_role("button", name="Scale × 0.01").click()
    expect(page.get_by_role("listitem", name=re.compile("^1. Scale × 0.01:.*→"))).to_be_visible()
    # A part that was stood up by its node is baked; this file has none, so the mend says so instead of failing.
    station(page, "placement").get_by_role("button", name="Another mend").click()
    page.get_by_role("button", name="Put on the tape").click()
    expect(page.get_by_role("listitem", name=re.compile("Every node has scale 1"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Export rev 1")).click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("What this format cannot hold")
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.get_by_role("heading", name="Proof of rev 1")).to_be_visible()
    expect(page.locator(".stamp")).to_contain_text("Proved")
    expect(page.get_by_role("row", name=re.compile("^Height"))).to_contain_text("0.80 m")
    with page.expect_download() as got:
        page.get_by_role("link", name=re.compile("^Download spider.glb")).click()
    path = got.value.path()
    from handlens.core import formats
    from handlens.core.measures import collect
    from handlens.core.packages import FolderPackage

    (path.parent / "back.glb").write_bytes(path.read_bytes())
    size = collect(formats.read(FolderPackage(path.parent), "back.glb"))
    assert size.bounds_max[1] - size.bounds_min[1] == pytest.approx(0.7974, abs=1e-4)


def test_a_third_party_gltf_is_scaled_and_baked(page, server, models):
    folder = models / "glTF2" / "BoxTextured-glTF"
    set_on_shelf(server, [folder / "BoxTextured.gltf", folder / "BoxTextured0.bin", *folder.glob("*.png")], "BoxTextured")
    open_bench(page, server, "BoxTextured")
    expect(page.get_by_label("Placement, open")).to_contain_text("1 node is turned")
    page.get_by_role("button", name="Bake transforms").first.click()
    expect(page.locator(".stamp")).to_contain_text("Fit")
    expect(page.get_by_role("listitem", name=re.compile("Bake transforms: .* → 0 nodes"))).to_be_visible()
    station(page, "size").get_by_role("button", name="Another mend").click()
    page.get_by_label("what every length is multiplied by").fill("0.5")
    page.get_by_role("button", name="Put on the tape").click()
    expect(page.get_by_role("listitem", name=re.compile("Scale × 0.5: 1.00 m → 0.50 m"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Export rev 1")).click()
    page.get_by_role("button", name="Write and prove it").click()
    expect(page.locator(".stamp")).to_contain_text("Proved")
    expect(page.get_by_role("row", name=re.compile("^Height"))).to_contain_text("0.50 m")


def test_what_is_open_survives_reload_and_back(heron):
    station(heron, "budget")
    heron.reload()
    expect(heron.get_by_role("region", name="Budget, open")).to_be_visible()
    heron.get_by_role("link", name="Shelf", exact=True).click()
    heron.locator(".shelf").wait_for()
    heron.go_back()
    expect(heron.get_by_role("region", name="Budget, open")).to_be_visible()


def test_help_lists_keys(heron):
    heron.keyboard.press("?")
    expect(heron.get_by_role("dialog")).to_contain_text("next, previous station")
    heron.keyboard.press("Escape")
    expect(heron.get_by_role("dialog")).not_to_be_visible()


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("empty.obj", b"", "empty (0 bytes)"),
        ("net.png", b"x", "no model file among the 1 file"),
    ],
)
def test_bad_drops_say_one_sentence(page, name, data, says):
    page.goto("/")
    page.get_by_test_id("files").set_input_files([{"name": name, "mimeType": "application/octet-stream", "buffer": data}])
    expect(page.get_by_role("alert")).to_contain_text(says)
    page.get_by_role("button", name="Put away").click()
    expect(page.get_by_role("button", name="choose files")).to_be_visible()


def test_a_broken_file_shows_the_command_lines_sentence(page, capsys, tmp_path):
    data = b"v 0 0 0\nf 1 2 3\n"
    page.goto("/")
    page.get_by_test_id("files").set_input_files([{"name": "wreck.obj", "mimeType": "text/plain", "buffer": data}])
    (tmp_path / "wreck.obj").write_bytes(data)
    from handlens import cli

    cli.main(["inspect", str(tmp_path / "wreck.obj")])
    sentence = capsys.readouterr().err.removeprefix("handlens: ").strip()
    card = page.get_by_role("listitem").filter(has=page.get_by_role("link", name="Wreck", exact=True))
    expect(card).to_contain_text(sentence)
    card.get_by_role("link", name="Wreck", exact=True).click()
    expect(page.get_by_role("status")).to_contain_text(sentence)
    expect(page.get_by_role("button", name="Try again")).to_be_visible()


def test_a_bench_that_is_not_there(page):
    page.goto("/bench/999999")
    expect(page.get_by_text("There is no revision")).to_be_visible()


def test_a_model_that_is_taken_off_comes_back_by_undo(page, server):
    set_on_shelf(
        server,
        [{"name": "driftwood.obj", "mimeType": "text/plain", "buffer": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"}],
        "Driftwood",
    )
    page.goto("/")
    page.get_by_role("button", name="Take Driftwood off the shelf").click()
    expect(page.get_by_role("link", name="Driftwood")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("link", name="Driftwood")).to_have_count(1)
    page.get_by_role("button", name="Take Driftwood off the shelf").click()
    page.get_by_role("button", name=re.compile("^Taken off")).click()
    expect(page.get_by_text("it is kept for 30 days")).to_be_visible()


def test_pictures_stand_there_at_once_and_no_model_is_fetched_for_them(page, server, heron):
    asked: list[str] = []
    page.on("request", lambda r: asked.append(r.url))
    page.goto("/")
    picture = page.locator("img[alt^='Heron']")
    picture.wait_for()
    assert picture.evaluate("e => e.decode().then(() => e.naturalWidth)") == 354
    assert not [u for u in asked if "/stage" in u]


@pytest.mark.parametrize("where", ["shelf", "bench", "dialog", "narrow"])
def test_no_violation_of_wcag(heron, where):
    if where == "shelf":
        heron.goto("/")
        heron.locator(".shelf").wait_for()
    if where == "dialog":
        station(heron, "size").get_by_role("button", name="Another mend").click()
        heron.get_by_role("dialog").wait_for()
    if where == "narrow":
        heron.set_viewport_size({"width": 1100, "height": 760})
    assert accessibility(heron) == []


def test_the_proof_page_has_no_violation(page, server, heron):
    revision = revision_of(server, "Heron")
    made = page.evaluate(
        f"fetch('/api/revisions/{revision}/exports', {{method: 'POST', headers: {{'Content-Type': 'application/json'}}, body: '{json.dumps({'format': 'obj'})}'}}).then(r => r.json())"
    )
    page.goto(f"/proof/{made['id']}")
    page.get_by_role("heading", name="Proof of rev 1").wait_for()
    expect(page.locator(".slip").first).to_contain_text(
        "The unit and the up axis cannot be stated: the numbers are metres, Y up."
    )
    assert accessibility(page) == []


def test_search_finds_and_runs(heron):
    heron.keyboard.press("/")
    heron.get_by_role("combobox", name=re.compile("^Find a model")).fill("budget")
    heron.keyboard.press("Enter")
    expect(heron.get_by_role("region", name="Budget, open")).to_be_visible()
    expect(heron.get_by_role("dialog")).to_have_count(0)
    heron.keyboard.press("/")
    heron.get_by_role("combobox", name=re.compile("^Find a model")).fill("no such thing")
    expect(heron.get_by_role("dialog")).to_contain_text("Nothing here goes by that.")


def test_jobs_panel_tells_what_failed_and_lets_it_be_tried_again(page):
    page.goto("/")
    page.get_by_test_id("files").set_input_files(
        [{"name": "sunk.zip", "mimeType": "application/zip", "buffer": b"PK\x03\x04 no zip"}]
    )
    expect(page.get_by_role("alert").filter(has_text="sunk.zip")).to_contain_text("not a readable zip")
    page.get_by_role("button", name=re.compile("failed$")).click()
    entry = page.get_by_role("listitem").filter(has_text="Setting sunk.zip on the shelf")
    expect(entry).to_contain_text("not a readable zip")
    expect(entry.get_by_role("button", name="Try again")).to_be_visible()


def test_files_dropped_on_the_page_are_taken(page):
    page.goto("/")
    page.locator(".shelf").wait_for()
    page.evaluate("""(() => {
      const data = new DataTransfer();
      data.items.add(new File(['mtllib oar.mtl\\nusemtl ash\\nv 0 0 0\\nv 1 0 0\\nv 0 1 0\\nf 1 2 3\\n'], 'oar.obj'));
      data.items.add(new File(['newmtl ash\\nKd 0.5 0.4 0.3\\n'], 'oar.mtl'));
      window.dispatchEvent(new DragEvent('drop', { dataTransfer: data, bubbles: true, cancelable: true }));
    })()""")
    page.get_by_role("link", name="Oar", exact=True).click()
    expect(page.get_by_label("Arrival, open").or_(page.get_by_label("Size, open"))).to_be_visible()


def test_every_station_can_be_reached_in_a_small_window(heron):
    heron.set_viewport_size({"width": 1000, "height": 620})
    last = heron.locator("[data-station=handoff]")
    last.scroll_into_view_if_needed()
    last.click()
    expect(heron.get_by_role("region", name="Handoff, open")).to_be_visible()


SHEETS = {
    "?": "next, previous station",
    "/": "Go to",
    "button:Recipes …": "Keep this tape as",
    "button:Meant to be": "Expected size",
    "button:Export rev 1": "What this format cannot hold",
}


def test_no_sheet_has_a_violation(heron):
    """Each is made when it is first opened, and is whole then."""
    for opens, inside in SHEETS.items():
        if opens.startswith("button:"):
            heron.get_by_role("button", name=re.compile(f"^{opens.removeprefix('button:')}")).click()
        else:
            heron.keyboard.press(opens)
        expect(heron.get_by_role("dialog")).to_contain_text(inside)
        assert accessibility(heron) == [], opens
        heron.keyboard.press("Escape")
        expect(heron.get_by_role("dialog")).to_have_count(0)


def test_a_second_drop_during_an_upload_waits_its_turn(page, server):
    page.route("**/api/drops/*/files*", lambda r: (time.sleep(0.4), r.continue_()))
    page.goto("/")
    for name in ("first_raft", "second_raft"):
        page.get_by_test_id("files").set_input_files([as_glb(scene(cube(name)), name)])
    expect(page.get_by_label("Set a model on the shelf")).to_contain_text("then 1 more drop")
    for name in ("First raft", "Second raft"):
        page.get_by_role("link", name=name, exact=True).wait_for()
    page.unroute("**/api/drops/*/files*")


def test_a_tab_names_its_model_and_an_unknown_station_is_said_to_be_none(page, server):
    set_on_shelf(server, [as_glb(scene(cube("raft")), "small raft")], "Small raft")
    page.goto(f"/bench/{revision_of(server, 'Small raft')}?station=nonsense")
    expect(page.get_by_role("status").filter(has_text="no station called nonsense")).to_be_visible()
    expect(page.get_by_role("region", name=re.compile(", open$"))).to_be_visible()
    expect(page).to_have_title("Small raft · rev 1 · Bench · Hand Lens")
    station(page, "size")
    expect(page.get_by_text("no station called")).to_have_count(0)
    page.goto("/")
    expect(page).to_have_title("Shelf · Hand Lens")


def test_each_key_has_one_meaning(heron):
    page = heron
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog")
    keys = [k for row in dialog.locator("kbd").all_inner_texts() for k in [row.strip()]]
    twice = {k for k in keys if keys.count(k) > 1}
    assert not twice - {"Escape", "Enter"}, twice


def test_two_windows_on_one_model_stay_in_step(heron, server):
    """What one changes of the tape and of the sheet the other shows by itself."""
    other = heron.context.new_page()
    other.goto(heron.url)
    other.get_by_label("Ledger of stations").wait_for()
    heron.get_by_role("button", name=re.compile("safe$")).click()
    expect(other.get_by_role("button", name="Undo")).to_be_enabled(timeout=20_000)
    heron.get_by_role("button", name="Undo").click()
    expect(other.get_by_role("button", name="Undo")).to_be_disabled(timeout=20_000)


def test_at_twice_its_size_the_stage_keeps_a_third_and_nothing_is_cut(heron):
    heron.set_viewport_size({"width": 640, "height": 400})
    canvas = heron.locator("canvas").first
    expect(canvas).to_be_attached()
    assert canvas.evaluate("e => e.getBoundingClientRect().height") > 400 / 3
    assert heron.evaluate("() => document.documentElement.scrollWidth") <= 640
    cut = heron.evaluate(
        "() => [...document.querySelectorAll('header *, .route button, .tape button')].filter(e => e.clientWidth && e.scrollWidth > e.clientWidth + 2"
        " && getComputedStyle(e).overflowX === 'hidden' && getComputedStyle(e).textOverflow !== 'ellipsis' && !e.classList.contains('sr')).map(e => e.outerHTML)"
    )
    assert cut == []

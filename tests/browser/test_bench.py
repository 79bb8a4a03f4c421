"""Judging, mending and revising on the Bench."""

import re

from playwright.sync_api import expect

from browser.steps import accessibility, as_glb, drawn, open_bench, set_on_shelf, stage_there, station
from handlens.core.scene import Node
from kit.scenes import cube, scene


def test_intent_sheet_and_verdict(heron):
    heron.get_by_role("button", name=re.compile("Meant to be")).click()
    heron.get_by_label("Expected size, tall").fill("0.94")
    heron.get_by_label("Expected size, tall").blur()
    heron.get_by_role("button", name="Keep this").click()
    expect(heron.locator(".stamp")).to_contain_text("Held")
    expect(station(heron, "size")).to_contain_text("It is 9.4 mm tall where 0.94 m is expected")
    heron.get_by_role("combobox", name="Rule sheet").click()
    heron.get_by_role("option", name="Modelling room").click()
    expect(heron.get_by_role("button", name=re.compile("Skin"))).not_to_contain_text("4")
    heron.get_by_role("combobox", name="Rule sheet").click()
    heron.get_by_role("option", name="Realtime engine", exact=True).click()
    expect(heron.locator(".code").first).to_have_text("RT")


def test_tape_by_keyboard(heron):
    panel = station(heron, "skin")
    expect(panel).to_contain_text("40 vertices of wings have no weight")
    heron.keyboard.press("e")
    expect(heron).to_have_url(re.compile("finding="))
    heron.keyboard.press("m")
    expect(heron.get_by_role("listitem", name=re.compile("Copy weights from neighbours"))).to_be_visible()
    expect(panel).not_to_contain_text("40 vertices of wings")
    panel.get_by_role("button", name="Another mend").wait_for()
    station(heron, "size").get_by_role("button", name="Another mend").click()
    heron.get_by_label("what every length is multiplied by").fill("nought")
    heron.get_by_role("button", name="Put on the tape").click()
    expect(heron.get_by_role("alert")).to_contain_text("type a number")
    heron.get_by_label("what every length is multiplied by").fill("2,5")
    heron.get_by_role("button", name="Put on the tape").click()
    slips = heron.locator(".slip")
    expect(slips).to_have_count(2)
    expect(slips.nth(1)).to_contain_text("Scale × 2.5")
    slips.nth(1).focus()
    heron.keyboard.press("Alt+ArrowUp")
    expect(slips.nth(0)).to_contain_text("Scale × 2.5")
    heron.get_by_role("button", name="Switch Scale × 2.5 off").click()
    expect(slips.nth(0)).to_contain_text("switched off")
    heron.keyboard.press("z")
    expect(slips.nth(0)).not_to_contain_text("switched off")
    heron.keyboard.press("Z")
    expect(slips.nth(0)).to_contain_text("switched off")
    slips.nth(0).focus()
    heron.keyboard.press("Delete")
    expect(slips).to_have_count(1)


def test_rename_with_preview(heron):
    station(heron, "arrival").get_by_role("button", name="Another mend").click()
    heron.get_by_role("combobox", name="Mend").click()
    heron.get_by_role("option", name="Rename by search and replace").click()
    heron.get_by_label("text to look for in every name").fill("legs")
    heron.get_by_label("what to put in its place").fill("shanks")
    expect(heron.get_by_role("dialog").get_by_role("row", name="legs shanks")).to_be_visible()
    heron.get_by_role("button", name="Put on the tape").click()
    expect(heron.get_by_role("listitem", name=re.compile("Rename legs: legs → shanks"))).to_be_visible()


def test_a_waiver_is_carried_to_a_new_revision(page, server):
    name = "Mooring post"
    files = []
    for scale in (2.0, 3.0):
        made = scene(cube(), nodes=(Node("n", "post", scale=(scale,) * 3, mesh=0),))
        files.append(as_glb(made, name))
    set_on_shelf(server, [files[0]], name)
    open_bench(page, server, name)
    page.keyboard.press("n")
    page.get_by_role("button", name="Take the mark off").wait_for()
    page.keyboard.press("w")
    page.get_by_label("Why").fill("the quay master wants it so")
    page.get_by_role("button", name="Waive it").click()
    expect(page.locator(".stamp")).to_contain_text("Fit")
    page.get_by_test_id("revision-files").set_input_files([files[1]])
    expect(page.get_by_label("Revision")).to_contain_text("rev 2")
    expect(page.get_by_text(re.compile(r"^Waived on .*, at rev 1: the quay master wants it so$"))).to_be_visible()
    page.get_by_role("button", name="same findings").click()
    expect(page.get_by_text("The same findings as before; the files may differ all the same.")).to_be_visible()


def test_recipes_are_kept_and_laid_on(heron):
    station(heron, "skin").get_by_role("button", name="Bake the rig").first.click()
    heron.get_by_role("button", name="Recipes …").click()
    heron.get_by_label("Keep this tape as").fill("Quay standard")
    heron.get_by_role("button", name="Keep it").click()
    heron.get_by_role("button", name="Throw away Quay standard").wait_for()
    heron.keyboard.press("Escape")
    heron.get_by_role("button", name="Take Bake the rig's scale and rotation off the tape").click()
    expect(heron.locator(".slip")).to_have_count(0)
    heron.get_by_role("button", name="Recipes …").click()
    heron.get_by_role("button", name="Lay it on this model").click()
    expect(heron.locator(".slip")).to_have_count(1)
    # What cannot be undone is asked for twice.
    heron.get_by_role("button", name="Recipes …").click()
    heron.get_by_role("button", name="Throw away Quay standard").click()
    heron.get_by_role("button", name="Really throw it away? Quay standard").click()
    expect(heron.get_by_role("button", name=re.compile("Quay standard$"))).to_have_count(0)


def test_a_mend_is_tried_on_the_stage_before_it_is_kept(heron):
    heron.goto(heron.url.split("?")[0] + "?test&station=size")
    stage_there(heron)
    station(heron, "size").get_by_role("button", name="Another mend").click()
    heron.get_by_label("what every length is multiplied by").fill("3")
    heron.get_by_role("button", name="Try it").last.click()
    trial = heron.get_by_role("status", name="A mend being tried")
    expect(trial.get_by_role("row", name=re.compile("^longest side 9.4 mm 2.82 cm"))).to_be_visible()
    expect(trial.get_by_role("row", name="Price to draw the same")).to_be_visible()
    expect(heron.locator(".caption")).to_contain_text("with the mend that is being tried")
    assert accessibility(heron) == []
    tried = drawn(heron)
    heron.get_by_role("button", name="Discard it").click()
    expect(heron.locator(".caption")).to_contain_text("Floor squares are")
    assert drawn(heron) != tried
    expect(heron.locator(".slip")).to_have_count(0)
    station(heron, "skin").get_by_role("button", name="Try it").first.click()
    heron.get_by_role("button", name="Keep it").click()
    expect(heron.locator(".slip")).to_have_count(1)
    expect(heron.get_by_role("listitem", name=re.compile("Copy weights from neighbours"))).to_be_visible()


def test_an_earlier_revision_is_compared_and_laid_beside_this_one(page, server):
    files = [as_glb(scene(cube("lamp", size), cube("hook", 0.2)), "Quay lamp") for size in (1.0, 2.0)]
    set_on_shelf(server, [files[0]], "Quay lamp")
    open_bench(page, server, "Quay lamp")
    page.get_by_test_id("revision-files").set_input_files([files[1]])
    expect(page.get_by_label("Revision")).to_contain_text("rev 2")
    page.get_by_role("button", name="same findings").click()
    page.get_by_role("button", name="What differs …").click()
    table = page.get_by_role("dialog").get_by_role("table")
    expect(table).to_contain_text("lamp")
    expect(table).not_to_contain_text("hook")
    assert accessibility(page) == []
    page.get_by_role("button", name="Lay it beside on the stage").click()
    expect(page.locator(".caption")).to_contain_text("rev 1")
    page.get_by_role("button", name="same findings").click()
    page.get_by_role("button", name="Stop comparing").click()
    expect(page.locator(".caption")).to_contain_text("Floor squares are")


def test_one_mend_for_the_parts_that_are_ticked(page, server):
    nodes = tuple(Node(f"n{k}", name, scale=(k + 2.0,) * 3, mesh=0) for k, name in enumerate(("bollard", "cleat", "ring")))
    set_on_shelf(server, [as_glb(scene(cube(), nodes=nodes), "Moorings")], "Moorings")
    open_bench(page, server, "Moorings")
    panel = station(page, "placement")
    for name in ("bollard", "ring"):
        panel.get_by_role("row", name=re.compile(name)).get_by_role("checkbox").check()
    chosen = page.get_by_role("group", name="For the chosen parts")
    expect(chosen).to_contain_text("2 chosen")
    chosen.get_by_role("button", name="Bake transforms").click()
    expect(page.get_by_role("listitem", name=re.compile("1. Bake transforms, 2 parts"))).to_be_visible()
    expect(panel).to_contain_text("1 node is scaled: cleat")
    expect(panel).to_contain_text("by the mends: 1 eased")


def test_a_mend_that_an_earlier_one_starves_says_so_and_is_moved(page, server):
    made = scene(cube(), nodes=(Node("n", "post", scale=(2.0,) * 3, mesh=0), Node("o", "peg", translation=(2, 0, 0), mesh=0)))
    set_on_shelf(server, [as_glb(made, "Post and peg")], "Post and peg")
    open_bench(page, server, "Post and peg")
    lay(
        page,
        {"mend": "arrival.remove-parts", "params": {"parts": ["post"]}, "on": True},
        {"mend": "arrival.rename", "params": {"search": "post", "replace": "pile"}, "on": True},
    )
    slips = page.locator(".slip")
    expect(slips.nth(1)).to_contain_text("1 takes away what it needs")
    page.get_by_role("button", name=re.compile("^Move Rename.* before 1")).click()
    expect(slips.nth(0)).to_contain_text("Rename")
    expect(slips.nth(0)).to_contain_text("→")


def lay(page, *slips):
    """Lays slips on the tape as the page itself would."""
    page.evaluate(
        """(slips) => fetch(location.pathname.replace('/bench/', '/api/revisions/') + '/tape', {method: 'PUT',
        headers: {'Content-Type': 'application/json'}, body: JSON.stringify({ slips })})""",
        list(slips),
    )
    page.reload()
    page.get_by_label("Ledger of stations").wait_for()


def test_a_findings_question_mark_opens_its_place_in_the_guide(heron):
    panel = station(heron, "skin")
    with heron.expect_popup() as opened:
        panel.get_by_role("link", name=re.compile("Guide: 40 vertices of wings")).click()
    guide = opened.value
    expect(guide.locator("[id='skin.bare']")).to_be_in_viewport()
    expect(guide.locator("[id='skin.bare']")).to_contain_text("Vertices without weights")
    assert accessibility(guide) == []
    guide.get_by_role("navigation", name="Guide").get_by_role("link", name="A first hour").click()
    expect(guide.get_by_role("heading", name="A first hour")).to_be_in_viewport()
    guide.go_back()
    expect(guide.locator("[id='skin.bare']")).to_be_in_viewport()

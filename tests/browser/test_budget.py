"""Budget on the Bench: the slider over the measured curve, the chart of limits, stand-ins and levels on the stage."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from playwright.sync_api import expect

from browser.steps import as_glb, drawn, on_stage, station, until
from handlens.core.scene import Material
from kit.scenes import mesh, scene


@pytest.fixture
def ball(page, server):
    t = trimesh.creation.icosphere(4)
    made = scene(mesh(np.array(t.vertices) + np.array([0, 1, 0]), t.faces.tolist(), "float"))
    on_stage(page, server, "Net float", [as_glb(made, "net float")], "station=budget")
    return page


def test_the_slider_answers_at_once_and_the_mend_is_tried_and_kept(ball):
    desk = ball.get_by_label("How far it may be reduced")
    desk.get_by_role("button", name="Measure it").click()
    slider = desk.get_by_role("slider", name="To how many triangles")
    expect(slider).to_be_visible()
    said = desk.locator(".says")
    before = said.inner_text()
    asked = []
    ball.on("request", lambda r: asked.append(r.url) if "/api/inspections" in r.url else None)
    slider.focus()
    for _ in range(12):
        ball.keyboard.press("ArrowRight")
    expect(said).not_to_have_text(before)
    # What it says comes from the curve: nothing is asked of the server.
    assert not [u for u in asked if "curve" in u]
    count = said.locator("b").first.inner_text()
    desk.get_by_role("button", name="Try it on the model").click()
    trial = ball.get_by_role("status", name="A mend being tried")
    expect(trial.get_by_text("greatest distance from the surface before")).to_be_visible()
    expect(trial.get_by_text("outline, in pixels")).to_be_visible()
    expect(trial.locator("tr", has_text="triangles").first).to_contain_text(count)
    # Before and after lie under the loupe.
    expect(ball.get_by_text("with the mend that is being tried").first).to_be_visible()
    trial.get_by_role("button", name="Keep it").click()
    expect(ball.locator(".slip.trying")).to_have_count(0)
    gauges = ball.get_by_label("The sheet's limits, before and after each mend")
    row = gauges.locator("tr", has_text="Triangles in all")
    expect(row).to_contain_text(count)
    # What came is a bead, what it is now a square.
    expect(row.locator("circle")).to_have_count(1)
    assert "as it came: 5,120" in (row.get_attribute("title") or "")
    ball.get_by_role("button", name="Undo").click()
    expect(row.locator("circle")).to_have_count(0)


def test_stand_ins_and_levels_stand_on_the_stage(ball):
    bare = drawn(ball)
    for name in ("Add stand-ins for collisions", "Add levels of detail"):
        station(ball, "budget").get_by_role("button", name=name).click()
        ball.get_by_role("dialog").get_by_role("button", name="Put on the tape").click()
    expect(ball.locator(".slip.trying")).to_have_count(0)
    expect(ball.locator(".slip.failed")).to_have_count(0)
    until(ball, "stageTest.parts().length === 5")
    shown = ball.evaluate("stageTest.parts()")
    assert [p["name"] for p in shown if p["visible"]] == ["float", "float_stand_in"]
    # The stand-in is seen as the edges of its shape; the model is what it was.
    assert drawn(ball) != bare
    # By itself a level is seen.
    ball.goto(f"{ball.url}&part=2")
    until(ball, "!!window.stageTest && stageTest.parts().length === 5")
    assert [p["name"] for p in ball.evaluate("stageTest.parts()") if p["visible"]] == ["float_level_1"]


def test_what_costs_for_nothing_goes_first_and_slots_share_one_atlas(page, server):
    box = trimesh.creation.box().subdivide().subdivide().subdivide()
    made = mesh(np.array(box.vertices) + np.array([0, 0.5, 0]), box.faces.tolist(), "crate")
    slots = (box.face_normals[:, 1] > 0.5).astype(np.int32)
    paints = tuple(
        Material(f"m{k}", n, c, 0.0, 0.8)
        for k, (n, c) in enumerate({"tar": (0.1, 0.1, 0.1, 1), "lid": (0.5, 0.2, 0.1, 1)}.items())
    )
    crate = replace(made, slots=slots, slot_materials=(0, 1))
    on_stage(page, server, "Fish crate", [as_glb(scene(crate, materials=paints), "fish crate")], "station=budget")
    desk = page.get_by_label("How far it may be reduced")
    expect(desk.get_by_text("First, what changes nothing")).to_contain_text("756 coplanar triangles")
    desk.get_by_role("button", name="Take it out").click()
    trial = page.get_by_role("status", name="A mend being tried")
    expect(trial.locator("tr", has_text="coplanar")).to_contain_text("756")
    trial.get_by_role("button", name="Keep it").click()
    expect(desk.get_by_text("First, what changes nothing")).to_have_count(0)
    station(page, "budget").get_by_role("button", name="Combine slots into an atlas").click()
    page.get_by_role("dialog").get_by_role("button", name="Put on the tape").click()
    expect(page.locator(".slip.trying")).to_have_count(0)
    expect(page.locator(".slip.failed")).to_have_count(0)
    row = page.get_by_label("The sheet's limits, before and after each mend").locator("tr", has_text="Draw calls")
    expect(row).to_contain_text("1")
    assert "as it came: 2" in (row.get_attribute("title") or "")

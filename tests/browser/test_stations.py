"""The stations that look at shape, as someone works through them: evidence, mend, and the finding gone."""

import io
import re
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow
from playwright.sync_api import expect

from browser.steps import (
    DEMO,
    accessibility,
    as_glb,
    drawn,
    lens,
    on_stage,
    open_bench,
    revision_of,
    set_on_shelf,
    stage_there,
    station,
    until,
)
from handlens.core.scene import Layer, Node
from kit.pictures import png, textured
from kit.scenes import scene


@pytest.fixture(autouse=True)
def small(page):
    """Fewer pixels to draw: what is looked at here is not how they look."""
    page.set_viewport_size({"width": 1040, "height": 660})


@pytest.fixture
def cart(page, server):
    return on_stage(page, server, "Slip cart", [DEMO / "slip_cart" / "slip_cart.dae"], "station=pivots")


def test_faces_that_look_inward_are_shown_turned_and_turned_back(page, server):
    # Under a name of its own: other tests have changed the crab pot that stands on the shelf.
    pot = {"name": "net_pot.glb", "mimeType": "model/gltf-binary", "buffer": (DEMO / "crab_pot" / "crab_pot.glb").read_bytes()}
    set_on_shelf(server, [pot], "Net pot")
    open_bench(page, server, "Net pot")
    facing = station(page, "facing")
    card = facing.locator(".cards > *").filter(has_text="50 faces of net look inward")
    card.get_by_role("button", name="Show it").click()
    expect(card.get_by_role("button", name="Take the mark off")).to_be_visible()
    assert accessibility(page) == []
    card.get_by_role("button", name="Turn faces outward").click()
    expect(page.get_by_role("listitem", name=re.compile("Turn faces outward"))).to_be_visible()
    expect(facing).not_to_contain_text("look inward", timeout=20_000)
    expect(facing).to_contain_text("by the mends")
    page.get_by_role("button", name="Undo").click()
    expect(facing).to_contain_text("50 faces of net look inward", timeout=20_000)


def test_what_the_intent_says_decides_what_is_wrong(page, server):
    set_on_shelf(server, [DEMO / "ferry_hut" / "ferry_hut.glb"], "Ferry hut")
    open_bench(page, server, "Ferry hut")
    facing = station(page, "facing")
    expect(facing).to_contain_text("12 faces of walls look inward")
    page.get_by_text("Meant to be").click()
    page.get_by_role("combobox", name="Seen").click()
    page.get_by_role("option", name="from inside, as a room").click()
    page.get_by_role("button", name="Keep this").click()
    expect(facing).not_to_contain_text("look inward")
    expect(facing).to_contain_text("not walked round")


def test_a_pivot_far_off_is_spun_and_set(cart):
    pivots = station(cart, "pivots")
    expect(pivots).to_contain_text("wheel_fore_right sweeps 10.3 times the circle that it needs")
    plain = drawn(cart)
    lens(cart, "Pivots")
    assert drawn(cart) != plain
    # One picture at a quarter turn, for those who asked for less motion, and then all is back where it was.
    before = drawn(cart)
    cart.get_by_role("button", name="Spin wheel_fore_right").click()
    until(cart, f"stageTest.hash() !== {before!r}")
    assert any(drawn(cart) == before for _ in range(200))
    assert accessibility(cart) == []
    pivots.get_by_role("button", name="Set pivots").first.click()
    expect(pivots).not_to_contain_text("swings far out", timeout=20_000)


def test_a_seam_is_joined_and_leftovers_cleared(page, server, cart):
    revision = revision_of(server, "Slip cart")
    cart.goto(f"/bench/{revision}?test&station=surface")
    stage_there(cart)
    surface = station(cart, "surface")
    seam = surface.locator(".cards > *").filter(has_text=re.compile("16 boundary points of wheel_fore_left"))
    seam.get_by_role("button", name="Show it").click()
    seam.get_by_role("button", name="Take the mark off").wait_for()
    seam.get_by_role("button", name="Weld close points").click()
    expect(surface).not_to_contain_text("16 boundary points of wheel_fore_left", timeout=20_000)
    twice = surface.locator(".cards > *").filter(has_text="duplicate face")
    twice.get_by_role("button", name="Remove degenerate geometry").click()
    expect(surface).not_to_contain_text("duplicate face", timeout=20_000)
    expect(surface).not_to_contain_text("loose points")
    assert accessibility(cart) == []


def test_a_lost_picture_is_offered_and_taken(page, server):
    folder = DEMO / "ferry_signboard"
    set_on_shelf(server, sorted(folder.iterdir()), "Ferry signboard")
    open_bench(page, server, "Ferry signboard")
    textures = station(page, "textures")
    card = textures.locator(".cards > *").filter(has_text="rope_coil.png did not come along")
    expect(card).to_contain_text("rope_coil_old.png")
    expect(card).to_contain_text("near name")
    assert accessibility(page) == []
    card.get_by_role("button", name="use it").click()
    expect(textures).not_to_contain_text("did not come along", timeout=20_000)
    other = textures.locator(".cards > *").filter(has_text="is an absolute path")
    other.get_by_role("button", name="Find images").click()
    expect(textures).not_to_contain_text("is an absolute path", timeout=20_000)


def test_reeds_drawn_solid_are_shown_and_cut_out(page, server):
    on_stage(page, server, "Reeds", [DEMO / "reeds" / "reeds.glb"], "station=see-through")
    see = station(page, "see-through")
    card = see.locator(".cards > *").filter(has_text="reed solid draws blades.png solid")
    plain = drawn(page)
    card.get_by_role("button", name="Show it").click()
    card.get_by_role("button", name="Take the mark off").wait_for()
    assert drawn(page) != plain
    card.get_by_role("button", name="Take the mark off").click()
    lens(page, "See-through")
    assert drawn(page) != plain
    assert accessibility(page) == []
    card.get_by_role("button", name="Set the alpha mode of reed solid").click()
    expect(see).not_to_contain_text("draws blades.png solid", timeout=20_000)
    expect(page.get_by_text("Fit", exact=True)).to_be_visible()


def test_names_in_a_side_file_are_corrected_after_their_difference_was_read(page, server):
    set_on_shelf(server, sorted((DEMO / "moorings").iterdir()), "Buoy green")
    open_bench(page, server, "Buoy green")
    arrival = station(page, "arrival")
    card = arrival.locator(".cards > *").filter(has_text="Buoy Green for the material buoy green")
    card.get_by_role("button", name="Try it").click()
    trial = page.get_by_role("status", name="A mend being tried")
    expect(trial.locator("del")).to_contain_text('paint="Buoy Green"')
    expect(trial.locator("ins")).to_contain_text('paint="buoy green"')
    trial.get_by_role("button", name="Keep it").click()
    expect(arrival).not_to_contain_text("Buoy Green for the material", timeout=20_000)
    # One use that is pointed at makes every value under its key matter.
    ring = arrival.get_by_role("row").filter(has_text="/moorings/mooring/@ring").first
    ring.get_by_role("button", name="let it matter").click()
    expect(arrival.get_by_role("button", name="matters", exact=True).first).to_be_visible()
    assert accessibility(page) == []


def test_the_sides_from_which_the_draw_order_is_wrong_are_walked_round(page, server):
    on_stage(page, server, "Glass floats", [DEMO / "glass_floats" / "glass_floats.glb"], "station=see-through")
    see = station(page, "see-through")
    card = see.locator(".cards > *").filter(has_text="float amber and float ring are drawn in the wrong order")
    card.get_by_role("button", name="Show it").click()
    plan = page.get_by_role("complementary", name="Draw order, side by side")
    expect(plan).to_contain_text("Wrong from 34 of 42 sides.")
    camera, was = page.evaluate("stageTest.state().camera"), drawn(page)
    plan.get_by_role("button", name="Previous side").click()
    expect(plan).to_contain_text("From the back, 56° down: one does not lie behind the other.")
    assert drawn(page) != was
    assert page.evaluate("stageTest.state().camera") != camera
    expect(page.get_by_label("Receiver")).to_be_visible()
    assert accessibility(page) == []
    # The sweep goes on by itself, and holds where it is told to.
    camera = page.evaluate("stageTest.state().camera")
    plan.get_by_role("button", name="Sweep").click()
    until(page, f"String(stageTest.state().camera) !== '{','.join(map(str, camera))}'")
    plan.get_by_role("button", name="Hold").click()
    card.get_by_role("button", name="Take the mark off").click()
    expect(plan).to_be_hidden()
    expect(page.get_by_label("Receiver")).to_be_hidden()


def flags():
    """Three boards: each with green vertices, a white picture of 30 by 30 of its own, and a second UV set that is a point."""
    boards = [textured(png((30, 30), (255 - k,) * 3), name=f"flag_{k}.png") for k in range(3)]
    tint = lambda m: Layer(np.array([[0.0, 0.6, 0.0]], np.float32), np.zeros(len(m.corners), np.int32))
    point = lambda m: Layer(np.zeros((1, 2), np.float32), np.zeros(len(m.corners), np.int32))
    meshes = tuple(
        replace(m, id=f"m{k}", slot_materials=(k,), uvs=(*m.uvs, point(m)), colours=(tint(m),))
        for k, m in enumerate(b.meshes[0] for b in boards)
    )
    paints = tuple(
        replace(
            b.materials[0],
            name=f"flag {k}",
            source={},
            inputs=tuple(replace(t, image=k, uv_set=1, options={"texCoord": 1}) for t in b.materials[0].inputs),
        )
        for k, b in enumerate(boards)
    )
    nodes = tuple(Node(f"n{k}", f"flag {k}", translation=(1.2 * k, 0, 0), mesh=k) for k in range(3))
    return scene(*meshes, nodes=nodes, materials=paints, images=tuple(b.images[0] for b in boards))


def test_findings_of_one_kind_stand_on_one_card_and_are_mended_in_one_go(page, server):
    on_stage(page, server, "Three flags", [as_glb(flags(), "Three flags")], "station=textures")
    # The colours of the vertices are drawn, which the white pictures are multiplied by.
    seen = np.asarray(Pillow.open(io.BytesIO(page.locator("canvas").first.screenshot())).convert("RGB")).astype(int)
    assert ((seen[:, :, 1] - np.maximum(seen[:, :, 0], seen[:, :, 2])) > 60).sum() > 1_000
    card = page.get_by_role("article", name=re.compile("All UVs of flag 0, set 2"))
    steps = card.get_by_role("group", name="3 findings of this kind")
    expect(steps).to_contain_text("1 of 3")
    card.get_by_role("button", name="Show it").click()
    # The layout goes to the set that the finding is told of.
    page.get_by_role("button", name="UV layout", exact=True).click()
    layout = page.get_by_role("complementary", name="UV layout")
    expect(layout.get_by_label("UV set")).to_have_value("1")
    steps.get_by_role("button", name="The one before").click()
    last = page.get_by_role("article", name=re.compile("All UVs of flag 2, set 2"))
    expect(last).to_contain_text("3 of 3")
    expect(last.get_by_role("button", name="Take the mark off")).to_be_visible()
    expect(layout.get_by_label("Part")).to_have_value("2")
    assert accessibility(page) == []
    page.get_by_role("article", name=re.compile("30 × 30")).get_by_role("button", name=re.compile("^All 3: ")).click()
    slips = page.get_by_role("listitem", name=re.compile("pixels"))
    expect(page.get_by_role("article", name=re.compile("30 × 30"))).to_have_count(0, timeout=20_000)
    assert slips.count() <= 1

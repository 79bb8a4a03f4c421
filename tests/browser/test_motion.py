"""Motion on the stage: a clip played and scrubbed, a joint pulled, and every mend of both stations put on a tape."""

import json
import re
import urllib.request
from dataclasses import replace

import numpy as np
import pytest
from playwright.sync_api import expect

from browser.steps import (
    accessibility,
    as_glb,
    ask,
    drawn,
    heron_revision,
    lens,
    on_stage,
    revision_of,
    set_on_shelf,
    settle,
    stage_there,
    station,
)
from handlens.core.route.stations import all_mends
from handlens.core.scene import Channel, Clip, Morph, Node, Skin, Weights
from handlens.core.scene.transforms import world_matrices
from kit.scenes import cube, eel, scene


def _heron_at(page, server, slug):
    page.goto(f"/bench/{heron_revision(server)}?test&station={slug}")
    stage_there(page)
    return page


@pytest.fixture
def heron_moves(page, server):
    return _heron_at(page, server, "motion")


@pytest.fixture
def heron_skin(page, server):
    return _heron_at(page, server, "skin")


def seek(page, seconds):
    page.get_by_role("slider", name="Moment of the clip").fill(str(seconds))


def test_a_clip_is_scrubbed_stepped_and_put_back(heron_moves):
    page = heron_moves
    rest = drawn(page)
    expect(page.get_by_role("group", name="Motion", exact=True)).to_contain_text("at rest")
    seek(page, 0.4)
    expect(page.get_by_role("group", name="Motion", exact=True)).to_contain_text("0.40 s of 1.60 s")
    stride = drawn(page)
    assert stride != rest
    page.keyboard.press("Escape")
    page.get_by_role("button", name="One frame on").click()
    assert drawn(page) != stride
    page.get_by_role("button", name="One frame back").click()
    assert drawn(page) == stride
    page.get_by_role("button", name="rest", exact=True).click()
    assert drawn(page) == rest
    page.get_by_role("button", name="pose", exact=True).click()
    assert drawn(page) == stride


def test_rest_and_the_pose_that_holds_it_are_the_same_picture(heron_moves):
    """The old pose in two keys is the one that the file stands in: nothing moves."""
    page = heron_moves
    page.get_by_role("combobox", name="Clip", exact=True).select_option(label="rig_pose")
    drawn(page)
    page.evaluate("window.was = stageTest.shot()")
    page.get_by_role("button", name="rest", exact=True).click()
    drawn(page)
    # Posed on the graphics card, and drawn from the stored pose: but for single pixels at edges.
    share = page.evaluate(
        """(() => { const a = window.was, b = stageTest.shot(); let n = 0;
        for (let i = 0; i < a.length; i += 4) if (Math.abs(a[i] - b[i]) > 24) n++; return n / (a.length / 4); })()"""
    )
    assert share < 2e-4


def test_playing_goes_on_and_stops_by_key(heron_moves):
    page = heron_moves
    page.get_by_role("slider", name="Moment of the clip").blur()
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Pause")).to_be_visible()
    page.evaluate("stageTest.settle(20)")
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Play")).to_be_visible()
    said = page.get_by_role("slider", name="Moment of the clip").get_attribute("aria-valuetext") or ""
    assert not said.startswith("0.00")
    page.keyboard.press("y")
    expect(page.get_by_role("group", name="Motion", exact=True)).to_contain_text("at rest")
    page.keyboard.press("g")
    expect(page.get_by_role("group", name="Motion", exact=True)).to_have_count(0)


def test_a_joint_is_pulled_by_preset_figures_drag_and_keys(heron_skin):
    page = heron_skin
    rest = drawn(page)
    page.get_by_role("button", name="└quay:neck_1").click()
    pull = page.get_by_role("region", name="Pull test")
    expect(pull.get_by_label("Joint", exact=True)).to_have_value(re.compile(r"\d+"))
    page.get_by_role("button", name="60° y", exact=True).click()
    expect(pull.get_by_role("status")).to_contain_text(re.compile(r"\d+ follow, \d+ stay"))
    bent = drawn(page)
    assert bent != rest
    pull.get_by_label("Turn about y, degrees").fill("10")
    pull.get_by_label("Turn about y, degrees").blur()
    assert drawn(page) not in (bent, rest)
    joint = page.get_by_role("button", name="quay:tail: arrows turn it")
    joint.focus()
    page.keyboard.press("ArrowLeft")
    turned = drawn(page)
    assert turned != bent
    box = joint.bounding_box()
    page.mouse.move(box["x"] + 3, box["y"] + 3)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 40, steps=4)
    page.mouse.up()
    assert drawn(page) != turned
    page.get_by_role("button", name="Let all go").click()
    expect(pull.get_by_label("Turn about y, degrees")).to_have_value("0")
    assert accessibility(page) == []


def test_what_tears_is_shown_and_a_finding_on_joints_is_flown_to(heron_skin):
    page = heron_skin
    page.get_by_role("region", name="Pull test").get_by_label("Joint", exact=True).select_option(label="quay:wing_l")
    page.get_by_role("button", name="60° x", exact=True).click()
    before = drawn(page)
    page.get_by_role("button", name="Show tears").click()
    assert drawn(page) != before
    camera = page.evaluate("stageTest.state().camera")
    page.locator(".cards").get_by_text("from their bind pose").click()
    page.get_by_role("button", name="Show it").nth(2).click()
    page.get_by_role("button", name="Take the mark off").wait_for()
    settle(page)
    assert page.evaluate("stageTest.state().camera") != camera


def test_shapes_that_a_clip_drives_are_shown(page, server):
    """A crate that swells to twice its height and back."""
    crate = cube("crate")
    tall = Morph("tall", crate.positions * [0.0, 1.0, 0.0])
    swell = Channel(0, "weights", np.array([0, 1, 2], np.float32), np.array([[0], [1], [0]], np.float32))
    made = scene(replace(crate, morphs=(tall,)), nodes=(Node("n", "crate", mesh=0),), clips=(Clip("c", "swell", (swell,)),))
    on_stage(page, server, "Swelling crate", [as_glb(made, "swelling crate")], "station=motion")
    page.get_by_label("What stands beside it").select_option("none")
    rest = drawn(page)
    small = page.evaluate("stageTest.inked()")
    seek(page, 1)
    drawn(page)
    assert page.evaluate("stageTest.inked()") > 1.2 * small
    page.get_by_role("button", name="rest", exact=True).click()
    assert drawn(page) == rest


def test_a_receiver_that_lets_the_node_count_shows_a_speck(heron_moves):
    """The heron's parts hang below a scale of 0.01: counted once more, they are a hundredth as large. The same moment of the clip."""
    page = heron_moves
    page.get_by_label("What stands beside it").select_option("none")
    seek(page, 0.4)
    lens(page, "As received")
    as_made = page.evaluate("stageTest.inked()")
    page.get_by_label("Receiver").select_option(label="Block world")
    drawn(page)
    assert page.evaluate("stageTest.inked()") < 0.75 * as_made
    expect(page.locator(".caption")).to_contain_text(re.compile("Its log: [1-9]"))


# --- every mend, through its form ---------------------------------------------------------------


def everything_wrong():
    """A rig on which every mend of Skin and Motion has something to do."""
    made = eel()
    mesh = made.meshes[0]
    w = mesh.weights
    rows = [list(zip(w.joints[a:b], w.weights[a:b], strict=True)) for a, b in zip(w.starts[:-1], w.starts[1:], strict=True)]
    rows[10] = [(0, 0.3), (1, 0.3), (2, 0.2), (3, 0.15), (4, 0.05)]
    rows[12] = [(0, 0.6), (1, 0.2)]
    rows[14] = [(0, 0.9995), (1, 0.0005)]
    rows[20] = []
    starts = np.cumsum([0, *map(len, rows)])
    flat = [x for r in rows for x in r]
    weights = Weights(starts, np.array([j for j, _ in flat], np.int32), np.array([v for _, v in flat], np.float32))
    up = Morph("swell", np.tile([0, 0.1, 0], (len(mesh.positions), 1)).astype(float))
    nodes = (
        replace(made.nodes[0], scale=(0.5,) * 3, children=(1, 4, 8)),
        *(replace(n, name=f"quay:{n.name}") for n in made.nodes[1:3]),
        replace(made.nodes[3], name="quay:head", children=(5, 6, 7)),
        made.nodes[4],
        *(Node(f"n{k}", f"quay:fin_{k}", translation=(0.1, 0.1 * k, 0)) for k in (5, 6, 7)),
        Node("n8", "hat", mesh=1),
    )
    hat = replace(cube("hat"), positions=cube("hat").positions * 0.1 + [0, 2.05, 0])
    drawn_up = made.with_(nodes=nodes, meshes=(replace(mesh, weights=weights, morphs=(up,)), hat))
    joints = (1, 2, 3, 5, 6, 7)
    inverse = np.linalg.inv(np.linalg.inv(world_matrices(drawn_up)[0]) @ world_matrices(drawn_up)[list(joints)])
    bent = tuple(replace(n, rotation=(0, 0, 0.1, float(np.sqrt(0.99)))) if k == 2 else n for k, n in enumerate(nodes))
    bend = made.clips[0].channels[0]
    t = np.linspace(0, 2, 241).astype(np.float32)
    swing = np.column_stack([0 * t, 0 * t, np.sin(0.02 * np.sin(t)), np.cos(0.02 * np.sin(t))]).astype(np.float32)
    clips = (
        Clip("c0", "bend", (bend, replace(bend, path="scale", values=np.array([[1] * 3, [2] * 3, [1] * 3], np.float32)))),
        Clip("c1", "late", (replace(bend, times=bend.times + 2),)),
        Clip(
            "c2",
            "dense",
            (
                Channel(3, "rotation", t, swing),
                replace(bend, path="translation", node=3, values=np.tile([0, 1, 0], (3, 1)).astype(np.float32)),
            ),
        ),
        Clip("c3", "faulty", (replace(bend, values=bend.values * 1.5),)),
        Clip("c4", "stray", (bend, replace(bend, node=None))),
    )
    return drawn_up.with_(nodes=bent, clips=clips, skins=(Skin("s", "bones", joints, inverse),))


#: What forms are filled with: the label's words and the value.
FILLED = {
    "skin.limit": {},
    "skin.add-joints": {"their names, the topmost first": "ground;sway"},
    "skin.rename-joints": {"old=new for each joint": "quay:head=top"},
    "motion.rename": {"its new name": "bow"},
    "motion.retime": {"what every time is multiplied by": "0.5"},
    "motion.trim": {},
}
#: Chosen from lists.
CHOSEN = {
    "skin.bind-part": {"which joint": "quay:head"},
    "skin.parent-part": {"which joint": "quay:head"},
    "motion.drop-clips": {"which clips": "late"},
    "motion.rename": {"which clip": "bend"},
}
#: Mends that this rig has nothing for, or has nothing left for once those before them on the tape are played; the core's tests play them.
IDLE = {
    "skin.drop-beyond",
    "skin.drop-weights",
    "skin.merge-skins",
    "skin.bind-as-stored",
    "skin.adopt-bind",
    "skin.into-scene",
    "skin.name-root",
}
#: In an order in which none takes the ground of another.
FIRST = ("skin.normalise", "skin.fill", "skin.rebind", "skin.parent-part", "skin.bind-part", "skin.rename-joints", "motion.trim")


@pytest.mark.parametrize("slug", ["skin", "motion"])
def test_every_mend_goes_through_its_form(page, server, slug):
    """One tape of all of them: what has to be said is chosen and filled in by hand; the form lists the others, which are laid as it lays
    them. Read once at the end."""
    mends = [m for m in all_mends() if m.id.startswith(f"{slug}.")]
    mends.sort(key=lambda m: FIRST.index(m.id) if m.id in FIRST else len(FIRST))
    by_hand = [m for m in mends if CHOSEN.get(m.id) or FILLED.get(m.id)]
    early = mends[: mends.index(by_hand[0])]
    mends = early + by_hand + [m for m in mends if m not in early + by_hand]
    set_on_shelf(server, [as_glb(everything_wrong(), f"knots {slug}")], f"Knots {slug}")
    at = f"/api/revisions/{revision_of(server, f'Knots {slug}')}/tape"
    ask(server, "PUT", at, {"slips": [{"mend": m.id, "params": {}, "on": True} for m in early]})
    on_stage(page, server, f"Knots {slug}", [], f"station={slug}")
    dialog, slips = page.get_by_role("dialog"), page.locator(".slip")
    for count, mend in enumerate(by_hand, len(early) + 1):
        station(page, slug).get_by_role("button", name="Another mend").click()
        dialog.get_by_role("combobox", name="Mend").click()
        if mend is by_hand[0]:
            assert {m.title for m in mends} <= set(page.get_by_role("option").all_inner_texts())
        page.get_by_role("option", name=mend.title, exact=True).click()
        for label, value in CHOSEN.get(mend.id, {}).items():
            several = label == "which clips"
            (dialog.locator(".p-multiselect") if several else dialog.get_by_label(re.compile(f"^{label}")).first).click()
            page.locator("li[role=option]").get_by_text(value, exact=True).click()
            if several:
                page.keyboard.press("Escape")
        for label, value in FILLED.get(mend.id, {}).items():
            dialog.get_by_label(re.compile(f"^{re.escape(label)}")).fill(value)
        dialog.get_by_role("button", name="Put on the tape").click()
        expect(slips).to_have_count(count)
    laid = json.load(urllib.request.urlopen(f"{server}{at.removesuffix('/tape')}/bench"))["tape"]
    rest = [{"mend": m.id, "params": {}, "on": True} for m in mends[len(laid) :]]
    ask(server, "PUT", at, {"slips": [{k: x[k] for k in ("mend", "params", "on")} for x in laid] + rest})
    page.reload()
    expect(slips).to_have_count(len(mends))
    expect(page.locator(".slip.trying")).to_have_count(0)
    failed = {m.id for m, slip in zip(mends, slips.all(), strict=True) if "failed" in (slip.get_attribute("class") or "")}
    assert failed == {m for m in IDLE if m.startswith(slug)}, [x.get_attribute("title") for x in slips.all()]

"""What the simulated destinations write into their logs."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest

from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.receivers.log import log
from handlens.core.rules import load_sheet, shipped
from handlens.core.rules.sheet import Receiver, sheet_from_json
from handlens.core.scene import Camera, Image, Material, Node, TextureInput
from handlens.core.scene.model import frozen
from kit.scenes import cube, eel, scene


def lines(made, **how):
    return {e.what: (e.says, e.result) for e in log(collect(made), Receiver(**how))}


def painted(**material):
    slotted = replace(cube(), slot_materials=(0,))
    return scene(slotted, materials=(Material("m", "glass", **material),))


def test_a_plain_model_is_taken_as_it_is():
    assert lines(painted()) == {"Parts": ("1 part taken", "clear"), "Back faces": ("not drawn", "clear")}


@pytest.mark.parametrize(
    ("how", "said"),
    [
        ({}, ("drawn on 1 double-sided material alone", "clear")),
        ({"back_faces": "hidden"}, ("not drawn, although glass asks for both sides", "caution")),
        ({"back_faces": "shown"}, ("drawn", "clear")),
    ],
)
def test_back_faces(how, said):
    assert lines(painted(double_sided=True), **how)["Back faces"] == said


@pytest.mark.parametrize(
    ("mode", "how", "what", "says"),
    [
        ("blend", {}, "Draw order", "1 blended material sorted part by part"),
        ("blend", {"alpha": "mask-only"}, "Blended materials", "1 cut out at one half instead"),
        ("mask", {"alpha": "none"}, "See-through materials", "1 drawn opaque"),
    ],
)
def test_see_through(mode, how, what, says):
    assert lines(painted(alpha_mode=mode), **how)[what][0] == says


def test_blending_in_its_true_place_and_masks_are_nothing_to_tell():
    assert len(lines(painted(alpha_mode="blend"), draw_order="by-surface")) == 2
    assert len(lines(painted(alpha_mode="mask"), alpha="mask-only")) == 2


def test_what_it_lacks_and_leaves_out():
    image = Image("i", "rope", "maps/rope.png", "missing")
    input_ = TextureInput("base-colour", ("baseColorTexture",), 0)
    strung = replace(cube(), slot_materials=(-1,), lines=frozen(np.array([[0, 1], [1, 2]], np.int32)))
    made = scene(strung, materials=(Material("m", "rope", inputs=(input_,)),), images=(image,), cameras=(Camera("c", {}),))
    found = lines(made)
    assert found["Loose edges"] == ("2 left out", "caution")
    assert found["Faces without material"][0] == "6 drawn in its own material, #C4BDAF"
    assert found["Pictures not found"][0] == "maps/rope.png: a paper tile stands in"
    assert found["Also in the file"] == ("1 camera not used", "note")
    assert lines(made, lines=True)["Loose edges"] == ("2 drawn", "clear")


def test_two_mirrors_cancel():
    """An odd number of mirrored nodes above a part turns it inside out; an even number does not."""
    nodes = (
        Node("a", "davit", scale=(-1.0, 1.0, 1.0), children=(1, 2)),
        Node("b", "boat", mesh=0),
        Node("c", "oar", mesh=0, scale=(1.0, 1.0, -1.0)),
    )
    made = replace(scene(cube(), nodes=nodes), roots=(0,))
    assert lines(made)["Mirrored parts"] == ("1 turned back as they are drawn", "clear")
    assert lines(made, mirrored="as-stored")["Mirrored parts"] == ("1 drawn inside out", "caution")


def test_a_sheet_may_say_how_its_receiver_draws():
    tree = msgspec.to_builtins(shipped()[0])
    tree["receiver"] = {"lines": True}
    assert sheet_from_json(msgspec.json.encode(tree), "x").receiver == Receiver(lines=True)
    del tree["receiver"]
    assert sheet_from_json(msgspec.json.encode(tree), "x").receiver == Receiver()
    tree["receiver"] = {"back_faces": "sometimes"}
    with pytest.raises(InputError, match="at receiver/back_faces"):
        sheet_from_json(msgspec.json.encode(tree), "x")


def test_skinned_parts_and_influences_are_in_the_log():
    measures = collect(eel())
    said = lambda sheet, most=None: {e.what: (e.says, e.result) for e in log(measures, load_sheet(sheet).receiver, most)}
    assert said("realtime-engine")["Skinned parts"] == ("1: carried by their joints alone", "clear")
    assert said("block-world")["Skinned parts"][1] == "caution"
    assert "Influences" not in said("realtime-engine", 2)
    assert said("realtime-engine", 1)["Influences"][1] == "caution"

"""Offers that would harm are not made, and what a mend takes with it is said."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.judge import judge
from handlens.core.measures import collect
from handlens.core.measures.known import Known
from handlens.core.offers.trials import with_trials
from handlens.core.present.report import finding_json
from handlens.core.proof.in_place import in_place
from handlens.core.route.tape import apply_mend, apply_tape
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Node
from handlens.core.words.calls import Call
from kit.scenes import cube, findings, scene


def with_empties(*names, **more):
    nodes = [Node("m", "lamp", mesh=0), *(Node(f"e{k}", name, **more) for k, name in enumerate(names))]
    return scene(cube("lamp"), nodes=tuple(nodes))


def offered(made):
    return [m.mend for f in findings(made).get("arrival.empties", []) for m in f.mends]


@pytest.mark.parametrize(
    "name", ["trigger_min", "trigger_max", "trigger_value", "grip", "hand_socket", "aim target", "mount_left"]
)
def test_a_node_that_a_runtime_looks_up_is_no_leftover(name):
    """The names of a pair that is blended between: WebXR input profiles registry, visual responses (from memory)."""
    made = with_empties(name)
    assert "arrival.empties" not in findings(made)
    after = apply_mend(with_empties(name, "Empty.001"), "arrival.remove", {"what": "empties"})
    assert [n.name for n in after.scene.nodes] == ["lamp", name]


def test_only_nodes_that_nobody_named_are_offered_to_be_removed():
    assert offered(with_empties("Empty.001", "null")) == ["arrival.remove"]
    assert findings(with_empties("wick", "Empty.001"))["arrival.empties"]
    assert not offered(with_empties("wick", "Empty.001"))
    # By hand it is possible, and says who will miss them; what carries properties stays.
    made = apply_mend(with_empties("wick"), "arrival.remove", {"what": "empties"})
    assert any("wick" in r for r in made.remarks)
    kept = with_empties("Empty.001", "Empty.002")
    kept = kept.with_(nodes=(*kept.nodes[:2], replace(kept.nodes[2], extras={"seat": 1})))
    assert [n.name for n in apply_mend(kept, "arrival.remove", {"what": "empties"}).scene.nodes] == ["lamp", "Empty.002"]


def test_a_model_whose_named_node_went_does_not_fit():
    made = with_empties("wick")
    after = apply_mend(made, "arrival.remove", {"what": "empties"}).scene
    told = in_place(made, after)
    assert not told.fits
    assert any("the node wick is gone" in b for row in told.rows for b in row.broke)
    assert in_place(with_empties("Empty.001"), with_empties()).fits


def test_millimetres_after_a_change_of_size_say_on_what_they_are_counted():
    twins = cube("lamp", 1.0)
    twins = replace(twins, positions=np.vstack([twins.positions, twins.positions[:1] + 1e-4]))
    tape = [Call("size.scale", {"factor": 0.5}), Call("surface.weld", {"distance_mm": 1.0})]
    runs = apply_tape(scene(twins), tape)[1]
    assert any("scaled by 0.5" in r for r in runs[1].remarks)
    assert not any("scaled" in r for run in apply_tape(scene(twins), tape[1:])[1] for r in run.remarks)


def test_offers_that_exclude_each_other_are_one_choice():
    sheet = load_sheet(None)
    tall = scene(cube("mast", 100.0), unit_metres=None)
    measures = with_trials(tall, collect(tall, known=Known()), [sheet], Intent())
    told = [finding_json(f) for f in judge(measures, sheet, Intent()).findings]
    several = [f["mends"] for f in told if len(f["mends"]) > 1]
    assert several
    assert all({m["choice"] for m in mends} == {f["id"]} for f, mends in ((f, f["mends"]) for f in told if len(f["mends"]) > 1))
    assert all("choice" not in m for f in told if len(f["mends"]) == 1 for m in f["mends"])


def lamps():
    """Two lamps, each in a group of its own, the second with a socket."""
    nodes = (
        Node("0", "quay", children=(1, 3)),
        Node("1", "left", children=(2,)),
        Node("2", "lamp_l", mesh=0),
        Node("3", "right", children=(4,)),
        Node("4", "lamp_r", mesh=1, children=(5,)),
        Node("5", "flame_socket"),
    )
    return scene(cube("l"), cube("r", at=(3, 0, 0)), nodes=nodes).with_(roots=(0,))


def names(made):
    return [n.name for n in made.nodes]


def test_what_a_mend_empties_goes_with_it_and_a_socket_stays():
    without_socket = lamps()
    bare = without_socket.with_(nodes=(*without_socket.nodes[:4], replace(without_socket.nodes[4], children=())))
    assert names(apply_mend(bare, "surface.join", {}).scene) == ["quay", "left", "lamp_l"]
    assert names(apply_mend(bare, "arrival.remove-parts", {"parts": "lamp_r"}).scene) == ["quay", "left", "lamp_l"]
    assert "arrival.empties" not in findings(apply_mend(bare, "surface.join", {}).scene)
    for mend, params in (("surface.join", {}), ("arrival.remove-parts", {"parts": "lamp_r"})):
        assert names(apply_mend(lamps(), mend, params).scene) == names(lamps())

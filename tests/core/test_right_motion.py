"""Parts that are driven twice, and blended parts that wrap each other: the mend that leaves least wrong. A ring of 128 segments in
haze is common practice, no published source, and so is the travel factor 2."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Channel, Clip, Material, Node, Skin, Weights
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import world_matrices
from handlens.core.stations.see_through.draw_order import draw_orders
from kit.scenes import cube, findings, mesh, scene
from kit.solids import torus


def driven_twice(parts: int = 2):
    """Skinned parts that hang in the group which their joint hangs in too, and that a clip moves: travel factor 2."""
    skinned = replace(cube("coat"), weights=Weights(np.arange(9), np.zeros(8, np.int32), np.ones(8, np.float32)))
    nodes = (
        Node("n0", "walker", children=(1, *range(2, 2 + parts))),
        Node("n1", "hip", translation=(0.0, 1.0, 0.0)),
        *(Node(f"n{k}", f"coat_{k}", mesh=0, skin=0) for k in range(2, 2 + parts)),
    )
    times = np.array([0, 1], np.float32)
    sway = Clip("c", "sway", (Channel(0, "translation", times, np.array([[0, 0, 0], [1, 0, 0]], np.float32)),))
    return scene(skinned, nodes=nodes, clips=(sway,)).with_(skins=(Skin("s", None, (1,), np.eye(4)[None]),))


@pytest.mark.parametrize("keep", ["joints", "node"])
def test_one_drive_stays_for_all_parts_at_once(keep):
    made = driven_twice()
    told = findings(made)["placement.double-move"]
    assert len(told) == 2
    assert "moves 2 times as far" in told[0].title
    # That each part loses its skin is no equal way, and not offered where the joints carry it whole.
    (call,) = told[0].mends
    assert call in told[1].mends
    assert call[1]["keep"] == "joints"
    after = apply_mend(made, call[0], {**call[1], "keep": keep}).scene
    assert "placement.double-move" not in findings(after)
    for s in (made, after):
        assert len(s.nodes) == 4
    for i in (2, 3):
        assert posed(after, i) == pytest.approx(posed(made, i), abs=1e-9)
    assert {n.skin for n in after.nodes if n.mesh is not None} == ({0} if keep == "joints" else {None})


def test_vertices_that_no_joint_carries_are_not_left_behind():
    made = driven_twice(1)
    some = replace(made.meshes[0].weights, weights=np.array([0, *[1] * 7], np.float32))
    bare = made.with_(meshes=(replace(made.meshes[0], weights=some),))
    with pytest.raises(MendError, match="no joint carries"):
        apply_mend(bare, "placement.one-drive", {"keep": "joints"})
    after = apply_mend(bare, "placement.one-drive", {"keep": "node"}).scene
    assert posed(after, 2) == pytest.approx(posed(bare, 2), abs=1e-9)


def test_weights_that_do_not_sum_to_1_are_no_double_move():
    made = driven_twice(1)
    half = replace(made.meshes[0].weights, weights=np.full(8, 0.5, np.float32))
    rest = made.with_(meshes=(replace(made.meshes[0], weights=half),), clips=())
    assert all("behind" not in f.title and f.result == "note" for f in findings(rest).get("placement.double-move", []))


def haze_and_ring():
    glass = Material("m", "haze", base_colour=(1, 1, 1, 0.3), alpha_mode="blend", double_sided=True)
    ring = torus(128, 12, 2.0, 0.1)
    ball = replace(cube("haze", 2.0, (-1, -1, -1)), slot_materials=(0,))
    ring = replace(ring, name="ring", slot_materials=(0,), slots=np.zeros(ring.face_count, np.int32))
    return scene(ball, ring).with_(materials=(glass,))


def wrong(made):
    found = draw_orders(made, world_matrices(made), [i for i, n in enumerate(made.nodes) if n.mesh is not None])
    return sum(d.wrong for d in found) / max(sum(d.both for d in found), 1)


def test_the_way_of_halving_that_leaves_least_wrong_is_the_one_that_is_taken():
    made = haze_and_ring()
    told = findings(made)["see-through.draw-order"][0]
    after = apply_mend(made, *told.mends[0]).scene
    ways = [("haze", "x"), ("haze", "z"), ("ring", "x"), ("ring", "z")]
    by_hand = [wrong(apply_mend(made, "see-through.halve", {"by": "plane", "axis": a, "parts": [p]}).scene) for p, a in ways]
    assert wrong(after) <= min(by_hand) + 1e-3
    assert wrong(after) < 0.5 * wrong(made)


def test_hidden_nodes_and_groups_of_one_can_be_removed():
    nodes = (
        Node("n0", "wrap", children=(1,)),
        Node("n1", "inner", children=(2, 3)),
        Node("n2", "crate", mesh=0),
        Node("n3", "lamp", mesh=1, hidden=True, children=(4,)),
        Node("n4", "bulb", mesh=1),
    )
    made = scene(cube("crate"), cube("lamp", 0.1), nodes=nodes)
    told = findings(made)["arrival.hidden"][0]
    after = apply_mend(made, *told.mends[0]).scene
    assert [n.name for n in after.nodes] == ["wrap", "inner", "crate"]
    assert len(after.meshes) == 1
    flat = apply_mend(after, "arrival.remove", {"what": "groups"}).scene
    assert [n.name for n in flat.nodes] == ["crate"]
    assert collect(flat).bounds_max == collect(after).bounds_max


def test_two_sheets_that_touch_nowhere_are_not_split():
    plain = scene(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]]))
    assert "see-through.draw-order" not in findings(plain)

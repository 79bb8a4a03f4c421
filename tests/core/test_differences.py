"""What differs between two revisions, what mends cost, and measures that are used again."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest

from handlens.core.limits import InputError, MendError
from handlens.core.measures import Measures, collect
from handlens.core.measures.drawing import drawing
from handlens.core.measures.known import Known, content_key
from handlens.core.present.price import price
from handlens.core.present.report import facts
from handlens.core.proof.revisions import differences, to_json
from handlens.core.route.tape import apply_mend, apply_tape
from handlens.core.scene import Layer, Material, Node
from handlens.core.scene.model import frozen
from handlens.core.scene.transforms import world_matrices
from kit.scenes import cube, scene


def pair_of(*nodes):
    return scene(cube(), nodes=nodes, unit_metres=1.0, up_axis="Y")


HULL = Node("n0", "hull", mesh=0)
MAST = Node("n1", "mast", mesh=0, translation=(0.0, 5.0, 0.0))


def said(a, b):
    return [(d.what, d.change) for d in differences(a, b)]


# --- differences -----------------------------------------------------------------------------------


def test_the_same_scene_differs_in_nothing():
    assert differences(pair_of(HULL, MAST), pair_of(HULL, MAST)) == []


def test_parts_that_came_and_went():
    found = differences(pair_of(HULL, MAST), pair_of(HULL, replace(MAST, name="boom", mesh=None), Node("n2", "keel", mesh=None)))
    assert [(d.what, d.earlier, d.change) for d in found if d.group == "Parts"] == [("mast", "12 triangles", "gone")]
    # Its faces are not told once more by the whole.
    assert "Faces" not in [d.what for d in found]
    assert ("mast", "new") in said(pair_of(HULL), pair_of(HULL, MAST))


def test_a_part_that_moved_says_how_far():
    (one,) = differences(pair_of(HULL, MAST), pair_of(HULL, replace(MAST, translation=(0.3, 5.0, 0.0))))[:1]
    assert (one.what, one.change, one.part) == ("mast", "middle moved 0.30 m", 1)


@pytest.mark.parametrize(("scale", "words"), [((2.0, 2.0, 2.0), "× 2"), ((1.0, 3.0, 1.0), "× 1, 3, 1")])
def test_a_part_that_grew_says_by_what(scale, words):
    assert ("mast", words) in said(pair_of(HULL, MAST), pair_of(HULL, replace(MAST, scale=scale)))


def test_a_renamed_part_is_one_difference():
    assert said(pair_of(HULL, MAST), pair_of(HULL, replace(MAST, name="spar"))) == [("spar", "renamed")]


def test_reshaped_and_turned():
    bent = cube()
    points = bent.positions.copy()
    points[0] = (points[0] + points.mean(axis=0)) / 2
    dented = replace(pair_of(HULL), meshes=(replace(bent, positions=frozen(points)),))
    assert any("corners moved up to" in c for _, c in said(pair_of(HULL), dented))
    flipped = replace(pair_of(HULL), meshes=(replace(bent, corners=frozen(bent.corners[::-1].copy())),))
    assert ("hull", "6 faces turned") in said(pair_of(HULL), flipped)


def test_units_are_taken_in():
    small = replace(pair_of(HULL), unit_metres=0.01)
    assert ("hull", "× 0.01") in said(pair_of(HULL), small)
    assert all(isinstance(row["change"], str) for row in to_json(differences(pair_of(HULL), small)))


def test_things_without_numbers_do_not_stop_it():
    points = cube().positions.copy()
    points[0] = np.nan
    broken = replace(pair_of(HULL), meshes=(replace(cube(), positions=frozen(points)),))
    differences(pair_of(HULL), broken)
    differences(broken, pair_of(HULL))
    differences(scene(), pair_of(HULL))


# --- measures used again ------------------------------------------------------------------------------


def test_measures_taken_over_are_those_that_would_be_measured():
    made = pair_of(replace(HULL, scale=(2.0, 2.0, 2.0)), MAST)
    first = Known()
    before = Measures.from_bytes(collect(made, known=first).to_bytes())
    assert first.fresh == 1
    after_mend = apply_mend(made, "arrival.rename", {"search": "hull", "replace": "skiff"}).scene
    again = Known(before)
    taken = collect(after_mend, known=again)
    assert again.fresh == 0
    assert facts(taken) == facts(collect(after_mend))
    assert taken.meshes == collect(after_mend, known=Known()).meshes


def test_a_mend_has_only_its_own_meshes_measured_again():
    two = scene(
        cube(),
        replace(cube(), id="m1", name="other", positions=frozen(cube().positions * 3)),
        nodes=(replace(HULL, scale=(2.0,) * 3), replace(MAST, mesh=1)),
    )
    before = collect(two, known=Known())
    again = Known(before)
    collect(apply_mend(two, "placement.bake", {}).scene, known=again)
    assert again.fresh == 1


def test_arrays_of_a_mesh_move_with_it():
    lines = replace(cube(), id="m1", lines=frozen(np.array([[0, 1]], np.int32)))
    before = collect(scene(cube(), lines), known=Known())
    taken = collect(scene(lines, cube()), known=Known(before))
    assert taken.array("mesh:0:lines").tolist() == [0, 1]
    assert not len(taken.array("mesh:1:lines"))


CHANGES = {
    "positions": lambda m: replace(m, positions=frozen(m.positions + 1e-9)),
    "corners": lambda m: replace(m, corners=frozen(m.corners[::-1].copy())),
    "slots": lambda m: replace(m, slots=frozen(np.ones_like(m.slots)), slot_materials=(0, 0)),
    "undone slot": lambda m: replace(m, slot_materials=(-1,)),
    "points": lambda m: replace(m, points=frozen(np.array([3], np.int32))),
    "uvs": lambda m: replace(m, uvs=(Layer(frozen(np.zeros((1, 2), np.float32)), frozen(np.zeros(len(m.corners), np.int32))),)),
}


def test_a_mesh_too_large_for_its_pieces_to_be_counted_is_taken_over_too(monkeypatch):
    """Alone in its model it was measured anew after each rename."""
    from handlens.core.measures import known, of_meshes

    for module in (known, of_meshes):
        monkeypatch.setattr(module, "PIECES_UP_TO", 5)
    before = collect(scene(cube()), known=Known())
    assert before.meshes[0].pieces is None
    again = Known(before)
    assert collect(scene(cube("pot")), known=again).meshes[0].name == "pot"
    assert again.fresh == 0


def test_what_is_held_of_meshes_is_looked_through_once():
    """Every mesh's elements were looked for among those of all: 3,000 parts took ten seconds after each mend."""

    class Counted(dict):
        looks = 0

        def __iter__(self):
            Counted.looks += 1
            return super().__iter__()

    before = collect(scene(*(cube(f"crate_{k}") for k in range(5))), known=Known())
    counted = msgspec.structs.replace(before, arrays=Counted(before.arrays))
    assert len(Known(counted).meshes) == 1
    assert Counted.looks == 1


@pytest.mark.parametrize("what", CHANGES)
def test_the_digest_sees_every_change(what):
    plain = replace(cube(), slot_materials=(0,))
    assert content_key(CHANGES[what](plain)) != content_key(plain)
    assert content_key(replace(plain, name="barnacle")) == content_key(plain)


# --- price --------------------------------------------------------------------------------------------


def test_price_tells_only_what_changes():
    made = pair_of(replace(HULL, scale=(2.0, 2.0, 2.0)), MAST)
    baked = apply_mend(made, "placement.bake", {}).scene
    assert [(f.what, f.before, f.after) for f in price(drawing(collect(made)), drawing(collect(baked)))] == [
        ("Meshes stored", "1", "2")
    ]
    gone = apply_mend(made, "arrival.remove-parts", {"parts": "mast"}).scene
    assert [f.what for f in price(drawing(collect(made)), drawing(collect(gone)))] == [
        "Parts",
        "Triangles",
        "GPU vertices",
        "Draw calls",
    ]


# --- mends kept to some parts, and the order of the tape ------------------------------------------------


def test_baking_one_part_leaves_the_others_as_they_are():
    nodes = (
        Node("g", "rig", scale=(2.0, 2.0, 2.0), children=(1, 2)),
        Node("a", "hull", mesh=0, scale=(3.0, 1.0, 1.0), children=(3,)),
        Node("b", "mast", mesh=0, scale=(1.0, 4.0, 1.0)),
        Node("c", "flag", mesh=0, translation=(1.0, 2.0, 3.0)),
    )
    made = replace(scene(cube(), nodes=nodes), roots=(0,))
    after = apply_mend(made, "placement.bake", {"parts": ["hull"]}).scene
    assert after.nodes[0].scale == (2.0, 2.0, 2.0)
    assert (after.nodes[2].scale, after.nodes[2].mesh) == (made.nodes[2].scale, 0)
    assert after.nodes[1].scale == (1.0, 1.0, 1.0)
    for i, m in ((1, after.nodes[1].mesh), (2, after.nodes[2].mesh), (3, after.nodes[3].mesh)):
        homogeneous = lambda p: np.column_stack([p, np.ones(len(p))])
        here = homogeneous(after.meshes[m].positions) @ world_matrices(after)[i].T
        there = homogeneous(cube().positions) @ world_matrices(made)[i].T
        assert np.abs(here - there).max() < 1e-12


def test_renaming_some_parts():
    made = scene(cube(), nodes=(Node("a", "quay hull", mesh=0), Node("b", "quay mast", mesh=0)))
    after = apply_mend(made, "arrival.rename", {"search": "quay ", "parts": "quay mast"}).scene
    assert [n.name for n in after.nodes] == ["quay hull", "mast"]


def test_parts_are_named_as_findings_name_them():
    made = scene(cube(), nodes=(Node("a", "float", mesh=0), Node("b", "float", mesh=0)))
    after = apply_mend(made, "arrival.remove-parts", {"parts": ["float~1"]}).scene
    assert len(after.nodes) == 1
    with pytest.raises(MendError, match="no longer has a part"):
        apply_mend(made, "arrival.remove-parts", {"parts": "float"})
    with pytest.raises(MendError, match="Choose"):
        apply_mend(made, "arrival.remove-parts", {"parts": ""})
    with pytest.raises(InputError, match="needs parts"):
        apply_mend(made, "arrival.remove-parts", {})


def test_removed_parts_leave_what_hangs_on_them():
    nodes = (Node("a", "hull", mesh=0, children=(1,)), Node("b", "mast", mesh=0))
    made = replace(scene(cube(), nodes=nodes, materials=(Material("m", "tar"),)), roots=(0,))
    after = apply_mend(made, "arrival.remove-parts", {"parts": "hull"}).scene
    assert [(n.name, n.mesh) for n in after.nodes] == [("hull", None), ("mast", 0)]
    with pytest.raises(MendError, match="have no mesh"):
        apply_mend(after, "arrival.remove-parts", {"parts": "hull"})


def test_a_mend_that_another_stands_in_the_way_of_says_which():
    made = pair_of(replace(HULL, scale=(2.0, 2.0, 2.0)), MAST)
    tape = [("arrival.rename", {"search": "mast", "replace": "spar"}), ("arrival.remove-parts", {"parts": "mast"})]
    _, runs = apply_tape(made, tape)
    assert [(r.applied, r.before) for r in runs] == [(True, None), (False, 0)]
    _, runs = apply_tape(made, tape[::-1])
    assert [(r.applied, r.before) for r in runs] == [(True, None), (False, 0)]
    _, runs = apply_tape(made, [("placement.bake", {}), ("arrival.rename", {"search": "barnacle"})])
    assert [(r.applied, r.before) for r in runs] == [(True, None), (False, None)]

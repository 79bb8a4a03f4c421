"""Sizes that are what a viewer meets: skinned parts as they stand, and files that cannot state their unit."""

import json
from dataclasses import replace

import numpy as np
import pytest

from handlens.cli import main
from handlens.core.measures import collect
from handlens.core.pipeline.writing import write_as
from handlens.core.proof import prove
from handlens.core.route.tape import apply_mend, declared_unit
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Node, Skin, Weights
from handlens.core.scene.skinning import joint_matrices, posed
from handlens.core.scene.transforms import world_matrices
from handlens.core.words.calls import Call
from kit.scenes import cube, findings, mesh, read_files, round_trip, scene

#: A quarter turn about X, as a rig made with Z up stands in a scene with Y up; with 0.01, common practice, no published source.
QUARTER = (-(0.5**0.5), 0.0, 0.0, 0.5**0.5)


def lying_rig():
    """A figure of 1.7 m stored in centimetres with Z up, its joints under a rig of 0.01 and a quarter turn, its mesh beside them."""
    points = np.array([[x, y, z] for z in (0.0, 85.0, 170.0) for y in (-10.0, 10.0) for x in (-20.0, 20.0)])
    faces = [[4 * k + a, 4 * k + b, 4 * k + 4 + b, 4 * k + 4 + a] for k in (0, 1) for a, b in ((0, 1), (1, 3), (3, 2), (2, 0))]
    made = mesh(points, faces, "watchman")
    rows = np.repeat(np.arange(12) // 6, 1).astype(np.int32)
    weights = Weights(np.arange(13), rows, np.ones(12, np.float32))
    nodes = (
        Node("node:0", "rig", rotation=QUARTER, scale=(0.01, 0.01, 0.01), children=(1,)),
        Node("node:1", "hip", translation=(0.0, 0.0, 80.0), children=(2,)),
        Node("node:2", "head", translation=(0.0, 0.0, 60.0)),
        Node("node:3", "watchman", rotation=QUARTER, scale=(0.0001, 0.0001, 0.0001), mesh=0, skin=0),
    )
    bind = np.tile(np.eye(4), (2, 1, 1))
    bind[:, 2, 3] = -80.0, -140.0
    return scene(replace(made, weights=weights), nodes=nodes).with_(skins=(Skin("skin:0", "bones", (1, 2), bind),))


def test_a_skinned_part_is_as_large_as_it_stands():
    made = lying_rig()
    measures = collect(made)
    size = np.array(measures.bounds_max) - measures.bounds_min
    assert size == pytest.approx([0.4, 1.7, 0.2], rel=1e-6)
    wanted = json.dumps({"kind": "character", "expected": {"height_m": 1.7}})
    assert "size.expected" not in findings(made, intent=wanted)


def test_scaling_what_stands_true_is_told():
    grown = apply_mend(lying_rig(), "size.scale", {"factor": 566.7}).scene
    told = findings(grown, intent=json.dumps({"expected": {"height_m": 1.7}}))["size.expected"][0]
    assert told.title.startswith("It is 963 m tall")


def test_a_baked_rig_holds_no_scale_anywhere():
    made = lying_rig()
    after = apply_mend(made, "placement.bake", {}).scene
    assert np.allclose(posed(made, 3), posed(after, 3), atol=1e-9)
    stored = after.meshes[after.nodes[3].mesh].positions
    assert np.ptp(stored, axis=0) == pytest.approx([0.4, 1.7, 0.2])
    bind = after.skins[after.nodes[3].skin].inverse_bind
    assert np.linalg.det(bind[:, :3, :3]) == pytest.approx([1.0, 1.0])
    for i in range(4):
        assert world_matrices(after)[i][:3, :3] == pytest.approx(np.eye(3), abs=1e-9)
    assert joint_matrices(after.skins[0], world_matrices(after))[0] == pytest.approx(np.eye(4), abs=1e-9)


DUCK = """<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit name="centimeter" meter="0.01"/><up_axis>Z_UP</up_axis></asset>
<library_geometries><geometry id="g"><mesh><source id="p"><float_array id="pa" count="9">0 0 0 100 0 0 0 0 154</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/><param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<triangles count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles></mesh></geometry></library_geometries>
<library_visual_scenes><visual_scene id="s"><node id="n" name="duck"><instance_geometry url="#g"/></node></visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#s"/></scene></COLLADA>"""


@pytest.mark.parametrize("form", ["obj", "stl", "ply"])
def test_what_cannot_state_its_unit_is_written_in_the_destinations(tmp_path, form):
    made = read_files(tmp_path, {"duck.dae": DUCK}, "duck.dae")
    for slug, tall, axis in (("realtime-engine", 1.54, 1), ("realtime-engine-centimetres", 154.0, None)):
        sheet = load_sheet(slug)
        written = write_as(made, form, "duck", sheet.writes)
        points = written.held.scene.meshes[0].positions
        assert np.ptp(points, axis=0).max() == pytest.approx(tall)
        assert axis is None or np.ptp(points, axis=0).argmax() == axis
        told = " ".join(written.lost)
        assert f"the numbers are {'metres' if tall < 2 else 'centimetres'}, {sheet.up_axis} up" in told


def test_a_file_in_another_unit_than_it_will_be_read_in_is_not_proved(tmp_path):
    made = read_files(tmp_path, {"duck.dae": DUCK}, "duck.dae")
    sheet = load_sheet(None).writes
    right, _ = _written(made, tmp_path / "right", sheet)
    wrong, _ = _written(made, tmp_path / "wrong", load_sheet("realtime-engine-centimetres").writes)
    assert prove(made, right, sheet).proved
    differs = {r.what for r in prove(made, wrong, sheet).rows if r.result == "stop"}
    assert {"Height", "Width"} <= differs


def _written(made, folder, options):
    written = write_as(made, "obj", "duck", options)
    return read_files(folder, written.files, "duck.obj"), written


def test_usd_always_states_what_its_numbers_count_as(tmp_path):
    # Without metersPerUnit they count as centimetres (OpenUSD, UsdGeomLinearUnits: fallback 0.01).
    made = scene(cube(size=0.07), unit_metres=None, up_axis=None, format="obj")
    again, proof = round_trip(made, "usda", tmp_path)
    assert again.unit_metres == 1.0
    assert proof.proved


def test_the_command_line_proves_by_the_sheet(tmp_path, capsys):
    (tmp_path / "duck.dae").write_text(DUCK)
    duck = str(tmp_path / "duck.dae")
    assert main(["export", duck, "--out", str(tmp_path / "m.obj"), "--format", "obj"]) == 0
    assert main(["prove", duck, str(tmp_path / "m.obj")]) == 0
    assert main(["prove", duck, str(tmp_path / "m.obj"), "--rules", "realtime-engine-centimetres"]) == 1
    # A mend that writes another format writes it in the same way, and one that does not apply is an exit of 1.
    assert main(["mend", duck, "--mend", "arrival.rename:search=duck,replace=decoy", "--out", str(tmp_path / "n.obj")]) == 0
    assert main(["prove", str(tmp_path / "m.obj"), str(tmp_path / "n.obj")]) == 1  # only the name
    assert main(["mend", duck, "--mend", "surface.weld:distance_mm=0.001", "--out", str(tmp_path / "o.dae")]) == 1
    capsys.readouterr()


def test_parts_that_are_scaled_to_nothing_are_told_and_shown_again():
    nodes = (
        Node("n0", "bench", mesh=0),
        *(Node(f"n{k}", f"slat_{k}", scale=(0.0, 0.0, 0.0), mesh=0) for k in range(1, 90)),
    )
    made = scene(cube("slat"), nodes=nodes)
    found = findings(made)
    told = found["placement.collapsed"][0]
    assert (told.result, told.count) == ("stop", 89)
    assert told.title.startswith("89 of 90 parts are scaled to nothing: slat_1,")
    assert not any("0 m" in f.title for several in found.values() for f in several)
    for mend, params in told.mends:
        assert "placement.collapsed" not in findings(apply_mend(made, mend, params).scene)
    assert "placement.collapsed" not in findings(scene(cube("slat", 0.001), cube("quay", 100.0)))
    flat = scene(cube("slat"), nodes=(Node("n", "slat", scale=(1.0, 0.0, 1.0), mesh=0),))
    assert "scaled to no thickness" in findings(flat)["placement.collapsed"][0].title


def test_a_stated_size_far_from_anything_is_questioned_with_what_would_explain_it():
    found = findings(scene(cube("engine", 743.0)))["size.extreme"][0]
    assert found.result == "caution"
    assert (
        found.title
        == "Its largest side is 743 m; it would be 7.43 m as centimetres read as metres or 0.74 m as millimetres read as metres"
    )
    assert [params["factor"] for _, params in found.mends] == [0.01, 0.001]
    for mend in found.mends:
        assert "size.extreme" not in findings(apply_mend(scene(cube("engine", 743.0)), *mend).scene)
    assert "size.extreme" not in findings(scene(cube("hall", 120.0)))
    assert "size.extreme" in findings(scene(cube("pail", 120.0)), intent='{"kind": "prop"}')
    assert "size.extreme" not in findings(scene(cube("hall", 120.0)), intent='{"kind": "building"}')


def test_a_hall_whose_unit_is_not_stated_is_not_shrunk_on_a_guess():
    hall = scene(cube("hall", 150.0), unit_metres=None, format="obj")
    offered = [params for _, params in findings(hall)["size.undeclared-unit"][0].mends]
    # What it reads as comes first; that it may be in centimetres is a choice, not a guess.
    assert offered == [{"factor": x, "unit": "m"} for x in (1.0, 0.01, 0.001)]
    after = apply_mend(hall, "size.scale", {"factor": 1.0, "unit": "m"}).scene
    assert after.unit_metres == 1.0
    assert "size.undeclared-unit" not in findings(after)
    stated = findings(scene(cube("hall", 1700.0), unit_metres=None, format="obj"), intent='{"expected": {"height_m": 17}}')
    assert stated["size.undeclared-unit"][0].mends[0][1] == {"factor": 0.01, "unit": "m"}
    # A nut of 29 numbers is one of millimetres, as likely as not; what stands 276 m tall is told once its unit is stated.
    nut = scene(cube("nut", 29.0), unit_metres=None, format="stl")
    assert 0.001 in [params["factor"] for _, params in findings(nut)["size.undeclared-unit"][0].mends]
    assert "size.extreme" in findings(scene(cube("mast", 276.0)))


def test_the_exact_factor_is_offered_beside_the_likely_unit():
    """2.40 m where 1.00 m is expected: inches written as centimetres nearly explain it, and 1 / 2.4 does."""
    table = scene(cube("table", 2.4))
    expected = '{"expected": {"height_m": 1.0}}'
    assert next(p["factor"] for _, p in findings(table, intent=expected)["size.expected"][0].mends) == 0.41667
    # 39 in as metres: the inch comes first, and what gives the very size beside it.
    offers = [p["factor"] for _, p in findings(scene(cube("table", 39.0)), intent=expected)["size.expected"][0].mends]
    assert offers == [0.0254, 0.025641]


def test_what_was_judged_in_a_said_unit_is_written_in_it(tmp_path):
    """940 numbers that the intent says are millimetres: a file that counts in metres holds 0.94, and one that can say nothing the sheet's."""
    post = scene(cube("post", 940.0), unit_metres=None, format="obj")
    said = Intent(unit="mm")
    for name, tall in (("glb", 0.94), ("obj", 0.94)):
        made = write_as(post, name, "post", load_sheet(None).writes, said)
        back = read_files(tmp_path / name, made.files, next(iter(made.files)))
        assert collect(back).bounds_max[1] == pytest.approx(tall)
    bare = write_as(post, "glb", "post", load_sheet(None).writes)
    assert collect(read_files(tmp_path / "bare", bare.files, "post.glb")).bounds_max[1] == pytest.approx(940)


@pytest.mark.parametrize(
    ("slips", "unit"),
    [
        ([(1.0, "m")], "m"),
        ([(0.01, "m")], "cm"),
        ([(1.0, "mm")], "mm"),
        ([(10.0, "as-it-is"), (0.0001, "m")], "mm"),
        ([(0.3048, "m")], None),
        ([(2.0, "as-it-is")], None),
    ],
)
def test_a_slip_that_says_the_unit_says_what_the_file_counts_in(slips, unit):
    """A hundredth into metres: the numbers were centimetres. A foot has no name among the intent's units."""
    assert declared_unit([Call("size.scale", {"factor": f, "unit": u}) for f, u in slips]) == unit

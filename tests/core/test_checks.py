"""Each check: a model that trips it and a near miss that must not."""

import json
from dataclasses import replace

import numpy as np
import pytest

from handlens.core.measures import collect
from handlens.core.present.report import finding_json
from handlens.core.route.stations import all_checks, stations
from handlens.core.rules import load_sheet, shipped
from handlens.core.scene import Camera, Light, Material, Node, Problem, Skin
from handlens.core.stations.size.checks import CLASSIC, FOOT, INCH
from kit.grids import grid
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, findings, mesh, rigged, scene

HALF = float(np.sqrt(0.5))


def node(k=0, **more):
    return Node(f"node:{k}", more.pop("name", "crate"), mesh=more.pop("mesh", 0), **more)


def trips(check, made, sheet="realtime-engine", intent="{}"):
    return check in findings(made, sheet, intent)


def test_every_check_is_documented():
    for c in all_checks():
        assert c.station in [s.name for s in stations()]
        assert all([c.title, c.does, c.why, c.measured, c.source]), c.id
        assert c.result in ("stop", "caution", "note")


def test_a_plain_crate_is_clear_on_every_sheet():
    crate = scene(cube())
    for sheet in shipped():
        assert set(findings(crate, sheet.slug)) <= {"size.unit", "size.up-axis"}, sheet.slug


# --- Arrival ---------------------------------------------------------------------------------------


def test_empty():
    assert findings(scene(mesh(CUBE_POINTS, [])))["arrival.empty"][0].result == "stop"
    assert trips("arrival.empty", scene())
    both = scene(cube(), mesh(CUBE_POINTS, [], "ghost"))
    assert findings(both)["arrival.empty"][0].part == "ghost"
    assert not trips("arrival.empty", scene(cube()))


def test_not_finite():
    bad = mesh([*CUBE_POINTS, [np.inf, 0, 0]], [*CUBE_FACES, [0, 1, 8]])
    found = findings(scene(bad))["arrival.not-finite"][0]
    assert finding_json(found)["elements"] == {"kind": "vertices", "total": 1, "indices": [8]}
    assert not trips("arrival.not-finite", scene(cube(size=1e30)))


def test_leftovers():
    crate = scene(
        cube(), nodes=(node(children=(1, 2, 3)), Node("n1", "eye", camera=0), Node("n2", "lamp", light=0), Node("n3", "old rope"))
    )
    crate = crate.with_(cameras=(Camera("eye", {}),), lights=(Light("lamp", {}),))
    found = findings(crate)
    assert {"arrival.cameras", "arrival.lights", "arrival.empties"} <= set(found)
    assert found["arrival.empties"][0].elements.indices.tolist() == [3]
    assert not {"arrival.cameras", "arrival.lights", "arrival.empties"} & set(findings(scene(cube())))


def test_a_group_above_something_is_not_empty_nor_is_a_joint():
    grouped = scene(cube(), nodes=(Node("n0", "pier", children=(1,)), node(1)))
    assert not trips("arrival.empties", grouped)
    assert not trips("arrival.empties", rigged(np.random.default_rng(0)))


def test_lines():
    lined = scene(replace(cube(), lines=np.array([[0, 7]], np.int32)))
    found = findings(lined)["arrival.lines"][0]
    assert finding_json(found)["elements"] == {"kind": "edges", "total": 1, "pairs": [[0, 7]], "indices": []}
    assert not trips("arrival.lines", lined, "modelling-room")


def test_detail_levels_without_meshes():
    assert trips("arrival.detail-levels", scene(cube(), nodes=(node(), Node("n1", "crate_LOD1"))))
    assert not trips("arrival.detail-levels", scene(cube(), nodes=(node(name="crate_LOD0"),)))


def test_copies():
    same = scene(cube("one"), cube("two"))
    assert trips("arrival.copies-in-place", same)
    moved = scene(cube("one"), cube("two"), nodes=(node(name="one"), node(1, name="two", mesh=1, translation=(3.0, 0, 0))))
    assert not trips("arrival.copies-in-place", moved)
    assert trips("arrival.copies-stored", moved)
    shared = scene(cube(), nodes=(node(name="one"), node(1, name="two", translation=(3.0, 0, 0))))
    assert not trips("arrival.copies-stored", shared)
    assert not trips("arrival.copies-in-place", scene(cube("one"), cube("two", 1.001)))


def test_names():
    parts = lambda *names: scene(*[cube(n, at=(3 * k, 0, 0)) for k, n in enumerate(names)])
    assert trips("arrival.names-alike", parts("lath", "lath"))
    assert not trips("arrival.names-alike", parts("lath", "hoop"))
    assert trips("arrival.numbered-names", parts("mesh_1", "Object.002", "hoop"))
    assert not trips("arrival.numbered-names", parts("lath_1", "lath_2", "hoop"))
    assert trips("arrival.name-clash", parts("Hoop", "hoop"))
    assert not trips("arrival.name-clash", parts("Hoop", "hoop"), "modelling-room")
    assert trips("arrival.illegal-names", parts("hoop/1"), "creator-platform-strict")
    assert not trips("arrival.illegal-names", parts("hoop 1"), "creator-platform-strict")
    assert trips("arrival.illegal-names", parts("h" * 65), "creator-platform-strict")
    assert not trips("arrival.illegal-names", parts("h" * 50), "creator-platform-strict")


def test_joint_prefix():
    made = rigged(np.random.default_rng(0))
    assert not trips("arrival.joint-prefix", made)
    prefixed = made.with_(nodes=tuple(replace(n, name=f"quay:{n.name}") for n in made.nodes))
    assert findings(prefixed)["arrival.joint-prefix"][0].mends == (("arrival.rename", {"search": "quay:", "replace": ""}),)


def test_fused_and_crumbs():
    two = mesh(np.concatenate([CUBE_POINTS, CUBE_POINTS + 5]), CUBE_FACES + [[i + 8 for i in f] for f in CUBE_FACES])
    assert trips("arrival.fused", scene(two), intent='{"kind": "character"}')
    assert not trips("arrival.fused", scene(two))
    many = scene(*[cube(f"lath {k}", at=(3 * k, 0, 0)) for k in range(25)])
    assert trips("arrival.crumbs", many, "creator-platform-strict")
    assert not trips("arrival.crumbs", many)


def test_problems_become_findings():
    assert trips("arrival.broken-references", scene(cube()).with_(problems=(Problem("broken-reference", "Node 3 uses mesh 9."),)))
    assert trips("arrival.not-read", scene(cube()).with_(problems=(Problem("free-form", "A curve."),)))


def test_hidden_and_unplaced():
    assert trips("arrival.hidden", scene(cube(), nodes=(node(hidden=True),)))
    assert trips("arrival.unplaced", scene(cube(), cube("spare"), nodes=(node(),)))


# --- Size ------------------------------------------------------------------------------------------


def test_unit_factors():
    """An inch is exactly 25.4 mm, a foot exactly 304.8 mm (NIST SP 811, appendix B.8)."""
    assert INCH == 0.0254
    assert FOOT == 0.3048 == pytest.approx(12 * INCH, rel=1e-15)
    factors = [f for f, _ in CLASSIC]
    assert {0.01, 100.0, 0.001, 1000.0, INCH, FOOT, 2.54} <= set(factors)
    assert all(any(abs(f * g - 1) < 1e-12 for g in factors) for f in factors)


@pytest.mark.parametrize("factor", [f for f, _ in CLASSIC if f != 1])
def test_each_classic_factor_is_recognised(factor):
    """A two-metre adult (common practice) written in each unit."""
    made = scene(cube(size=1.8 / factor)).with_(unit_metres=None, format="obj")
    found = findings(made, intent='{"expected": {"height_m": 1.8}}')
    assert found["size.undeclared-unit"][0].result == "caution"
    assert found["size.undeclared-unit"][0].measured == {"value": factor, "unit": "factor"}
    assert found["size.undeclared-unit"][0].mends == (("size.scale", {"factor": factor, "unit": "m"}),)
    assert "size.expected" not in found


def test_undeclared_but_fitting_is_a_note():
    made = scene(cube(size=1.8)).with_(unit_metres=None, up_axis=None, format="obj")
    found = findings(made, intent='{"expected": {"height_m": 1.75}}')
    assert found["size.undeclared-unit"][0].result == "note"
    assert "size.undeclared-up-axis" in found


def test_expected_size():
    crate = scene(cube())
    assert not trips("size.expected", crate, intent='{"expected": {"height_m": 1.09}}')
    near = findings(crate, intent='{"expected": {"height_m": 1.5}}')["size.expected"][0]
    assert near.result == "caution"
    far = findings(crate, intent='{"expected": {"height_m": 100}}')["size.expected"][0]
    assert far.result == "stop"
    assert far.measured == {"value": 1.0, "unit": "m"}
    assert far.wanted["value"] == pytest.approx(100)
    assert far.mends == (("size.scale", {"factor": 100.0}),)
    odd = findings(crate, intent='{"expected": {"height_m": 7}}')["size.expected"][0]
    assert odd.mends[0][1]["factor"] == pytest.approx(7)


def test_height_is_along_the_files_up_axis():
    tall = mesh(CUBE_POINTS * [1, 1, 3], CUBE_FACES)
    assert not trips("size.expected", scene(tall).with_(up_axis="Z"), intent='{"expected": {"height_m": 3, "depth_m": 1}}')
    assert trips("size.expected", scene(tall), intent='{"expected": {"height_m": 3}}')


def test_unit_and_axis_of_the_destination():
    assert {"size.unit", "size.up-axis"} <= set(findings(scene(cube()), "modelling-room"))
    assert not {"size.unit", "size.up-axis"} & set(findings(scene(cube())))
    stated = scene(cube()).with_(format="dae", up_axis="Z")
    assert findings(stated)["size.up-axis"][0].result == "note"


def test_characters_and_extremes():
    assert trips("size.character", scene(cube(size=2.01)), intent='{"kind": "character"}')
    assert not trips("size.character", scene(cube(size=1.99)), intent='{"kind": "character"}')
    assert trips("size.extreme", scene(cube(size=0.009)))
    assert trips("size.extreme", scene(cube(size=1100, at=(-550, 0, -550))))
    assert not trips("size.extreme", scene(cube(size=0.02)))


# --- Placement -------------------------------------------------------------------------------------


def test_scale_and_rotation():
    assert trips("placement.scale", scene(cube(), nodes=(node(scale=(2.0, 2.0, 2.0)),)))
    assert not trips("placement.scale", scene(cube(), nodes=(node(scale=(1.00005, 1.00005, 1.00005)),)))
    assert not trips("placement.scale", scene(cube(), nodes=(node(scale=(2.0, 2.0, 2.0)),)), "modelling-room")
    assert trips("placement.uneven-scale", scene(cube(), nodes=(node(scale=(2.0, 1.0, 1.0)),)))
    assert trips("placement.mirrored", scene(cube(), nodes=(node(scale=(1.0, -1.0, 1.0)),)))
    assert not trips("placement.mirrored", scene(cube(), nodes=(node(scale=(1.0, -1.0, -1.0)),)))
    quarter = scene(cube(), nodes=(node(rotation=(HALF, 0, 0, HALF)),))
    slight = scene(cube(), nodes=(node(rotation=(float(np.sin(0.1)), 0, 0, float(np.cos(0.1)))),))
    assert findings(quarter)["placement.rotation"][0].measured == {"value": 90.0, "unit": "degrees"}
    assert not trips("placement.rotation", slight)
    assert trips("placement.rotation", slight, "creator-platform-strict")


def test_inverse_pair():
    pair = (Node("n0", "rig", scale=(0.01,) * 3, children=(1,)), Node("n1", "hip", children=(2,)), node(2, scale=(100.0,) * 3))
    found = findings(scene(cube(), nodes=pair))["placement.inverse-pair"][0]
    assert found.elements.indices.tolist() == [0, 2]
    near = (replace(pair[0], scale=(0.02,) * 3), *pair[1:])
    assert not trips("placement.inverse-pair", scene(cube(), nodes=near))


def test_shear():
    lean = (0.0, 0.0, float(np.sin(0.2)), float(np.cos(0.2)))
    sheared = (Node("n0", "arm", scale=(2.0, 1.0, 1.0), children=(1,)), node(1, rotation=lean))
    assert trips("placement.shear", scene(cube(), nodes=sheared))
    even = (replace(sheared[0], scale=(2.0, 2.0, 2.0)), sheared[1])
    assert not trips("placement.shear", scene(cube(), nodes=even))


def test_far():
    """At 600 miles 32-bit floats are 6 cm apart (IEEE 754; the distance is common practice)."""
    out = findings(scene(cube(), nodes=(node(translation=(965_606.0, 0, 0)),)))["placement.far"][0]
    assert out.measured == {"value": 62.5, "unit": "mm"}
    assert out.result == "stop"
    assert findings(scene(cube(), nodes=(node(translation=(2000.0, 0, 0)),)))["placement.far"][0].result == "caution"
    assert not trips("placement.far", scene(cube(), nodes=(node(translation=(500.0, 0, 0)),)))
    # Geometry far out under a node at the origin is as bad.
    assert trips("placement.far", scene(cube(at=(965_606, 0, 0))))


def test_ground():
    sunk = scene(cube(at=(0, -0.2, 0)))
    assert trips("placement.ground", sunk, "ar-viewing")
    assert not trips("placement.ground", sunk)
    assert trips("placement.ground", sunk, intent='{"pivot": "base-centre"}')
    assert not trips("placement.ground", sunk, "ar-viewing", '{"pivot": "centre"}')
    assert not trips("placement.ground", scene(cube(at=(0, 0.004, 0))), "ar-viewing")


def test_a_rig_is_left_to_the_skin_station():
    assert not {"placement.scale", "placement.rotation"} & {
        c for c, f in findings(rigged(np.random.default_rng(3))).items() if any(x.node in (1, 2, 3) for x in f)
    }


# --- Budget ----------------------------------------------------------------------------------------


def test_a_limit_is_the_greatest_allowed_value():
    """The strict platform refuses a mesh of more than 10,000 triangles (common practice)."""
    assert not trips("budget.triangles-mesh", scene(grid(10_000)), "creator-platform-strict")
    over = scene(
        mesh(
            np.concatenate([grid(10_000).positions, CUBE_POINTS[:3]]),
            [*grid(10_000).corners.reshape(-1, 3).tolist(), [len(grid(10_000).positions) + k for k in range(3)]],
        )
    )
    found = findings(over, "creator-platform-strict")["budget.triangles-mesh"][0]
    assert (found.result, found.measured["value"], found.wanted["value"]) == ("stop", 10_001, 10_000)


def test_totals_count_instances():
    nodes = tuple(node(k, name=f"net {k}", translation=(float(k), 0, 0)) for k in range(7))
    assert trips("budget.triangles-total", scene(grid(9_000), nodes=nodes), "creator-platform-strict")
    assert not trips("budget.triangles-total", scene(grid(9_000), nodes=nodes[:6]), "creator-platform-strict")


def test_draw_calls_are_slots_times_parts():
    two = replace(cube(), slots=np.array([0, 0, 0, 1, 1, 1], np.int32), slot_materials=(0, 1))
    nodes = tuple(node(k, name=f"crate {k}", translation=(2.0 * k, 0, 0)) for k in range(7))
    materials = tuple(Material(f"m{k}", f"paint {k}", alpha_mode="opaque") for k in range(2))
    assert (
        findings(scene(two, nodes=nodes, materials=materials), "creator-platform-strict")["budget.draw-calls"][0].measured[
            "value"
        ]
        == 14
    )
    assert not trips("budget.draw-calls", scene(two, nodes=nodes[:6], materials=materials), "creator-platform-strict")


def test_planned_copies():
    intent = lambda n: json.dumps({"copies": n})
    assert trips("budget.copies", scene(grid(1000)), intent=intent(2001))
    assert not trips("budget.copies", scene(grid(1000)), intent=intent(2000))


def test_another_sheet_judges_the_same_measures():
    measures = collect(scene(grid(20_000)))
    assert "budget.triangles-mesh" in findings(measures, "creator-platform-strict")
    assert "budget.triangles-mesh" not in findings(measures, "realtime-engine")


def test_a_sheets_word_wins():
    sheet = load_sheet("creator-platform-strict")
    assert {c.id: c.result_on(sheet) for c in all_checks()}["placement.mirrored"] == "stop"


def test_skin_with_one_joint_has_no_prefix():
    made = scene(cube(), nodes=(node(name="a:b"),)).with_(skins=(Skin("skin:0", None, (0,)),))
    assert not trips("arrival.joint-prefix", made)


def test_finding_ids_outlive_a_new_revision():
    """Ids are made of names, with a number only where names are shared."""
    made = scene(cube("net"), nodes=(node(name="net", translation=(965_606.0, 0, 0)), Node("n1", "stray")))
    moved = scene(cube("net"), nodes=(Node("n0", "stray"), node(1, name="net", translation=(965_606.0, 0, 0))))
    ids = lambda s: {f.id for found in findings(s).values() for f in found}
    assert ids(made) == ids(moved)
    two = scene(mesh(CUBE_POINTS, []), nodes=(node(name="buoy"), node(1, name="buoy"), node(2, name="crate")))
    two = two.with_(meshes=(mesh(CUBE_POINTS, []), cube()), nodes=(*two.nodes[:2], replace(two.nodes[2], mesh=1)))
    assert [f.id for f in findings(two)["arrival.empty"]] == ["arrival.empty:buoy~0", "arrival.empty:buoy~1"]


def test_stored_triples_count_as_they_are_stored():
    """1, -1, -1 is a scale other than 1, although its matrix is a half turn; a mirror on any axis is no turn."""
    twice = collect(scene(cube(), nodes=(node(scale=(1.0, -1.0, -1.0)),)))
    assert (twice.nodes[0].mirrored, twice.nodes[0].angle, twice.nodes[0].scale) == (False, 0.0, [1.0, -1.0, -1.0])
    assert trips("placement.scale", twice)
    for axis in range(3):
        flips = np.ones(3)
        flips[axis] = -1
        one = collect(scene(cube(), nodes=(node(matrix=np.diag([*flips, 1.0])),)))
        assert (one.nodes[0].mirrored, one.nodes[0].angle, one.nodes[0].scale) == (True, 0.0, flips.tolist())

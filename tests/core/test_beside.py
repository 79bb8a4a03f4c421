"""What stands beside a part: stand-ins for collisions and levels of detail, their fit against solids whose figures are known."""

from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest
import trimesh

from handlens.core.display import display_copy
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.machine.sections import Opened
from handlens.core.measures.draw_cost import draw_cost
from handlens.core.measures.drawing import drawing
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.present.report import facts
from handlens.core.reduction.collapse import Reducer
from handlens.core.reduction.enclosing import smallest_ball, smallest_box, upright_box
from handlens.core.reduction.price import distances, surface_of
from handlens.core.reduction.stand_ins import SHAPES, fit_of, hull_of, shape_of, stands, volume_of
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Material, Node
from handlens.core.scene.generated import ROLE, property_text
from handlens.core.stations.budget.checks import by_slot
from handlens.core.stations.budget.mends_levels import switch_distance
from handlens.core.words.calls import Call
from kit.scenes import cube, mesh, rigged, scene
from kit.solids import torus

SHEET = load_sheet("realtime-engine")
TURN = trimesh.transformations.quaternion_matrix([0.5, 0.1, 0.7, -0.4])[:3, :3]


def solid(t, turn=TURN):
    return np.array(t.vertices) @ turn.T, np.array(t.faces, np.int64)


def fitted(kind, t, turn=TURN):
    p, f = solid(t, turn)
    made = shape_of(kind, p, f, 1, lambda: Reducer(mesh(p, f.tolist())))
    return made, fit_of(made, p, f, volume_of(p, f), 1)


#: Volumes by the formulas of any handbook; the hull of a ring is a disc with a ball rolled round it (Steiner), here of 64 points.
@pytest.mark.parametrize(
    ("kind", "t", "ratio", "off"),
    [
        ("hull", trimesh.creation.box((1, 2, 3)), 1.0, 1e-6),
        ("turned box", trimesh.creation.box((1, 2, 3)), 1.0, 1e-6),
        ("turned box", trimesh.creation.cylinder(0.5, 2, sections=64), 4 / np.pi, 0.01),
        ("sphere", trimesh.creation.icosphere(1), 1.0, 1e-6),
        ("capsule", trimesh.creation.capsule(1, 0.4, count=(48, 48)), 1.0, 0.07),
        (
            "hull",
            trimesh.creation.torus(1, 0.3, 64, 32),
            (0.6 * np.pi + 0.09 * np.pi**2 + 0.036 * np.pi) / (0.18 * np.pi**2),
            0.16,
        ),
        ("hulls", trimesh.creation.box((1, 2, 3)), 1.0, 0.01),
    ],
)
def test_volumes_are_those_of_the_solids(kind, t, ratio, off):
    assert fitted(kind, t)[1].volume == pytest.approx(ratio, abs=off)


def test_the_smallest_ball_and_box_are_those_of_known_bodies():
    corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 2) for z in (0, 3)], float)
    ball = smallest_ball(corners)
    assert (ball.radius, ball.middle.tolist()) == (pytest.approx(np.sqrt(14) / 2), pytest.approx([0.5, 1, 1.5]))
    # An equilateral triangle: the circle about it has side / √3.
    assert smallest_ball(np.array([[0, 0], [1, 0], [0.5, np.sqrt(0.75)]])).radius == pytest.approx(1 / np.sqrt(3))
    turned = corners @ TURN.T
    box = smallest_box(*hull_of(turned))
    assert sorted(2 * box.half) == pytest.approx([1, 2, 3])
    assert upright_box(turned).volume > 6.5
    random = np.random.default_rng(4).normal(size=(400, 3))
    ball = smallest_ball(random)
    away = np.linalg.norm(random - ball.middle, axis=1)
    # It holds all of them, and is held by two or more: no smaller one could.
    assert away.max() <= ball.radius * (1 + 1e-9)
    assert 2 <= int((away > ball.radius * (1 - 1e-6)).sum()) <= 4


@pytest.mark.parametrize("kind", SHAPES)
def test_every_shape_is_closed_and_lies_about_the_part(kind):
    p, _ = solid(trimesh.creation.icosphere(3))
    made, fit = fitted(kind, trimesh.creation.icosphere(3))
    for points, triangles in made.pieces:
        t = trimesh.Trimesh(points, triangles, process=False)
        assert (t.is_watertight, t.is_winding_consistent) == (True, True)
        assert t.volume > 0
    assert fit.gap < 0.75
    if "box" in kind:
        assert np.abs(made.merged[0] - p.mean(axis=0)).max() >= 0.999


def test_what_stands_on_it_floats_or_sinks_by_what_the_heights_differ():
    # A table: a board on a leg. Its hull is as high everywhere; its capsule is not.
    leg, board = trimesh.creation.box((0.1, 1, 0.1)), trimesh.creation.box((2, 0.1, 2))
    board.apply_translation([0, 0.55, 0])
    step = trimesh.util.concatenate([trimesh.creation.box((2, 1, 1)), leg.apply_translation([0, 1, 0]) or leg])
    _, fit = fitted("box", trimesh.util.concatenate([leg, board]), np.eye(3))
    assert fit.sink_by == pytest.approx(0, abs=1e-6)
    _, fit = fitted("box", step, np.eye(3))
    # From the step's top at 0.5 up to the leg's at 1.5 everywhere beside the leg.
    assert fit.float_by == pytest.approx(1.0, abs=1e-4)


def test_a_mover_must_stand():
    wide, narrow = trimesh.creation.cone(1, 2), trimesh.creation.cone(1, 2)
    upright = trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0))[:3, :3]
    cone, _ = fitted("hull", wide, upright)
    assert stands(cone, 1)
    leaning, _ = fitted("hull", narrow, trimesh.transformations.rotation_matrix(-np.pi / 2 + 1.2, (1, 0, 0))[:3, :3])
    assert not stands(leaning, 1)


def with_stand_ins(**params):
    made = scene(cube("crate"), nodes=(Node("n", "crate", mesh=0, translation=(3, 0, 1), scale=(2, 1, 1)),))
    return made, apply_mend(made, "budget.stand-in", params)


def test_a_stand_in_hangs_on_its_part_and_counts_nowhere():
    before, outcome = with_stand_ins()
    after = outcome.scene
    node = next(n for n in after.nodes if n.name == "crate_stand_in")
    assert (property_text(node, ROLE), after.nodes[0].children) == ("stand-in", (1,))
    assert "an upright box is the cheapest" in outcome.remarks[0]
    ids = lambda s: [(f.id, f.result) for f in judge(measure(s), SHEET, Intent()).findings]
    assert ids(after) == ids(before)
    # Again it takes the place of the one before.
    again = apply_mend(after, "budget.stand-in", {"shape": "sphere"}).scene
    assert [n.name for n in again.nodes] == ["crate", "crate_stand_in"]
    # It is drawn as the edges of its shape.
    parts = Opened(display_copy(after)).header
    assert [p["role"] for p in parts["parts"]] == ["", "stand-in"]
    assert parts["meshes"][1]["triangles"] == 0
    with pytest.raises(MendError, match="each joint"):
        apply_mend(rigged(np.random.default_rng(1)), "budget.stand-in", {})


def test_levels_are_coarser_each_and_say_from_where():
    ball = scene(mesh(np.array(trimesh.creation.icosphere(4).vertices), trimesh.creation.icosphere(4).faces.tolist(), "buoy"))
    outcome = apply_mend(ball, "budget.levels", {"shares": "40;10", "screen_px": 1000})
    counts = {n.name: outcome.scene.meshes[n.mesh].triangle_count for n in outcome.scene.nodes}
    assert list(counts) == ["buoy", "buoy_level_1", "buoy_level_2"]
    assert counts["buoy_level_1"] == pytest.approx(0.4 * 5_120, rel=0.01)
    assert counts["buoy_level_2"] == pytest.approx(0.1 * 5_120, rel=0.01)
    # At 100 m a screen of 1,000 pixels shows 2 · 100 · tan 30° m, so a pixel is 0.1155 m.
    assert switch_distance(0.2 * np.tan(np.radians(30)), 1000) == pytest.approx(100)
    assert measure(outcome.scene).parts[1].role == "level-1"
    for wrong in ("50;60", "x", "", "120"):
        with pytest.raises(MendError, match=r"shares? "):
            apply_mend(ball, "budget.levels", {"shares": wrong})


def test_levels_for_heights_on_screen_are_off_by_no_more_than_a_pixel_there():
    """A ball 2 m high that stands 400 and 100 pixels high: a pixel is 5 mm and 20 mm there. Two of one mesh share theirs."""
    t = trimesh.creation.icosphere(4)
    ball = mesh(np.array(t.vertices), t.faces.tolist(), "buoy")
    nodes = (Node("n0", "one", mesh=0), Node("n1", "two", (0, 0, 5), mesh=0))
    made = apply_mend(scene(ball, nodes=nodes), "budget.levels", {"heights_px": "400;100"}).scene
    assert len(made.meshes) == 3
    assert [n.mesh for n in made.nodes] == [0, 0, 1, 1, 2, 2]
    off = [distances(surface_of(ball), surface_of(made.meshes[k]))[0] for k in (1, 2)]
    assert 0.5 * 0.005 < off[0] <= 0.005
    assert 0.5 * 0.02 < off[1] <= 0.02
    boxes = apply_mend(scene(ball, nodes=nodes), "budget.stand-in", {"shape": "box"}).scene
    assert [n.mesh for n in boxes.nodes] == [0, 0, 1, 1]
    for wrong in ("50;100", "-1", "x"):
        with pytest.raises(MendError, match="heights"):
            apply_mend(scene(ball), "budget.levels", {"heights_px": wrong})


@pytest.mark.parametrize("format_name", ["glb", "obj"])
def test_they_are_written_as_the_sheet_wants(format_name, tmp_path: Path):
    ball = mesh(np.array(trimesh.creation.icosphere(3).vertices), trimesh.creation.icosphere(3).faces.tolist(), "buoy")
    made = scene(ball, replace(cube("crate"), id="m2"))
    for call in (Call("budget.stand-in", {"shape": "box"}), Call("budget.levels", {"shares": "30", "parts": ["buoy"]})):
        made = apply_mend(made, *call).scene
    wants = msgspec.structs.replace(SHEET.writes, stand_ins="file", stand_in_suffix="-hit", levels="files", level_suffix="-far")
    beside = write_as(made, format_name, "quay", SHEET.writes)
    named = {n.name for n in beside.held.scene.nodes}
    assert {"buoy_stand_in", "crate_stand_in", "buoy_level_1"} <= named
    apart = write_as(made, format_name, "quay", wants)
    assert {f"quay.{format_name}", f"quay-hit.{format_name}", f"quay-far1.{format_name}"} <= set(apart.files)
    for path, data in apart.files.items():
        (tmp_path / path).write_bytes(data)
    assert apart.proof(FolderPackage(tmp_path), f"quay.{format_name}").proved
    count = {path: sum(m.triangle_count for m in w.held.scene.meshes) for path, w in apart.apart}
    work = Reducer(ball)
    far = work.sound(work.triangles(int(0.3 * 1_280)))
    assert count == {f"quay-hit.{format_name}": 24, f"quay-far1.{format_name}": pytest.approx(len(far) + 12, abs=4)}


def test_joining_what_shares_a_slot_is_told_and_offered():
    """Three posts of one material and a lamp of another: of four draws joining spares two."""
    posts = [replace(cube(f"post {k}", at=(2 * k, 0, 0)), id=f"p{k}") for k in range(3)]
    lamp = replace(cube("lamp", at=(0, 3, 0)), id="lamp", slot_materials=(1,))
    made = scene(*posts, lamp, materials=(Material("a", "tarred wood"), Material("b", "glass")))
    m = measure(made)
    assert [(s.name, s.calls, s.saved) for s in by_slot(m)] == [("tarred wood", 3, 2), ("glass", 1, 0)]
    tight = msgspec.structs.replace(SHEET, limits=msgspec.structs.replace(SHEET.limits, draw_calls=2))
    found = next(f for f in judge(m, tight, Intent()).findings if f.check == "budget.draw-calls")
    after = apply_mend(made, *found.mends[0]).scene
    assert sum(s.calls for s in by_slot(measure(after))) == 2


def test_what_stands_beside_glass_and_twins_is_named_apart_and_judged_by_nobody():
    """Two parts of one name, one of them see-through: no check falls over what is set apart, and every name is its own."""
    made = scene(cube("lamp"), nodes=(Node("a", "lamp", mesh=0), Node("b", "lamp", mesh=0, translation=(0.5, 0, 0))))
    made = made.with_(materials=(Material("m", "glass", base_colour=(1, 1, 1, 0.4), alpha_mode="blend", double_sided=True),))
    before = judge(measure(made), SHEET, Intent())
    after = apply_mend(made, "budget.stand-in", {"shape": "box"}).scene
    names = [n.name for n in after.nodes]
    assert names[2:] == ["lamp_stand_in", "lamp_stand_in_2"]
    told = judge(measure(after), SHEET, Intent())
    # Who takes stock sees that two shapes are stored that are one; nobody else sees them.
    drawn = lambda j: [f.id for f in j.findings if f.station != "Arrival"]
    assert drawn(told) == drawn(before)
    assert told.skipped == before.skipped


def test_a_name_that_was_given_since_is_kept():
    made = apply_mend(scene(cube("crate")), "budget.stand-in", {"shape": "box"}).scene
    wants = msgspec.structs.replace(SHEET.writes, stand_in_suffix="-hit")
    name = lambda s: [n.name for n in write_as(s, "glb", "x", wants).held.scene.nodes][1]
    assert name(made) == "crate-hit"
    renamed = made.with_(nodes=(made.nodes[0], replace(made.nodes[1], name="my own box")))
    assert name(renamed) == "my own box"


def test_the_chart_counts_what_is_drawn_alone_and_a_level_is_coarser_or_not_there():
    ball = scene(mesh(np.array(trimesh.creation.icosphere(3).vertices), trimesh.creation.icosphere(3).faces.tolist(), "buoy"))
    after = apply_mend(apply_mend(ball, "budget.levels", {}).scene, "budget.stand-in", {"shape": "box"}).scene
    assert (draw_cost(after), draw_cost(ball).triangles) == (draw_cost(ball), 1_280)
    few = apply_mend(ball, "budget.levels", {"shares": "50;49"})
    assert [n.name for n in few.scene.nodes] == ["buoy", "buoy_level_1"]
    assert "left out" in few.remarks[0]


@pytest.mark.parametrize("sides", [3])
def test_a_suited_stand_in_is_never_dearer_than_the_thing(sides):
    """Rings of few triangles, for which pieces of hulls take many times as many."""
    ring = torus(4 * sides, sides, 1.0, 0.25)
    outcome = apply_mend(scene(ring), "budget.stand-in", {"shape": "suited"})
    made = sum(m.triangle_count for m in outcome.scene.meshes) - ring.triangle_count
    assert 0 < made <= ring.triangle_count


def test_what_is_never_drawn_is_counted_nowhere():
    """One number of triangles and of draws, whoever tells it: the report, the slip, the price."""
    ball = trimesh.creation.icosphere(3)
    thing = scene(mesh(np.array(ball.vertices), ball.faces.tolist(), "buoy"))
    made = apply_mend(apply_mend(thing, "budget.stand-in", {}).scene, "budget.levels", {"shares": "50%"}).scene
    before, after = measure(thing), measure(made)
    assert len(after.parts) > 1
    assert facts(after)["triangles"] == draw_cost(made).triangles == drawing(after).triangles == facts(before)["triangles"]
    assert draw_cost(made).draw_calls == drawing(after).draw_calls == drawing(before).draw_calls

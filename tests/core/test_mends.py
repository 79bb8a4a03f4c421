"""Mends keep what they promise: world positions before and after, over random trees, rigs and clips."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core.geometry.topology import surface
from handlens.core.limits import InputError, MendError
from handlens.core.route.stations import all_mends, find_mend
from handlens.core.route.tape import apply_mend, apply_tape
from handlens.core.scene import Camera, Channel, Clip, Layer, Light, Material, Morph, Node, Skin, TextureInput, Weights
from handlens.core.scene.matrices import Polar, compose, matrix_quaternion, quaternion_matrix
from handlens.core.scene.motion import pose_at
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import walk, world_matrices
from handlens.core.words.calls import call_text, parse_call
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, findings, mesh, rigged, scene, triangles_of
from kit.trees import positions, random_tree

Y_TO_Z = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])


def drawn_normals(s):
    """World normals of each part's corners, by the inverse transpose, with the way each face is drawn."""
    world = world_matrices(s)
    out = {}
    for i in walk(s):
        if s.nodes[i].mesh is None:
            continue
        m = s.meshes[s.nodes[i].mesh]
        linear = world[i][:3, :3]
        n = m.normals.at_corners() @ np.linalg.inv(linear)
        p = m.positions[m.corners].reshape(-1, 4, 3) @ linear.T
        geometric = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) * np.sign(np.linalg.det(linear))
        out[s.nodes[i].name] = (n / np.linalg.norm(n, axis=1, keepdims=True), geometric)
    return out


# --- bake ------------------------------------------------------------------------------------------


@given(st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_baking_moves_nothing(seed):
    before = random_tree(np.random.default_rng(seed))
    after = apply_mend(before, "placement.bake", {}).scene
    for n in after.nodes:
        assert np.allclose(n.local[:3, :3], np.eye(3), atol=1e-12)
    old, new = positions(before), positions(after)
    for name, p in old.items():
        # Mirrored parts keep their vertices in order; only corners are turned.
        assert np.allclose(new[name], p, atol=1e-9 * max(1, np.abs(p).max())), name


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_baking_keeps_pivots_normals_and_facing(seed):
    before = random_tree(np.random.default_rng(seed))
    after = apply_mend(before, "placement.bake", {}).scene
    assert np.allclose(world_matrices(before)[:, :3, 3], world_matrices(after)[:, :3, 3])
    old, new = drawn_normals(before), drawn_normals(after)
    for name, (n, g) in old.items():
        n2, g2 = new[name]
        # Corners of mirrored faces run the other way round, so compare as sets a face.
        for f in range(6):
            a, b = n[4 * f : 4 * f + 4], n2[4 * f : 4 * f + 4]
            assert np.allclose(np.sort(a, axis=0), np.sort(b, axis=0), atol=1e-6)
        assert (np.einsum("ij,ij->i", g, g2) > 0).all(), name


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_baking_a_rig_moves_nothing_at_rest_or_in_any_clip(seed):
    before = rigged(np.random.default_rng(seed))
    after = apply_mend(before, "placement.bake", {}).scene
    assert np.allclose(posed(before, 4), posed(after, 4), atol=1e-6)
    for t in (0.0, 0.25, 0.5, 0.9, 1.0):
        a = posed(before, 4, pose_at(before, before.clips[0], t))
        b = posed(after, 4, pose_at(after, after.clips[0], t))
        # Clip keys are stored as 32-bit floats.
        assert np.allclose(a, b, atol=2e-5 * max(1.0, np.abs(a).max())), t


def test_baking_keeps_a_node_whose_clip_no_plain_node_could_follow():
    made = rigged(np.random.default_rng(5))
    squash = replace(made.clips[0].channels[2], values=np.array([[1, 2, 3], [1, 1, 1], [3, 1, 1]], np.float32))
    turn = replace(made.clips[0].channels[0], node=3)
    made = made.with_(clips=(Clip("clip:0", "squash", (squash, turn)),))
    outcome = apply_mend(made, "placement.bake", {})
    assert "head" in outcome.remarks[0]
    for t in (0.0, 0.3, 1.0):
        a, b = (posed(s, 4, pose_at(s, s.clips[0], t)) for s in (made, outcome.scene))
        assert np.allclose(a, b, atol=2e-5 * max(1.0, np.abs(a).max()))


def test_baking_below_an_uneven_scale_says_why_not():
    with pytest.raises(MendError, match="uneven scale"):
        apply_mend(rigged(np.random.default_rng(1), even=False), "placement.bake", {})


def test_baking_stores_a_shared_mesh_once_for_each_scale():
    nodes = tuple(Node(f"n{k}", f"crate {k}", scale=(s, s, s), mesh=0) for k, s in enumerate((2.0, 2.0, 3.0)))
    outcome = apply_mend(scene(cube(), nodes=nodes), "placement.bake", {})
    assert [n.mesh for n in outcome.scene.nodes] == [0, 0, 1]
    assert [f.what for f in outcome.figures] == ["nodes scaled or turned", "meshes stored"]


def test_baking_nothing_says_so():
    with pytest.raises(MendError, match="already"):
        apply_mend(scene(cube()), "placement.bake", {})


def test_baked_mirror_stays_closed_and_wound():
    after = apply_mend(scene(cube(), nodes=(Node("n", "crate", scale=(-1.0, 1.0, 1.0), mesh=0),)), "placement.bake", {}).scene
    top = surface(after.meshes[0])
    assert (top.closed, top.winding_consistent) == (True, True)
    p = after.meshes[0].positions[after.meshes[0].corners].reshape(-1, 4, 3)
    volume = (
        np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum()
        + np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 2], p[:, 3])).sum()
    )
    assert volume / 6 == pytest.approx(1.0)


# --- scale and axes --------------------------------------------------------------------------------


@given(st.integers(0, 10_000), st.sampled_from([100.0, 0.01, 0.0254, 3.7]))
@settings(max_examples=30, deadline=None)
def test_scaling_multiplies_every_world_position(seed, factor):
    before = random_tree(np.random.default_rng(seed))
    after = apply_mend(before, "size.scale", {"factor": factor}).scene
    for name, p in positions(before).items():
        assert np.allclose(positions(after)[name], p * factor, rtol=1e-9, atol=1e-9 * factor)
    for a, b in zip(before.nodes, after.nodes, strict=True):
        assert np.allclose(a.local[:3, :3], b.local[:3, :3])


@given(st.integers(0, 10_000))
@settings(max_examples=30, deadline=None)
def test_scaling_and_turning_carry_skins_and_clips(seed):
    before = rigged(np.random.default_rng(seed))
    grown = apply_mend(before, "size.scale", {"factor": 100}).scene
    turned = apply_mend(before, "size.up-axis", {"to": "Z"}).scene
    for t in (0.0, 0.4, 1.0):
        a = posed(before, 4, pose_at(before, before.clips[0], t))
        size = max(1.0, np.abs(a).max())
        assert np.allclose(posed(grown, 4, pose_at(grown, grown.clips[0], t)), a * 100, atol=2e-3 * size)
        assert np.allclose(posed(turned, 4, pose_at(turned, turned.clips[0], t)), a @ Y_TO_Z.T, atol=2e-5 * size)


def test_scaling_carries_morphs_cameras_and_lights():
    made = scene(replace(cube(), morphs=(Morph("swell", np.ones((8, 3))),)))
    made = made.with_(cameras=(Camera("eye", {"perspective": {"znear": 0.1, "yfov": 1}}),), lights=(Light("lamp", {"range": 2}),))
    after = apply_mend(made, "size.scale", {"factor": 10}).scene
    assert after.meshes[0].morphs[0].positions.max() == 10
    assert after.cameras[0].source["perspective"] == {"znear": 1.0, "yfov": 1}
    assert after.lights[0].source["range"] == 20


def test_turning_there_and_back_is_exact():
    made = random_tree(np.random.default_rng(9))
    there = apply_mend(made, "size.up-axis", {"to": "Z"}).scene
    back = apply_mend(there, "size.up-axis", {"to": "Y"}).scene
    assert np.array_equal(back.meshes[0].positions, made.meshes[0].positions)
    assert there.up_axis == "Z"
    with pytest.raises(MendError, match="up already"):
        apply_mend(made, "size.up-axis", {"to": "Y"})


def test_an_unstated_axis_is_turned_from_the_other():
    made = scene(cube(at=(0, 0, 5))).with_(up_axis=None)
    after = apply_mend(made, "size.up-axis", {"to": "Y"}).scene
    assert after.meshes[0].positions[:, 1].max() == 6


@pytest.mark.parametrize("factor", ["0", "nan", "inf", "wide", "1e13"])
def test_bad_factors(factor):
    with pytest.raises(InputError):
        apply_mend(scene(cube()), "size.scale", {"factor": factor})


# --- leftovers, names ------------------------------------------------------------------------------


def test_removing_leftovers_keeps_children_and_indices():
    nodes = (
        Node("n0", "studio", camera=0, children=(1,)),
        Node("n1", "crate", mesh=0),
        Node("n2", "lamp", light=0),
        Node("n3", "stray", children=(4,)),
        Node("n4", "stray child"),
        Node("n5", "crate 2", mesh=0),
    )
    made = scene(cube(), nodes=nodes).with_(cameras=(Camera("studio", {}),), lights=(Light("lamp", {}),))
    after, runs = apply_tape(made, [("arrival.remove", {"what": w}) for w in ("cameras", "lights", "empties")])
    assert [r.applied for r in runs] == [True] * 3
    assert [n.name for n in after.nodes] == ["studio", "crate", "crate 2"]
    assert after.roots == (0, 2)
    assert after.cameras == after.lights == ()
    assert positions(after).keys() == positions(made).keys()


def test_removing_lines_takes_only_what_they_alone_used():
    lined = replace(cube(), positions=np.concatenate([CUBE_POINTS, [[9, 9, 9]]]), lines=np.array([[0, 8]], np.int32))
    guide = mesh([[0, 0, 0], [1, 0, 0]], [], "guide", lines=np.array([[0, 1]], np.int32))
    after = apply_mend(scene(lined, guide), "arrival.remove", {"what": "lines"}).scene
    assert len(after.meshes) == 1
    assert len(after.nodes) == 1
    assert len(after.meshes[0].positions) == 8
    assert surface(after.meshes[0]).closed


def test_removing_unused_renumbers_what_stays():
    spare = Material("m0", "spare", inputs=(TextureInput("base-colour", ("x",), None),))
    used = Material("m1", "used")
    made = scene(replace(cube(), slot_materials=(1,)), materials=(spare, used))
    after = apply_mend(made, "arrival.remove", {"what": "unused"}).scene
    assert [m.name for m in after.materials] == ["used"]
    assert after.meshes[0].slot_materials == (0,)


@pytest.mark.parametrize("what", ["cameras", "lights", "lines", "empties", "unused"])
def test_removing_what_is_not_there_says_so(what):
    with pytest.raises(MendError):
        apply_mend(scene(cube()), "arrival.remove", {"what": what})


def test_rename():
    made = rigged(np.random.default_rng(0))
    after = apply_mend(made, "arrival.rename", {"search": "e", "replace": "E"}).scene
    assert [n.name for n in after.nodes] == ["rig", "hip", "spinE", "hEad", "EEl"]
    patterned = apply_mend(made, "arrival.rename", {"search": r"^(.)", "replace": r"quay_\1", "pattern": "true"})
    assert patterned.scene.nodes[1].name == "quay_hip"
    assert ("hip", "quay_hip") in [(f.before, f.after) for f in patterned.figures]
    with pytest.raises(InputError, match="not a valid pattern"):
        apply_mend(made, "arrival.rename", {"search": "(", "pattern": "true"})
    with pytest.raises(MendError):
        apply_mend(made, "arrival.rename", {"search": "barnacle"})


# --- calls and tape --------------------------------------------------------------------------------


def test_calls():
    assert parse_call("size.scale:factor=0.01") == ("size.scale", {"factor": "0.01"})
    assert parse_call("placement.bake") == ("placement.bake", {})
    assert parse_call("arrival.rename:search=a\\,b,replace=") == ("arrival.rename", {"search": "a,b", "replace": ""})
    for bad in ("size.scale:factor", "size.scale", "size.scale:factor=2,colour=red", "size.shrink:factor=2", "size.up-axis:to=W"):
        with pytest.raises(InputError):
            apply_mend(scene(cube()), *parse_call(bad))


def test_lists_and_names_come_back_to_the_letter():
    for names in (["a;b"], [" crate"], ["a\\", "b;"], ["a,b=c"], ["x", "y z "]):
        id, params = parse_call(call_text("pivots.set", {"anchor": "base-centre", "parts": names}))
        assert find_mend(id).read(params)["parts"] == names


def test_a_part_whose_name_holds_a_semicolon_is_mended_alone():
    both = scene(cube("a;b"), cube("a", 0.5, (3, 0, 0)))
    wanted = '{"parts": {"a;b": {"pivot": "base-centre"}, "a": {"pivot": "base-centre"}}}'
    told = next(f for f in findings(both, intent=wanted)["pivots.anchor"] if f.part == "a;b")
    assert told.mends[0][1]["parts"] == ["a;b"]
    after = apply_mend(both, *parse_call(call_text(*told.mends[0]))).scene
    assert [f.part for f in findings(after, intent=wanted)["pivots.anchor"]] == ["a"]


def test_zero_is_a_value():
    for m in all_mends():
        for p in m.parameters:
            if p.kind != "number":
                continue
            for raw in ("0", 0, "0.0"):
                if p.zero:
                    assert p.read(raw, m.id) == 0
                else:
                    with pytest.raises(InputError, match="another number than 0"):
                        p.read(raw, m.id)
    brass = scene(cube(), materials=(Material("m", "brass", metallic=1.0, roughness=0.5),))
    brass = brass.with_(meshes=(replace(brass.meshes[0], slot_materials=(0,)),))
    dull = apply_mend(brass, *parse_call("slots.set:materials=brass,metallic=0,roughness=0")).scene.materials[0]
    assert (dull.metallic, dull.roughness) == (0.0, 0.0)
    with pytest.raises(InputError):
        apply_mend(brass, *parse_call("size.scale:factor=0"))


def test_a_tape_passes_over_what_does_not_apply():
    after, runs = apply_tape(scene(cube()), [("placement.bake", {}), ("size.scale", {"factor": 2})])
    assert [r.applied for r in runs] == [False, True]
    assert "already" in runs[0].because
    assert after.meshes[0].positions.max() == 2


def test_the_contracts_mends_are_there():
    assert {"size.scale", "size.up-axis", "placement.bake", "arrival.remove", "arrival.rename"} <= {m.id for m in all_mends()}
    for m in all_mends():
        assert m.title
        assert m.says
        assert m.keeps
        assert m.costs


# --- the mathematics below -------------------------------------------------------------------------


@given(st.integers(0, 10_000))
def test_quaternions_and_matrices_agree(seed):
    q = np.random.default_rng(seed).normal(size=4)
    q /= np.linalg.norm(q)
    m = quaternion_matrix(q)
    assert np.allclose(m @ m.T, np.eye(3))
    back = np.array(matrix_quaternion(m))
    assert np.allclose(back, q) or np.allclose(back, -q)


def test_quaternion_convention():
    """glTF 2.0 §3.5.3: x, y, z, w; a quarter about Y takes +X to -Z."""
    assert np.allclose(quaternion_matrix((0, np.sqrt(0.5), 0, np.sqrt(0.5))) @ [1, 0, 0], [0, 0, -1])


def test_polar_parts():
    p = Polar(compose((0, 0, 0), (0, 0, np.sqrt(0.5), np.sqrt(0.5)), (-2, 3, 4))[:3, :3])
    assert p.mirrored
    assert np.abs(p.scale).tolist() == pytest.approx([2, 3, 4])
    assert p.shear == pytest.approx(0)
    assert p.is_quarter_turn()
    leaning = Polar(np.array([[1, 1, 0], [0, 1, 0], [0, 0, 1.0]]))
    assert leaning.shear == pytest.approx(np.sqrt(0.5))


def test_layers_follow_reversed_corners():
    uv = Layer(np.random.default_rng(0).random((24, 2)), np.arange(24, dtype=np.int32))
    made = scene(replace(cube(), uvs=(uv,)), nodes=(Node("n", "crate", scale=(1.0, 1.0, -1.0), mesh=0),))
    after = apply_mend(made, "placement.bake", {}).scene
    pairs = lambda s: {
        (tuple(np.abs(p)), tuple(t))
        for p, t in zip(s.meshes[0].positions[s.meshes[0].corners], s.meshes[0].uvs[0].at_corners(), strict=True)
    }
    assert pairs(made) == pairs(after)
    assert triangles_of(after.meshes[0]).face_count == 12
    assert len(CUBE_FACES) == after.meshes[0].face_count


# --- bringing home ---------------------------------------------------------------------------------

AWAY = np.array([482_803.21, 37.5, 236_541.87])


@given(st.integers(0, 10_000), st.booleans())
@settings(max_examples=40, deadline=None)
def test_bringing_home_moves_every_part_alike(seed, in_the_mesh):
    """Survey coordinates on the roots or in the vertices themselves: world positions move by one offset, and back."""
    from handlens.core.stations.placement.mends_home import shifted

    made = random_tree(np.random.default_rng(seed))
    if in_the_mesh:
        made = scene(cube("one", at=tuple(AWAY)), cube("two", at=tuple(AWAY + np.array([5.0, 0, 0]))))
    else:
        made = shifted(made, AWAY)
    after = apply_mend(made, "placement.home", {}).scene
    old, new = positions(made), positions(after)
    offsets = np.concatenate([old[k] - new[k] for k in old])
    assert np.allclose(offsets, offsets[0], atol=1e-6)
    low = np.min([p.min(axis=0) for p in new.values()], axis=0)
    high = np.max([p.max(axis=0) for p in new.values()], axis=0)
    assert np.allclose([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2], 0, atol=1e-6)
    assert after.extras["extras"]["removed_offset"] == pytest.approx(offsets[0].tolist())
    back = apply_mend(after, "placement.home", {"back": "true"}).scene
    for name, p in positions(back).items():
        assert np.allclose(p, old[name], atol=1e-6)
    assert "extras" not in back.extras


def test_pivots_far_out_come_home_with_their_parts():
    """Bringing the whole to the origin is not enough: vertices far from their own pivot still shimmer."""
    made = scene(cube("one", at=tuple(AWAY)), cube("two", at=tuple(AWAY + np.array([5.0, 0, 0]))))
    after = apply_mend(made, "placement.home", {}).scene
    for m in after.meshes:
        assert np.abs(m.positions).max() <= 0.51
    assert np.abs([n.translation for n in after.nodes]).max() < 4


def test_children_of_a_pulled_pivot_stay_where_they_are():
    nodes = (
        Node("n0", "pier", mesh=0, rotation=(0, 0.6, 0, 0.8), scale=(2.0, 2.0, 2.0), children=(1,)),
        Node("n1", "lamp", translation=(1.0, 2, 3), mesh=1),
    )
    made = scene(cube("pier", at=(5000, 0, 0)), cube("lamp"), nodes=nodes)
    after = apply_mend(made, "placement.home", {}).scene
    old, new = positions(made), positions(after)
    assert np.allclose(old["pier"] - new["pier"], (old["lamp"] - new["lamp"])[0], atol=1e-6)
    assert np.abs(after.meshes[0].positions).max() <= 0.51


@given(st.integers(0, 10_000))
@settings(max_examples=20, deadline=None)
def test_a_rig_comes_home_whole_in_every_pose(seed):
    from handlens.core.stations.placement.mends_home import shifted

    made = shifted(rigged(np.random.default_rng(seed)), np.array([1000.0, 0, 500.0]))
    after = apply_mend(made, "placement.home", {}).scene
    still = posed(made, 4) - posed(after, 4)
    for t in (0.0, 0.4, 1.0):
        a, b = (posed(s, 4, pose_at(s, s.clips[0], t)) for s in (made, after))
        assert np.allclose(a - b, still[0], atol=1e-3)


def test_at_home_already():
    with pytest.raises(MendError, match="at the origin already"):
        apply_mend(scene(cube(at=(-0.5, 0, -0.5))), "placement.home", {})
    with pytest.raises(MendError, match="records no offset"):
        apply_mend(scene(cube()), "placement.home", {"back": True})
    with pytest.raises(MendError, match="no geometry to move"):
        apply_mend(scene(), "placement.home", {})


def test_the_crane_comes_home_and_is_clear():
    from pathlib import Path

    from handlens.core.pipeline.opening import open_scene
    from kit.scenes import findings

    made = open_scene(Path(__file__).parents[2] / "demo" / "models" / "quay_crane")[2]
    after, runs = apply_tape(
        made,
        [
            ("placement.home", {}),
            ("placement.bake", {}),
            ("arrival.remove", {"what": "lines"}),
            ("arrival.remove", {"what": "empties"}),
        ],
    )
    assert [r.applied for r in runs] == [True] * 4
    assert findings(after) == {}


def test_removing_lines_takes_their_points_with_all_that_hangs_on_them():
    """Points that lines alone use go, with their weights and shapes; those that faces or points share stay."""
    strip = mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0], [5, 0, 0], [6, 0, 0], [7, 0, 0]], [[0, 1, 2]], "strip")
    weights = Weights(np.arange(7), np.arange(6, dtype=np.int32) % 2, np.linspace(0.5, 1.0, 6).astype(np.float32))
    shape = Morph("sag", np.arange(18, dtype=float).reshape(6, 3))
    strip = replace(
        strip, lines=np.array([[2, 3], [3, 5]], np.int32), points=np.array([4], np.int32), weights=weights, morphs=(shape,)
    )
    outcome = apply_mend(scene(strip), "arrival.remove", {"what": "lines"})
    after = outcome.scene.meshes[0]
    kept = [0, 1, 2, 4]
    assert len(after.lines) == 0
    assert after.positions.tolist() == strip.positions[kept].tolist()
    assert after.points.tolist() == [3]
    assert after.morphs[0].positions.tolist() == shape.positions[kept].tolist()
    assert after.weights.weights.tolist() == weights.weights[kept].tolist()
    assert after.weights.joints.tolist() == weights.joints[kept].tolist()
    # Where every point of the lines is one of a face, all points stay.
    shared = replace(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]], "strip"), lines=np.array([[0, 1]], np.int32))
    assert len(apply_mend(scene(shared), "arrival.remove", {"what": "lines"}).scene.meshes[0].positions) == 3


def test_empty_nodes_go_with_what_is_below_them_and_nothing_else():
    """A node that holds nothing but stands above one that does stays, and so do joints and nodes that a clip drives."""
    nodes = (
        Node("a", "holder", children=(1,)),
        Node("b", "crate", mesh=0),
        Node("c", "bare", children=(3,)),
        Node("d", "bare too"),
        Node("e", "driven"),
        Node("f", "joint"),
    )
    sway = Clip("s", "sway", (Channel(4, "translation", np.array([0.0, 1.0], np.float32), np.zeros((2, 3), np.float32)),))
    made = scene(cube(), nodes=nodes, clips=(sway,), skins=(Skin("k", None, (5,)),))
    after = apply_mend(made, "arrival.remove", {"what": "empties"}).scene
    assert [n.name for n in after.nodes] == ["holder", "crate", "driven", "joint"]
    assert after.nodes[0].children == (1,)
    assert after.clips[0].channels[0].node == 2
    assert after.skins[0].joints == (3,)
    with pytest.raises(MendError, match="no empty node"):
        apply_mend(after, "arrival.remove", {"what": "empties"})

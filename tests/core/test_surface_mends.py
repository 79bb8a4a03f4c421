"""Mends of pivots, facing and surface: what each promises to keep, over random scene trees and reference solids."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core import formats
from handlens.core.geometry.recut import only_faces, turned_faces
from handlens.core.geometry.topology import surface
from handlens.core.geometry.triangles import fan
from handlens.core.limits import InputError, MendError
from handlens.core.measures import collect
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Layer, Node
from handlens.core.scene.bounds import world_bounds
from handlens.core.scene.motion import pose_at
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import walk, world_matrices
from handlens.core.words.anchors import ANCHORS, anchor
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, mesh, rigged, scene
from kit.solids import icosphere, torus, unjoined

SEEDS = st.integers(0, 2**32 - 1)


def tree(seed):
    """A random tree of cubes, two of which show one mesh, under turned, scaled and mirrored nodes."""
    dice = np.random.default_rng(seed)
    meshes = [cube(f"crate{k}", float(dice.uniform(0.2, 3)), tuple(dice.normal(size=3))) for k in range(3)]
    nodes = []
    for k in range(6):
        q = dice.normal(size=4)
        scale = dice.uniform(0.3, 3, 3) * dice.choice([-1, 1], 3) if dice.random() < 0.4 else np.full(3, dice.uniform(0.3, 3))
        nodes.append(
            Node(
                f"node:{k}",
                f"n{k}",
                tuple(dice.normal(size=3) * 5),
                tuple(q / np.linalg.norm(q)),
                tuple(scale),
                mesh=[0, 1, 2, 0, None, 1][k],
            )
        )
    for k in range(5, 0, -1):
        if dice.random() < 0.7:
            at = int(dice.integers(0, k))
            nodes[at] = Node(**{**nodes[at].__dict__, "children": (*nodes[at].children, k)})
    for n in nodes:
        n.__dict__.pop("local", None)
    return scene(*meshes, nodes=tuple(nodes))


def world_points(s):
    world = world_matrices(s)
    return {s.nodes[i].name: posed(s, i, world) for i in walk(s) if s.nodes[i].mesh is not None}


def corner_places(s):
    """World position of every corner of every part, whatever the vertices are."""
    return {name: p[s.meshes[next(n.mesh for n in s.nodes if n.name == name)].corners] for name, p in world_points(s).items()}


def area_and_volume(m):
    corners, _ = fan(m)
    a, b, c = (m.positions[m.corners[corners[:, k]]] for k in range(3))
    cross = np.cross(b - a, c - a)
    return np.linalg.norm(cross, axis=1).sum() / 2, np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6


def euler(m):
    """Vertices less edges plus faces, of the welded surface."""
    top = surface(m)
    return len(np.unique(top.ids[m.corners])) - len(top.edges.uses) + m.face_count


# --- pivots -------------------------------------------------------------------------------------------


def test_there_are_twenty_seven_anchors():
    low, high = np.zeros(3), np.array([2.0, 4.0, 6.0])
    points = {tuple(anchor(low, high, name, "Y")) for name in ANCHORS}
    assert len(ANCHORS) == len(points) == 27
    assert anchor(low, high, "base-centre", "Y").tolist() == [1, 0, 3]
    assert anchor(low, high, "base-centre", "Z").tolist() == [1, 2, 0]
    assert anchor(low, high, "top-front-left", "Y").tolist() == [0, 4, 6]
    assert anchor(low, high, "middle-front", "Z").tolist() == [1, 0, 3]


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.sampled_from(sorted(ANCHORS)))
def test_setting_pivots_moves_nothing(seed, name):
    before = tree(seed)
    after = apply_mend(before, "pivots.set", {"anchor": name}).scene
    for part, points in world_points(before).items():
        assert np.allclose(world_points(after)[part], points, atol=1e-9 * np.abs(points).max())
    for i in walk(after):
        if after.nodes[i].mesh is not None:
            points = world_points(after)[after.nodes[i].name]
            wanted = anchor(points.min(axis=0), points.max(axis=0), name, "Y")
            assert np.allclose(world_matrices(after)[i][:3, 3], wanted, atol=1e-7 * np.abs(points).max())
    with pytest.raises(MendError, match="already"):
        apply_mend(after, "pivots.set", {"anchor": name})


def test_instances_that_agree_share_their_mesh():
    crate = cube(at=(5, 0, 0))
    nodes = (Node("node:0", "a", mesh=0), Node("node:1", "b", (3.0, 0.0, 0.0), mesh=0))
    after = apply_mend(scene(crate, nodes=nodes), "pivots.set", {"anchor": "centre"}).scene
    assert len(after.meshes) == 1
    one = apply_mend(scene(crate, nodes=nodes), "pivots.set", {"anchor": "centre", "parts": "a"}).scene
    assert [n.mesh for n in one.nodes] == [0, 1]
    assert one.meshes[1].positions.tolist() == crate.positions.tolist()


def test_pivots_of_skinned_and_animated_parts():
    before = rigged(np.random.default_rng(4), clip=True)
    after = apply_mend(before, "pivots.set", {"anchor": "centre", "parts": "eel"}).scene
    for seconds in (0.0, 0.3, 0.8):
        a, b = (posed(s, 4, pose_at(s, s.clips[0], seconds)) for s in (before, after))
        assert np.allclose(a, b, atol=1e-4 * np.abs(a).max())


def test_a_group_takes_the_box_of_all_below_it():
    nodes = (Node("node:0", "quay", children=(1, 2)), Node("node:1", "a", mesh=0), Node("node:2", "b", (9.0, 0.0, 0.0), mesh=0))
    after = apply_mend(scene(cube(), nodes=nodes), "pivots.set", {"anchor": "base-centre", "parts": "quay"}).scene
    assert after.nodes[0].translation == (5.0, 0.0, 0.5)
    assert np.allclose(world_points(after)["b"], world_points(scene(cube(), nodes=nodes))["b"])


@pytest.mark.parametrize(
    "params", [{"anchor": "nowhere"}, {"anchor": "point"}, {"anchor": "point", "at": "1;2"}, {"anchor": "point", "at": "a;b;c"}]
)
def test_pivots_that_cannot_be(params):
    with pytest.raises(InputError):
        apply_mend(scene(cube()), "pivots.set", params)
    assert apply_mend(scene(cube()), "pivots.set", {"anchor": "point", "at": "1;2;3"}).scene.nodes[0].translation == (1, 2, 3)


# --- facing -------------------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(SEEDS)
def test_facing_outward_mends_whatever_was_turned(seed):
    dice = np.random.default_rng(seed)
    good = torus(12, 8)
    turn = dice.random(good.face_count) < dice.uniform(0, 1)
    turn[dice.integers(good.face_count)] = True
    after = apply_mend(scene(turned_faces(good, turn)), "facing.outward", {}).scene.meshes[0]
    # Each face begins at its first corner whichever way it is wound, so the result is the very same.
    assert after.corners.tolist() == good.corners.tolist()
    assert area_and_volume(after) == pytest.approx(area_and_volume(good))


def test_facing_inward_is_facing_outward_turned():
    room = apply_mend(scene(cube()), "facing.inward", {}).scene
    assert area_and_volume(room.meshes[0])[1] == pytest.approx(-1.0)
    assert area_and_volume(apply_mend(room, "facing.outward", {}).scene.meshes[0])[1] == pytest.approx(1.0)
    with pytest.raises(MendError):
        apply_mend(room, "facing.inward", {})


def test_stored_normals_turn_with_their_faces_but_not_those_that_were_right():
    good = apply_mend(scene(cube()), "facing.normals", {"angle": 40}).scene.meshes[0]
    every = np.ones(6, bool)
    turned = turned_faces(good, every)
    assert np.allclose(turned.normals.at_corners()[0], -good.normals.at_corners()[0])
    # Faces wound against normals that are right: turning them back leaves the normals alone.
    carried = turned_faces(replace(good, normals=None, uvs=(good.normals,)), every)
    wrong = replace(carried, normals=carried.uvs[0], uvs=())
    assert collect(scene(wrong)).meshes[0].surface.normals_opposed == 6
    back = turned_faces(wrong, every)
    assert back.normals.at_corners().tolist() == good.normals.at_corners().tolist()


def test_chosen_faces_turn():
    after = apply_mend(scene(cube()), "facing.turn", {"faces": "0;2-3"}).scene.meshes[0]
    changed = [k for k in range(6) if after.corners[4 * k : 4 * k + 4].tolist() != CUBE_FACES[k]]
    assert changed == [0, 2, 3]
    with pytest.raises(InputError, match="not a face"):
        apply_mend(scene(cube()), "facing.turn", {"faces": "x"})
    with pytest.raises(MendError):
        apply_mend(scene(cube()), "facing.turn", {"faces": "99"})


def test_drawing_both_sides():
    after = apply_mend(scene(cube()), "facing.double-sided", {}).scene
    assert after.materials[0].double_sided
    assert b'"doubleSided":true' in formats.write(after, "gltf", "x")["x.gltf"]
    with pytest.raises(MendError):
        apply_mend(after, "facing.double-sided", {})


def test_normals_of_a_sphere_point_away_from_its_middle():
    """Closed form: on a sphere about the origin the normal is the position over the radius."""
    ball = apply_mend(scene(icosphere(3)), "facing.normals", {"angle": 60}).scene.meshes[0]
    outward = ball.positions[ball.corners] / np.linalg.norm(ball.positions[ball.corners], axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", ball.normals.at_corners(), outward).min() > np.cos(np.radians(0.6))


def test_normals_of_a_cube_by_angle():
    """Closed form: hard below 90°, and above it the diagonal, however its sides are cut (weights by corner angle)."""
    sharp = apply_mend(scene(cube()), "facing.normals", {"angle": 40}).scene.meshes[0].normals.at_corners()
    assert np.allclose(np.abs(sharp).max(axis=1), 1)
    cut = apply_mend(scene(cube()), "surface.triangulate", {}).scene
    smooth = apply_mend(cut, "facing.normals", {"angle": 100}).scene.meshes[0]
    diagonal = (smooth.positions[smooth.corners] - 0.5) / np.linalg.norm(
        smooth.positions[smooth.corners] - 0.5, axis=1, keepdims=True
    )
    assert np.allclose(smooth.normals.at_corners(), diagonal, atol=1e-6)


# --- surface ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("solid", "characteristic"), [(cube(), 2), (icosphere(2), 2), (torus(10, 6), 0)])
def test_euler_characteristic_of_reference_solids(solid, characteristic):
    """V - E + F is 2 on a sphere and 0 on a torus (Euler; Poincaré), cut and welded or not."""
    assert euler(solid) == characteristic
    cut = apply_mend(scene(solid), "surface.triangulate", {}).scene.meshes[0] if not solid.only_triangles else solid
    assert euler(cut) == characteristic
    assert area_and_volume(cut) == pytest.approx(area_and_volume(solid), rel=0.02)
    loose = unjoined(solid)
    assert len(loose.positions) == len(loose.corners)
    again = apply_mend(scene(loose), "surface.weld", {"distance_mm": 0.001}).scene.meshes[0]
    assert (len(again.positions), euler(again)) == (len(solid.positions), characteristic)
    assert area_and_volume(again) == pytest.approx(area_and_volume(solid))


def test_welding_keeps_what_hangs_on_corners():
    quads = [[0, 1, 2, 3], [4, 5, 6, 7]]
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1.0001, 0, 0], [2, 0, 0], [2, 1, 0], [1.0001, 1, 0]]
    uv = Layer(np.random.default_rng(0).random((8, 2)).astype(np.float32), np.arange(8, dtype=np.int32))
    sheet = mesh(points, quads, uvs=(uv,))
    after = apply_mend(scene(sheet), "surface.weld", {"distance_mm": 1}).scene.meshes[0]
    assert len(after.positions) == 6
    assert after.uvs[0].at_corners().tolist() == uv.at_corners().tolist()
    with pytest.raises(MendError, match="closer"):
        apply_mend(scene(sheet), "surface.weld", {"distance_mm": 0.01})


def test_welding_by_the_worlds_millimetres():
    """A part scaled by 0.01: points 5 mm apart there are 0.5 apart in its mesh."""
    pair = mesh([[0, 0, 0], [1, 0, 0], [0, 9, 0], [0.5, 0, 0]], [[0, 1, 2], [3, 1, 2]])
    small = scene(pair, nodes=(Node("node:0", "n", scale=(0.01, 0.01, 0.01), mesh=0),))
    assert len(apply_mend(small, "surface.weld", {"distance_mm": 5.1}).scene.meshes[0].positions) < 4
    with pytest.raises(MendError):
        apply_mend(small, "surface.weld", {"distance_mm": 4.9})


def test_cleaning_removes_what_draws_nothing_and_only_that():
    faces = [*CUBE_FACES, CUBE_FACES[2], [0, 1, 1], [8, 9, 10]]
    points = [*CUBE_POINTS, [3, 0, 0], [4, 0, 0], [5, 0, 0], [7, 7, 7]]
    messy = mesh(points, faces, lines=np.array([[0, 11]], np.int32))
    outcome = apply_mend(scene(messy), "surface.clean", {})
    after = outcome.scene.meshes[0]
    assert after.corners.tolist() == [i for f in CUBE_FACES for i in f]
    assert len(after.lines) == 1
    assert len(after.positions) == 9  # the line's far end stays
    assert {f.what: f.before for f in outcome.figures} == {"degenerate faces": "2", "duplicate faces": "1"}
    with pytest.raises(MendError):
        apply_mend(outcome.scene, "surface.clean", {})


@settings(max_examples=20, deadline=None)
@given(SEEDS)
def test_filling_closes_what_was_taken_out(seed):
    dice = np.random.default_rng(seed)
    ball = icosphere(2)
    keep = np.ones(ball.face_count, bool)
    keep[dice.choice(ball.face_count, 3, replace=False)] = False
    open_ = only_faces(ball, keep)
    shape = collect(scene(open_)).meshes[0].surface
    assert shape.open_edges >= 5
    try:
        after = apply_mend(scene(open_), "surface.fill", {"across_mm": 5000}).scene.meshes[0]
    except MendError as error:
        assert "branch" in str(error) or "simple" in str(error)
        return
    if not collect(scene(after)).meshes[0].surface.open_edges:
        assert euler(after) == 2
        assert surface(after).winding_consistent


def test_filled_faces_take_slot_and_uvs_from_the_rim():
    uv = Layer(np.random.default_rng(1).random((24, 2)).astype(np.float32), np.arange(20, dtype=np.int32))
    box = mesh(CUBE_POINTS, CUBE_FACES[:-1], uvs=(uv,))
    after = apply_mend(scene(box), "surface.fill", {}).scene.meshes[0]
    assert (after.face_count, surface(after).closed, surface(after).winding_consistent) == (7, True, True)
    assert set(after.uvs[0].index[20:].tolist()) <= set(range(20))
    with pytest.raises(MendError):
        apply_mend(scene(box), "surface.fill", {"across_mm": 10})


@settings(max_examples=20, deadline=None)
@given(SEEDS)
def test_joining_and_splitting_move_nothing(seed):
    before = tree(seed)
    joined = apply_mend(before, "surface.join", {}).scene
    place = lambda s: np.sort(np.round(np.concatenate(list(corner_places(s).values())), 6), axis=0)
    assert sum(n.mesh is not None for n in joined.nodes) == 1
    assert np.allclose(place(joined), place(before), atol=1e-5)
    pieces = apply_mend(joined, "surface.split", {"by": "piece"}).scene
    assert sum(n.mesh is not None for n in pieces.nodes) >= 2
    assert np.allclose(place(pieces), place(before), atol=1e-5)
    # Mirrored parts look the same way as before: the volume in the world keeps its sign.
    for s in (before, joined, pieces):
        assert not any(f.outside.turned for f in collect(s).facing if not f.unseen)


def test_splitting_by_slot():
    two = mesh(CUBE_POINTS, CUBE_FACES)
    two = type(two)(**{**two.__dict__, "slots": np.array([0, 0, 0, 1, 1, 1], np.int32), "slot_materials": (0, -1)})
    after = apply_mend(scene(two), "surface.split", {"by": "slot"}).scene
    assert [n.name for n in after.nodes] == ["crate", "crate_tarred_wood", "crate_slot1"]
    assert [m.face_count for m in after.meshes] == [3, 3]
    with pytest.raises(MendError):
        apply_mend(scene(cube()), "surface.split", {"by": "slot"})


def test_removing_what_nobody_sees():
    box = scene(cube("shell", 4.0, (-2, -2, -2)), cube("stone", 1.0, (-0.5, -0.5, -0.5)))
    outcome = apply_mend(box, "surface.remove-unseen", {})
    assert [m.face_count for m in outcome.scene.meshes] == [6]
    assert [n.name for n in outcome.scene.nodes] == ["shell"]
    assert outcome.figures[0].before == "12"
    assert world_bounds(outcome.scene)[0].tolist() == [-2, -2, -2]
    with pytest.raises(MendError):
        apply_mend(scene(cube()), "surface.remove-unseen", {})

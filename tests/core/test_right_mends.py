"""Mends that do no more than they say: welding, cutting, filling, taking apart, normals of a few faces, empty nodes."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.cli import main
from handlens.core.geometry.triangles import newell_normals, triangulate
from handlens.core.geometry.welding import _swept, close_groups, welded
from handlens.core.measures import collect
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Layer, Node
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, findings, mesh, scene
from kit.solids import icosphere, unjoined


def grid(n: int = 41, step: float = 0.001):
    points = [[x * step, y * step, 0] for y in range(n) for x in range(n)]
    faces = [[y * n + x, y * n + x + 1, (y + 1) * n + x + 1, (y + 1) * n + x] for y in range(n - 1) for x in range(n - 1)]
    return mesh(points, faces, "net")


def area(made):
    return np.linalg.norm(newell_normals(made), axis=1).sum() / 2


def test_a_weld_does_not_chain_and_takes_no_face():
    net = grid()
    assert len(net.positions) == 1681
    after = welded(net, 0.0011)
    assert (len(after.positions), after.face_count) == (1681, 1600)
    # Asked to, it joins the ends of edges, and still moves no point further than it says.
    collapsed = welded(net, 0.0011, collapse=True)
    assert collapsed.face_count < 1600


@given(st.integers(0, 10_000), st.floats(0.01, 0.4))
@settings(max_examples=30, deadline=None)
def test_no_point_moves_further_than_the_distance(seed, distance):
    points = np.random.default_rng(seed).uniform(0, 1, (60, 3))
    points[10] = points[3]
    none = np.zeros(0, np.int64)
    first = close_groups(points, distance, none, none)
    assert np.linalg.norm(points - points[first], axis=1).max() <= distance + 1e-12
    assert (first[first] == first).all()
    assert first[10] == first[3]
    # Of what is left no two heads could still be joined whole.
    heads = np.flatnonzero(first == np.arange(60))
    for a in heads:
        for b in heads[heads > a]:
            members = points[first == b]
            assert (
                np.linalg.norm(members - points[a], axis=1).max() > distance or np.linalg.norm(points[a] - points[b]) > distance
            )


@pytest.mark.parametrize("flat", [1.0, 0.01])
def test_points_that_are_swept_are_those_that_lie_near(flat):
    """Held against every pair; and a row in which each has thousands in reach is left to a tree."""
    dice = np.random.default_rng(7)
    points = np.round(dice.random((180, 3)), 2) * (1, flat, 1)
    away = np.sqrt(((points[:, None] - points[None]) ** 2).sum(axis=2))
    for distance in (0.005, 0.02, 0.2):
        one, two, gap = _swept(points, distance)
        wanted = {(i, j) for i, j in np.argwhere(away <= distance).tolist() if i < j}
        assert {(min(x), max(x)) for x in zip(one.tolist(), two.tolist(), strict=True)} == wanted
        assert np.allclose(gap, away[one, two])
    assert _swept(np.arange(50_000)[:, None] * np.array([1e-6, 0, 0]), 0.01) is None


def test_a_torn_ball_is_joined_along_its_seams():
    ball = icosphere(3)
    torn = unjoined(ball)
    dice = np.random.default_rng(1)
    moved = replace(torn, positions=torn.positions + dice.normal(0, 1e-5, torn.positions.shape))
    told = findings(scene(moved))["surface.doubles"][0]
    after = apply_mend(scene(moved), *told.mends[0]).scene
    assert len(after.meshes[0].positions) == len(ball.positions)
    assert after.meshes[0].face_count == ball.face_count
    assert "surface.doubles" not in findings(after)
    assert collect(after).meshes[0].closed


def test_taking_apart_does_not_run_in_a_circle():
    """Three walls on one edge: taken apart they are neither a seam to be joined nor leave loose points."""
    book = mesh(
        [[0, 0, 0], [0, 0, 1], [1, 0, 0], [1, 0, 1], [0, 1, 0], [0, 1, 1], [-1, 0.2, 0], [-1, 0.2, 1]],
        [[0, 1, 3, 2], [0, 4, 5, 1], [0, 6, 7, 1]],
        "book",
    )
    made = scene(book)
    assert "surface.crowded-edges" in findings(made)
    after = apply_mend(made, "surface.take-apart", {}).scene
    found = findings(after)
    assert not {"surface.crowded-edges", "surface.doubles", "surface.loose-points", "surface.pinched"} & set(found)


@pytest.mark.parametrize(
    "outline",
    [
        [[0, 0, 0], [0.5, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]],
        [[0, 0, 0], [1, 0, 0], [1, 0.5, 0], [1, 1, 0], [0.5, 1, 0], [0, 1, 0], [0, 0.5, 0]],
        [[0, 0, 0], [2, 0, 0], [2, 1, 0], [1, 1, 0], [1, 2, 0], [0, 2, 0], [0, 1, 0]],
    ],
)
def test_a_cut_leaves_no_triangle_without_area(outline):
    board = mesh(outline, [list(range(len(outline)))], "board")
    corners, _ = triangulate(board)
    p = board.positions[corners]
    areas = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
    assert len(corners) == len(outline) - 2
    assert areas.min() > 1e-3
    assert areas.sum() == pytest.approx(area(board))


def test_a_closed_mesh_stays_closed_when_it_is_cut():
    """A cube one side of which has points on its edges, as its neighbours have them too."""
    points = [*CUBE_POINTS.tolist(), [0, 0, 0.5], [0, 1, 0.5]]
    faces = [[0, 8, 1, 3, 9, 2], [4, 6, 7, 5], [0, 4, 5, 1, 8], [2, 9, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    made = scene(mesh(points, faces, "crate"))
    assert collect(made).meshes[0].closed
    after = apply_mend(made, "surface.triangulate", {}).scene
    assert collect(after).meshes[0].closed
    assert collect(after).meshes[0].zero_area_faces == 0


def test_a_card_gets_no_second_skin_and_a_pot_keeps_its_mouth():
    card = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], "card")
    with pytest.raises(Exception, match="no opening"):
        apply_mend(scene(card), "surface.fill", {})
    pot = scene(mesh(CUBE_POINTS, CUBE_FACES[1:], "pot"))
    assert not [c for several in findings(pot).values() for f in several for c in f.mends if c[0] == "surface.fill"]
    framed = mesh(
        [[0, 0, 0], [3, 0, 0], [3, 3, 0], [0, 3, 0], [1, 1, 0], [2, 1, 0], [2, 2, 0], [1, 2, 0]],
        [[0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]],
        "frame",
    )
    # An opening within a sheet is one.
    assert apply_mend(scene(framed), "surface.fill", {}).figures[0].after == "1"


def test_normals_of_one_face_leave_all_others_as_they_are():
    ball = icosphere(3)
    normals = ball.positions / np.linalg.norm(ball.positions, axis=1, keepdims=True)
    index = ball.corners.copy()
    values = np.concatenate([normals, -normals])
    index[:3] += len(normals)
    made = scene(replace(ball, normals=Layer(values.astype(np.float32), index)))
    told = findings(made)["facing.normals-opposed"][0]
    assert told.count == 1
    assert [mend for mend, _ in told.mends] == ["facing.turn", "facing.turn-normals"]
    after = apply_mend(made, *told.mends[1]).scene
    assert "facing.normals-opposed" not in findings(after)
    kept, now = made.meshes[0].normals.at_corners(), after.meshes[0].normals.at_corners()
    assert (kept[3:] == now[3:]).all()
    assert now[:3] == pytest.approx(-kept[:3])
    assert (after.meshes[0].corners == ball.corners).all()


def test_a_place_to_put_something_at_is_no_leftover():
    nodes = (Node("n0", "crate", mesh=0, children=(1, 2)), Node("n1", "lid_socket"), Node("n2", "group.003"))
    made = scene(cube(), nodes=nodes)
    assert findings(made)["arrival.empties"][0].title == "1 empty node: group.003"
    after = apply_mend(made, "arrival.remove", {"what": "empties"}).scene
    assert [n.name for n in after.nodes] == ["crate", "lid_socket"]


def test_what_can_only_be_read_is_written_as_what_is_asked_for(tmp_path, models):
    out = tmp_path / "w.glb"
    assert main(["mend", str(models / "OFF/Wuson.off"), "--mend", "facing.outward", "--out", str(out)]) == 0
    assert out.read_bytes()[:4] == b"glTF"


@pytest.mark.parametrize(("gap", "told"), [(2e-4, False), (3e-6, True)])
def test_lips_are_no_seam(gap, told):
    """A sheet with a slit that closes on itself all along: a mouth, where it stands open by more than rounding leaves (common practice,
    no published source)."""
    n = 8
    points = [[x / n, y / n, 0.0] for y in range(n + 1) for x in range(n + 1)]
    at = lambda x, y: y * (n + 1) + x
    lower = {x: at(x, 4) for x in range(n + 1)}
    upper = dict(lower)
    for x in range(3, 6):
        upper[x] = len(points)
        points.append([x / n, 0.5 + gap, 0.0])
    row = lambda y, above: {x: at(x, y) for x in range(n + 1)} if y != 4 else (upper if above else lower)
    faces = [
        [row(y, True)[x], row(y, True)[x + 1], row(y + 1, False)[x + 1], row(y + 1, False)[x]] for y in range(n) for x in range(n)
    ]
    assert ("surface.doubles" in findings(scene(mesh(points, faces)))) is told

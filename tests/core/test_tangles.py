"""Mends of crowded edges, touching points and needles: on solids whose counts and areas are known."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core.geometry.topology import surface
from handlens.core.geometry.triangles import fan
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Layer, Weights
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, mesh, scene
from kit.solids import icosphere, unjoined


def figures(s, k=0):
    return collect(s).meshes[k].surface


def area(m):
    corners, _ = fan(m)
    p = m.positions[m.corners[corners]]
    return np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2


def volume(m):
    corners, _ = fan(m)
    a, b, c = (m.positions[m.corners[corners[:, k]]] for k in range(3))
    return np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6


def two_cubes(shift):
    """Two unit cubes, the second moved by whole units, as one mesh whose equal points are one."""
    points = np.concatenate([CUBE_POINTS, CUBE_POINTS + np.array(shift)])
    points, number = np.unique(points, axis=0, return_inverse=True)
    number = number.reshape(-1)
    faces = [[int(number[i]) for i in f] for f in CUBE_FACES] + [[int(number[i + 8]) for i in f] for f in CUBE_FACES]
    return mesh(points, faces, "crates")


@pytest.mark.parametrize(("shift", "crowded", "pinched"), [((1, 1, 0), 1, 2), ((1, 1, 1), 0, 1)])
def test_cubes_that_share_an_edge_or_a_corner_come_apart(shift, crowded, pinched):
    size = np.ptp(CUBE_POINTS, axis=0)
    made = scene(two_cubes(np.array(shift) * size))
    assert (figures(made).crowded, figures(made).pinched) == (crowded, pinched)
    outcome = apply_mend(made, "surface.take-apart", {"gap_mm": 0.5})
    after = figures(outcome.scene)
    assert (after.crowded, after.pinched, after.open_edges) == (0, 0, 0)
    m = outcome.scene.meshes[0]
    assert surface(m).closed
    assert surface(m).winding_consistent
    # Each cube keeps its shape but for the gap by which the second one's corner moved.
    assert volume(m) == pytest.approx(2 * np.prod(size), abs=2e-3)
    assert np.abs(m.positions[m.corners] - made.meshes[0].positions[made.meshes[0].corners]).max() <= 0.5001e-3
    # Euler characteristic of two spheres.
    top = surface(m, corners=True)
    assert top.welded - len(top.edges.uses) + m.face_count == 4


def test_a_wall_within_a_box_comes_off_and_the_box_stays_whole():
    box = cube("hold")
    low, high = box.positions.min(axis=0), box.positions.max(axis=0)
    # Four sides cut in half where the wall meets them.
    mid = (low[0] + high[0]) / 2
    x, y, z = (low[0], mid, high[0]), (low[1], high[1]), (low[2], high[2])
    points = np.array([[a, b, c] for a in x for b in y for c in z])
    at = lambda i, j, k: i * 4 + j * 2 + k
    sides = lambda i: [
        [at(i, 0, 0), at(i + 1, 0, 0), at(i + 1, 0, 1), at(i, 0, 1)],
        [at(i, 1, 0), at(i, 1, 1), at(i + 1, 1, 1), at(i + 1, 1, 0)],
        [at(i, 0, 0), at(i, 1, 0), at(i + 1, 1, 0), at(i + 1, 0, 0)],
        [at(i, 0, 1), at(i + 1, 0, 1), at(i + 1, 1, 1), at(i, 1, 1)],
    ]
    ends = [[at(0, 0, 0), at(0, 0, 1), at(0, 1, 1), at(0, 1, 0)], [at(2, 0, 0), at(2, 1, 0), at(2, 1, 1), at(2, 0, 1)]]
    wall = [[at(1, 0, 0), at(1, 1, 0), at(1, 1, 1), at(1, 0, 1)]]
    made = scene(mesh(points, [*sides(0), *sides(1), *ends, *wall], "hold"))
    assert figures(made).crowded == 4
    after = apply_mend(made, "surface.take-apart", {}).scene
    f = figures(after)
    assert (f.crowded, f.pinched, f.hole_count) == (0, 0, 1)  # the wall's own rim
    assert f.open_edges == 4


def test_weights_morphs_and_uvs_go_with_the_new_points():
    made = two_cubes(np.array([1, 1, 0]) * np.ptp(CUBE_POINTS, axis=0))
    n = len(made.positions)
    weights = Weights(np.arange(n + 1, dtype=np.int64), np.arange(n, dtype=np.int32), np.ones(n, np.float32))
    layer = Layer(np.arange(2.0 * len(made.corners)).reshape(-1, 2), np.arange(len(made.corners), dtype=np.int32))
    after = apply_mend(scene(replace(made, weights=weights, uvs=(layer,))), "surface.take-apart", {}).scene.meshes[0]
    assert len(after.positions) == n + 2
    assert (after.weights.joints[after.corners] == made.corners).all()
    assert (after.uvs[0].at_corners() == layer.values).all()


def test_nothing_to_take_apart_is_said():
    with pytest.raises(MendError, match="no non-manifold edge"):
        apply_mend(scene(icosphere(1)), "surface.take-apart", {})
    with pytest.raises(MendError, match="no needle triangles"):
        apply_mend(scene(icosphere(1)), "surface.needles", {})


def sheet(dice, n=9):
    """A flat sheet of triangles in which some points lie all but on the line between their neighbours, or on a neighbour."""
    x, y = np.meshgrid(np.arange(n, dtype=float), np.arange(n, dtype=float), indexing="ij")
    points = np.stack([x, y, 0 * x], axis=-1).reshape(-1, 3)
    at = lambda i, j: i * n + j
    faces = [
        f
        for i in range(n - 1)
        for j in range(n - 1)
        for f in ([at(i, j), at(i + 1, j), at(i + 1, j + 1)], [at(i, j), at(i + 1, j + 1), at(i, j + 1)])
    ]
    chosen = [(i, j) for i in range(2, n - 2, 3) for j in range(2, n - 2, 3)]
    for k, (i, j) in enumerate(chosen):
        # One cap: moved almost onto the diagonal; or all but onto a neighbour.
        off = float(dice.uniform(2e-4, 9e-4))
        points[at(i, j)] = (points[at(i + 1, j)] - [off, off / 2, 0]) if k % 2 else points[at(i, j)]
    extra, more = [], []
    for f in dice.choice(len(faces), 6, replace=False).tolist():
        a, b, c = faces[f]
        inner = (points[a] + points[b]) / 2 + (points[c] - (points[a] + points[b]) / 2) * 4e-4
        d = len(points) + len(extra)
        extra.append(inner)
        more.append((f, [[a, b, d], [b, c, d], [c, a, d]]))
    for f, cut in more:
        faces[f] = cut[0]
        faces += cut[1:]
    points = np.concatenate([points, np.array(extra)])
    uv = Layer(points[:, :2] * [0.3, 0.7] + 0.1, np.array([i for f in faces for i in f], np.int32))
    return replace(mesh(points, faces, "tarpaulin"), uvs=(uv,))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_needles_go_and_the_sheet_stays(seed):
    """Area, outline and the linear UV map of a flat sheet are kept; all needles within it are taken out."""
    made = sheet(np.random.default_rng(seed))
    before = figures(scene(made))
    assert before.needles > 6
    outcome = apply_mend(scene(made), "surface.needles", {})
    after = outcome.scene.meshes[0]
    # Needles along the rim stay: its outline is kept.
    assert figures(outcome.scene).needles <= before.needles // 3
    assert area(after) == pytest.approx(area(made), rel=1e-9)
    corners, _ = fan(after)
    p = after.positions[after.corners[corners]]
    assert (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] > 0).all()
    assert figures(outcome.scene).open_edges == before.open_edges
    uv = after.uvs[0].at_corners()
    assert np.abs(uv - (after.positions[after.corners][:, :2] * [0.3, 0.7] + 0.1)).max() < 1e-3


def test_a_seam_is_not_crossed():
    """The swap would mix two slots: the needle stays, and the mend says why."""
    points = [[0, 0, 0], [1, 0, 0], [0.5, 1e-3, 0], [0.5, -1, 0]]
    made = mesh(points, [[0, 1, 2], [1, 0, 3]], "flag")
    made = replace(made, slots=np.array([0, 1], np.int32), slot_materials=(-1, -1))
    with pytest.raises(MendError, match="seam or a rim"):
        apply_mend(scene(made), "surface.needles", {})
    whole = replace(made, slots=np.zeros(2, np.int32), slot_materials=(-1,))
    assert apply_mend(scene(whole), "surface.needles", {}).figures[0].after == "0"


def test_a_closed_ball_with_needles_stays_closed():
    ball = icosphere(3)
    points = ball.positions.copy()
    # Draw one end of some edges all but onto the other.
    tri = ball.corners.reshape(-1, 3)
    used: set[int] = set()
    for a, b, c in tri[::40]:
        if not used & {int(a), int(b), int(c)}:
            used |= {int(a), int(b), int(c)}
            points[b] = points[a] + (points[b] - points[a]) * 1e-4
    made = replace(ball, positions=points)
    n = figures(scene(made)).needles
    assert n >= 10
    for start in (made, unjoined(made)):
        after = apply_mend(scene(start), "surface.needles", {}).scene
        assert figures(after).needles == 0
        top = surface(after.meshes[0], corners=True)
        assert top.closed
        assert top.winding_consistent
        assert top.welded - len(top.edges.uses) + after.meshes[0].face_count == 2
        assert volume(after.meshes[0]) == pytest.approx(volume(made), rel=1e-4)

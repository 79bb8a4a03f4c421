"""Measures of known solids, against what geometry and IEEE 754 say."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core.geometry.distinct import distinct_rows
from handlens.core.geometry.topology import connected_pieces, gpu_vertices, surface, zero_area_faces
from handlens.core.geometry.triangles import triangulate
from handlens.core.measures import Measures, collect
from handlens.core.measures.precision import float32_spacing
from handlens.core.scene import Layer, Node
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, mesh, scene, triangles_of


def test_a_cube():
    top = surface(cube())
    assert (top.welded, top.closed, top.winding_consistent, top.zero_area, top.loose_points) == (8, True, True, 0, 0)


def test_an_open_box_is_not_closed():
    assert not surface(mesh(CUBE_POINTS, CUBE_FACES[:-1])).closed


def test_one_turned_face_breaks_the_winding_only():
    top = surface(mesh(CUBE_POINTS, [CUBE_FACES[0][::-1], *CUBE_FACES[1:]]))
    assert (top.closed, top.winding_consistent) == (True, False)


def test_unwelded_corners_weld_by_exact_position():
    loose = mesh(CUBE_POINTS[[i for f in CUBE_FACES for i in f]], [[4 * k + c for c in range(4)] for k in range(6)])
    top = surface(loose)
    assert (top.welded, top.closed) == (8, True)


def test_three_faces_at_an_edge_are_not_closed():
    fins = mesh([[0, 0, 0], [0, 1, 0], [1, 0, 0], [-1, 0, 0], [0, 0, 1]], [[0, 1, 2], [1, 0, 3], [0, 1, 4]])
    assert not surface(fins).closed


def test_zero_area_faces_are_left_out():
    flat = mesh([*CUBE_POINTS, [0.5, 0, 0]], [*CUBE_FACES, [0, 4, 8]])
    assert surface(flat).zero_area == 1
    assert surface(flat).closed
    tri = triangles_of(flat)
    assert zero_area_faces(tri, np.arange(9))[0].sum() == 1


def test_negative_zero_is_zero():
    assert distinct_rows([np.array([[0.0, 1], [-0.0, 1]])])[1] == 1


@given(st.lists(st.tuples(st.integers(-3, 3), st.integers(-3, 3), st.floats(-1, 1, width=32)), min_size=1, max_size=60))
def test_distinct_rows_agree_with_a_set(rows):
    ids, count = distinct_rows([np.array(rows, float)])
    assert count == len({tuple(v + 0.0 for v in r) for r in rows})
    for a, one in enumerate(rows):
        for b, two in enumerate(rows):
            assert (ids[a] == ids[b]) == (tuple(one) == tuple(two))


def test_colliding_hashes_are_seen(monkeypatch):
    monkeypatch.setattr("handlens.core.geometry.distinct._PRIME", np.uint64(0))  # every row now hashes alike
    assert distinct_rows([np.arange(12.0).reshape(4, 3)])[1] == 4


@pytest.mark.parametrize(
    ("distance", "gap"),
    [(1.0, 2**-23), (0.75, 2**-24), (1.5, 2**-23), (2.0, 2**-22), (965_606.0, 0.0625), (16_777_216.0, 2.0), (0.0, 2.0**-149)],
)
def test_float_spacing(distance, gap):
    """IEEE 754-2019 binary32. 965,606 m are 600 miles of exactly 1,609.344 m: 6 cm, as practitioners report it."""
    assert float32_spacing(distance) == pytest.approx(gap, rel=0, abs=0) or distance == 0.0
    if distance > 0:
        assert float32_spacing(distance) == np.spacing(np.float32(distance))


@given(st.floats(1e-30, 1e30))
def test_float_spacing_agrees_with_numpy(distance):
    exact = np.float32(distance)
    if float(exact) == distance:
        assert float32_spacing(distance) == np.spacing(exact)


def test_spacing_of_what_no_float_holds():
    assert float32_spacing(float("inf")) == float("inf")
    assert float32_spacing(1e39) == float("inf")


def test_gpu_vertices_of_a_flat_shaded_cube():
    """A cube with a normal a face has 24 vertices on the card, a smooth one 8: common practice, no published source."""
    normals = np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]], np.float32)
    flat = replace(cube(), normals=Layer(normals, np.repeat(np.arange(6, dtype=np.int32), 4)))
    assert gpu_vertices(flat, 8) == 24
    assert gpu_vertices(cube(), 8) == 8


def test_gpu_vertices_count_values_not_indices():
    twice = replace(cube(), uvs=(Layer(np.zeros((24, 2), np.float32), np.arange(24, dtype=np.int32)),))
    assert gpu_vertices(twice, 8) == 8


@given(st.integers(3, 9), st.integers(0, 10_000))
@settings(max_examples=40)
def test_triangulation_covers_the_polygon(corners, seed):
    """n - 2 triangles, all wound like the polygon, their areas adding up to its own (shoelace formula)."""
    random = np.random.default_rng(seed)
    angles = np.linspace(0, 2 * np.pi, corners, endpoint=False) + random.uniform(-0.3, 0.3, corners) / corners
    r = random.uniform(0.25, 1, corners)  # star-shaped about the middle, concave mostly
    flat = np.stack([r * np.cos(angles), r * np.sin(angles)], 1)
    spin = np.linalg.qr(random.normal(size=(3, 3)))[0]
    m = mesh(np.column_stack([flat, np.zeros(corners)]) @ spin.T, [list(range(corners))])
    cut, face = triangulate(m)
    assert len(cut) == corners - 2
    assert (face == 0).all()
    p = m.positions[m.corners[cut]]
    area_vectors = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) / 2
    x, y = flat.T
    shoelace = (x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2
    normal = spin[:, 2] * np.sign(np.linalg.det(spin)) * np.linalg.det(spin)
    assert (area_vectors @ normal).sum() == pytest.approx(shoelace, rel=1e-9)
    assert (area_vectors @ normal > -1e-12).all()


def test_pieces():
    two = mesh(np.concatenate([CUBE_POINTS, CUBE_POINTS + 5]), CUBE_FACES + [[i + 8 for i in f] for f in CUBE_FACES])
    ids = distinct_rows([two.positions])[0]
    assert connected_pieces(two, ids) == 2


def test_bounds_use_node_transforms_and_pass_over_nan():
    bad = mesh([*CUBE_POINTS, [np.nan, 0, 0]], [*CUBE_FACES, [0, 1, 8]])
    m = collect(scene(bad, nodes=(Node("node:0", "crate", translation=(10.0, 0, 0), scale=(2.0, 1, 1), mesh=0),)))
    assert m.bounds_min == [10, 0, 0]
    assert m.bounds_max == [12, 1, 1]
    assert m.meshes[0].not_finite == 1


def test_measures_survive_storing():
    lined = replace(cube(), lines=np.array([[0, 7], [1, 6]], np.int32))
    m = collect(scene(lined))
    again = Measures.from_bytes(m.to_bytes())
    assert again.meshes == m.meshes
    assert again.array("mesh:0:lines").tolist() == [0, 7, 1, 6]

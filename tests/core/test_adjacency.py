"""Sides, shared edges and the components that they join, against a graph library."""

import networkx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core.geometry.adjacency import at_next_corner, edges, face_of_corner, joined_faces, next_corner
from handlens.core.geometry.topology import surface
from kit.scenes import CUBE_FACES, CUBE_POINTS, mesh

#: Meshes of up to 12 points and 10 faces of 3 to 5 corners, each point at most once a face: crowded edges and turned faces included.
FACES = st.lists(st.lists(st.integers(0, 11), min_size=3, max_size=5, unique=True), min_size=1, max_size=10)


def made(faces):
    points = np.random.default_rng(3).random((12, 3))
    return mesh(points, faces, "heap")


def sides(faces):
    """Every side as (smaller point, larger point) with the face and whether it runs from the larger one."""
    return [
        ((min(a, b), max(a, b)), f, a > b) for f, face in enumerate(faces) for a, b in zip(face, face[1:] + face[:1], strict=True)
    ]


@settings(max_examples=150, deadline=None)
@given(FACES)
def test_edges_hold_every_side_once(faces):
    m = made(faces)
    found = edges(m, np.arange(12, dtype=np.int32))
    expected = sides(faces)
    keys = sorted({key for key, _, _ in expected})
    assert found.pairs(np.arange(len(found.uses))).tolist() == [list(k) for k in keys]
    assert found.uses.tolist() == [sum(key == k for key, _, _ in expected) for k in keys]
    assert sorted(found.corner.tolist()) == list(range(len(m.corners)))
    assert found.closed == all(n == 2 for n in found.uses)
    runs = [(key, backward) for key, _, backward in expected]
    assert found.consistent == (len(set(runs)) == len(runs))


@settings(max_examples=150, deadline=None)
@given(FACES)
def test_shared_edges_and_what_lies_across(faces):
    m = made(faces)
    found = edges(m, np.arange(12, dtype=np.int32))
    owner = face_of_corner(m)
    by_edge: dict = {}
    for key, f, backward in sides(faces):
        by_edge.setdefault(key, []).append((f, backward))
    two = {key: v for key, v in by_edge.items() if len(v) == 2}
    told = {
        tuple(sorted((int(owner[a]), int(owner[b])))): bool(alike)
        for a, b, alike in zip(found.shared.one, found.shared.other, found.shared.alike, strict=True)
    }
    # Two faces may share several edges, once alike and once not; where they share one the two must agree.
    pairs = [tuple(sorted((v[0][0], v[1][0]))) for v in two.values()]
    assert set(told) == set(pairs)
    for pair, (one, other) in zip(pairs, two.values(), strict=True):
        if pairs.count(pair) == 1:
            assert told[pair] == (one[1] == other[1])
    beyond = found.across.tolist()
    for corner, (key, f, _) in enumerate(sides(faces)):
        others = [g for g, _ in two.get(key, ()) if g != f]
        assert beyond[corner] == (others[0] if others else f)


@settings(max_examples=150, deadline=None)
@given(FACES)
def test_joined_faces_are_the_components_of_the_graph(faces):
    m = made(faces)
    graph = networkx.Graph()
    graph.add_nodes_from(range(len(faces)))
    by_edge: dict = {}
    for key, f, _ in sides(faces):
        by_edge.setdefault(key, []).append(f)
    graph.add_edges_from(tuple(v) for v in by_edge.values() if len(v) == 2)
    label = joined_faces(edges(m, np.arange(12, dtype=np.int32)).across, m.starts)
    groups = sorted(sorted(c) for c in networkx.connected_components(graph))
    assert [np.flatnonzero(label == k).tolist() for k in range(label.max() + 1)] == groups


@pytest.mark.parametrize("faces", [CUBE_FACES, [[0, 1, 2], [0, 2, 3]], [[0, 1, 2, 3], [4, 5, 6]]])
def test_the_corner_that_follows(faces):
    m = mesh(CUBE_POINTS, faces, "block")
    following = [m.corners[c] for c in next_corner(m)]
    assert following == [p for face in faces for p in [*face[1:], face[0]]]
    assert at_next_corner(m, m.corners).tolist() == following


def test_points_that_lie_together_count_as_one_and_flat_faces_as_none():
    """A square of two triangles that share no stored point, and a face without area across one of its sides."""
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0]]
    m = mesh(points, [[0, 1, 2], [3, 4, 5], [0, 1, 6]], "square")
    top = surface(m, corners=True)
    assert top.zero_area == 1
    assert top.edges.across.tolist()[:6] == [0, 0, 1, 0, 1, 1]
    assert top.edges.across.tolist()[6:] == [2, 2, 2]

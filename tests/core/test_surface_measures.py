"""Facing, Surface, Pivots and the nudge test: measures against closed form, checks with a model that trips each and a near miss."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.geometry import doubles
from handlens.core.geometry.patches import patches, volumes_and_area
from handlens.core.geometry.rays import RayScene, hemisphere_directions, sequence, sphere_directions
from handlens.core.geometry.recut import only_faces, turned_faces
from handlens.core.geometry.topology import surface
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.measures.known import Known
from handlens.core.route.measuring import measure
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Layer, Material, Mesh, Node
from handlens.core.scene.headings import heading
from handlens.core.stations.placement.measures import OWN
from kit.grids import grid
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, findings, ledger, mesh, rigged, scene
from kit.solids import icosphere, torus, unjoined

INSIDE = '{"seen_from": "inside"}'


def mask(made: Mesh, *faces: int) -> np.ndarray:
    out = np.zeros(made.face_count, bool)
    out[list(faces)] = True
    return out


def figures(made: Mesh):
    return collect(scene(made)).meshes[0].surface


# --- rays ---------------------------------------------------------------------------------------------


def test_directions_are_spread_evenly():
    """The mean of a uniform sphere is its middle; a cosine-weighted hemisphere leans 2/3 towards its normal (∫cos²/∫cos)."""
    ball = sphere_directions(2000)
    assert np.allclose(np.linalg.norm(ball, axis=1), 1)
    assert np.abs(ball.mean(axis=0)).max() < 1e-3
    normals = sphere_directions(500)
    way = np.concatenate([hemisphere_directions(np.tile(n, (8, 1)), np.arange(8) + 8 * k) for k, n in enumerate(normals)])
    lean = np.einsum("ij,ij->i", way, np.repeat(normals, 8, axis=0))
    assert lean.min() > 0
    assert lean.mean() == pytest.approx(2 / 3, abs=0.01)
    points = sequence(np.arange(1000), 2)
    assert np.histogram2d(*points.T, bins=5)[0].min() > 30


def test_rays_meet_the_cube_where_geometry_says():
    """A ray along an axis onto a unit cube meets its near side at the distance that plane geometry gives."""
    solid = cube()
    triangles = np.array([[f[0], f[k], f[k + 1]] for f in CUBE_FACES for k in (1, 2)])
    rays = RayScene(solid.positions, triangles)
    start, along = np.array([[0.3, 0.4, 3.0], [0.3, 4.0, 0.4], [5.0, 5.0, 5.0]]), np.array([[0, 0, -1.0], [0, -1, 0], [1, 0, 0]])
    hit = rays.first(rays.to_unit(start), along)
    assert (hit.triangle // 2).tolist()[:2] == [5, 3]
    assert hit.triangle[2] == -1
    assert hit.distance[:2] * rays.size == pytest.approx([2.0, 3.0], rel=1e-5)
    assert rays.blocked(rays.to_unit(start), along).tolist() == [True, True, False]
    assert rays.blocked(rays.to_unit(start), along, np.full(3, 0.5 / rays.size)).tolist() == [False] * 3


def test_rays_at_survey_coordinates():
    """538 km out a 32-bit float is 3 cm wide; in the frame of the rays the cube is as fine as at home."""
    far = scene(turned_faces(cube(), mask(cube(), 2)), nodes=(Node("n", "crate", (482803.21, 0.0, 236541.87), mesh=0),))
    assert findings(far)["facing.inward"][0].elements.indices.tolist() == [2]


def test_points_that_are_no_numbers_are_left_out():
    broken = mesh([*CUBE_POINTS, [np.nan, 0, 0]], [*CUBE_FACES, [0, 1, 8]])
    assert collect(scene(broken)).facing[0].outside.turned == 0
    assert collect(scene(mesh([[np.nan] * 3] * 3, [[0, 1, 2]]))).facing[0].outside.judged == 0


# --- patches ------------------------------------------------------------------------------------------


def test_patches_solve_the_relative_winding():
    turned = turned_faces(torus(8, 6), np.arange(48) % 5 == 0)
    p = patches(turned, surface(turned, corners=True).edges)
    assert (p.number, p.orientable.all(), p.closed.all()) == (1, True, True)
    assert p.turned.tolist() in ((np.arange(48) % 5 == 0).tolist(), (np.arange(48) % 5 != 0).tolist())


def test_a_twisted_band_has_one_side():
    """The Möbius band is the textbook surface that cannot be oriented."""
    n = 12
    turn = np.pi * np.arange(n) / n
    middle = np.stack([np.cos(2 * turn), np.zeros(n), np.sin(2 * turn)], axis=1)
    lean = 0.3 * np.stack([np.cos(turn) * np.cos(2 * turn), np.sin(turn), np.cos(turn) * np.sin(2 * turn)], axis=1)
    points = np.concatenate([middle + lean, middle - lean])
    faces = [[k, k + 1, n + k + 1, n + k] for k in range(n - 1)] + [[n - 1, n, 0, 2 * n - 1]]
    band = mesh(points, faces, "sash")
    assert figures(band).non_orientable == 1
    assert "facing.one-surface" in findings(scene(band))
    assert figures(mesh(points, faces[:-1])).non_orientable == 0


def test_signed_volume_of_known_solids():
    """Six times the volume: 6 for the unit cube, and 4π for the unit sphere within its facets."""
    for solid, six, within in ((cube(), 6.0, 1e-12), (icosphere(4), 8 * np.pi, 0.01)):
        p = patches(solid, surface(solid, corners=True).edges)
        assert volumes_and_area(solid, solid.positions, p)[0][0] == pytest.approx(six, rel=within)
        back = turned_faces(solid, np.ones(solid.face_count, bool))
        p = patches(back, surface(back, corners=True).edges)
        assert volumes_and_area(back, back.positions, p)[0][0] == pytest.approx(-six, rel=within)


# --- facing -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("solid", [cube(), icosphere(2), torus(10, 8)])
@pytest.mark.parametrize("joined", [True, False])
def test_a_turned_face_is_found_however_the_points_are_stored(solid, joined):
    turned = turned_faces(solid, mask(solid, 3))
    made = turned if joined else unjoined(turned)
    found = findings(scene(made))
    assert found["facing.inward"][0].elements.indices.tolist() == [3]
    assert found["facing.inward"][0].result == "stop"
    assert "facing.inward" not in findings(scene(solid if joined else unjoined(solid)))
    assert found["facing.winding"][0].count == solid.corner_counts[3]


def test_a_mirrored_node_raises_nothing_here():
    for scale in ((-1.0, 1.0, 1.0), (-1.0, -2.0, -1.0)):
        assert "facing.inward" not in findings(scene(cube(), nodes=(Node("n", "crate", scale=scale, mesh=0),)))
    pair = (Node("a", "a", scale=(-1.0, 1.0, 1.0), children=(1,)), Node("b", "b", scale=(1.0, 1.0, -1.0), mesh=0))
    assert not [c for c in findings(scene(cube(), nodes=pair)) if c.startswith("facing.")]


def test_a_room_is_right_inside_and_wrong_outside():
    room = turned_faces(cube("room", 4.0), np.ones(6, bool))
    box = scene(room, cube("crate", 0.5, (1.0, 0.01, 1.0)))
    assert not [c for c in findings(box, intent=INSIDE) if c.startswith("facing.")]
    outside = findings(box)["facing.inward"]
    assert [(f.part, f.count) for f in outside] == [("room", 6)]
    per_part = findings(box, intent='{"parts": {"room": {"seen_from": "inside"}}}')
    assert "facing.inward" not in per_part
    wrong = findings(scene(cube("room", 4.0)), intent=INSIDE)["facing.inward"][0]
    assert (wrong.count, wrong.mends[0][0]) == (6, "facing.inward")


def test_a_closed_piece_inside_a_solid_is_not_reported_as_turned():
    hidden = turned_faces(cube("stone", 0.5, (0.25, 0.25, 0.25)), np.ones(6, bool))
    made = scene(cube("shell", 2.0, (-0.5, -0.5, -0.5)), hidden)
    found = findings(made)
    assert "facing.inward" not in found
    assert found["surface.unseen"][0].count == 12
    assert "surface.unseen" not in findings(made, intent=INSIDE)


def test_a_shell_that_is_inverted_on_purpose_raises_nothing():
    shell = scene(turned_faces(cube("outline"), np.ones(6, bool)))
    assert "facing.inward" in findings(shell)
    assert "facing.inward" not in findings(shell, intent='{"parts": {"outline": {"seen_from": "inverted"}}}')
    with pytest.raises(InputError, match="at parts/outline/seen_from, says 'sideways'; use one of"):
        findings(shell, intent='{"parts": {"outline": {"seen_from": "sideways"}}}')


def test_an_open_sheet_seen_alike_from_both_sides_is_not_guessed_at():
    sheet = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], "pennant")
    m = collect(scene(sheet))
    assert m.facing[0].outside.turned == 0
    assert m.facing[0].both == 1
    assert "facing.one-sided" in findings(m, intent='{"seen_from": "both"}')
    assert "facing.one-sided" not in findings(m)
    # Its stored normals say which way it ought to look.
    lit = replace(sheet, normals=Layer(np.array([[0, 0, -1]], np.float32), np.zeros(4, np.int32)))
    assert collect(scene(lit)).facing[0].outside.turned == 1


def test_double_sided_material_turns_a_stop_into_a_caution():
    both = (Material("material:0", "net", alpha_mode="opaque", double_sided=True),)
    made = scene(turned_faces(cube(), mask(cube(), 1)), materials=both)
    found = findings(made)
    assert "facing.inward" not in found
    assert found["facing.double-sided"][0].count == 1
    assert "facing.inward" in findings(made, "creator-platform-strict")  # which does not look at the material
    assert "facing.inward" not in findings(made, "modelling-room")  # which draws both sides


def test_walk_round_finds_one_tiny_hole():
    ball = icosphere(4)
    open_ = only_faces(ball, ~mask(ball, 1234))
    found = findings(scene(open_))
    walk = found["facing.walk-round"][0]
    assert (walk.part, walk.result) == ("float", "caution")
    p = ball.positions[ball.corners[3 * 1234 : 3 * 1234 + 3]]
    assert found["surface.holes"][0].measured["value"] == pytest.approx(
        1000 * np.linalg.norm(p - np.roll(p, 1, axis=0), axis=1).max(), rel=0.01
    )
    assert "facing.walk-round" not in findings(scene(ball))
    assert "facing.walk-round" not in findings(scene(open_), intent=INSIDE)


def test_directions_in_words():
    assert heading([0, 0, 1], "Y") == "the front"
    assert heading([0, -1, 0], "Z") == "the front"
    assert heading([1, 0, 0], "Y") == "the right"
    assert heading([0, 1, 0], "Y") == heading([0, 0, 1], "Z") == "above"
    assert heading([0, -0.5, -0.866], "Y") == "the back, 30° down"
    assert heading(None, "Y") == "nowhere"


def test_normals_are_judged():
    good = turned_faces(cube(), mask(cube()))
    values = np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]], np.float32)
    lit = replace(good, normals=Layer(values, np.repeat(np.arange(6, dtype=np.int32), 4)))
    assert not [c for c in findings(scene(lit)) if c.startswith("facing.")]
    against = replace(lit, normals=Layer(values * np.where(np.arange(6)[:, None] == 4, -1, 1), lit.normals.index))
    assert findings(scene(against))["facing.normals-opposed"][0].elements.indices.tolist() == [4]
    for bad, words in (([0, 0, 0], "zero"), ([np.nan, 0, 0], "no number"), ([2, 0, 0], "length 1")):
        broken = values.copy()
        broken[1] = bad
        found = findings(scene(replace(lit, normals=Layer(broken, lit.normals.index))))["facing.normals-broken"][0]
        assert words in found.title
        assert found.elements.indices.tolist() == [4, 5, 6, 7]
    round_ = CUBE_POINTS * 2 - 1
    smooth = replace(
        good, normals=Layer((round_ / np.linalg.norm(round_, axis=1, keepdims=True)).astype(np.float32), good.corners)
    )
    assert findings(scene(smooth))["facing.smeared"][0].count == 12
    assert "facing.normals-missing" in findings(scene(icosphere(1)))
    assert "facing.normals-missing" not in findings(scene(cube()))


def test_back_to_back_and_there_twice_are_told_apart():
    quads = [[0, 1, 2, 3], [3, 2, 1, 0], [1, 2, 3, 0]]
    sheet = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], quads)
    s = figures(sheet)
    assert (s.opposed, s.alike) == (1, 1)
    found = findings(scene(mesh(CUBE_POINTS, [*CUBE_FACES, CUBE_FACES[4][::-1], CUBE_FACES[5]])))
    assert found["facing.back-to-back"][0].elements.indices.tolist() == [6]
    assert found["surface.duplicates"][0].elements.indices.tolist() == [7]


def test_facing_is_taken_over_where_nothing_changed():
    made = scene(turned_faces(torus(8, 6), mask(torus(8, 6), 3)), cube())
    first = collect(made, known=Known())
    again = Known(first)
    renamed = made.with_(nodes=tuple(replace(n, name=f"new {n.name}") for n in made.nodes))
    second = collect(renamed, known=again)
    assert (again.fresh, second.facing, second.walk) == (0, first.facing, first.walk)
    moved = made.with_(nodes=(replace(made.nodes[0], translation=(9.0, 0.0, 0.0)), made.nodes[1]))
    assert collect(moved, known=Known(first)).facing_key != first.facing_key


# --- surface ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("taken", [1, 3, 7])
def test_holes_of_known_solids(taken):
    """Faces of an icosphere that do not touch, taken out: as many openings, three edges each."""
    ball = icosphere(3)
    chosen, used = [], set()
    for f in range(ball.face_count):
        corners = set(ball.corners[3 * f : 3 * f + 3].tolist())
        if not corners & used:
            chosen.append(f)
            used |= corners
        if len(chosen) == taken:
            break
    s = figures(only_faces(ball, ~mask(ball, *chosen)))
    assert (s.hole_count, s.open_edges) == (taken, 3 * taken)
    assert figures(ball).hole_count == 0


def test_pinched_points():
    """Two tetrahedra that touch in one point; the same two joined over an edge more; and a plain solid."""
    points = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [-1, 0, 0], [0, -1, 0], [0, 0, -1]]
    tetra = lambda a, b, c, d: [[a, c, b], [a, b, d], [b, c, d], [c, a, d]]
    two = mesh(points, [*tetra(0, 1, 2, 3), *tetra(0, 5, 4, 6)])
    m = collect(scene(two))
    assert m.meshes[0].surface.pinched == 1
    assert m.array("mesh:0:pinched").tolist() == [0]
    for solid in (cube(), icosphere(2), torus(8, 6), turned_faces(torus(8, 6), np.arange(48) % 3 == 0)):
        assert figures(solid).pinched == 0
    fan = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [-1, 0, 0], [-1, -1, 0]], [[0, 1, 2], [0, 3, 4]])
    assert figures(fan).pinched == 1


def test_crowded_edges():
    fins = mesh([[0, 0, 0], [0, 1, 0], [1, 0, 0], [-1, 0, 0], [0, 0, 1]], [[0, 1, 2], [1, 0, 3], [0, 1, 4]])
    found = findings(scene(fins))["surface.crowded-edges"][0]
    assert sorted(found.elements.indices.tolist()) == [0, 1]
    assert "surface.crowded-edges" not in findings(scene(cube()))


def test_polygons_that_are_cut_differently():
    arrow = mesh([[0, 0, 0], [2, 2, 0], [0, 1, 0], [-2, 2, 0]], [[0, 1, 2, 3]])
    bow = mesh([[0, 0, 0], [1, 1, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2, 3]])
    bent = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0.2], [0, 1, 0]], [[0, 1, 2, 3]])
    flat = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0.001], [0, 1, 0]], [[0, 1, 2, 3]])
    told = lambda made: (len(figures(made).by_corners), figures(made).concave, figures(made).crossing, figures(made).bent)
    assert told(arrow) == (0, 1, 0, 0)
    assert told(bow) == (0, 0, 1, 0)
    assert told(bent) == (0, 0, 0, 1)
    assert told(flat) == (0, 0, 0, 0)
    # Newell's plane of a unit square with one corner raised by h passes within h/4 of each corner (by symmetry).
    assert figures(bent).most_bent == pytest.approx(0.05, rel=0.03)
    assert "surface.polygons" in findings(scene(arrow))
    # The arrow cut about its tail's corner sticks out; about the inner corner it does not.
    assert (
        "cut into a fan, 1 of them sticks out"
        in findings(scene(mesh(arrow.positions[[1, 2, 3, 0]], [[0, 1, 2, 3]])))["surface.polygons"][0].title
    )
    assert figures(mesh(arrow.positions[[2, 3, 0, 1]], [[0, 1, 2, 3]])).fan_out == 0
    # Diagonals of the raised square: midpoints h/2 apart along the normal of both.
    assert figures(bent).diagonals == pytest.approx(0.1, rel=0.03)
    ring = np.linspace(0, 2 * np.pi, 9, endpoint=False)
    disc = mesh(np.stack([np.cos(ring), np.sin(ring), 0 * ring], axis=1), [list(range(9))])
    assert figures(disc).by_corners == {9: 1}
    assert "surface.many-corners" in findings(scene(disc))


def test_needles_and_faces_without_area():
    thin = mesh([[0, 0, 0], [1, 0, 0], [0.5, 0.001, 0], [0, 1, 0]], [[0, 1, 2], [0, 1, 3], [0, 1, 1]])
    m = collect(scene(thin))
    assert m.array("mesh:0:needles").tolist() == [0]
    assert m.array("mesh:0:zero-area").tolist() == [2]
    found = findings(m)
    assert {"surface.needles", "surface.zero-area"} <= set(found)


def test_seams_that_are_not_joined():
    seam = unjoined(cube())
    shifted = replace(seam, positions=seam.positions + np.where(np.arange(24)[:, None] < 4, [0.0003, 0, 0], 0))
    found = findings(scene(shifted))["surface.doubles"][0]
    assert found.measured["value"] == pytest.approx(0.3)
    assert found.count == 8
    assert found.mends[0][1]["distance_mm"] == pytest.approx(0.303)
    assert "surface.doubles" not in findings(scene(seam))


def test_loose_points_and_flat_parts():
    stray = mesh([*CUBE_POINTS, [9, 9, 9]], CUBE_FACES)
    assert findings(scene(stray))["surface.loose-points"][0].elements.indices.tolist() == [8]
    sheet = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], "pennant")
    assert findings(scene(sheet))["surface.flat"][0].part == "pennant"
    assert "surface.flat" not in findings(scene(sheet), intent='{"kind": "foliage"}')
    assert not figures(cube()).flat
    leaf = scene(sheet, materials=(Material("material:0", "leaf", alpha_mode="mask"),))
    assert "cards that face the camera" in findings(leaf)["surface.flat"][0].title


# --- pivots -------------------------------------------------------------------------------------------


def test_spin_test_by_geometry():
    """A unit cube about its own middle sweeps √½; about a point 3 m from it along X, √(3.5² + 0.5²)."""
    far = collect(scene(cube(at=(2.5, 0, -0.5)))).parts[0]
    assert (far.needed, far.sweep) == (pytest.approx(0.5**0.5), pytest.approx((3.5**2 + 0.25) ** 0.5))
    found = findings(scene(cube(at=(2.5, 0, -0.5))))["pivots.far"][0]
    assert (found.measured["value"], found.result) == (pytest.approx(5.0), "note")
    assert "pivots.far" not in findings(scene(cube(at=(1.5, 0, -0.5))))  # 3.6 times: told from 4 on
    together = scene(*[cube(f"c{k}", 0.2, (k, 0, 0)) for k in range(3)])
    assert findings(together)["pivots.far"][0].result == "caution"  # 20 times, and lying together makes it no better


def test_the_pivot_that_the_intent_wants():
    crate = scene(cube())
    off = findings(crate, intent='{"pivot": "base-centre"}')["pivots.anchor"][0]
    assert off.measured["value"] == pytest.approx(0.5**0.5)
    assert off.mends == (("pivots.set", {"anchor": "base-centre", "parts": ["crate"]}),)
    assert "pivots.anchor" not in findings(crate, intent='{"pivot": "base-back-left"}')
    assert "pivots.anchor" not in findings(crate)
    own = findings(crate, intent='{"parts": {"crate": {"pivot": "top-centre"}}}')["pivots.anchor"][0]
    assert own.measured["value"] == pytest.approx(1.5**0.5)
    group = scene(
        cube(), nodes=(Node("a", "quay", children=(1, 2)), Node("b", "x", mesh=0), Node("c", "y", (3.0, 0.0, 0.0), mesh=0))
    )
    assert findings(group, intent='{"pivot": "base-centre"}')["pivots.anchor"][0].part == "quay"


# --- placement ---


def test_the_crane_stands_where_floats_are_62_and_a_half_millimetres_apart():
    """IEEE 754 binary32: 24 significant bits, so 2^-4 m between 2^19 and 2^20."""
    from pathlib import Path

    from handlens.core.pipeline.opening import open_scene

    m = collect(open_scene(Path(__file__).parents[2] / "demo" / "models" / "quay_crane")[2])
    assert findings(m)["placement.far"][0].measured == {"value": 62.5, "unit": "mm"}
    panel = next(
        s for s in ledger(m, load_sheet(None), Intent(), judge(m, load_sheet(None), Intent())) if s["name"] == "Placement"
    )
    chains = next(t for t in panel["tables"] if t["title"] == "Chains of scale")
    assert [c["text"] for c in chains["rows"][0]["cells"].values()] == ["jib × 2 → hook × 0.5", "2 → 1"]


# --- nudge --------------------------------------------------------------------------------------------


def double_driven(node: Node, roots=(0,)):
    made = rigged(np.random.default_rng(0), clip=False)
    return made.with_(nodes=(*made.nodes[:4], node), roots=roots)


def test_a_skinned_part_under_its_own_moving_group_is_driven_twice():
    eel = Node("node:4", "eel", (0.5, 0.0, 0.0), mesh=0, skin=0)
    made = double_driven(eel)
    rig = replace(made.nodes[0], rotation=(0.0, 0.0, 0.0, 1.0), scale=(1.0, 1.0, 1.0))
    m = measure(made.with_(nodes=(rig, *made.nodes[1:])))
    n = next(x for x in OWN.of(m).nudges if x.group == 0)
    assert (n.low, n.high) == (pytest.approx(1), pytest.approx(1))
    assert n.applied == pytest.approx(2)
    found = findings(m)["placement.double-move"][0]
    assert (found.part, found.result) == ("eel", "caution")
    assert "2 times" in found.title


def test_a_skinned_part_whose_joints_hang_elsewhere_stays_behind():
    made = rigged(np.random.default_rng(0), clip=False)
    rig = replace(made.nodes[0], children=(1,))
    nodes = (rig, *made.nodes[1:4], Node("node:4", "eel", mesh=0, skin=0), Node("node:5", "boat", children=(4,)))
    found = findings(made.with_(nodes=nodes, roots=(0, 5)))["placement.double-move"][0]
    assert "stays behind when boat is moved" in found.title
    assert found.measured["value"] == 0


def test_parts_that_only_hang_on_nodes_are_not_nudged():
    assert OWN.of(measure(scene(cube(), nodes=(Node("a", "g", children=(1,)), Node("b", "c", mesh=0))))).nudges == []


def test_seams_of_a_long_ribbon_are_looked_for_near_its_own_edges(monkeypatch):
    """A thousandth of its length holds hundreds of its edges: compared over that, each point would meet hundreds of others."""
    asked = []
    real = doubles.close_groups
    monkeypatch.setattr(
        doubles,
        "close_groups",
        lambda points, distance, *more, **named: asked.append(distance) or real(points, distance, *more, **named),
    )
    assert not any(figures(grid(20_000)).doubles)
    assert max(asked) <= 0.25 * 0.0142

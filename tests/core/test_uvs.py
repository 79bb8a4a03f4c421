"""UV sets on layouts whose coverage, gaps and densities are known in closed form; draw order on shells and rings."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace as with_values
from shapely import LinearRing, Polygon, contains_xy

from handlens.core.geometry import uv_raster
from handlens.core.geometry.topology import surface
from handlens.core.geometry.triangles import fan
from handlens.core.geometry.uv_area import doubled_area
from handlens.core.geometry.uv_islands import islands, layout
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.measures.texel_density import quantiles
from handlens.core.measures.uvs import RESOLUTION
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.rules.sheet import Textures
from handlens.core.scene import Layer, Material, Node
from handlens.core.scene.transforms import world_matrices
from handlens.core.stations.see_through.measures import OWN
from handlens.core.stations.see_through.sweep import right_from, right_sectors, sides, wrong_from
from kit.pictures import png, textured
from kit.scenes import CUBE_FACES, CUBE_POINTS, mesh, scene
from kit.solids import icosphere, torus

TEXEL = 1 / RESOLUTION


def quads(*boxes):
    """(T, 3, 2) two triangles for each (u0, v0, u1, v1)."""
    out = []
    for a, b, c, d in boxes:
        out += [[[a, b], [c, b], [c, d]], [[a, b], [c, d], [a, d]]]
    return np.array(out, float)


def drawn(uv, resolution=RESOLUTION):
    """Crossings of (T, 3, 2) triangles, and the window they lie in."""
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    c = uv_raster.crossings(uv_raster.around(uv, np.sign(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])), resolution)
    return c, uv_raster.window(c, resolution)


def cover(uv, resolution=RESOLUTION):
    return uv_raster.covered(*drawn(uv, resolution))


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(-1.5, 2.5), min_size=4, max_size=4))
def test_a_rectangle_covers_its_area_within_one_texel_a_side(sides):
    a, c = sorted(sides[:2])
    b, d = sorted(sides[2:])
    count = cover(quads((a, b, c, d)), 256)
    wide, high = (c - a) * 256, (d - b) * 256
    assert abs(count.sum() - wide * high) <= wide + high + 1


@pytest.mark.parametrize("n", [7, 50, 333])
def test_a_grid_covers_every_texel_once(n):
    """No texel is left out or counted twice along shared edges, whatever their slope: coverage by centres, half open."""
    dice = np.random.default_rng(n)
    x, y = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n), indexing="ij")
    p = np.stack([x, y], axis=-1)
    p[1:-1, 1:-1] += dice.uniform(-0.3, 0.3, (n - 2, n - 2, 2)) / n
    q = [p[:-1, :-1], p[1:, :-1], p[1:, 1:], p[:-1, 1:]]
    pick = [(0, 1, 2), (0, 2, 3)]
    uv = np.concatenate([np.stack([q[k] for k in corners], axis=2).reshape(-1, 3, 2) for corners in pick])
    count = cover(uv, 512)
    assert count.shape == (512, 512)
    assert (count == 1).all()


@pytest.mark.parametrize("shift", [(0, 0), (0.7, 0.3), (-1.4, 2.9)])
def test_a_layout_that_runs_over_the_tile_begins_again_at_its_start(shift):
    """A square of a tile and a half a side covers a quarter of the tile four times, and each texel as often as its place in the
    repeating plane is met."""
    count = cover(quads((0, 0, 1.5, 1.5)) + np.array(shift), 64)
    assert count.shape == (64, 64)
    assert sorted(np.unique(count, return_counts=True)[1].tolist()) == [1024, 1024, 2048]
    assert count.sum() == 96 * 96


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.integers(2, 9), st.booleans(), st.booleans())
def test_outlines_cover_what_their_faces_do(seed, n, turned, cut):
    """Sides that neighbours share are left out of the outlines; what is covered is the same as if every triangle were drawn by
    itself, whichever way round it lies, wherever seams run."""
    dice = np.random.default_rng(seed)
    grid = np.stack(np.meshgrid(np.arange(n), np.arange(n), indexing="ij"), axis=-1).reshape(-1, 2)
    at = lambda i, j: i * n + j
    faces = []
    for i in range(n - 1):
        for j in range(n - 1):
            a, b, c, d = at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)
            faces += [[a, b, c, d]] if dice.random() < 0.4 else [[a, b, c], [a, c, d]]
    m = mesh(np.pad(grid, ((0, 0), (0, 1))).astype(float), faces, "sheet")
    uv = grid / n + dice.normal(0, 0.6 / n, grid.shape)
    index = m.corners.copy()
    if cut:  # some corners get a UV of their own
        own = np.flatnonzero(dice.random(len(index)) < 0.2)
        uv = np.concatenate([uv, uv[index[own]] + dice.normal(0, 0.05, (len(own), 2))])
        index[own] = len(grid) * 1 + np.arange(len(own))
    if turned:
        flip = np.flatnonzero(dice.random(m.face_count) < 0.3)
        for f in flip:
            here = slice(m.starts[f], m.starts[f + 1])
            index[here] = index[here][::-1]
            m.corners[here] = m.corners[here][::-1]
    layer = Layer(uv, index.astype(np.int32))
    m = replace(m, uvs=(layer,))
    twice, top = doubled_area(layer, fan(m)[0]), surface(m, corners=True)
    laid = layout(m, layer, fan(m), twice, np.ones(m.face_count, bool), islands(m, layer, top.edges), top.edges)
    c = uv_raster.crossings(laid.outline, 128)
    w = uv_raster.window(c, 128)
    found = uv_raster.covered(c, w)
    expected = np.zeros((128, 128), int)
    for f in range(m.face_count):
        polygon = uv[index[m.starts[f] : m.starts[f + 1]]]
        expected += (
            winding(polygon, 128)
            if simple(polygon)
            else sum(winding(polygon[[0, k, k + 1]], 128) for k in range(1, len(polygon) - 1))
        )
    whole = np.zeros((128, 128), int)
    rows, columns = np.mod(np.arange(w.rows) + w.row, 128), np.mod(np.arange(w.columns) + w.column, 128)
    whole[np.ix_(rows, columns)] = found
    assert np.array_equal(whole, expected)


def simple(polygon):
    return LinearRing(polygon).is_simple


def winding(polygon, resolution):
    """How often a polygon lies over each texel's centre in a tile that repeats, by the geometry library's own test of points."""
    low, high = np.floor(polygon.min(axis=0)).astype(int), np.ceil(polygon.max(axis=0)).astype(int)
    out = np.zeros((resolution, resolution), int)
    if Polygon(polygon).area == 0:
        return out
    for i in range(low[0], high[0]):
        for j in range(low[1], high[1]):
            centres = (np.arange(resolution) + 0.5) / resolution
            u, v = np.meshgrid(centres + i, centres + j)
            out += contains_xy(Polygon(polygon), u.reshape(-1), v.reshape(-1)).reshape(resolution, resolution)
    return out


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 12), st.sampled_from([0.4, 1.0, 2.7]))
def test_texels_of_a_mask_are_counted_for_each_triangle(seed, n, spread):
    """Against every triangle drawn by itself, in a tile that repeats; the mask is what the others cover."""
    dice = np.random.default_rng(seed)
    uv = dice.random((n, 3, 2)) * spread
    c, w = drawn(uv, 64)
    mask = uv_raster.covered(c, w) > 1
    found = uv_raster.texels_in(c, np.repeat(np.arange(n), 3), mask, w) if len(c.row) else np.zeros(0, int)
    whole = np.zeros((64, 64), bool)
    rows, columns = np.mod(np.arange(w.rows) + w.row, 64), np.mod(np.arange(w.columns) + w.column, 64)
    whole[np.ix_(rows, columns)] = mask
    expected = [int((winding(t, 64) * whole).sum()) for t in uv]
    assert found.tolist() == expected[: len(found)]
    assert not any(expected[len(found) :])


def test_a_mask_elsewhere_counts_nothing():
    _, w = drawn(quads((0.1, 0.1, 0.4, 0.4)), 64)
    other, _ = drawn(quads((0.6, 0.6, 0.9, 0.9)), 64)
    assert uv_raster.texels_in(other, np.repeat(np.arange(2), 3), np.ones((w.rows, w.columns), bool), w).sum() == 0
    none = uv_raster.crossings(uv_raster.around(np.zeros((0, 3, 2)), np.zeros(0)), 64)
    assert uv_raster.covered(none, uv_raster.window(none, 64)).shape == (0, 0)


@settings(max_examples=50, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 40))
def test_areas_in_the_uvs_against_a_geometry_library(seed, n):
    dice = np.random.default_rng(seed)
    uv = dice.normal(0, 2, (3 * n, 2))
    index = dice.permutation(3 * n).astype(np.int32)
    lost = dice.random(3 * n) < 0.1
    twice = doubled_area(Layer(uv, np.where(lost, -1, index).astype(np.int32)), np.arange(3 * n).reshape(-1, 3))
    for k, found in enumerate(twice.tolist()):
        if lost[3 * k : 3 * k + 3].any():
            assert np.isnan(found)
        else:
            t = Polygon(uv[index[3 * k : 3 * k + 3]])
            assert found == pytest.approx(2 * t.area * (1 if t.exterior.is_ccw else -1), abs=1e-9)
    assert np.isnan(doubled_area(Layer(np.zeros((0, 2)), np.full(3, -1, np.int32)), np.array([[0, 1, 2]]))).all()


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(0.1, 100), st.floats(0.1, 10)), min_size=1, max_size=30), st.floats(0.01, 0.99))
def test_weighted_quantiles(pairs, share):
    """The least value up to which the share of all weights lies."""
    values, weights = np.array(pairs).T
    (found,) = quantiles(values, weights, (share,))
    reached = lambda v: weights[values <= v].sum()
    assert reached(found) >= share * weights.sum() * (1 - 1e-12)
    assert all(reached(v) < share * weights.sum() * (1 + 1e-12) for v in values[values < found])


def test_density_of_two_slots_with_images_of_their_own():
    """A square metre each at 512 and at 128 pixels: a tenth of the area and half of it are at 128, nine tenths at 512."""
    s = flat([(0, 0, 1, 1), (0, 0, 1, 1)])
    small = replace(s.images[0], id="image:1", load=lambda: png((128, 128)))
    second = replace(s.materials[0], id="material:1", name="other", inputs=(replace(s.materials[0].inputs[0], image=1),))
    m = replace(s.meshes[0], slots=np.array([0, 1], np.int32), slot_materials=(0, 1))
    d = collect(s.with_(meshes=(m,), images=(*s.images, small), materials=(*s.materials, second))).densities[0]
    assert (d.low, d.median, d.high) == (pytest.approx(128), pytest.approx(128), pytest.approx(512))
    # A texture transform that repeats the picture twice each way doubles what a length gets.
    twice = replace(s.materials[0], inputs=(replace(s.materials[0].inputs[0], transform={"scale": [2.0, 2.0], "rotation": 0.7}),))
    assert collect(s.with_(materials=(twice,))).densities[0].median == pytest.approx(1024)


def terrain(n):
    """n by n squares, each laid on the whole tile: what block worlds and trim sheets look like."""
    at = np.arange(n)
    corner = np.stack(np.meshgrid(at, at, indexing="ij"), axis=-1).reshape(-1, 2)
    points = (corner[:, None] + [[0, 0], [1, 0], [1, 1], [0, 1]]).reshape(-1, 2)
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
    index = np.tile(np.arange(4, dtype=np.int32), n * n)
    m = mesh(np.pad(points, ((0, 0), (0, 1))).astype(float), np.arange(4 * n * n).reshape(-1, 4).tolist(), "terrain")
    return replace(m, uvs=(Layer(uv, index),))


def test_many_faces_that_fill_the_tile_are_drawn_coarser_and_then_not_at_all(monkeypatch):
    """The figures stay; the raster that they were told by is said."""
    s = scene(terrain(12))
    fine = collect(s).meshes[0].uvs[0]
    assert (fine.resolution, fine.overlap, fine.overlapping) == (1024, 1.0, 144)
    monkeypatch.setattr("handlens.core.measures.uvs.MOST_CROSSINGS", 50_000)
    monkeypatch.setattr("handlens.core.measures.uvs._AT_ONCE", 1_000)
    coarse = collect(s).meshes[0].uvs[0]
    assert (coarse.resolution, coarse.overlap, coarse.overlapping) == (128, 1.0, 144)
    monkeypatch.setattr("handlens.core.measures.uvs.MOST_CROSSINGS", 1_000)
    none = collect(s).meshes[0].uvs[0]
    assert (none.overlap, none.padding, none.overlapping) == (None, None, 0)


def test_a_concave_polygon_does_not_lie_over_itself():
    """An L whose first corner does not see all others: a fan about it would run over its own notch."""
    ring = [[0.1, 0.1], [0.9, 0.1], [0.9, 0.4], [0.4, 0.4], [0.4, 0.9], [0.1, 0.9]]
    for turn in range(6):
        uv = np.roll(ring, turn, axis=0)
        s = flat([(0, 0, 1, 1)])
        m = mesh(np.pad(uv, ((0, 0), (0, 1))), [list(range(6))], "floor")
        s = s.with_(meshes=(replace(m, uvs=(Layer(uv, np.arange(6, dtype=np.int32)),), slot_materials=(0,)),))
        u = collect(s).meshes[0].uvs[0]
        assert (u.overlap, u.overlapping) == (0.0, 0), turn
    # A bow is drawn as its two triangles, which overlap where the sides cross.
    bow = np.array([[0.1, 0.1], [0.9, 0.9], [0.9, 0.1], [0.1, 0.9]])
    m = replace(m, positions=np.pad(bow, ((0, 0), (0, 1))), corners=np.arange(4, dtype=np.int32), starts=np.array([0, 4]))
    u = (
        collect(s.with_(meshes=(replace(m, slots=m.slots[:1], uvs=(Layer(bow, np.arange(4, dtype=np.int32)),)),)))
        .meshes[0]
        .uvs[0]
    )
    assert u.overlap is not None


def test_a_corner_without_a_uv_leaves_the_rest_of_its_face():
    s = flat([(0, 0, 0.5, 0.5), (0, 0, 0.5, 0.5)])
    layer = s.meshes[0].uvs[0]
    index = layer.index.copy()
    index[7] = -1
    u = collect(s.with_(meshes=(replace(s.meshes[0], uvs=(Layer(layer.values, index),)),))).meshes[0].uvs[0]
    # Of the second square one triangle is left, so half of the first is covered twice.
    assert u.overlap == pytest.approx(0.5, abs=0.01)
    assert (u.missing, u.overlapping) == (1, 2)


def test_overlap_of_two_rectangles_within_one_texel():
    count = cover(quads((0.1, 0.1, 0.5, 0.5), (0.4, 0.4, 0.8, 0.8)))
    assert abs((count > 1).sum() * TEXEL**2 - 0.01) <= 4 * 0.1 * TEXEL
    assert abs((count > 0).sum() * TEXEL**2 - 0.31) <= 4 * 0.8 * TEXEL


@pytest.mark.parametrize(("gap", "axis"), [(0.05, 0), (0.02, 1), (4 * TEXEL, 0)])
def test_the_gap_of_two_islands(gap, axis):
    boxes = [(0.1, 0.1, 0.4, 0.5), (0.4 + gap, 0.1, 0.8, 0.5)]
    uv = quads(*boxes) if axis == 0 else quads(*boxes)[..., ::-1]
    c, w = drawn(uv)
    labels = uv_raster.labelled(c, np.repeat([0, 0, 1, 1], 3), uv_raster.covered(c, w), w)
    assert abs(uv_raster.gap(labels) - gap * RESOLUTION) <= 1


def flat(boxes, size=1.0, image=(512, 512), data=None):
    """A strip of squares in space, each laid on a box of the image."""
    points = [[x * size, y * size, 0] for k in range(len(boxes)) for x, y in ((k, 0), (k + 1, 0), (k + 1, 1), (k, 1))]
    faces = [[4 * k, 4 * k + 1, 4 * k + 2, 4 * k + 3] for k in range(len(boxes))]
    uv = [[u, v] for a, b, c, d in boxes for u, v in ((a, b), (c, b), (c, d), (a, d))]
    s = textured(data or png(image))
    layer = Layer(np.array(uv), np.arange(len(uv), dtype=np.int32))
    return s.with_(meshes=(replace(mesh(points, faces, "strip"), uvs=(layer,), slot_materials=(0,)),))


def told(s, **wishes):
    sheet = load_sheet("realtime-engine")
    sheet = with_values(sheet, textures=with_values(Textures(), **wishes))
    return {
        f.check: f
        for f in judge(measure(s), sheet, Intent()).findings
        if f.check.startswith("textures.") and f.check != "textures.power-of-two"
    }


def test_density_of_a_square_metre_with_512_pixels():
    """512 px over 1 m is 512 px/m, in both directions."""
    d = collect(flat([(0, 0, 1, 1)])).densities[0]
    assert d.median == pytest.approx(512)
    assert (d.low, d.high) == (pytest.approx(512), pytest.approx(512))
    half = flat([(0, 0, 1, 1)]).with_(nodes=(Node("node:0", "strip", scale=(2.0, 2.0, 2.0), mesh=0),))
    assert collect(half).densities[0].median == pytest.approx(256)


def test_uneven_density_is_told():
    assert set(told(flat([(0, 0, 0.45, 0.45), (0.5, 0.5, 0.95, 0.95)]))) == set()
    assert set(told(flat([(0, 0, 0.02, 0.02), (0.05, 0.05, 0.95, 0.95)]))) == {"textures.density"}


@pytest.mark.parametrize(("held", "told_of"), [("wrapS", []), ("wrapT", ["textures.uv-outside"])])
def test_an_image_that_is_held_at_its_edge_along_one_axis_may_repeat_along_the_other(held, told_of):
    s = flat([(0, 0.5, 0.9, 1.5)])
    base = s.materials[0].inputs[0]
    s = s.with_(materials=(replace(s.materials[0], inputs=(replace(base, sampler={held: 33071}),)),))
    assert [c for c in told(s) if c == "textures.uv-outside"] == told_of


def test_outside_is_asked_of_the_sheet():
    s = flat([(1, 2, 2, 3)])
    assert told(s) == {}
    assert set(told(s, tiling=False)) == {"textures.uv-outside"}
    after = apply_mend(s, "textures.shift-uvs", {}).scene
    assert told(after, tiling=False) == {}
    assert np.abs(after.meshes[0].uvs[0].at_corners() - (s.meshes[0].uvs[0].at_corners() - [1, 2])).max() < 1e-6
    with pytest.raises(MendError):
        apply_mend(after, "textures.shift-uvs", {})


def test_overlap_mirror_and_flat():
    s = flat([(0, 0, 0.5, 0.5), (0, 0, 0.5, 0.5)])
    found = told(s)["textures.uv-overlap"]
    assert found.measured["value"] == 1.0
    assert found.elements.indices.tolist() == [0, 1]
    assert set(told(flat([(0, 0, 0.5, 0.5), (0.6, 0.6, 0.6, 0.9)]))) == {"textures.uv-flat"}
    assert set(told(flat([(0.3, 0.3, 0.3, 0.3)]))) == {"textures.uv-collapsed"}
    # Mirrored halves matter under a normal map alone.
    m = flat([(0, 0, 0.4, 0.4), (0.9, 0.5, 0.5, 0.9)])
    assert told(m) == {}


def test_uvs_that_are_no_numbers_or_absent():
    s = flat([(0, 0, 0.4, 0.4), (0.5, 0.5, 0.9, 0.9)])
    layer = s.meshes[0].uvs[0]
    values, index = layer.values.copy(), layer.index.copy()
    values[1, 0] = np.nan
    broken = s.with_(meshes=(replace(s.meshes[0], uvs=(Layer(values, layer.index),)),))
    assert told(broken)["textures.uv-broken"].result == "stop"
    assert told(broken)["textures.uv-broken"].elements.indices.tolist() == [0]
    index[5] = -1
    absent = s.with_(meshes=(replace(s.meshes[0], uvs=(Layer(layer.values, index),)),))
    assert told(absent)["textures.uv-broken"].result == "caution"
    assert told(absent)["textures.uv-broken"].elements.indices.tolist() == [1]


def test_padding_is_in_pixels_of_the_image():
    near = flat([(0.1, 0.1, 0.4, 0.4), (0.4 + 4.5 / 1024, 0.1, 0.8, 0.4)], image=(256, 256))
    assert set(told(near)) == {"textures.uv-padding"}
    assert told(near)["textures.uv-padding"].measured["value"] < 2
    assert told(flat([(0.1, 0.1, 0.4, 0.4), (0.4 + 4.5 / 1024, 0.1, 0.8, 0.4)], image=(2048, 2048))) == {}


def test_a_second_set_where_the_destination_wants_one():
    s = flat([(0, 0, 1, 1)])
    assert set(told(s, second_uvs=True)) == {"textures.uv-second"}
    assert told(apply_mend(s, "textures.copy-uvs", {}).scene, second_uvs=True) == {}
    assert told(apply_mend(s, "textures.unwrap", {}).scene, second_uvs=True) == {}
    with pytest.raises(MendError):
        apply_mend(s, "textures.copy-uvs", {"set": 3, "to": 2})


@pytest.mark.parametrize(
    "made", [mesh(CUBE_POINTS, CUBE_FACES, "crate"), icosphere(2), torus(16, 8)], ids=["cube", "ball", "ring"]
)
def test_unwrapping_lays_flat_without_overlap(made):
    s = scene(made)
    after = apply_mend(s, "textures.unwrap", {"set": 1}).scene
    assert np.array_equal(after.meshes[0].positions, made.positions)
    assert np.array_equal(after.meshes[0].corners, made.corners)
    u = collect(after).meshes[0].uvs[0]
    assert (u.missing, u.not_finite, u.outside, u.flat) == (0, 0, 0, 0)
    assert u.overlap < 0.005
    assert u.islands >= 1


def test_repacking_keeps_the_islands_and_parts_them():
    s = flat([(0, 0, 0.5, 0.5), (0, 0, 0.5, 0.5), (0.2, 0.2, 0.6, 0.6)])
    after = apply_mend(s, "textures.unwrap", {"set": 1, "repack": True, "padding": 8}).scene
    u = collect(after).meshes[0].uvs[0]
    assert u.overlap < 0.005
    assert u.islands == 3
    assert u.padding >= 6 / 1024
    # Each stays a square, and all get the same density: they are equal in space.
    uv = after.meshes[0].uvs[0].at_corners().reshape(3, 4, 2)
    sides = np.linalg.norm(uv - np.roll(uv, -1, axis=1), axis=2)
    assert np.ptp(sides, axis=1).max() < 0.02 * sides.max()
    assert sides[2].mean() / sides[0].mean() == pytest.approx(1.0, rel=0.03)


def test_another_set_is_chosen_for_an_input():
    s = apply_mend(flat([(0, 0, 1, 1)]), "textures.copy-uvs", {}).scene
    after = apply_mend(s, "textures.use-set", {"set": 2, "role": "base-colour"}).scene
    assert after.materials[0].inputs[0].uv_set == 1
    with pytest.raises(MendError, match="already"):
        apply_mend(after, "textures.use-set", {"set": 2})
    with pytest.raises(MendError, match="No mesh"):
        apply_mend(s, "textures.use-set", {"set": 3})


# --- draw order ---------------------------------------------------------------------------------------------


def glass(number, both=False):
    source = {"alphaMode": "BLEND", "doubleSided": both}
    return Material(
        f"material:{number}", f"glass {number}", (1, 1, 1, 0.4), 0.0, 0.1, alpha_mode="blend", double_sided=both, source=source
    )


def shells(*parts, both=False):
    """Parts as (mesh, place, size), each of glass of its own."""
    meshes = tuple(replace(m, slot_materials=(k,)) for k, (m, _, _) in enumerate(parts))
    nodes = tuple(Node(f"node:{k}", f"shell {k}", at, scale=(size,) * 3, mesh=k) for k, (_, at, size) in enumerate(parts))
    return scene(*meshes, nodes=nodes, materials=tuple(glass(k, both) for k in range(len(parts))))


def orders(s):
    return [(d.first, d.second, d.wrong / d.both) for d in OWN.of(measure(s)).draw_orders]


def test_glass_in_glass_is_wrong_from_half_of_all_sides():
    """A ball within a ball, a little off its middle: whole parts are sorted by their middles, so from the half of the sides
    from which the inner one's middle is the nearer it is drawn last, although the outer one lies before it."""
    (first, second, share) = orders(shells((icosphere(2), (0, 0, 0), 1.0), (icosphere(2), (0.1, 0, 0), 0.4)))[0]
    assert (first, second) == (0, 1)
    assert share == pytest.approx(0.5, abs=0.08)


@pytest.mark.parametrize("up", ["Y", "Z", "X"])
def test_the_sides_are_walked_in_order_and_named(up):
    """Glass in glass, the inner one off towards what the file calls up: wrong from above, right from below, whatever axis that is."""
    s = shells((icosphere(2), (0, 0, 0), 1.0), (icosphere(2), tuple(0.1 * (up == a) for a in "XYZ"), 0.4))
    d = OWN.of(measure(s.with_(up_axis=up))).draw_orders[0]
    walk = sides(d, up)
    assert len(walk) == len(d.sides) == 42
    for side in walk:
        assert np.linalg.norm(side.toward) == pytest.approx(1)
        if side.share is not None and abs(side.toward[1]) > 0.1:
            assert (side.share > 0.5) == (side.toward[1] > 0), side
    heights = [side.toward[1] for side in walk]
    # From the top down, row by row, and within a row never far from the side before.
    assert max(b - a for a, b in pairwise(heights)) < 0.4
    assert walk[0].toward[1] > 0.6 > -0.6 > walk[-1].toward[1]
    assert wrong_from(d, up).startswith("21 of 42 sides")
    assert wrong_from(with_values(d, sides=[0.0] * 42), up) == "–"


def test_the_headings_from_which_an_order_is_right_are_one_sector():
    """Glass in glass, the inner one off to the right: right from the left half. By numbers that draw the inner one first it is right from
    all round, the outer one's far wall not being drawn; the other way round from nowhere."""

    def numbered(*numbers):
        s = shells((icosphere(2), (0, 0, 0), 1.0), (icosphere(2), (0.1, 0, 0), 0.4))
        nodes = (replace(n, extras={"extras": {"draw_order": k}}) for n, k in zip(s.nodes, numbers, strict=True))
        return OWN.of(measure(s.with_(nodes=tuple(nodes)))).draw_orders[0]

    right = numbered(2, 1)
    ((begin, end),) = right_sectors(right.sides, "Y")
    assert 180 <= begin < 230
    assert 310 < end <= 360
    assert right_from(right.sides, "Y").startswith("from the back by the left to the front, ")
    assert right_sectors(right.numbered, "Y") == [(0.0, 360.0)]
    assert right_sectors(numbered(1, 2).numbered, "Y") == []
    assert numbered(1, 1).numbered is None


def test_what_stands_apart_is_sorted_rightly():
    assert orders(shells((icosphere(2), (0, 0, 0), 1.0), (icosphere(2), (3, 0, 0), 1.0))) == []
    # Boxes that meet at a corner, balls that do not: the nearer middle is the nearer ball wherever both are met.
    assert all(
        share < 0.02 for _, _, share in orders(shells((icosphere(2), (0, 0, 0), 1.0), (icosphere(2), (1.5, 1.5, 1.5), 1.0)))
    )


def test_halving_a_ring_about_a_ball():
    s = shells((icosphere(2), (0, 0, 0), 1.0), (torus(32, 8), (0, 0, 0), 0.8))
    before = orders(s)[0][2]
    assert before > 0.2
    outcome = apply_mend(s, "see-through.halve", {})
    after = OWN.of(measure(outcome.scene)).draw_orders
    assert sum(d.wrong for d in after) / sum(d.both for d in after) < 0.6 * before
    faces = sum(outcome.scene.meshes[n.mesh].face_count for n in outcome.scene.nodes if n.mesh is not None)
    assert faces == sum(m.face_count for m in s.meshes)


def test_pieces_of_one_part_are_looked_at_too():
    inner, outer = icosphere(2), icosphere(2)
    both = mesh(
        np.concatenate([outer.positions, inner.positions * 0.5]),
        [*outer.corners.reshape(-1, 3).tolist(), *(inner.corners.reshape(-1, 3) + len(outer.positions)).tolist()],
        "nested",
    )
    s = shells((both, (0, 0, 0), 1.0))
    (first, second, share) = orders(s)[0]
    assert (first, second) == (0, 0)
    assert share == 1.0  # the outer one is stored first and drawn first, always
    after = apply_mend(s, "see-through.halve", {"by": "piece"}).scene
    assert len([n for n in after.nodes if n.mesh is not None]) == 2
    sheet = load_sheet("realtime-engine")
    assert {f.check for f in judge(measure(s), sheet, Intent()).findings if f.station == "See-through"} == {
        "see-through.draw-order"
    }
    with pytest.raises(MendError):
        apply_mend(shells((icosphere(1), (0, 0, 0), 1.0)), "see-through.halve", {})
    assert len(world_matrices(after)) == len(after.nodes)

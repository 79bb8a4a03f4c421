"""Mends for faces, points and parts that somebody pointed at: volumes, areas and places are those of the solids that they make."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.geometry.face_edits import CannotEdit, cut_polygon, joined_points, merged_faces, raised
from handlens.core.geometry.recut import only_faces, only_vertices, used_vertices
from handlens.core.geometry.swept import chains, swept
from handlens.core.geometry.topology import surface
from handlens.core.geometry.triangles import newell_normals, triangulate
from handlens.core.limits import InputError, MendError
from handlens.core.packages import MemoryPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.rules.export import ExportOptions
from handlens.core.scene import Layer, Node, Weights
from handlens.core.scene.bounds import world_bounds
from handlens.core.scene.model import frozen
from handlens.core.words.lengths import read_length
from kit.pictures import png, textured
from kit.rigs import hat
from kit.scenes import cube, findings, mesh, scene, triangles_of


def area(m):
    return float(np.linalg.norm(newell_normals(m), axis=1).sum() / 2)


def volume(m):
    """Of a closed body, by the divergence theorem."""
    p = m.positions[m.corners[triangulate(m)[0]]]
    return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)


def of(m, *faces):
    mask = np.zeros(m.face_count, bool)
    mask[list(faces)] = True
    return mask


def back(made, ending):
    written = write_as(made, ending, "x")
    package = MemoryPackage(written.files)
    main = next(iter(written.files))
    assert written.proof(package, main).proved
    return written.read_back(package, main)


# --- faces --------------------------------------------------------------------------------------------


def test_a_cut_changes_no_area_and_leaves_no_gap_beyond_the_side():
    made = cut_polygon(cube(), 0, 0.5, 2.25)
    assert (made.face_count, len(made.positions)) == (7, 10)
    assert surface(made).closed
    assert area(made) == pytest.approx(6)
    again, count, reasons = merged_faces(made, of(made, 0, 1))
    assert (count, reasons, again.face_count) == (1, [], 6)
    assert surface(again).closed
    # The points on the sides stay, since the faces beyond have them.
    assert len(again.positions) == 10


def test_a_cut_carries_uvs_weights_and_targets_to_the_new_point():
    m = cube()
    uv = Layer(
        frozen(np.tile([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]], (6, 1)).astype(np.float32)),
        frozen(np.arange(24, dtype=np.int32)),
    )
    weights = Weights(frozen(np.arange(9, dtype=np.int64)), frozen(np.arange(8, dtype=np.int32)), frozen(np.ones(8, np.float32)))
    made = cut_polygon(replace(m, uvs=(uv,), weights=weights), 0, 0.25, 2)
    new = 8
    corner = int(np.flatnonzero(made.corners == new)[0])
    assert made.uvs[0].values[made.uvs[0].index[corner]] == pytest.approx([0.25, 0.0])
    own = slice(made.weights.starts[new], made.weights.starts[new + 1])
    assert dict(zip(made.weights.joints[own].tolist(), made.weights.weights[own].tolist(), strict=True)) == pytest.approx(
        {int(m.corners[0]): 0.75, int(m.corners[1]): 0.25}
    )


@pytest.mark.parametrize(
    ("one", "two", "why"),
    [(0, 1, "along-a-side"), (0, 0.5, "along-a-side"), (2, 4, "outside"), (1, 5, "outside"), (7, 0, "no-such-corner")],
)
def test_a_cut_that_is_none_is_refused(one, two, why):
    ell = mesh([(0, 0, 0), (2, 0, 0), (2, 1, 0), (1, 1, 0), (1, 2, 0), (0, 2, 0)], [[0, 1, 2, 3, 4, 5]])
    with pytest.raises(CannotEdit, match=why):
        cut_polygon(ell, 0, one, two)
    assert area(cut_polygon(ell, 0, 3, 0)) == pytest.approx(3)


def test_faces_are_merged_only_where_they_lie_flat_and_look_alike():
    m = cube()
    assert merged_faces(m, np.ones(6, bool))[1:] == (0, ["bent"])
    halves = cut_polygon(m, 0, 0, 2)
    painted = replace(halves, slots=frozen(np.array([1, 0, 0, 0, 0, 0, 0], np.int32)), slot_materials=(-1, -1))
    assert merged_faces(painted, of(painted, 0, 1))[2] == ["two-slots"]
    ring = mesh(
        [(0, 0, 0), (3, 0, 0), (3, 3, 0), (0, 3, 0), (1, 1, 0), (2, 1, 0), (2, 2, 0), (1, 2, 0)],
        [[0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]],
    )
    assert merged_faces(ring, np.ones(4, bool))[2] == ["several-outlines"]
    three, count, _ = merged_faces(ring, of(ring, 0, 1, 2))
    assert (count, three.face_count, area(three)) == (1, 2, pytest.approx(8))


def test_a_sheet_that_is_raised_is_a_body_and_a_side_that_is_raised_makes_it_longer():
    m = cube()
    assert volume(raised(m, of(m, 0), 0.5)) == pytest.approx(1.5)
    assert volume(raised(m, of(m, 0), -0.5)) == pytest.approx(0.5)
    one = only_faces(m, of(m, 0))
    one = only_vertices(one, used_vertices(one))
    for height in (0.25, -0.25):
        body = raised(one, of(one, 0), height)
        assert surface(body).closed
        assert surface(body).winding_consistent
        assert volume(body) == pytest.approx(0.25)


def test_two_points_become_one_and_what_was_between_them_goes():
    m = cube()
    made = joined_points(m, int(m.corners[0]), int(m.corners[1]))
    assert len(made.positions) == 7
    assert surface(made).closed
    with pytest.raises(CannotEdit, match="across-a-face"):
        joined_points(m, int(m.corners[0]), int(m.corners[2]))
    half = joined_points(m, 0, 1, 0.5)
    assert any(np.allclose(p, (m.positions[0] + m.positions[1]) / 2) for p in half.positions)


def test_mends_name_faces_and_leave_the_rest():
    s = scene(cube())
    painted = apply_mend(s, "slots.give", {"faces": "0-2", "material": "tar", "colour": "#202020"}).scene
    assert [painted.materials[k].name for k in painted.meshes[0].slot_materials][-1] == "tar"
    assert int((painted.meshes[0].slots == painted.meshes[0].slots[0]).sum()) == 3
    parted = apply_mend(painted, "surface.split-off", {"faces": "0-2", "name": "lid"}).scene
    assert sorted((n.name, parted.meshes[n.mesh].face_count) for n in parted.nodes if n.mesh is not None)[-1] == ("lid", 3)
    assert world_bounds(parted)[1] == pytest.approx(world_bounds(s)[1])
    assert apply_mend(s, "surface.remove-faces", {"faces": "5"}).scene.meshes[0].face_count == 5
    for params, error in (
        ({"faces": ""}, MendError),
        ({"faces": "99"}, MendError),
        ({"faces": "a"}, InputError),
    ):
        with pytest.raises(error):
            apply_mend(s, "surface.remove-faces", params)
    cut = apply_mend(
        s,
        "surface.cut-face",
        {"face": 0, "begins": f"{s.meshes[0].corners[0]}", "ends": f"{s.meshes[0].corners[1]}-{s.meshes[0].corners[2]}:0.25"},
    )
    assert cut.scene.meshes[0].face_count == 7


def test_a_set_of_faces_keeps_its_name_through_a_file():
    named = apply_mend(scene(cube()), "surface.name-faces", {"faces": "1;3", "name": "lid"}).scene
    read = back(named, "obj")
    m = next(x for x in read.meshes if "lid" in x.group_names)
    assert int((m.groups == m.group_names.index("lid")).sum()) == 2


def test_a_turned_face_that_shows_another_paint_is_told():
    both = mesh([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], [[0, 1, 2, 3], [3, 2, 1, 0]])
    both = replace(both, slots=frozen(np.array([0, 1], np.int32)), slot_materials=(-1, -1))
    assert "another material" in " ".join(map(str, apply_mend(scene(both), "facing.turn", {"faces": "0"}).remarks))
    assert not apply_mend(scene(cube()), "facing.turn", {"faces": "0"}).remarks


# --- placing ------------------------------------------------------------------------------------------


def test_parts_are_turned_moved_put_down_and_set_in_a_row():
    tall = replace(cube(), positions=frozen(cube().positions * (1, 2, 1) + (3, 5, 0)))
    s = scene(tall)
    low, _high = world_bounds(apply_mend(s, "placement.stand", {}).scene)
    assert low[1] == pytest.approx(0)
    turned = apply_mend(s, "placement.turn", {"degrees": 90, "axis": "Z", "about": "middle"}).scene
    assert np.ptp(world_bounds(turned), axis=0) == pytest.approx([2, 1, 1])
    assert np.mean(world_bounds(turned), axis=0) == pytest.approx(np.mean(world_bounds(s), axis=0))
    moved = apply_mend(s, "placement.move", {"x": -3, "z": 0.5}).scene
    assert np.array(world_bounds(moved)) - np.array(world_bounds(s)) == pytest.approx(np.tile([-3, 0, 0.5], (2, 1)))
    row = apply_mend(s, "placement.row", {"copies": 4, "gap_m": 0.5}).scene
    assert np.ptp(world_bounds(row), axis=0) == pytest.approx([5 + 4 * 0.5, 2, 1])
    assert len({n.name for n in row.nodes}) == len(row.nodes)
    assert len(row.meshes) == 1


def test_a_part_stands_on_what_is_below_it_and_not_on_its_box():
    """A crate beside a pyramid's tip comes lower than the tip, until it touches the slope."""
    floor = mesh(
        [(-2, 0, -2), (2, 0, -2), (2, 0, 2), (-2, 0, 2), (0, 2, 0)],
        [[3, 4, 0], [2, 4, 3], [1, 4, 2], [0, 4, 1], [0, 1, 2, 3]],
        "rock",
    )
    crate = cube("crate", 0.5)
    at = crate.positions - crate.positions.min(axis=0)
    crate = replace(crate, positions=frozen(at + np.array([1.0, 6.0, -0.25])))
    s = scene(floor, crate)
    after = apply_mend(s, "placement.stand", {"on": "rock", "parts": ["crate"]}).scene
    node = next(i for i, n in enumerate(after.nodes) if after.part_name(i) == "crate")
    # The slope is 2 - x high: the crate's nearer lower edge lies at x = 1.
    assert world_bounds(after, nodes=[node])[0][1] == pytest.approx(1.0, abs=1e-5)
    away = apply_mend(s, "placement.move", {"x": 50, "parts": ["crate"]}).scene
    with pytest.raises(MendError, match="above or below"):
        apply_mend(away, "placement.stand", {"on": "rock", "parts": ["crate"]})


def test_a_length_may_be_said_with_its_units():
    moved = apply_mend(scene(cube()), "placement.row", {"copies": 1, "gap_m": "1 ft 6 in"}).scene
    assert np.ptp(world_bounds(moved), axis=0)[0] == pytest.approx(2 + 0.4572)


# --- lines, accessories -------------------------------------------------------------------------------


def test_a_swept_chain_has_its_length_times_its_section():
    bent = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [1, 1, 1]], float)
    t = np.linspace(0, 2 * np.pi, 65)
    loop = np.stack([np.cos(t), np.sin(t), 0.3 * np.sin(2 * t)], axis=1)
    loop[-1] = loop[0]
    for points in (bent, loop):
        p, c, starts = swept(points, 0.1, 0.05)
        body = replace(cube(), positions=p, corners=c.astype(np.int32), starts=starts, slots=np.zeros(len(starts) - 1, np.int32))
        assert surface(body).closed
        assert surface(body).winding_consistent
        assert volume(body) == pytest.approx(0.005 * np.linalg.norm(np.diff(points, axis=0), axis=1).sum(), rel=1e-6)
    assert sorted(map(len, chains(np.array([[0, 1], [1, 2], [2, 0], [2, 3], [3, 4]]), np.arange(15.0).reshape(5, 3)))) == [3, 4]


def test_lines_become_bodies_beside_the_faces_and_the_finding_goes():
    s = scene(replace(cube(), lines=frozen(np.array([[0, 6]], np.int32))))
    assert "arrival.lines" in findings(s)
    after = apply_mend(s, "arrival.thicken-lines", {"width_mm": 20}).scene
    assert "arrival.lines" not in findings(after)
    assert sum(n.mesh is not None for n in after.nodes) == 2
    length = np.linalg.norm(np.diff(s.meshes[0].positions[[0, 6]], axis=0))
    assert volume(after.meshes[-1]) == pytest.approx(0.02**2 * length, rel=1e-6)


def test_lines_of_a_mesh_that_two_parts_show_are_drawn_by_both():
    s = scene(replace(cube(), lines=frozen(np.array([[0, 6]], np.int32))))
    s = s.with_(nodes=(*s.nodes, Node("other", "other", mesh=0)), roots=(*s.roots, len(s.nodes)))
    run = apply_mend(s, "arrival.thicken-lines", {"width_mm": 20, "parts": ["other"]})
    bodies = [n for n in run.scene.nodes if n.name.endswith("_lines")]
    assert len(bodies) == 2
    assert len({n.mesh for n in bodies}) == 1
    assert "1 other part" in run.remarks[0]


@pytest.mark.parametrize("faces", ["²", "9" * 5000, "3-", "-4", "x"])
def test_what_is_no_face_is_told_in_one_sentence(faces):
    with pytest.raises(InputError, match="is not a face"):
        apply_mend(scene(cube()), "surface.remove-faces", {"faces": faces})


@pytest.mark.parametrize(
    ("said", "length"), [("1,609 mi", 1609 * 1609.344), ("1,5 m", 1.5), ("0,125 m", 0.125), ("7'10\"", 2.3876)]
)
def test_a_comma_before_three_digits_sets_off_thousands(said, length):
    assert read_length(said) == pytest.approx(length)


@pytest.mark.parametrize("ending", ["glb", "dae", "obj"])
def test_what_hangs_on_a_joint_goes_into_a_file_in_that_joints_frame(ending):
    made = hat()
    cap, joint = len(made.nodes) - 1, made.skins[0].joints[-1]
    hung = [replace(n, children=tuple(k for k in n.children if k != cap)) for n in made.nodes]
    hung[joint] = replace(hung[joint], children=(*hung[joint].children, cap))
    made = made.with_(nodes=tuple(hung))
    files = write_as(made, ending, "eel", ExportOptions(accessories="files")).files
    alone = next(name for name in files if name.endswith(f".{ending}") and name != f"eel.{ending}")
    read = formats.read(MemoryPackage(files), alone)
    node = next(i for i, n in enumerate(made.nodes) if n.mesh is not None and n.skin is None)
    own = made.meshes[made.nodes[node].mesh].positions @ made.nodes[node].local[:3, :3].T + made.nodes[node].local[:3, 3]
    assert world_bounds(read)[0] == pytest.approx(own.min(axis=0), abs=1e-5)
    assert not read.skins
    whole = formats.read(MemoryPackage(files), f"eel.{ending}")
    assert sum(n.mesh is not None for n in whole.nodes) == sum(n.mesh is not None for n in made.nodes) - 1


# --- UVs and inputs -----------------------------------------------------------------------------------


def strip(count, cut=False):
    """Quads in a row; each second one begins at another of its corners."""
    points = [(x, y, 0) for x in range(count + 1) for y in range(2)]
    quads = [[2 * k, 2 * k + 2, 2 * k + 3, 2 * k + 1] for k in range(count)]
    quads = [q if k % 2 else q[1:] + q[:1] for k, q in enumerate(quads)]
    made = mesh(points, quads, "strip")
    return triangles_of(made) if cut else made


@pytest.mark.parametrize("cut", [False, True])
@pytest.mark.parametrize("turned", ["0", "90"])
def test_each_quad_of_a_strip_shows_the_whole_picture_the_same_way_up(cut, turned):
    s = scene(strip(4, cut), v_down=True)
    m = apply_mend(s, "textures.lay-whole", {"faces": "", "turned": turned}).scene.meshes[0]
    uv = m.uvs[0].at_corners()
    assert sorted({tuple(row) for row in uv.tolist()}) == [(0, 0), (0, 1), (1, 0), (1, 1)]
    at = m.positions[m.corners] - np.floor(m.positions[m.corners].min(axis=0))
    ways = set()
    for f in range(m.face_count):
        own = slice(m.starts[f], m.starts[f + 1])
        ways.add(
            tuple(
                np.rint(np.linalg.lstsq(np.c_[at[own, :2], np.ones(m.corner_counts[f])], uv[own], rcond=None)[0][:2])
                .astype(int)
                .ravel()
                .tolist()
            )
        )
    assert len(ways) == 1


def test_uvs_are_moved_turned_and_snapped_and_others_stay():
    s = textured(png())
    before = s.meshes[0].uvs[0].at_corners()
    after = apply_mend(s, "textures.place-uvs", {"faces": "", "right": 0.25, "up": 0.5}).scene.meshes[0].uvs[0].at_corners()
    v = -1 if s.v_down else 1
    assert after - before == pytest.approx(np.tile([0.25, v * 0.5], (len(before), 1)), abs=1e-6)
    mirrored = (
        apply_mend(s, "textures.place-uvs", {"faces": "", "mirror": "across", "about": "tile"})
        .scene.meshes[0]
        .uvs[0]
        .at_corners()
    )
    assert mirrored[:, 0] == pytest.approx(1 - before[:, 0], abs=1e-6)
    small = apply_mend(s, "textures.place-uvs", {"faces": "", "scale": 0.5}).scene
    half = apply_mend(small, "textures.place-uvs", {"faces": "", "snap": "fill"}).scene.meshes[0].uvs[0].at_corners()
    assert (half.min(axis=0), half.max(axis=0)) == (pytest.approx([0, 0], abs=1e-6), pytest.approx([1, 1], abs=1e-6))
    four = apply_mend(
        apply_mend(s, "textures.place-uvs", {"faces": "", "degrees": 90}).scene,
        "textures.place-uvs",
        {"faces": "", "degrees": 270},
    )
    assert four.scene.meshes[0].uvs[0].at_corners() == pytest.approx(before, abs=1e-6)


def test_a_picture_is_put_into_an_input_and_comes_back_from_the_file():
    s = textured(png())
    name = s.materials[0].name
    put = apply_mend(s, "textures.put-in", {"materials": [name], "file": "paint.png", "role": "occlusion"}).scene
    assert {t.role for t in back(put, "glb").materials[0].inputs} == {"base-colour", "occlusion"}
    glowing = apply_mend(s, "textures.put-in", {"materials": [name], "file": "paint.png", "role": "emissive"}).scene
    assert glowing.materials[0].emissive == (1.0, 1.0, 1.0)
    for params in (
        {"materials": ["mud"], "file": "paint.png"},
        {"materials": [name], "file": "mud.png"},
        {"materials": [name], "file": "paint.png", "role": "bump"},
    ):
        with pytest.raises(MendError):
            apply_mend(put, "textures.put-in", params)


def test_lettering_on_a_picture_that_is_laid_backwards_is_told():
    s = textured(png(), name="signboard.png")
    assert "textures.mirrored-picture" not in findings(s)
    turned = apply_mend(s, "textures.place-uvs", {"faces": "", "mirror": "across"}).scene
    told = findings(turned)["textures.mirrored-picture"][0]
    assert "textures.mirrored-picture" not in findings(apply_mend(turned, told.mends[0].mend, told.mends[0].params).scene)
    assert "textures.mirrored-picture" not in findings(
        apply_mend(textured(png()), "textures.place-uvs", {"faces": "", "mirror": "across"}).scene
    )


def test_layers_of_the_source_go_through_the_formats_that_hold_them():
    layered = scene(cube(), nodes=(Node("n", "crate", mesh=0, extras={"extras": {"layer": "walls roof"}}),))
    for ending in ("dae", "glb"):
        assert back(layered, ending).nodes[0].extras["extras"] == {"layer": "walls roof"}

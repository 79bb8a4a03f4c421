"""Wavefront OBJ: what people's files hold, and what broken ones do."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from handlens.core import formats
from handlens.core.formats.obj import read as obj
from handlens.core.formats.obj.blocks import BlockParser
from handlens.core.formats.obj.lines import LineParser
from handlens.core.limits import InputError, MendError
from handlens.core.route.tape import apply_mend
from kit.scenes import read_files, scene


@pytest.fixture(autouse=True, params=["line by line", "in blocks"])
def parser(request, monkeypatch):
    """Every test here holds for both parsers."""
    monkeypatch.setattr(obj, "LARGE_TEXT", 0 if request.param == "in blocks" else 1 << 30)
    return request.param


QUAD = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"


def read(tmp_path: Path, text: str | bytes, **more: str):
    return read_files(tmp_path, {"pot.obj": text, **more}, "pot.obj")


def test_polygons_keep_their_corners(tmp_path):
    s = read(tmp_path, QUAD + "v 0.5 2 0\nf 1 2 3 5 4\nf 1 2 3\n")
    assert s.meshes[0].corner_counts.tolist() == [5, 3]
    assert s.meshes[0].corners.tolist() == [0, 1, 2, 4, 3, 0, 1, 2]
    assert s.unit_metres is None
    assert s.up_axis is None


@pytest.mark.parametrize("faces", ["f 1 2 3 4", "f -4 -3 -2 -1", "f 1 2 \\\n3 4", "\tf  1\t2 3   4  ", "f 1// 2// 3// 4//"])
def test_the_same_face_in_many_spellings(tmp_path, faces):
    assert read(tmp_path, QUAD + faces + "\n").meshes[0].corners.tolist() == [0, 1, 2, 3]


@pytest.mark.parametrize(
    ("corner", "uv", "normal"),
    [("{0}", False, False), ("{0}/{0}", True, False), ("{0}//1", False, True), ("{0}/{0}/1", True, True)],
)
def test_corner_forms(tmp_path, corner, uv, normal):
    text = QUAD + "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\nf " + " ".join(corner.format(k) for k in (1, 2, 3, 4)) + "\n"
    m = read(tmp_path, text).meshes[0]
    assert (len(m.uvs) == 1, m.normals is not None) == (uv, normal)
    if uv:
        assert m.uvs[0].at_corners().tolist() == [[0, 0], [1, 0], [1, 1], [0, 1]]
    if normal:
        assert m.normals.at_corners().tolist() == [[0, 0, 1]] * 4


def test_mixed_corner_forms_fall_back_without_loss(tmp_path):
    m = read(tmp_path, QUAD + "vt 0 0\nvn 0 0 1\nf 1/1/1 2 3//1\nf 1 3/1 4\n").meshes[0]
    assert m.corners.tolist() == [0, 1, 2, 0, 2, 3]
    assert m.uvs[0].index.tolist() == [0, -1, -1, -1, 0, -1]
    assert m.normals.index.tolist() == [0, -1, 0, -1, -1, -1]


def test_three_slashes_here_and_one_there_are_not_taken_for_two_each(tmp_path):
    with pytest.raises(InputError, match="line 7"):
        read(tmp_path, QUAD + "vt 0 0\nvn 0 0 1\nf 1/1/1/1 2/1 3/1/1\n")


def test_corners_whose_slashes_only_add_up_are_not_taken_alike(tmp_path):
    """Three slashes over three corners, but two here, one there and none at the last."""
    m = read(tmp_path, QUAD + "vt 0 0\nvt 1 0\nvn 0 0 1\nf 1/1/1 2/2 3\n").meshes[0]
    assert m.corners.tolist() == [0, 1, 2]
    assert m.uvs[0].at_corners()[:2].tolist() == [[0, 0], [1, 0]]
    assert m.normals.index.tolist() == [0, -1, -1]


def test_objects_own_the_vertices_they_use(tmp_path):
    s = read(tmp_path, "o hull\n" + QUAD + "f 1 2 3 4\no mast\nv 5 0 0\nv 6 0 0\nv 6 1 0\nf 5 6 7\n")
    assert [n.name for n in s.nodes] == ["hull", "mast"]
    assert [len(m.positions) for m in s.meshes] == [4, 3]
    assert s.meshes[1].positions[0].tolist() == [5, 0, 0]
    assert s.meshes[1].corners.tolist() == [0, 1, 2]


def test_unused_vertices_stay_and_are_counted(tmp_path):
    s = read(tmp_path, QUAD + "v 9 9 9\nf 1 2 3\n")
    assert len(s.meshes[0].positions) == 5


def test_lines_and_points(tmp_path):
    m = read(tmp_path, QUAD + "l 1 2 3\nl 3/1 4/1\np 1 2\n").meshes[0]
    assert m.lines.tolist() == [[0, 1], [1, 2], [2, 3]]
    assert m.points.tolist() == [0, 1]


def test_vertex_colours(tmp_path):
    m = read(tmp_path, "v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nf 1 2 3\n").meshes[0]
    assert m.colours[0].at_corners().tolist() == [[1, 0, 0], [0, 1, 0], [0, 0, 1]]


@pytest.mark.parametrize("group", ["²", "99999999999999999999", "-3", "on", "1.5"])
def test_odd_smoothing_groups(tmp_path, group):
    assert read(tmp_path, QUAD + f"s {group}\nf 1 2 3\n").meshes[0].smooth[0] > 0


def test_smoothing_groups(tmp_path):
    m = read(tmp_path, QUAD + "s 3\nf 1 2 3\ns off\nf 1 3 4\n").meshes[0]
    assert m.smooth.tolist() == [3, 0]


def test_latin_1_and_utf_16_names(tmp_path):
    assert read(tmp_path, b"o B\xe5t\n" + QUAD.encode() + b"f 1 2 3\n").nodes[0].name == "Båt"
    assert read(tmp_path, ("o Båt\n" + QUAD + "f 1 2 3\n").encode("utf-16")).nodes[0].name == "Båt"


def test_decimal_commas_are_read_and_reported(tmp_path):
    s = read(tmp_path, "v 0,5 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 3\n")
    assert s.meshes[0].positions[0, 0] == 0.5
    assert [p.kind for p in s.problems] == ["decimal-comma"]


def test_a_face_of_two_corners_becomes_an_edge(tmp_path):
    s = read(tmp_path, QUAD + "f 1 2\nf 1 2 3\n")
    assert s.meshes[0].lines.tolist() == [[0, 1]]
    assert s.meshes[0].face_count == 1
    assert s.problems[0].kind == "thin-face"


def test_free_form_is_counted_not_lost(tmp_path):
    assert "free-form" in {p.kind for p in read(tmp_path, QUAD + "cstype bezier\ncurv 0 1 1 2 3 4\nend\nf 1 2 3\n").problems}


def test_library_with_blanks_and_other_case(tmp_path):
    s = read(
        tmp_path,
        "mtllib pot parts.mtl\nusemtl tarred rope\n" + QUAD + "f 1 2 3 4\n",
        **{"Pot Parts.MTL": "newmtl tarred rope\nKd 0.1 0.2 0.3\nmap_Kd -s 2 2 -bm 0.5 Rope Wet.png\n", "rope wet.PNG": "x"},
    )
    assert s.materials[0].base_colour == (0.1, 0.2, 0.3, 1.0)
    assert s.images[0].reference == "Rope Wet.png"
    assert s.images[0].status == "other-case"
    assert s.materials[0].inputs[0].scale == 0.5
    assert "library-other-case" in {p.kind for p in s.problems}


@pytest.mark.parametrize(
    ("written", "status"),
    [
        ("net.png", "found"),
        ("NET.PNG", "other-case"),
        ("lost.png", "missing"),
        ("C:\\quay\\net.png", "absolute"),
        ("/quay/net.png", "absolute"),
        ("maps\\net2.png", "found"),
        ("net%201.png", "found"),
    ],
)
def test_image_paths_as_people_write_them(tmp_path, written, status):
    files = {"net.png": "x", "maps/net2.png": "x", "net 1.png": "x", "pot.mtl": f"newmtl net\nmap_Kd {written}\n"}
    s = read(tmp_path, "mtllib pot.mtl\nusemtl net\n" + QUAD + "f 1 2 3\n", **files)
    assert s.images[0].status == status
    assert (s.images[0].bytes() is None) == (status == "missing")


def test_a_material_that_no_library_defines(tmp_path):
    s = read(tmp_path, "mtllib gone.mtl\nusemtl rope\n" + QUAD + "f 1 2 3\n")
    assert not s.materials[0].defined
    assert s.problems[0].kind == "library-missing"


def test_faces_before_any_material_have_none(tmp_path):
    m = read(tmp_path, QUAD + "f 1 2 3\nusemtl rope\nf 1 3 4\n").meshes[0]
    assert m.slot_materials == (-1, 0)
    assert m.slots.tolist() == [0, 1]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (QUAD + "f 1 2 9\n", "line 5: it uses vertex 9, but only 4"),
        (QUAD + "f 0 1 2\n", "line 5: it uses vertex 0"),
        (QUAD + "f 1 2 -9\n", "line 5"),
        (QUAD + "f 1 2 99999999999999999999999\n", "line 5"),
        (QUAD + "vt 0 0\nf 1 2/99999999999999999999999 3\n", "line 6"),
        ("v 0 0 zero\n", "line 1: it has 'zero'"),
        ("v 0 0\n", "line 1: it has 2 numbers"),
        (QUAD + "f 1 2 3x\n", "line 5"),
        ("This is no model at all\n", "no OBJ statement"),
        (b"\x00\x01\x02garbage", "not text"),
        (b"", "empty"),
        ("# only a comment\n" * 3 + "v 1 2 3\nf 1 1 7\n", "line 5"),
    ],
)
def test_broken_files_say_where(tmp_path, text, says):
    with pytest.raises(InputError, match=says):
        read(tmp_path, text)


def test_not_a_number_is_read_and_found(tmp_path):
    s = read(tmp_path, "v nan 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 3\n")
    assert np.isnan(s.meshes[0].positions[0, 0])


def test_repeated_object_names_stay_apart(tmp_path):
    s = read(tmp_path, "o crate\n" + QUAD + "f 1 2 3\no crate\n" + QUAD + "f 5 6 7\n")
    assert [n.name for n in s.nodes] == ["crate", "crate"]


# --- the two parsers agree --------------------------------------------------------------------------

_number = st.one_of(
    st.floats(allow_nan=False).map(repr),
    st.floats(-1e6, 1e6).map("{:.6g}".format),
    st.integers(-(10**20), 10**20).map(str),
    st.sampled_from(
        ["1.", ".5", "-.5e-3", "+2", "1e400", "-0", "00012.50", "1,5", "nan", "1e-400", "9007199254740993", "1e22", "1e23"]
    ),
)
_corner = st.sampled_from(["1", "2/1", "-1", "3//1", "1/1/1", "2/", "1//", "-2/-1/-1", "+1"])
_line = st.one_of(
    st.lists(_number, min_size=3, max_size=8).map(lambda x: "v " + " ".join(x)),
    st.lists(_number, min_size=1, max_size=3).map(lambda x: "vt  " + "  ".join(x) + " "),
    st.lists(_number, min_size=3, max_size=3).map(lambda x: "vn " + " ".join(x) + " # n"),
    st.lists(_corner, min_size=1, max_size=6).map(lambda x: "f " + " ".join(x)),
    st.lists(_corner, min_size=1, max_size=3).map(lambda x: "l " + " ".join(x) + "#"),
    st.sampled_from(["p 1 2", "o hull", "vtx 1", "#", "", "v", "f", "f 1/1/1/1", "f 9 1 2", "f 1 0 2", "v 1 2 x", "s 1"]),
)
_START = "v 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvn 0 0 1\n"


def told(parser: LineParser, text: bytes):
    """All that a parser makes of a text, as plain values, up to where it refuses."""
    totals, out = dict.fromkeys(("v", "vt", "vn"), 0), []
    try:
        for run in parser.runs(text):
            if run.keyword in totals:
                rows = parser.numbers(text, run)
                totals[run.keyword] += run.lines
                out += [[repr(x) for x in row.tolist() if x == x] for piece in rows for row in piece]
            elif run.keyword:
                found = parser.corners(text, run, totals)
                empty = [-1] * len(found.vertices)
                layers = [empty if x is None else x.tolist() for x in (found.uv, found.normals)]
                out.append([found.vertices.tolist(), *layers, found.counts.tolist()])
            else:
                out.append([run.first, run.lines, text[run.start : run.stop]])
    except InputError as error:
        out.append(str(error))
    return out, parser.commas


@given(st.lists(_line, max_size=12), st.booleans())
def test_blocks_are_parsed_as_lines_are(lines, known):
    text = ((_START if known else "") + "\n".join(lines) + "\n").encode()
    blocks, one_by_one = told(BlockParser("x"), text), told(LineParser("x"), text)
    if blocks[0] and isinstance(blocks[0][-1], str):
        # Of two mistakes in one run either may be the one that is told.
        assert isinstance(one_by_one[0][-1], str)
    else:
        assert blocks == one_by_one


@given(st.lists(st.floats(allow_nan=False, allow_infinity=False), min_size=3, max_size=3))
def test_every_double_is_read_to_its_last_bit(values):
    """IEEE 754: the shortest decimal that tells a double apart, and 17 significant digits, give the same double back."""
    text = ("v " + " ".join(map(repr, values)) + "\nv " + " ".join(f"{v:.17g}" for v in values) + "\n").encode()
    rows = np.concatenate(BlockParser("x").numbers(text, next(BlockParser("x").runs(text))))
    assert rows.tolist() == [values, values]


GROUPED = QUAD + "v 0 0 1\nv 1 0 1\ng lid\nf 1 2 3\ng\nf 1 3 4\no peg\nf 1 2 6 5\ng rim handle\nf 1 5 6\ng lid\nf 2 6 5\n"


def test_named_groups_last_until_the_next_and_go_back_out(tmp_path):
    """`g` names the faces that follow, and a bare `g` none. Source: the format's own description, appendix B1, "Grouping"."""
    s = read(tmp_path, GROUPED)
    named = lambda m: [m.group_names[k] for k in m.groups]
    assert [named(m) for m in s.meshes if m.groups is not None] == [["lid", ""], ["", "rim handle", "lid"]]
    (tmp_path / "again").mkdir()
    again = read_files(
        tmp_path / "again", {k: v for k, v in formats.write(s, "obj", "pot").items() if k.endswith(".obj")}, "pot.obj"
    )
    assert [named(m) for m in again.meshes] == [named(m) for m in s.meshes]
    assert "group" in " ".join(formats.what_is_lost(s, "glb"))
    assert "group" not in " ".join(formats.what_is_lost(s, "obj"))


def test_a_group_ends_where_a_part_without_groups_begins(tmp_path):
    grouped = read(tmp_path, GROUPED).meshes[1]
    plain = replace(grouped, groups=None, group_names=(), name="plain")
    written = formats.write(scene(grouped, plain, materials=()), "obj", "pot")["pot.obj"].decode()
    (tmp_path / "again").mkdir()
    again = read_files(tmp_path / "again", {"pot.obj": written}, "pot.obj")
    assert again.meshes[1].groups is None


def test_parts_of_named_groups(tmp_path):
    s = read(tmp_path, GROUPED)
    split = apply_mend(s, "surface.split", {"by": "group"}).scene
    assert [n.name for n in split.nodes if n.mesh is not None] == ["lid", "rest", "peg_rest", "peg_rim handle", "peg_lid"]
    joined = apply_mend(s, "surface.join", {}).scene.meshes[0]
    assert [joined.group_names[k] for k in joined.groups] == ["lid", "", "", "rim handle", "lid"]
    cut = apply_mend(s, "surface.triangulate", {}).scene.meshes[1]
    assert [cut.group_names[k] for k in cut.groups] == ["", "", "rim handle", "lid"]
    with pytest.raises(MendError, match="two groups"):
        apply_mend(split, "surface.split", {"by": "group"})


def test_an_image_that_glows_is_not_dark_where_nothing_else_is_said(tmp_path):
    """A glow's picture without a colour beside it: the colour that it is multiplied by elsewhere (glTF 2.0 §3.9.3) must not be black."""
    library = "newmtl lamp\nmap_Ke glow.png\nnewmtl off\nKe 0 0 0\nmap_Ke glow.png\n"
    s = read(tmp_path, f"mtllib pot.mtl\n{QUAD}usemtl lamp\nf 1 2 3\nusemtl off\nf 1 3 4\n", **{"pot.mtl": library})
    assert [m.emissive for m in s.materials] == [(1, 1, 1), (0, 0, 0)]

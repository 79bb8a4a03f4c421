"""OFF and PLY as their descriptions have them, in many spellings, and as another reader takes them."""

import io
import struct

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from handlens.core.limits import InputError
from kit.scenes import read_files

QUIET = settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])


@st.composite
def polygons(draw):
    """(V, 3) points and faces of three to six different corners."""
    count = draw(st.integers(6, 14))
    seed = draw(st.integers(0, 10_000))
    random = np.random.default_rng(seed)
    points = np.round(random.normal(size=(count, 3)) * 10 ** draw(st.integers(-3, 4)), 6)
    faces = [random.permutation(count)[: random.integers(3, 7)].tolist() for _ in range(draw(st.integers(1, 9)))]
    return points, faces


def numbers(row) -> str:
    return " ".join(repr(float(x)) for x in row)


def off(points, faces, tail="", gap="\n", head="OFF\n") -> str:
    lines = [numbers(p) for p in points] + [f"{len(f)} {' '.join(map(str, f))}{tail}" for f in faces]
    return f"{head}{len(points)} {len(faces)} 0\n" + gap.join(lines) + gap


def off_read(tmp_path, text: str):
    return read_files(tmp_path, {"net.off": text}, "net.off").meshes[0]


def listed(mesh) -> list[list[int]]:
    return [mesh.corners[a:b].tolist() for a, b in zip(mesh.starts, mesh.starts[1:], strict=False)]


@QUIET
@given(
    made=polygons(),
    gap=st.sampled_from(["\n", "\n\n", "  \n ", "\t\n", "\r\n", " # of the net\n", "\n# knots\n"]),
    lead=st.sampled_from(["", "\n", "# a net\n"]),
)
def test_off_in_many_spellings(made, gap, lead, tmp_path):
    points, faces = made
    mesh = off_read(tmp_path, off(points, faces, gap=gap, head=f"{lead}OFF\n"))
    assert np.array_equal(mesh.positions, points)
    assert listed(mesh) == faces


@QUIET
@given(made=polygons())
def test_off_on_a_single_line_and_with_the_counts_beside_the_word(made, tmp_path):
    """Line ends are but white space where no colours follow."""
    points, faces = made
    for text in (off(points, faces, gap=" ").replace("\n", " "), off(points, faces, head="OFF ")):
        mesh = off_read(tmp_path, text)
        assert np.array_equal(mesh.positions, points)
        assert listed(mesh) == faces


@QUIET
@given(made=polygons())
def test_off_as_another_reader_takes_it(made, tmp_path):
    points, faces = made
    triangles = [f[:3] for f in faces]
    text = off(points, triangles)
    other = trimesh.load(io.BytesIO(text.encode()), file_type="off", process=False)
    mesh = off_read(tmp_path, text)
    assert np.allclose(mesh.positions, other.vertices)
    assert np.array_equal(mesh.corners.reshape(-1, 3), other.faces)


@pytest.mark.parametrize(
    ("tails", "wanted"),
    [
        ([" 1 0 0", " 0 0.5 1"], [[1, 0, 0], [0, 0.5, 1]]),
        ([" 255 0 0", " 0 51 255"], [[1, 0, 0], [0, 0.2, 1]]),
        ([" 255 0 0 128", " 0 51 255 255"], [[1, 0, 0], [0, 0.2, 1]]),
        ([" 1 0 0", ""], None),
        ([" 7", " 9"], None),
    ],
)
def test_off_colours_of_faces(tails, wanted, tmp_path):
    """Three or four numbers behind the corners: 0 to 1, or 0 to 255; one number is the place in a table that does not come along."""
    body = "".join(f"3 {a}{t}\n" for a, t in zip(("0 1 2", "1 2 3"), tails, strict=True))
    mesh = off_read(tmp_path, f"OFF\n4 2 0\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n{body}")
    assert listed(mesh) == [[0, 1, 2], [1, 2, 3]]
    if wanted is None:
        assert not mesh.colours
    else:
        assert np.allclose(mesh.colours[0].at_corners(), np.repeat(wanted, 3, axis=0))


@pytest.mark.parametrize(
    ("prefix", "width", "normals", "colours"),
    [("C", 7, False, True), ("N", 6, True, False), ("CN", 10, True, True), ("ST", 5, False, False)],
)
def test_off_prefixes_say_what_a_vertex_carries(prefix, width, normals, colours, tmp_path):
    rows = np.zeros((3, width))
    rows[:, :3] = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]
    if normals:
        rows[:, 5] = 1
    if colours:
        rows[:, -4:] = [0.25, 0.5, 1, 1]
    mesh = off_read(tmp_path, f"{prefix}OFF\n3 1 3\n" + "".join(numbers(r) + "\n" for r in rows) + "3 0 1 2\n")
    assert (mesh.normals is not None, bool(mesh.colours)) == (normals, colours)
    if normals:
        assert mesh.normals.at_corners().tolist() == [[0, 0, 1]] * 3
    if colours:
        assert np.allclose(mesh.colours[0].at_corners()[:, :3], [0.25, 0.5, 1])


TRIANGLE = "0 0 0\n1 0 0\n0 1 0\n"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("OFF BINARY\n\x00\x00", "is a binary OFF"),
        ("OF\n3 1 0\n", "does not begin with OFF"),
        ("4OFF\n3 1 0\n", "more than three dimensions"),
        ("nOFF\n4\n3 1 0\n", "more than three dimensions"),
        ("OFF\n", "other than a number after OFF"),
        (f"OFF\n3 1 0\n{TRIANGLE}3 0 one 2\n", "other than a number after OFF"),
        (f"OFF\n-3 1 0\n{TRIANGLE}3 0 1 2\n", "no counts of vertices"),
        (f"OFF\n3.5 1 0\n{TRIANGLE}3 0 1 2\n", "no counts of vertices"),
        (f"OFF\n9 1 0\n{TRIANGLE}3 0 1 2\n", "9 vertices but ends before them"),
        (f"OFF\n3 5 0\n{TRIANGLE}3 0 1 2\n", "5 faces but ends before them"),
        (f"OFF\n3 1 0\n{TRIANGLE}3 0 1\n", "1 faces but ends before them"),
        (f"OFF\n3 1 0\n{TRIANGLE}-3 0 1 2\n", "1 faces but ends before them"),
        (f"OFF\n3 1 0\n{TRIANGLE}3 0 1 3\n", "uses vertex 3 in a face, but only 3 are there"),
    ],
)
def test_damaged_off(text, says, tmp_path):
    with pytest.raises(InputError, match=says):
        off_read(tmp_path, text)


def test_off_of_no_faces_and_of_thin_ones(tmp_path):
    assert off_read(tmp_path, f"OFF\n3 0 0\n{TRIANGLE}").face_count == 0
    s = read_files(tmp_path, {"net.off": f"OFF\n3 2 0\n{TRIANGLE}2 0 1 1 0 0\n3 0 1 2 0 0 1\n"}, "net.off")
    assert listed(s.meshes[0]) == [[0, 1, 2]]
    assert s.meshes[0].colours[0].at_corners().tolist() == [[0, 0, 1]] * 3
    assert [p.kind for p in s.problems] == ["thin-face"]


# --- PLY --------------------------------------------------------------------------------------------------

KINDS = {"little": "<", "big": ">", "ascii": ""}


def ply(kind: str, elements: list[tuple[str, int, list[tuple[str, str, str | None]], list[list]]]) -> bytes:
    """A PLY. elements: name, count, properties (name, type, type of the count or None), and rows of numbers or lists."""
    letters = {"char": "b", "uchar": "B", "short": "h", "ushort": "H", "int": "i", "uint": "I", "float": "f", "double": "d"}
    form = "ascii" if kind == "ascii" else f"binary_{kind}_endian"
    head, body = f"ply\nformat {form} 1.0\n", b""
    for name, count, properties, rows in elements:
        head += f"element {name} {count}\n" + "".join(f"property {f'list {c} {t}' if c else t} {n}\n" for n, t, c in properties)
        for row in rows:
            words = []
            for (_, t, c), v in zip(properties, row, strict=True):
                if kind == "ascii":
                    words += [len(v), *v] if c else [v]
                    continue
                body += struct.pack(KINDS[kind] + letters[c], len(v)) if c else b""
                body += struct.pack(f"{KINDS[kind]}{len(v) if c else 1}{letters[t]}", *(v if c else [v]))
            body += (" ".join(map(str, words)) + "\n").encode() if kind == "ascii" else b""
    return (head + "end_header\n").encode() + body


VERTEX = [("x", "float", None), ("y", "float", None), ("z", "float", None)]
SQUARE = ("vertex", 4, VERTEX, [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
CORNERS = ("vertex_indices", "int", "uchar")


def ply_read(tmp_path, data: bytes):
    return read_files(tmp_path, {"net.ply": data}, "net.ply")


@pytest.mark.parametrize("kind", KINDS)
def test_ply_faces_with_several_lists(kind, tmp_path):
    """Where an entry holds two lists of changing length, each begins where those before it end."""
    face = (
        "face",
        2,
        [CORNERS, ("texcoord", "float", "uchar"), ("texnumber", "int", None)],
        [[[0, 1, 2], [0, 0, 1, 0, 1, 1], 0], [[0, 1, 2, 3], [0, 0, 1, 0, 1, 1, 0, 1], 1]],
    )
    m = ply_read(tmp_path, ply(kind, [SQUARE, face])).meshes[0]
    assert listed(m) == [[0, 1, 2], [0, 1, 2, 3]]
    assert m.uvs[0].at_corners().tolist() == [[0, 0], [1, 0], [1, 1], [0, 0], [1, 0], [1, 1], [0, 1]]
    assert m.slots.tolist() == [0, 1]


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("scale", "type"), [(255, "uchar"), (1, "float")])
def test_ply_colours_of_faces(kind, scale, type, tmp_path):
    colour = [(c, type, None) for c in ("red", "green", "blue")]
    face = ("face", 2, [CORNERS, *colour], [[[0, 1, 2], scale, 0, 0], [[0, 2, 3], 0, 0, scale]])
    m = ply_read(tmp_path, ply(kind, [SQUARE, face])).meshes[0]
    assert m.colours[0].at_corners().tolist() == [[1, 0, 0]] * 3 + [[0, 0, 1]] * 3


@pytest.mark.parametrize("kind", KINDS)
def test_ply_strips_of_triangles(kind, tmp_path):
    """-1 begins a new strip, and every second triangle of one is turned back."""
    strips = ("tristrips", 1, [CORNERS], [[[0, 1, 3, 2, -1, 2, 1, 0]]])
    m = ply_read(tmp_path, ply(kind, [SQUARE, strips])).meshes[0]
    assert listed(m) == [[0, 1, 3], [3, 1, 2], [2, 1, 0]]


@pytest.mark.parametrize("kind", KINDS)
def test_ply_thin_faces_take_what_hangs_on_them_along(kind, tmp_path):
    colour = [(c, "uchar", None) for c in ("red", "green", "blue")]
    face = (
        "face",
        3,
        [CORNERS, ("texcoord", "float", "uchar"), *colour],
        [[[0, 1], [9, 9, 9, 9], 9, 9, 9], [[0, 1, 2], [0, 0, 1, 0, 1, 1], 0, 255, 0], [[], [], 1, 1, 1]],
    )
    s = ply_read(tmp_path, ply(kind, [SQUARE, face]))
    m = s.meshes[0]
    assert listed(m) == [[0, 1, 2]]
    assert m.uvs[0].at_corners().tolist() == [[0, 0], [1, 0], [1, 1]]
    assert m.colours[0].at_corners().tolist() == [[0, 1, 0]] * 3
    assert "2 faces have fewer than three corners" in next(p.text for p in s.problems if p.kind == "thin-face")


@pytest.mark.parametrize("kind", KINDS)
def test_ply_that_does_not_hang_together(kind, tmp_path):
    cases = {
        "face 1 uses vertex 7, but only 4 are there": ("face", 2, [CORNERS], [[[0, 1, 2]], [[0, 2, 7]]]),
        "an edge uses a vertex that is not there": ("edge", 1, [("vertex1", "int", None), ("vertex2", "int", None)], [[0, 4]]),
    }
    for says, element in cases.items():
        with pytest.raises(InputError, match=says):
            ply_read(tmp_path, ply(kind, [SQUARE, element]))
    odd = ("face", 1, [CORNERS, ("texcoord", "float", "uchar")], [[[0, 1, 2], [0.5, 0.5]]])
    s = ply_read(tmp_path, ply(kind, [SQUARE, odd]))
    assert not s.meshes[0].uvs
    assert "do not come in pairs" in s.problems[0].text


def test_ply_lists_that_run_past_the_end(tmp_path):
    face = ("face", 2, [CORNERS, ("texcoord", "float", "uchar")], [[[0, 1, 2], [0] * 6], [[0, 2, 3], [0] * 6]])
    whole = ply("little", [SQUARE, face])
    for cut in (1, 9, 30, 44):
        with pytest.raises(InputError, match="was cut off, so export it again"):
            ply_read(tmp_path, whole[:-cut])


@QUIET
@given(made=polygons(), kind=st.sampled_from(sorted(KINDS)))
def test_ply_as_another_reader_takes_it(made, kind, tmp_path):
    points, faces = made
    triangles = [f[:3] for f in faces]
    double = [(n, "double", None) for n in "xyz"]
    data = ply(
        kind, [("vertex", len(points), double, points.tolist()), ("face", len(triangles), [CORNERS], [[t] for t in triangles])]
    )
    other = trimesh.load(io.BytesIO(data), file_type="ply", process=False)
    m = ply_read(tmp_path, data).meshes[0]
    assert np.allclose(m.positions, other.vertices, rtol=1e-12)
    assert np.array_equal(m.corners.reshape(-1, 3), other.faces)

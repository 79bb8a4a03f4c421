"""What readers take from files written by hand, and the one sentence that damaged ones end in."""

import ctypes
import io
import struct
import zipfile

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.formats.collada.mesh import bridge
from handlens.core.formats.gltf.write import container
from handlens.core.formats.ply.read import strip_triangles
from handlens.core.formats.recognise import recognise
from handlens.core.formats.table import BY_NAME
from handlens.core.formats.usd.write import package
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.packages import open_package
from kit.collada import BOUND, INPUT, SQUARES, dae
from kit.scenes import cube, read_files, scene, triangles_of

FACET = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"
PLY = "ply\nformat ascii 1.0\n{head}\nend_header\n{body}\n"
XYZ = "property float x\nproperty float y\nproperty float z"


def stl(count=2, stated=None, head=b"solid of no text"):
    rows = struct.pack("<12fH", 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0) * count
    return head.ljust(80, b"\x00") + struct.pack("<I", count if stated is None else stated) + rows


def test_the_two_kinds_of_stl_are_told_apart_by_content(tmp_path):
    """A binary file may begin with "solid" too; its length is what tells."""
    s = read_files(tmp_path, {"a.stl": stl()}, "a.stl")
    assert (s.meshes[0].face_count, len(s.meshes[0].positions)) == (2, 6)
    text = read_files(tmp_path, {"b.stl": f"solid post\n{FACET}endsolid post\nsolid lamp\n{FACET}{FACET}endsolid\n"}, "b.stl")
    assert [(n.name, text.meshes[n.mesh].face_count) for n in text.nodes] == [("post", 1), ("lamp", 2)]
    shouted = read_files(tmp_path, {"c.stl": f"SOLID POST\n{FACET.upper()}ENDSOLID POST\n"}, "c.stl")
    assert shouted.meshes[0].face_count == 1


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (stl(2, 900), "states 900 facets but holds only 2"),
        (f"solid a\n{FACET.replace('vertex 1 0 0', 'vertex 1 0')}endsolid\n", "line 5: it has 2 numbers where three belong"),
        (f"solid a\n{FACET.replace('0 1 0', '0 x 0')}endsolid\n", "line 6: it has 'vertex 0 x 0' where three numbers belong"),
        ("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\n", "ends in the middle of a facet"),
        (b"float", "is too short for an STL"),
    ],
)
def test_damaged_stl(data, says, tmp_path):
    with pytest.raises(InputError, match=says):
        read_files(tmp_path, {"a.stl": data}, "a.stl")


@pytest.mark.parametrize("order", ["<", ">"])
def test_ply_lists_of_mixed_lengths_in_both_byte_orders(order, tmp_path):
    points = np.random.default_rng(1).random((9, 3))
    faces = [[0, 1, 2], [2, 3, 4, 5], [5, 6, 7, 8, 0], [1, 2, 3], [4, 5, 6, 7]]
    head = f"ply\nformat binary_{'little' if order == '<' else 'big'}_endian 1.0\nelement vertex 9\nproperty double x\nproperty double y\nproperty double z\n"
    head += "element face 5\nproperty uchar flags\nproperty list uint16 int32 vertex_index\nproperty short tail\nend_header\n"
    body = points.astype(order + "f8").tobytes()
    for f in faces:
        body += struct.pack(f"{order}BH{len(f)}ih", 7, len(f), *f, -1)
    s = read_files(tmp_path, {"a.ply": head.encode() + body}, "a.ply")
    m = s.meshes[0]
    assert np.array_equal(m.positions, points)
    assert [m.corners[a:b].tolist() for a, b in zip(m.starts, m.starts[1:], strict=False)] == faces
    assert [p.kind for p in s.problems] == ["not-carried"]


def test_ply_text_with_colours_uvs_edges_and_a_texture(tmp_path):
    head = f"comment TextureFile rope wet.png\nelement vertex 4\n{XYZ}\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
    head += "property float s\nproperty float t\nelement face 1\nproperty list uchar int vertex_indices\nelement edge 1\nproperty int vertex1\nproperty int vertex2"
    body = "0 0 0 255 0 0 0 0\n1 0 0 0 255 0 1 0\n1 1 0 0 0 255 1 1\n0 1 0 51 51 51 0 1\n4 0 1 2 3\n0 2"
    s = read_files(tmp_path, {"a.ply": PLY.format(head=head, body=body), "rope wet.png": "x"}, "a.ply")
    m = s.meshes[0]
    assert m.colours[0].values[3].tolist() == pytest.approx([0.2] * 3)
    assert m.uvs[0].at_corners().tolist() == [[0, 0], [1, 0], [1, 1], [0, 1]]
    assert m.lines.tolist() == [[0, 2]]
    assert [(i.reference, i.status) for i in s.images] == [("rope wet.png", "found")]


def test_strips_turn_every_second_triangle_back():
    made = strip_triangles(np.array([0, 1, 2, 3, -1, 4, 5, 6, 6, 7]), np.array([10]))
    assert made.tolist() == [[0, 1, 2], [2, 1, 3], [4, 5, 6]]


@pytest.mark.parametrize(
    ("head", "body", "says"),
    [
        (
            f"element vertex 3\n{XYZ}\nelement face 1\nproperty list uchar int vertex_indices",
            "0 0 0\n1 0 0\n0 1 0\n3 0 1 9",
            "face 0 uses vertex 9, but only 3 are there",
        ),
        (f"element vertex 3\n{XYZ}", "0 0 0\n1 0 0", "states 3 vertex entries but ends before them"),
        (f"element vertex 1\n{XYZ}\nelement face 1\nproperty list uchar int vertex_indices", "0 0 0\n9 0", "runs past the end"),
        ("element vertex 1\nproperty float x", "0", "has no vertex positions"),
        (f"element vertex many\n{XYZ}", "0 0 0", "line 3: 'element vertex many' is no PLY header line"),
        (f"element vertex 1\n{XYZ}", "0 o 0", "has 'o' where a number belongs"),
        (f"element vertex 99999999999\n{XYZ}", "0 0 0", "ends before them"),
    ],
)
def test_damaged_ply(head, body, says, tmp_path):
    with pytest.raises(InputError, match=says):
        read_files(tmp_path, {"a.ply": PLY.format(head=head, body=body)}, "a.ply")


def test_off_with_comments_colours_and_prefixes(tmp_path):
    text = "COFF # coloured\n\n4 2 0\n0 0 0 1 0 0 1\n1 0 0 0 1 0 1\n1 1 0 0 0 1 1\n0 1 0 1 1 1 1\n# faces\n3 0 1 2\n3 0 2 3\n"
    s = read_files(tmp_path, {"a.off": text}, "a.off")
    assert s.meshes[0].face_count == 2
    assert s.meshes[0].colours[0].values[1].tolist() == [0, 1, 0]
    painted = read_files(tmp_path, {"b.off": "OFF 3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2 255 0 51\n"}, "b.off")
    assert painted.meshes[0].colours[0].values.tolist() == [pytest.approx([1, 0, 0.2])]


# --- COLLADA ----------------------------------------------------------------------------------------


def test_a_polygon_with_a_hole_keeps_its_area(tmp_path):
    holed = f"<polygons material='n' count='1'>{INPUT}<ph><p>0 1 2 3</p><h>4 5 6 7</h></ph></polygons>"
    s = read_files(tmp_path, {"a.dae": dae(holed)}, "a.dae")
    m = s.meshes[0]
    assert (m.face_count, m.triangle_count) == (1, 8)
    from handlens.core.geometry.triangles import triangulate

    t = m.positions[m.corners[triangulate(m)[0]]]
    area = np.linalg.norm(np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]), axis=1).sum() / 2
    assert area == pytest.approx(4 * 4 - 2 * 2)
    assert (s.unit_metres, s.up_axis) == (0.0254, "Z")


def test_a_bridge_does_not_cross_the_outline():
    outline = np.array([[0, 0], [10, 0], [10, 10], [9, 10], [9, 1], [0, 1]], float)
    outer = np.column_stack([outline, np.zeros(6)])
    inner = np.array([[9.3, 8, 0], [9.7, 8, 0], [9.7, 9, 0]])
    rows = bridge(np.arange(6)[:, None], np.arange(3)[:, None] + 6, outer, inner)[:, 0]
    assert len(rows) == 6 + 3 + 2
    assert sorted(set(rows.tolist())) == list(range(9))


@pytest.mark.parametrize(
    ("primitives", "faces", "triangles", "lines"),
    [
        (f"<triangles count='2'>{INPUT}<p>0 1 2 0 2 3</p></triangles>", 2, 2, 0),
        (f"<polylist count='2'>{INPUT}<vcount>4 3</vcount><p>0 1 2 3 4 5 6</p></polylist>", 2, 3, 0),
        (f"<tristrips count='1'>{INPUT}<p>0 1 3 2</p><p>4 5 7 6</p></tristrips>", 4, 4, 0),
        (f"<trifans count='1'>{INPUT}<p>0 1 2 3</p><p>4 5 6</p></trifans>", 3, 3, 0),
        (f"<lines count='2'>{INPUT}<p>0 1 2 3</p></lines>", 0, 0, 2),
        (f"<linestrips count='1'>{INPUT}<p>0 1 2 3</p></linestrips>", 0, 0, 3),
    ],
)
def test_every_kind_of_primitive(primitives, faces, triangles, lines, tmp_path):
    m = read_files(tmp_path, {"a.dae": dae(primitives)}, "a.dae").meshes[0]
    assert (m.face_count, m.triangle_count, len(m.lines)) == (faces, triangles, lines)


@pytest.mark.parametrize(
    ("written", "status"),
    [
        ("rope.png", "found"),
        ("./rope.png", "found"),
        (".\\rope.png", "found"),
        ("rope%20wet.png", "found"),
        ("ROPE.PNG", "other-case"),
        ("file:///C:/quay/rope.png", "absolute"),
        ("gone.png", "missing"),
    ],
)
def test_image_references_in_all_their_forms(written, status, tmp_path):
    files = {
        "a.dae": dae(f"<triangles material='n' count='1'>{INPUT}<p>0 1 2</p></triangles>", image=written),
        "rope.png": "x",
        "rope wet.png": "x",
    }
    s = read_files(tmp_path, files, "a.dae")
    assert [i.status for i in s.images] == [status]
    assert s.materials[0].inputs[0].sampler == {"wrapS": 33071}


@pytest.mark.parametrize(
    ("opacity", "alpha"),
    [
        (
            "<transparent opaque='A_ONE'><color>1 1 1 0.5</color></transparent><transparency><float>0.5</float></transparency>",
            0.25,
        ),
        (
            "<transparent opaque='RGB_ZERO'><color>1 1 1 1</color></transparent><transparency><float>0.25</float></transparency>",
            0.75,
        ),
        ("", 1.0),
    ],
)
def test_opacity_by_the_specifications_formula(opacity, alpha, tmp_path):
    """COLLADA 1.4.1, chapter 4, "Determining Transparency (Opacity)"."""
    s = read_files(
        tmp_path, {"a.dae": dae(f"<triangles material='n' count='1'>{INPUT}<p>0 1 2</p></triangles>", opacity=opacity)}, "a.dae"
    )
    assert s.materials[0].base_colour[3] == pytest.approx(alpha, abs=1e-5)


def test_instances_decimal_commas_and_unbound_symbols(tmp_path):
    nodes = f"<node name='a'>{BOUND}</node><node name='b'><translate>0 0 5</translate>{BOUND}</node><node name='c'><instance_geometry url='#g'/></node>"
    text = dae(
        f"<triangles material='n' count='1'>{INPUT}<p>0 1 2</p></triangles>",
        nodes,
        positions=SQUARES.replace("4 0 0", "4,5 0 0", 1),
    )
    s = read_files(tmp_path, {"a.dae": text}, "a.dae")
    assert [n.mesh for n in s.nodes] == [0, 0, 1]
    assert s.meshes[0].positions[1, 0] == 4.5
    assert [p.kind for p in s.problems] == ["decimal-comma"]
    assert [(m.name, m.defined) for m in s.materials] == [("net", True), ("n", False)]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (dae(f"<triangles count='1'>{INPUT}<p>0 1 99</p></triangles>"), "<triangles> uses vertex 99, but only 8 are there"),
        (dae(f"<polylist count='1'>{INPUT}<vcount>4</vcount><p>0 1 2</p></polylist>"), "counts 4 corners in vcount but holds 3"),
        (dae("", "<node id='n'><instance_node url='#n'/></node>").replace("instance_node", "instance_node"), "runs in a circle"),
        (dae("")[:-40], "the XML is broken"),
        ("<COLLADA/>", None),
        (dae("", positions="0 0 zero"), "holds 'zero' where a number belongs"),
    ],
)
def test_damaged_collada(text, says, tmp_path):
    if says is None:
        assert read_files(tmp_path, {"a.dae": text}, "a.dae").meshes == ()
        return
    with pytest.raises(InputError, match=says):
        read_files(tmp_path, {"a.dae": text}, "a.dae")


def test_entities_are_not_expanded(tmp_path):
    """A document of a few lines must not grow to gigabytes."""
    bomb = '<!DOCTYPE x [<!ENTITY a "0 0 0 "><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">]>'
    text = dae(f"<triangles count='1'>{INPUT}<p>0 1 2</p></triangles>", positions="&c;").replace("<COLLADA", bomb + "<COLLADA")
    with pytest.raises(InputError):
        read_files(tmp_path, {"a.dae": text}, "a.dae")


# --- 3MF --------------------------------------------------------------------------------------------

TRIANGLE = '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/></vertices><triangles>{}</triangles></mesh>'


def threemf(resources, items, unit="inch"):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        z.writestr("[Content_Types].xml", "<Types/>")
        z.writestr(
            "3D/3dmodel.model",
            f'<model unit="{unit}" xmlns:m="x"><resources>{resources}</resources><build>{items}</build></model>',
        )
    return out.getvalue()


def test_components_colours_and_base_materials(tmp_path):
    resources = '<basematerials id="5"><base name="tar" displaycolor="#33221180"/></basematerials><m:colorgroup id="6"><m:color color="#FF0000"/><m:color color="#00FF00"/></m:colorgroup>'
    resources += f'<object id="1" name="peg">{TRIANGLE.format("""<triangle v1="0" v2="1" v3="2" pid="6" p1="0" p2="1" p3="0"/>""")}</object>'
    resources += f'<object id="2" pid="5" pindex="0">{TRIANGLE.format("""<triangle v1="0" v2="1" v3="2"/>""")}</object>'
    resources += '<object id="3" name="pair"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 7 0 0"/></components></object>'
    s = read_files(tmp_path, {"a.3mf": threemf(resources, '<item objectid="3"/><item objectid="2"/>')}, "a.3mf")
    assert (s.unit_metres, s.up_axis) == (0.0254, "Z")
    assert [n.name for n in s.nodes] == ["pair", "peg", "peg", "object_2"]
    assert s.nodes[1].mesh == s.nodes[2].mesh
    assert s.nodes[2].local[0, 3] == 7
    assert s.meshes[0].colours[0].at_corners()[1].tolist() == [0, 1, 0, 1]
    assert s.materials[s.meshes[1].slot_materials[0]].base_colour == pytest.approx((0.2, 0.1333, 0.0667, 0.502), abs=1e-3)


@pytest.mark.parametrize(
    ("resources", "says"),
    [
        (
            f'<object id="1">{TRIANGLE.format("""<triangle v1="0" v2="1" v3="8"/>""")}</object>',
            "uses vertex 8, but only 3 are there",
        ),
        ('<object id="1"><components><component objectid="1"/></components></object>', "component of itself"),
        (
            f'<object id="1">{TRIANGLE.format("""<triangle v1="0" v2="1"/>""")}</object>',
            "does not have a number in each of v1, v2, v3",
        ),
    ],
)
def test_damaged_3mf(resources, says, tmp_path):
    with pytest.raises(InputError, match=says):
        read_files(tmp_path, {"a.3mf": threemf(resources, '<item objectid="1"/>')}, "a.3mf")


# --- USD, packed glTF, recognition ------------------------------------------------------------------

USDA = """#usda 1.0
(
  metersPerUnit = 0.01
  upAxis = "Z"
)
def Mesh "net" (
  variants = { string shape = "wide" }
  prepend variantSets = "shape"
) {
  int[] faceVertexCounts = [4, 3]
  int[] faceVertexIndices = [0, 1, 2, 3, 0, 3, 4]
  int[] holeIndices = [1]
  point3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0), (0,2,0)]
  uniform token orientation = "leftHanded"
  uniform token subdivisionScheme = "catmullClark"
  texCoord2f[] primvars:st = [(0,0),(1,0),(1,1),(0,1),(0,1),(0,1),(0,1)] ( interpolation = "faceVarying" )
  color3f[] primvars:displayColor = [(1,0,0)] ( interpolation = "constant" )
  variantSet "shape" = {
    "wide" { }
    "narrow" { }
  }
}
def Sphere "ball" { }
"""


def test_usd_orientation_holes_variants_and_subdivision_are_kept_or_said(tmp_path):
    s = read_files(tmp_path, {"a.usda": USDA}, "a.usda")
    m = s.meshes[0]
    assert (s.unit_metres, s.up_axis, m.face_count) == (0.01, "Z", 1)
    # UsdGeom, Mesh: a left-handed winding is clockwise from the front, so it is turned to mean the same here.
    assert m.corners.tolist() == [3, 2, 1, 0]
    assert m.uvs[0].at_corners()[0].tolist() == [0, 1]
    assert {p.kind for p in s.problems} == {"thin-face", "subdivision", "variants", "not-carried"}


def test_a_usd_file_that_makes_its_reader_stop_ends_in_a_sentence(tmp_path):
    with pytest.raises(InputError, match="damaged"):
        read_files(tmp_path, {"a.usdc": b"PXR-USDC" + bytes(200)}, "a.usdc")
    with pytest.raises(InputError, match="damaged"):
        read_files(tmp_path, {"a.usda": "#usda 1.0\ndef Mesh {"}, "a.usda")


def test_a_package_of_usd_is_stored_and_aligned():
    """USDZ specification, "Zip constraints": no compression, and each file begins on a multiple of 64 bytes."""
    data = package([("net.usda", b"#usda 1.0\n"), ("rope wet.png", b"x" * 77), ("b.png", b"y")])
    with zipfile.ZipFile(io.BytesIO(data)) as z:
        for info in z.infolist():
            assert info.compress_type == zipfile.ZIP_STORED
            name, extra = struct.unpack_from("<HH", data, info.header_offset + 26)
            assert (info.header_offset + 30 + name + extra) % 64 == 0
        assert z.namelist()[0] == "net.usda"


def test_draco_geometry_against_what_was_packed(tmp_path):
    """KHR_draco_mesh_compression; without quantisation the packed positions come back to the bit."""
    import DracoPy

    made = triangles_of(cube())
    points, faces = made.positions.astype(np.float32), made.corners.reshape(-1, 3).astype(np.uint32)
    packed = DracoPy.encode(points, faces, quantization_bits=0, preserve_order=True)
    accessor = lambda **more: {"componentType": 5126, "type": "VEC3", "count": 8, **more}
    tree = {
        "asset": {"version": "2.0"},
        "extensionsRequired": ["KHR_draco_mesh_compression"],
        "extensionsUsed": ["KHR_draco_mesh_compression"],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
        "nodes": [{"mesh": 0}],
        "buffers": [{"byteLength": len(packed)}],
        "bufferViews": [{"buffer": 0, "byteLength": len(packed)}],
        "accessors": [accessor(min=[0, 0, 0], max=[1, 1, 1]), {"componentType": 5125, "type": "SCALAR", "count": 36}],
        "meshes": [
            {
                "primitives": [
                    {
                        "attributes": {"POSITION": 0},
                        "indices": 1,
                        "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}},
                    }
                ]
            }
        ],
    }
    s = read_files(tmp_path, {"a.glb": container(tree, packed)}, "a.glb")
    assert np.array_equal(np.unique(s.meshes[0].positions, axis=0), np.unique(points, axis=0))
    assert collect(s).meshes[0].closed
    with pytest.raises(InputError, match="in its Draco data"):
        read_files(tmp_path, {"b.glb": container(tree, packed[:20].ljust(len(packed), b"\x00"))}, "b.glb")


def test_meshopt_geometry_against_what_was_packed(tmp_path):
    """EXT_meshopt_compression, packed by the library that defines it."""
    library = ctypes.CDLL("libmeshoptimizer.so.2d")
    for name in (
        "meshopt_encodeVertexBufferBound",
        "meshopt_encodeVertexBuffer",
        "meshopt_encodeIndexBufferBound",
        "meshopt_encodeIndexBuffer",
    ):
        getattr(library, name).restype = ctypes.c_size_t
    made = triangles_of(cube())
    points, index = made.positions.astype(np.float32), made.corners.astype(np.uint32)
    size = ctypes.c_size_t

    def pack(name, array, count, *more):
        room = getattr(library, f"{name}Bound")(size(count), size(more[0]))
        out = (ctypes.c_ubyte * room)()
        used = getattr(library, name)(
            out, size(room), array.ctypes.data_as(ctypes.c_void_p), size(count), *[size(m) for m in more[1:]]
        )
        return bytes(out[:used])

    vertices = pack("meshopt_encodeVertexBuffer", points, 8, 12, 12)
    indices = pack("meshopt_encodeIndexBuffer", index, 36, 8)
    body = vertices + b"\x00" * (-len(vertices) % 4) + indices
    view = lambda at, length, mode, count, stride: {
        "buffer": 1,
        "byteLength": count * stride,
        "extensions": {
            "EXT_meshopt_compression": {
                "buffer": 0,
                "byteOffset": at,
                "byteLength": length,
                "byteStride": stride,
                "count": count,
                "mode": mode,
            }
        },
    }
    tree = {
        "asset": {"version": "2.0"},
        "extensionsRequired": ["EXT_meshopt_compression"],
        "extensionsUsed": ["EXT_meshopt_compression"],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
        "nodes": [{"mesh": 0}],
        "buffers": [
            {"byteLength": len(body)},
            {"byteLength": 240, "extensions": {"EXT_meshopt_compression": {"fallback": True}}},
        ],
        "bufferViews": [
            view(0, len(vertices), "ATTRIBUTES", 8, 12),
            view(len(body) - len(indices), len(indices), "TRIANGLES", 36, 4),
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "type": "VEC3", "count": 8, "min": [0, 0, 0], "max": [1, 1, 1]},
            {"bufferView": 1, "componentType": 5125, "type": "SCALAR", "count": 36},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
    }
    s = read_files(tmp_path, {"a.glb": container(tree, body)}, "a.glb")
    assert np.array_equal(s.meshes[0].positions, points)
    assert (collect(s).meshes[0].closed, s.meshes[0].face_count) == (True, 12)


def test_closed_formats_are_named_by_what_to_do_instead(tmp_path):
    """First bytes of an exchange format without a published description: refused by content, whatever the ending says."""
    with pytest.raises(InputError, match=r"not open.*export it as one of: glb, gltf, obj"):
        read_files(tmp_path, {"a.obj": bytes.fromhex("4b617964617261204642582042696e617279") + bytes(40)}, "a.obj")


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("glb", "glb"),
        ("gltf", "gltf"),
        ("ply", "ply"),
        ("stl", "stl"),
        ("dae", "dae"),
        ("3mf", "3mf"),
        ("usda", "usda"),
        ("usdz", "usdz"),
    ],
)
def test_formats_are_recognised_by_content(name, wanted):
    data = next(iter(formats.write(scene(cube()), name, "x").values()))
    assert recognise(data) is BY_NAME[wanted]


#: First bytes as the standards and registrations have them.
UNREAD = {
    "quay.step": (b"ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));", "a STEP file"),
    "hut.ifc": (b"ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('IFC4'));", "a building model"),
    "hull.igs": (b"Hull of a ferry".ljust(72) + b"S      1\n", "an IGES file"),
    "reed.wrl": (b"#VRML V2.0 utf8\n", "a VRML or X3D file"),
    "reed.x3d": (b'<?xml version="1.0"?>\n<X3D profile="Interchange">', "an X3D file"),
    "mud.las": (b"LASF" + bytes(90), "a point cloud"),
    "rope.obj": (b"\x89PNG\r\n\x1a\n", "an image"),
    "all.rar": (b"Rar!\x1a\x07", "send it as a zip"),
}


@pytest.mark.parametrize("name", UNREAD)
def test_a_file_of_a_kind_that_is_not_read_is_named_with_what_to_send_instead(name):
    data, says = UNREAD[name]
    with pytest.raises(InputError, match=says):
        formats.format_of(data, name)
    # A model that merely tells of one in its comments is a model still.
    assert formats.format_of(b"# from quay.step, ISO-10303-21;\nv 0 0 0\n", "quay.obj").name == "obj"
    # A binary STL has 80 bytes in front that may be anything.
    assert formats.format_of(data[:80].ljust(80) + bytes(4), "quay.stl").name == "stl"


def test_a_wrong_ending_is_said(tmp_path):
    (tmp_path / "a.obj").write_bytes(stl())
    found, main = open_package(tmp_path / "a.obj")
    with pytest.raises(InputError, match=r"named \.obj but holds STL"):
        formats.read(found, main)

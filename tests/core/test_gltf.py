"""glTF 2.0: accessors, topologies, trees and broken files. Section numbers are those of the specification."""

import base64
import json
import struct
from dataclasses import replace

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.formats.gltf.write import container
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.packages import FolderPackage
from handlens.core.scene import Weights
from kit.scenes import read_files, rigged

TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)


def document(body: bytes = TRIANGLE.tobytes(), **changes):
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "sail"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": len(body)}],
        "buffers": [{"byteLength": len(body), "uri": "data:application/octet-stream;base64," + base64.b64encode(body).decode()}],
    }
    tree.update(changes)
    return tree


def read(tmp_path, tree, **files):
    return read_files(tmp_path, {"sail.gltf": json.dumps(tree), **files}, "sail.gltf")


def test_the_least_file(tmp_path):
    s = read(tmp_path, document())
    assert (s.unit_metres, s.up_axis) == (1.0, "Y")  # §3.4
    assert s.meshes[0].corners.tolist() == [0, 1, 2]
    assert s.part_name(0) == "sail"


def test_glb_container(tmp_path):
    tree = document()
    del tree["buffers"][0]["uri"]
    s = read_files(tmp_path, {"sail.glb": container(tree, TRIANGLE.tobytes())}, "sail.glb")
    assert s.format == "glb"
    assert np.array_equal(s.meshes[0].positions, TRIANGLE)


def test_buffer_in_a_file_beside(tmp_path):
    tree = document()
    tree["buffers"][0]["uri"] = "the%20sail.bin"
    s = read(tmp_path, tree, **{"the sail.bin": TRIANGLE.tobytes()})
    assert s.files == (("the sail.bin", "buffer"),)


# §3.7.2.1: which corners each topology's elements have.
STRIP = [[0, 1, 2], [1, 3, 2], [2, 3, 4]]
FAN = [[1, 2, 0], [2, 3, 0], [3, 4, 0]]


@pytest.mark.parametrize(
    ("mode", "faces", "lines", "points"),
    [
        (5, STRIP, [], []),
        (6, FAN, [], []),
        (0, [], [], [0, 1, 2, 3, 4]),
        (1, [], [[0, 1], [2, 3]], []),
        (2, [], [[0, 1], [1, 2], [2, 3], [3, 4], [4, 0]], []),
        (3, [], [[0, 1], [1, 2], [2, 3], [3, 4]], []),
    ],
)
def test_topologies(tmp_path, mode, faces, lines, points):
    body = np.random.default_rng(1).random((5, 3)).astype(np.float32).tobytes()
    tree = document(body, meshes=[{"primitives": [{"attributes": {"POSITION": 0}, "mode": mode}]}])
    tree["accessors"][0]["count"] = 5
    m = read(tmp_path, tree).meshes[0]
    assert m.corners.reshape(-1, 3).tolist() == faces
    assert m.lines.tolist() == lines
    assert m.points.tolist() == points


def test_interleaved_and_normalised(tmp_path):
    """§3.6.2.4 stride; §3.6.2.2: c / 255 for unsigned bytes, max(c / 127, -1) for signed ones."""
    rows = b"".join(struct.pack("<3f4B4b", *p, 255, 128, 0, 255, 127, -128, 0, 0) for p in TRIANGLE)
    tree = document(rows)
    tree["bufferViews"][0]["byteStride"] = 20
    tree["accessors"] += [
        {"bufferView": 0, "byteOffset": 12, "componentType": 5121, "normalized": True, "count": 3, "type": "VEC4"},
        {"bufferView": 0, "byteOffset": 16, "componentType": 5120, "normalized": True, "count": 3, "type": "VEC3"},
    ]
    tree["meshes"][0]["primitives"][0]["attributes"] |= {"COLOR_0": 1, "NORMAL": 2}
    m = read(tmp_path, tree).meshes[0]
    assert np.array_equal(m.positions, TRIANGLE)
    assert m.colours[0].values[0].tolist() == pytest.approx([1, 128 / 255, 0, 1])
    assert m.normals.values[0].tolist() == [1, -1, 0]


def test_sparse(tmp_path):
    """§3.6.2.3: single elements replaced; without a bufferView the rest are zeros."""
    body = struct.pack("<HH3f", 2, 0, 7, 8, 9)
    tree = document(
        body,
        accessors=[
            {
                "componentType": 5126,
                "count": 3,
                "type": "VEC3",
                "sparse": {"count": 1, "indices": {"bufferView": 0, "componentType": 5123}, "values": {"bufferView": 1}},
            }
        ],
        bufferViews=[{"buffer": 0, "byteLength": 2}, {"buffer": 0, "byteOffset": 4, "byteLength": 12}],
    )
    assert read(tmp_path, tree).meshes[0].positions.tolist() == [[0, 0, 0], [0, 0, 0], [7, 8, 9]]


def test_matrix_columns(tmp_path):
    """§3.5.3: column-major, so the last four numbers are the translation."""
    s = read(tmp_path, document(nodes=[{"mesh": 0, "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 5, 6, 7, 1]}]))
    assert s.nodes[0].local[:3, 3].tolist() == [5, 6, 7]


def test_shared_positions_are_stored_once(tmp_path):
    primitive = {"attributes": {"POSITION": 0}}
    m = read(tmp_path, document(meshes=[{"primitives": [primitive, primitive]}])).meshes[0]
    assert len(m.positions) == 3
    assert m.corners.tolist() == [0, 1, 2, 0, 1, 2]
    assert m.slots.tolist() == [0, 1]


def test_default_scene_holds_only_its_nodes(tmp_path):
    s = read(tmp_path, document(nodes=[{"mesh": 0}, {"mesh": 0}], scenes=[{"nodes": [1]}]))
    assert s.roots == (1,)
    assert read(tmp_path, document(nodes=[{"mesh": 0}, {"mesh": 0}], scene=None)).roots == (0, 1)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"asset": {"version": "1.0"}}, "glTF 1.0"),
        ({"asset": {}}, "version"),
        ({"asset": None}, "version"),
        ({"meshes": {}}, "glTF 1.0"),
        ({"meshes": 7}, "meshes"),
        ({"extensionsRequired": ["EXT_tidal_foam"]}, "EXT_tidal_foam"),
        ({"nodes": [{"children": [0]}]}, "circle"),
        ({"nodes": [{"children": [1]}, {"children": [0]}], "scenes": [{"nodes": []}]}, "circle"),
        ({"nodes": [{"translation": [1, 2]}]}, "translation"),
        ({"nodes": [{"scale": "big"}]}, "scale"),
        ({"accessors": [{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"}]}, "past the end"),
        ({"accessors": [{"bufferView": 0, "componentType": 9, "count": 3, "type": "VEC3"}]}, "unknown type"),
        ({"accessors": [{"bufferView": 5, "componentType": 5126, "count": 3, "type": "VEC3"}]}, "bufferViews"),
        ({"accessors": [{"bufferView": 0, "componentType": 5126, "count": -3, "type": "VEC3"}]}, "count"),
        ({"accessors": [{"componentType": 5126, "count": 10**12, "type": "VEC3"}]}, "zero elements"),
        ({"buffers": [{"byteLength": 36, "uri": "gone.bin"}]}, "gone.bin"),
        ({"buffers": [{"byteLength": 99, "uri": "data:,abc"}]}, "cut off"),
        ({"buffers": [{"byteLength": 36, "uri": "../../outside.bin"}]}, "outside.bin"),
        ({"meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "mode": 9}]}]}, "mode"),
    ],
)
def test_broken_files_say_what(tmp_path, changes, says):
    with pytest.raises(InputError, match=says) as caught:
        read(tmp_path, document(**changes))
    assert "\n" not in str(caught.value)


def test_index_out_of_range(tmp_path):
    body = TRIANGLE.tobytes() + struct.pack("<3H", 0, 1, 9)
    tree = document(body)
    tree["bufferViews"] = [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 6}]
    tree["accessors"].append({"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"})
    tree["meshes"][0]["primitives"][0]["indices"] = 1
    with pytest.raises(InputError, match="vertex 9 but has only 3"):
        read(tmp_path, tree)


@pytest.mark.parametrize("cut", [3, 11, 19, 40, 200])
def test_cut_off_glb(tmp_path, cut):
    tree = document()
    del tree["buffers"][0]["uri"]
    with pytest.raises(InputError):
        read_files(tmp_path, {"sail.glb": container(tree, TRIANGLE.tobytes())[:cut]}, "sail.glb")


@pytest.mark.parametrize(
    ("changes", "kind"),
    [
        ({"nodes": [{"mesh": 0, "skin": 3}]}, "broken-reference"),
        ({"nodes": [{"mesh": 9}]}, "broken-reference"),
        ({"nodes": [{"children": [2]}, {"children": [2]}, {"mesh": 0}], "scenes": [{"nodes": [0, 1]}]}, "two-parents"),
        ({"meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 4}]}]}, "broken-reference"),
        ({"skins": [{"joints": [77]}]}, "skin"),
        ({"materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 3}}}]}, "broken-reference"),
        ({"materials": [{"pbrMetallicRoughness": ["not an object"]}]}, "broken-reference"),
        ({"materials": [{"normalTexture": 3}]}, "broken-reference"),
        ({"animations": [{"samplers": [], "channels": [{"sampler": 0, "target": {"path": "scale"}}]}]}, "clip"),
    ],
)
def test_what_is_inventoried_is_a_problem_not_a_refusal(tmp_path, changes, kind):
    assert kind in {p.kind for p in read(tmp_path, document(**changes)).problems}


def test_inputs_of_extensions_are_found(tmp_path):
    material = {
        "extensions": {"KHR_materials_clearcoat": {"clearcoatTexture": {"index": 0}}},
        "normalTexture": {"index": 0, "scale": 0},
    }
    s = read(tmp_path, document(materials=[material], textures=[{"source": 0}], images=[{"uri": "wet.png"}]))
    assert {t.role for t in s.materials[0].inputs} == {"clearcoat", "normal"}
    assert {t.scale for t in s.materials[0].inputs} == {None, 0.0}
    assert s.images[0].status == "missing"


@pytest.mark.parametrize("name", ["deep", "list", "text", "number"])
def test_json_that_is_no_gltf(tmp_path, name):
    text = {"deep": "[" * 100_000, "list": '["asset"]', "text": '"asset"', "number": "7"}[name]
    with pytest.raises(InputError):
        read_files(tmp_path, {"x.gltf": text}, "x.gltf")


def test_a_skin_whose_weights_are_all_nought_is_measured(tmp_path):
    made = rigged(np.random.default_rng(4), clip=False)
    bare = replace(made.meshes[0], weights=Weights(np.zeros(19, np.int64), np.zeros(0, np.int32), np.zeros(0, np.float32)))
    (tmp_path / "eel.glb").write_bytes(formats.write(made.with_(meshes=(bare,)), "glb", "eel")["eel.glb"])
    back = collect(formats.read(FolderPackage(tmp_path), "eel.glb"))
    assert back.meshes[0].weights_off == 18
    assert back.meshes[0].gpu_vertices == 18

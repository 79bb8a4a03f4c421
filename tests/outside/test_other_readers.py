"""Facts of third-party models, against other readers: trimesh, and a plain reading of the file."""

import json
import struct

import numpy as np
import pytest
import trimesh

from handlens.core.measures import collect
from handlens.core.pipeline.opening import open_scene
from handlens.core.present.report import facts
from kit.scenes import round_trip

OBJ = [
    "spider.obj",
    "WusonOBJ.obj",
    "box.obj",
    "cube_usemtl.obj",
    "cube_with_vertexcolors.obj",
    "regr_3429812.obj",
    "space_in_material_name.obj",
    "multiple_spaces.obj",
]
GLTF = [
    "BoxTextured-glTF-Binary/BoxTextured.glb",
    "BoxTextured-glTF/BoxTextured.gltf",
    "2CylinderEngine-glTF-Binary/2CylinderEngine.glb",
    "ClearCoat-glTF/ClearCoatTest.gltf",
    "textureTransform/TextureTransformTest.gltf",
    "simple_skin/simple_skin.gltf",
    "cameras/Cameras.gltf",
]


def measured(path):
    return facts(collect(open_scene(path)[2]))


def plain_obj(path):
    """Counts straight from the lines: vertices, polygons, triangles, bounds of the vertices."""
    v, polygons, triangles, loose = [], 0, 0, 0
    for line in path.read_text(errors="replace").replace("\\\n", " ").splitlines():
        words = line.split()
        if words[:1] == ["v"]:
            v.append([float(x) for x in words[1:4]])
        elif words[:1] == ["f"]:
            polygons += 1
            triangles += len(words) - 3
    return np.array(v), polygons, triangles, loose


@pytest.mark.parametrize("name", OBJ)
def test_obj_against_the_plain_text(models, name):
    f = measured(models / "OBJ" / name)
    v, polygons, triangles, _ = plain_obj(models / "OBJ" / name)
    assert (f["vertices"], f["faces"], f["triangles"]) == (len(v), polygons, triangles)
    assert f["bounds"]["min"] == v.min(axis=0).tolist()
    assert f["bounds"]["max"] == v.max(axis=0).tolist()
    assert f["vertices_welded"] == len(np.unique(v + 0.0, axis=0))


@pytest.mark.parametrize("name", OBJ)
def test_obj_against_trimesh(models, name):
    f = measured(models / "OBJ" / name)
    other = trimesh.load(models / "OBJ" / name, process=False, force="mesh")
    assert f["triangles"] == len(other.faces)
    assert np.allclose([f["bounds"]["min"], f["bounds"]["max"]], other.bounds)
    other.merge_vertices(merge_tex=True, merge_norm=True, digits_vertex=12)
    # A quad with two triangles on it is closed as polygons; trimesh first cuts the quad along a diagonal of its own.
    if name != "regr_3429812.obj":
        assert f["closed"] == other.is_watertight
    if f["closed"] and other.is_watertight:
        assert f["winding_consistent"] == other.is_winding_consistent


@pytest.mark.parametrize("name", GLTF)
def test_gltf_against_trimesh(models, name):
    f = measured(models / "glTF2" / name)
    other = trimesh.load(models / "glTF2" / name, process=False)
    instances = sum(len(other.geometry[other.graph[n][1]].faces) for n in other.graph.nodes_geometry)
    assert f["triangles"] == instances
    if not f["skins"]:
        assert np.allclose([f["bounds"]["min"], f["bounds"]["max"]], other.bounds, atol=1e-6)


def plain_gltf(path):
    """The JSON of a file, read without our code."""
    data = path.read_bytes()
    if data[:4] == b"glTF":
        (length,) = struct.unpack_from("<I", data, 12)
        return json.loads(data[20 : 20 + length])
    return json.loads(data)


@pytest.mark.parametrize("name", GLTF)
def test_gltf_against_its_own_json(models, name):
    """glTF 2.0 §3.7.2.1: a triangle list has count / 3 triangles; §3.6.2.5: min and max of POSITION are stated."""
    f = measured(models / "glTF2" / name)
    tree = plain_gltf(models / "glTF2" / name)
    accessors = tree["accessors"]
    unique = sum(
        accessors[p.get("indices", p["attributes"]["POSITION"])]["count"] // 3 for m in tree["meshes"] for p in m["primitives"]
    )
    assert f["triangles_unique"] == unique
    assert f["meshes"] == len(tree["meshes"])
    assert len(f["materials"]) == len(tree.get("materials", []))
    assert f["cameras"] == len(tree.get("cameras", []))
    assert [c["channels"] for c in f["clips"]] == [len(a["channels"]) for a in tree.get("animations", [])]
    assert [s["joints"] for s in f["skins"]] == [len(s["joints"]) for s in tree.get("skins", [])]
    scene = open_scene(models / "glTF2" / name)[2]
    for mesh, entry in zip(scene.meshes, tree["meshes"], strict=True):
        stated = [accessors[p["attributes"]["POSITION"]] for p in entry["primitives"]]
        assert np.allclose(mesh.positions.min(axis=0), np.min([a["min"] for a in stated], axis=0), atol=1e-6)
        assert np.allclose(mesh.positions.max(axis=0), np.max([a["max"] for a in stated], axis=0), atol=1e-6)


@pytest.mark.parametrize("mode", range(16))
def test_every_topology_of_the_asset_generator(models, mode):
    """Points, lines, loops, strips and fans, with and without indices: the file's counts by glTF 2.0 §3.7.2.1."""
    path = models / "glTF2" / "glTF-Asset-Generator" / "Mesh_PrimitiveMode" / f"Mesh_PrimitiveMode_{mode:02d}.gltf"
    tree = plain_gltf(path)
    p = tree["meshes"][0]["primitives"][0]
    n = tree["accessors"][p.get("indices", p["attributes"]["POSITION"])]["count"]
    kind = p.get("mode", 4)
    f = measured(path)
    assert f["triangles"] == {4: n // 3, 5: n - 2, 6: n - 2}.get(kind, 0)
    assert f["loose_edges"] == {1: n // 2, 2: n, 3: n - 1}.get(kind, 0)
    if kind == 0:
        assert f["loose_points"] >= n


BROKEN = [
    "glTF2/IndexOutOfRange/IndexOutOfRange.gltf",
    "glTF2/IndexOutOfRange/AllIndicesOutOfRange.gltf",
    "glTF2/MissingBin/BoxTextured.gltf",
    "glTF2/RecursiveNodes/RecursiveNodes.gltf",
    "glTF2/wrongTypes/badArray.gltf",
    "invalid/empty.obj",
    "invalid/malformed.obj",
    "glTF/BoxTextured-glTF/BoxTextured.gltf",
    "glTF/TwoBoxes/TwoBoxes.gltf",
]


@pytest.mark.parametrize("name", BROKEN)
def test_broken_third_party_files_end_in_one_sentence(models, name, capsys):
    from handlens import cli

    assert cli.main(["inspect", str(models / name)]) == 2
    err = capsys.readouterr().err
    assert len(err.strip().splitlines()) == 1
    assert err.startswith("handlens: ")


@pytest.mark.parametrize(
    "name",
    ["BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb", "IncorrectVertexArrays/Cube.gltf", "TestNoRootNode/NoScene.gltf"],
)
def test_odd_third_party_files_are_inventoried(models, name, capsys):
    from handlens import cli

    assert cli.main(["inspect", str(models / "glTF2" / name)]) in (0, 1)


@pytest.mark.parametrize("path", [*(f"OBJ/{n}" for n in OBJ), *(f"glTF2/{n}" for n in GLTF)])
@pytest.mark.parametrize("form", ["glb", "obj"])
def test_third_party_models_are_proved(models, path, form, tmp_path):
    _, proof = round_trip(open_scene(models / path)[2], form, tmp_path, "out")
    assert proof.proved, [r for r in proof.rows if r.result == "stop"]


@pytest.mark.parametrize("name", GLTF)
def test_our_glb_is_read_alike_by_trimesh(models, name, tmp_path):
    from handlens.core import formats

    made = open_scene(models / "glTF2" / name)[2]
    (tmp_path / "out.glb").write_bytes(formats.write(made, "glb", "out")["out.glb"])
    a, b = (trimesh.load(p, process=False) for p in (models / "glTF2" / name, tmp_path / "out.glb"))
    assert np.allclose(a.bounds, b.bounds, atol=1e-6)
    assert sum(len(g.faces) for g in a.geometry.values()) == sum(len(g.faces) for g in b.geometry.values())

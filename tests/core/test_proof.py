"""Writing and reading back: nothing changes without a row that says so."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core import formats
from handlens.core.proof import prove
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Image, Layer, Material, Node, TextureInput
from kit.scenes import cube, mesh, rigged, round_trip, scene, triangles_of

PNG = b"\x89PNG\r\n\x1a\n" + bytes(50)


def results(proof):
    return {r.what: r.result for r in proof.rows}


def textured():
    image = Image("image:0", "net.png", "maps/net.png", "found", "maps/net.png", load=lambda: PNG)
    source = {"extras": {"quay": 3}}
    net = Material(
        "m0",
        "net",
        inputs=(TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0),),
        alpha_mode="mask",
        source=source,
    )
    uv = Layer(np.random.default_rng(1).random((24, 2)).astype(np.float32), np.arange(24, dtype=np.int32))
    return scene(replace(cube(), uvs=(uv,)), materials=(net,), images=(image,))


@pytest.mark.parametrize("form", ["glb", "gltf", "obj"])
def test_a_textured_crate_comes_back(tmp_path, form):
    _, proof = round_trip(textured(), form, tmp_path)
    assert proof.proved, [r for r in proof.rows if r.result == "stop"]
    got = results(proof)
    assert got["Pixels"] == got["UV set 1"] == got["Places of corners"] == "clear"
    assert got.get("Alpha modes") == ("caution" if form == "obj" else None)


def test_unknown_parts_of_a_material_are_written_again(tmp_path):
    again, _ = round_trip(textured(), "gltf", tmp_path)
    assert again.materials[0].source["extras"] == {"quay": 3}
    assert again.materials[0].alpha_mode == "mask"


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_rigs_come_back_through_glb(tmp_path_factory, seed):
    made = rigged(np.random.default_rng(seed))
    _, proof = round_trip(made, "glb", tmp_path_factory.mktemp("rig"))
    assert proof.proved
    got = results(proof)
    assert got["Joints"] == got["Clips"] == got["Most influences"] == got["Clip swim"] == "clear"


def test_polygons_and_lines_come_back_through_obj(tmp_path):
    made = scene(replace(cube(), lines=np.array([[0, 7]], np.int32))).with_(format="obj", unit_metres=None, up_axis=None)
    again, proof = round_trip(made, "obj", tmp_path)
    assert again.meshes[0].corner_counts.tolist() == [4] * 6
    assert again.meshes[0].lines.tolist() == [[0, 7]]
    assert [r for r in proof.rows if r.result != "clear"] == []


def test_obj_keeps_every_bit_of_a_number(tmp_path):
    points = np.random.default_rng(3).normal(size=(8, 3)) * [1e-7, 1, 1e9]
    made = scene(mesh(points, [[0, 1, 2], [3, 4, 5, 6, 7]])).with_(format="obj", unit_metres=None, up_axis=None)
    assert np.array_equal(round_trip(made, "obj", tmp_path)[0].meshes[0].positions, points)
    narrow = scene(mesh(points.astype(np.float32), [[0, 1, 2]])).with_(format="obj", unit_metres=None, up_axis=None)
    assert np.array_equal(round_trip(narrow, "obj", tmp_path)[0].meshes[0].positions, points.astype(np.float32))


def test_units_and_axes_are_converted_for_gltf(tmp_path):
    made = scene(mesh(np.array([[0, 0, 0], [100, 0, 0], [0, 0, 200.0]]), [[0, 1, 2]])).with_(
        format="obj", unit_metres=0.01, up_axis="Z"
    )
    again, proof = round_trip(made, "glb", tmp_path)
    assert again.meshes[0].positions.max(axis=0).tolist() == pytest.approx([1, 2, 0])
    assert proof.proved
    assert results(proof)["Unit"] == results(proof)["Up axis"]


def test_mirrored_and_nested_nodes_come_back_flat_in_obj(tmp_path):
    nodes = (
        Node("n0", "pier", translation=(5.0, 0, 0), scale=(2.0, 2, 2), children=(1,)),
        Node("n1", "crate", scale=(-1.0, 1, 1), mesh=0),
    )
    made = scene(cube(), nodes=nodes)
    _, proof = round_trip(made, "obj", tmp_path)
    assert proof.proved
    assert results(proof)["Winding"] == "clear"


@pytest.mark.parametrize(
    ("change", "row"),
    [
        (lambda s: apply_mend(s, "size.scale", {"factor": 1.001}).scene, "Height"),
        (lambda s: s.with_(nodes=(replace(s.nodes[0], translation=(0.01, 0, 0)),)), "Place of the middle"),
        (lambda s: s.with_(meshes=(mesh(s.meshes[0].positions, [[0, 1, 3, 2]]),)), "Faces"),
    ],
)
def test_every_change_is_seen(change, row):
    made = textured()
    proof = prove(made, change(made))
    assert results(proof)[row] == "stop"
    assert not proof.proved


def test_a_turned_face_is_seen():
    made = scene(triangles_of(cube()))
    faces = made.meshes[0].corners.copy().reshape(-1, 3)
    faces[:2] = faces[:2, ::-1]
    proof = prove(made, made.with_(meshes=(replace(made.meshes[0], corners=faces.reshape(-1)),)))
    row = next(r for r in proof.rows if r.what == "Winding")
    assert (row.difference, [p.faces.tolist() for p in row.places]) == ("2 turned over", [[0, 1]])


def test_what_is_lost_is_said_before_writing():
    made = rigged(np.random.default_rng(0))
    said = " ".join(formats.what_is_lost(made, "obj"))
    for word in ("1 skin ", "1 clip ", "unit", "node tree"):
        assert word in said
    plain = scene(cube()).with_(materials=())
    assert formats.what_is_lost(plain.with_(meshes=(replace(cube(), slot_materials=(-1,)),)), "glb") == [
        "6 polygons are written as triangles."
    ]
    far = formats.what_is_lost(scene(cube(at=(965_606.03, 0, 0))), "glb")
    assert any("rounded" in sentence for sentence in far)


def test_morphs_come_back(tmp_path):
    from handlens.core.scene import Morph

    made = scene(replace(cube(), morphs=(Morph("swell", np.random.default_rng(2).normal(size=(8, 3))),), morph_weights=(0.5,)))
    again, _ = round_trip(made, "glb", tmp_path)
    assert again.meshes[0].morphs[0].name == "swell"
    assert again.meshes[0].morph_weights == (0.5,)
    order = again.meshes[0].positions @ [4, 2, 1]
    assert np.allclose(again.meshes[0].morphs[0].positions, made.meshes[0].morphs[0].positions[order.astype(int)], atol=1e-6)


def test_the_last_row_of_a_matrix_is_seen():
    """No transform of points has another than 0, 0, 0, 1; a file may."""
    odd = np.eye(4)
    odd[3, 0] = 0.125
    plain, other = (scene(triangles_of(cube()), nodes=(Node("n", "crate", matrix=m, mesh=0),)) for m in (np.eye(4), odd))
    told = [results(prove(plain, s))["Transforms and pivots"] for s in (plain, other)]
    assert told == ["clear", "stop"]


@pytest.mark.parametrize("most", [255, 65_535])
def test_colours_that_went_through_whole_numbers_are_the_same_within_half_a_step(most):
    """glTF 2.0 §3.6.2.2: colours may be stored as normalised integers of 8 or 16 bits, as other programs write them."""
    drawn = np.random.default_rng(3).random((36, 4)).astype(np.float32)
    at = np.arange(36, dtype=np.int32)
    coloured = lambda values: scene(replace(triangles_of(cube()), colours=(Layer(values.astype(np.float32), at),)))
    same = lambda values: results(prove(coloured(drawn), coloured(values)))["Vertex colours 1"] == "clear"
    whole = np.rint(drawn.astype(np.float64) * most) / most
    assert same(whole)
    whole[5] += 1.2 / most
    assert not same(np.rint(whole * most) / most)
    # What is no whole number is held to what a 32-bit float holds.
    assert not same(drawn + 1e-5)

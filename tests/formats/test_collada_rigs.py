"""COLLADA's transform elements, skins and morphs: hand-written documents, and what the specification and another reader say of them."""

import io

import collada
import numpy as np
import pytest

from handlens.core.limits import InputError
from handlens.core.scene.transforms import world_matrices
from kit.collada import INPUT, dae
from kit.scenes import read_files

FACE = f"<triangles count='1'>{INPUT}<p>0 1 2</p></triangles>"
HERE = "<instance_geometry url='#g'/>"


def read(tmp_path, text):
    return read_files(tmp_path, {"a.dae": text}, "a.dae")


def matrix_of(tmp_path, transforms: str) -> np.ndarray:
    return world_matrices(read(tmp_path, dae(FACE, f"<node name='net'>{transforms}{HERE}</node>")))[0]


def by_another_reader(text: str) -> np.ndarray:
    return collada.Collada(io.BytesIO(text.encode()), ignore=[collada.DaeError]).scene.nodes[0].matrix


@pytest.mark.parametrize(
    "transforms",
    [
        "<translate>1 2 3</translate>",
        "<scale>2 -3 0.5</scale>",
        "<rotate>0 0 1 90</rotate>",
        "<rotate>0.6 0.8 0 30</rotate><translate>4 0 1</translate><scale>1 2 3</scale>",
        "<translate>0 1 0</translate><rotate>0 1 0 -45</rotate><rotate>1 0 0 20</rotate><scale>0.01 0.01 0.01</scale>",
        "<matrix>1 0 0 5 0 0 -1 6 0 1 0 7 0 0 0 1</matrix>",
        "<matrix>2 0 0 0 0 2 0 0 0 0 2 0 0 0 0 1</matrix><translate>1 0 0</translate>",
    ],
)
def test_transforms_multiply_in_their_order(transforms, tmp_path):
    """COLLADA 1.4.1, chapter 5, `node`: composed in the order in which they are written, columns post-multiplied."""
    text = dae(FACE, f"<node name='net'>{transforms}{HERE}</node>")
    assert np.allclose(matrix_of(tmp_path, transforms), by_another_reader(text), atol=1e-5)


def test_an_axis_of_any_length_turns_and_does_not_scale(tmp_path):
    m = matrix_of(tmp_path, "<rotate>3 4 0 30</rotate>")
    assert np.allclose(m, matrix_of(tmp_path, "<rotate>0.6 0.8 0 30</rotate>"))
    assert np.allclose(m[:3, :3] @ m[:3, :3].T, np.eye(3))
    assert np.allclose(matrix_of(tmp_path, "<rotate>0 0 0 30</rotate>"), np.eye(4))


def test_looking_at_a_point(tmp_path):
    """`lookat`: the node stands at the eye and looks along its own -Z at the point of interest, Y as near to up as can be."""
    m = matrix_of(tmp_path, "<lookat>2 3 10  2 3 0  0 1 0</lookat>")
    assert np.allclose(m, [[1, 0, 0, 2], [0, 1, 0, 3], [0, 0, 1, 10], [0, 0, 0, 1]])
    m = matrix_of(tmp_path, "<lookat>0 0 0  5 0 0  0 0 1</lookat>")
    assert np.allclose(m @ [0, 0, -1, 0], [1, 0, 0, 0])
    assert np.allclose(m @ [0, 1, 0, 0], [0, 0, 1, 0])
    assert np.linalg.det(m[:3, :3]) == pytest.approx(1)
    # What looks nowhere stays without numbers that are none.
    assert np.isfinite(matrix_of(tmp_path, "<lookat>1 1 1  1 1 1  0 1 0</lookat>")).all()


def test_skewing_by_an_angle(tmp_path):
    """`skew`: by 45 degrees a point one along the axis turned about slides by one along the other axis; volumes stay."""
    m = matrix_of(tmp_path, "<skew>45  0 1 0  1 0 0</skew>")
    assert np.allclose(m @ [0, 1, 0, 1], [1, 1, 0, 1])
    assert np.allclose(m @ [1, 0, 0, 1], [1, 0, 0, 1])
    assert np.linalg.det(m) == pytest.approx(1)


# --- skins ------------------------------------------------------------------------------------------------

RIG = """<library_controllers><controller id="c" name="net skin"><skin source="{source}">
<bind_shape_matrix>{bind}</bind_shape_matrix>
<source id="cj"><Name_array id="cja" count="2">hip knee</Name_array><technique_common><accessor source="#cja" count="2" stride="1"><param name="JOINT" type="name"/></accessor></technique_common></source>
<source id="cb"><float_array id="cba" count="32">{inverse}</float_array><technique_common><accessor source="#cba" count="2" stride="16"><param name="TRANSFORM" type="float4x4"/></accessor></technique_common></source>
<source id="cw"><float_array id="cwa" count="3">1 0.25 0.75</float_array><technique_common><accessor source="#cwa" count="3" stride="1"><param name="WEIGHT" type="float"/></accessor></technique_common></source>
<joints><input semantic="JOINT" source="#cj"/><input semantic="INV_BIND_MATRIX" source="#cb"/></joints>
<vertex_weights count="8"><input semantic="JOINT" source="#cj" offset="0"/><input semantic="WEIGHT" source="#cw" offset="1"/>
<vcount>{vcount}</vcount><v>{v}</v></vertex_weights></skin></controller>{more}</library_controllers>"""
ONE = "1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1"
DOWN = "1 0 0 0 0 1 0 0 0 0 1 -4 0 0 0 1"
BONES = "<node id='hip' sid='hip' name='hip' type='JOINT'><node id='knee' sid='knee' name='knee' type='JOINT'><translate>0 0 4</translate></node></node>"
WORN = "<node name='net'><instance_controller url='#{id}'><skeleton>#hip</skeleton></instance_controller></node>"
VCOUNT, V = "1 2 1 1 1 1 1 1", "0 0  0 1 1 2  1 0  0 0  0 0  0 0  0 0  0 0"


def rig(source="#g", bind=ONE, vcount=VCOUNT, v=V, more="", id="c"):
    text = RIG.format(source=source, bind=bind, inverse=f"{ONE} {DOWN}", vcount=vcount, v=v, more=more)
    return dae(FACE, BONES + WORN.format(id=id)).replace("<library_visual_scenes>", text + "<library_visual_scenes>")


def weights(mesh) -> dict[int, dict[int, float]]:
    w = mesh.weights
    return {
        k: {int(j): round(float(x), 6) for j, x in zip(w.joints[a:b], w.weights[a:b], strict=True)}
        for k, (a, b) in enumerate(zip(w.starts, w.starts[1:], strict=False))
    }


def test_a_skin_as_another_reader_takes_it(tmp_path):
    s = read(tmp_path, rig())
    other = collada.Collada(io.BytesIO(rig().encode()), ignore=[collada.DaeError]).controllers[0]
    mine = weights(s.meshes[0])
    for vertex, (joints, places) in enumerate(zip(other.joint_index, other.weight_index, strict=True)):
        told = {int(j): float(other.weights[int(w)][0]) for j, w in zip(joints, places, strict=True)}
        assert mine[vertex] == pytest.approx(told)
    assert mine[1] == {0: 0.25, 1: 0.75}
    assert [s.nodes[j].name for j in s.skins[0].joints] == ["hip", "knee"]
    assert s.skins[0].inverse_bind[1].tolist() == other.joint_matrices["knee"].tolist()


def test_the_bind_shape_goes_into_the_inverse_bind_matrices_or_the_shape(tmp_path):
    """Chapter 4, "Skin Deformation": the bind shape matrix moves the shape before the joints' own."""
    from handlens.core.scene.skinning import posed

    node = lambda s: next(k for k, n in enumerate(s.nodes) if n.skin is not None)
    plain, moved = read(tmp_path, rig()), read(tmp_path, rig(bind="1 0 0 10 0 1 0 0 0 0 1 0 0 0 0 1"))
    a, b = posed(plain, node(plain)), posed(moved, node(moved))
    assert np.allclose(b[:3] - a[:3], [10, 0, 0], atol=1e-6)


def test_weights_of_the_bind_shape_itself(tmp_path):
    """A joint of -1 stands for the bind shape (chapter 5, `vertex_weights`): no joint moves it, and the sum tells."""
    s = read(tmp_path, rig(v=V.replace("1 0  0 0", "-1 0  0 0", 1)))
    assert weights(s.meshes[0])[2] == {}


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"vcount": "1 2 1", "v": "0 0  0 1 1 2  1 0"}, "weights for 3 vertices of 8"),
        ({"vcount": "1 2 1 1 1 1 1 2"}, "counts 10 weights in vcount but holds 9"),
        ({"v": V.replace("1 2 ", "1 9 ", 1)}, "uses a weight that is not there"),
        ({"v": V.replace("1 2 ", "7 2 ", 1)}, "uses joint 7, but only 2 are named"),
        ({"vcount": "1 2 1 1 1 1 1 -1"}, "vcount"),
    ],
)
def test_damaged_skins(more, says, tmp_path):
    with pytest.raises(InputError, match=says):
        read(tmp_path, rig(**more))


def test_a_controller_of_neither_kind_and_one_that_stands_on_itself(tmp_path):
    empty = "<controller id='bare' name='empty'/>"
    s = read(tmp_path, rig(more=empty, id="bare"))
    assert "neither a skin nor a morph" in " ".join(p.text for p in s.problems)
    s = read(tmp_path, rig(source="#c"))
    assert s.problems


# --- morphs -----------------------------------------------------------------------------------------------

MORPH = """<controller id="m1" name="sag"><morph source="#g" method="{method}">
<source id="mt"><IDREF_array id="mta" count="1">g2</IDREF_array><technique_common><accessor source="#mta" count="1" stride="1"><param name="MORPH_TARGET" type="IDREF"/></accessor></technique_common></source>
<source id="mw"><float_array id="mwa" count="1">0.5</float_array><technique_common><accessor source="#mwa" count="1" stride="1"><param name="MORPH_WEIGHT" type="float"/></accessor></technique_common></source>
<targets><input semantic="MORPH_TARGET" source="#mt"/><input semantic="MORPH_WEIGHT" source="#mw"/></targets></morph></controller>"""
TARGET = """<geometry id="g2" name="sagged"><mesh><source id="p2"><float_array id="pa2" count="{n}">{numbers}</float_array><technique_common><accessor source="#pa2" count="{v}" stride="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common></source>
<vertices id="v2"><input semantic="POSITION" source="#p2"/></vertices></mesh></geometry>"""


def morphed(method, numbers, source="#m1"):
    count = len(numbers.split())
    text = rig(source=source, more=MORPH.format(method=method), id="c" if source == "#m1" else "m1")
    return text.replace("</library_geometries>", TARGET.format(n=count, v=count // 3, numbers=numbers) + "</library_geometries>")


@pytest.mark.parametrize(
    ("method", "numbers", "wanted"),
    [("NORMALIZED", "0 0 1 4 0 1 4 4 1 0 4 1 1 1 1 3 1 1 3 3 1 1 3 1", [0, 0, 1]), ("RELATIVE", "0 0 2 " * 8, [0, 0, 2])],
)
def test_targets_of_both_kinds(method, numbers, wanted, tmp_path):
    """Chapter 5, `morph`: normalised targets are whole shapes, relative ones are added as they are."""
    m = read(tmp_path, morphed(method, numbers, source="#g")).meshes[0]
    assert [x.name for x in m.morphs] == ["sagged"]
    assert np.allclose(m.morphs[0].positions, wanted)
    assert m.morph_weights == (0.5,)


def test_a_skin_over_a_morph_has_both(tmp_path):
    m = read(tmp_path, morphed("RELATIVE", "0 0 2 " * 8)).meshes[0]
    assert len(m.morphs) == 1
    assert weights(m)[1] == {0: 0.25, 1: 0.75}


def test_a_target_of_another_count_is_no_target(tmp_path):
    assert not read(tmp_path, morphed("RELATIVE", "0 0 2 " * 5, source="#g")).meshes[0].morphs

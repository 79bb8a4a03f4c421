"""Defects of kinds that were seeded and not found: each is told, and what is right is not."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.geometry.smoothing import smooth_normals
from handlens.core.measures import collect
from handlens.core.present import report
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Image, Layer, Material, Node, TextureInput
from kit.scenes import cube, findings, mesh, read_files, scene
from kit.solids import icosphere


@pytest.mark.parametrize(("up", "word"), [(5.0, "above"), (-5.0, "below")])
def test_a_pivot_above_or_below_its_part_is_told(up, word):
    lamp = cube("lamp", 1.0, (-0.5, -up - 0.5, -0.5))
    told = findings(scene(lamp, nodes=(Node("n", "lamp", translation=(0.0, up + 0.5, 0.0), mesh=0),)))["pivots.height"][0]
    assert told.title == f"The pivot of lamp is 4.50 m {word} it"
    made = scene(lamp, nodes=(Node("n", "lamp", translation=(0.0, up + 0.5, 0.0), mesh=0),))
    assert "pivots.height" not in findings(apply_mend(made, *told.mends[0]).scene)
    assert "pivots.height" not in findings(scene(cube("lamp", 1.0, (-0.5, -0.5, -0.5))))


@pytest.mark.parametrize(("lift", "result"), [(0.1, "note"), (0.5, "caution")])
def test_a_polygon_bent_by_more_than_its_size_warrants_is_a_caution(lift, result):
    bent = mesh([[0, 0, 0], [1, 0, 0], [1, 1, lift], [0, 1, 0]], [[0, 1, 2, 3]])
    told = [f for f in findings(scene(bent))["surface.polygons"] if "bent" in f.title]
    assert [f.result for f in told] == [result]


def quad_with(uv, sampler, role="base-colour", data=None, tint=(1.0, 1.0, 1.0, 1.0)):
    layer = Layer(np.asarray(uv, np.float32), np.arange(4, dtype=np.int32))
    image = Image("i", "glow", "glow.png", "embedded" if data else "missing", load=(lambda: data) if data else None)
    bare = Material(
        "m",
        "glow",
        base_colour=tint,
        emissive=(1.0, 1.0, 1.0),
        alpha_mode="opaque",
        inputs=(TextureInput(role, ("emissiveTexture",), 0, sampler=sampler),),
    )
    quad = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], uvs=(layer,))
    return scene(quad).with_(materials=(bare,), images=(image,))


def test_uvs_outside_where_the_image_is_held_at_its_edge_are_told():
    wide = [[0, 0], [2, 0], [2, 2], [0, 2]]
    told = findings(quad_with(wide, {"wrapS": 33071, "wrapT": 33071}))["textures.uv-outside"][0]
    assert "where the image does not repeat" in told.title
    assert "textures.uv-outside" not in findings(quad_with(wide, {}))
    assert "textures.uv-outside" not in findings(quad_with([[0, 0], [1, 0], [1, 1], [0, 1]], {"wrapS": 33071}))


def test_a_glow_on_black_that_only_shines_is_told():
    import io

    from PIL import Image as Pillow

    y, x = np.mgrid[0:64, 0:64]
    lit = np.clip(255 * (1 - np.hypot(x - 32, y - 32) / 26), 0, 255)
    out = io.BytesIO()
    Pillow.fromarray(np.dstack([lit, lit * 0.8, lit * 0.3]).astype(np.uint8)).save(out, "PNG")
    square = [[0, 0], [1, 0], [1, 1], [0, 1]]
    made = quad_with(square, {}, "emissive", out.getvalue(), (0.0, 0.0, 0.0, 1.0))
    told = findings(made)["see-through.brightness"][0]
    after = apply_mend(made, *told.mends[0]).scene
    assert "see-through.brightness" not in findings(after)
    assert after.materials[0].alpha_mode == "blend"
    lit_up = quad_with(square, {}, "emissive", out.getvalue(), (0.8, 0.8, 0.8, 1.0))
    assert "see-through.brightness" not in findings(lit_up)


def test_letter_case_clashes_point_at_their_nodes():
    made = scene(cube("Lid"), cube("lid", at=(3, 0, 0)))
    sheets = ("creator-platform-strict", "block-world", "ar-viewing")
    told = next(f["arrival.name-clash"] for x in sheets if "arrival.name-clash" in (f := findings(made, x)))
    assert told[0].elements.indices.tolist() == [0, 1]


ONE_NODE = """<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset>
<library_geometries><geometry id="g" name="pole"><mesh><source id="p"><float_array id="pa" count="9">0 0 0 1 0 0 0 1 0</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/><param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices><triangles count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles></mesh></geometry></library_geometries>
<library_visual_scenes><visual_scene id="s"><node id="n" name="fence">INSTANCES</node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>"""


def test_one_node_with_many_instances_is_one_node(tmp_path):
    text = ONE_NODE.replace("INSTANCES", '<instance_geometry url="#g"/>' * 18)
    facts = report.facts(collect(read_files(tmp_path, {"fence.dae": text}, "fence.dae")))
    assert (facts["nodes"], facts["parts"]) == (1, 18)


def test_an_axis_that_is_stated_and_converted_is_a_note():
    told = findings(scene(cube(), up_axis="Z", format="dae"))["size.up-axis"][0]
    assert told.result == "note"


def test_a_faceted_ball_is_a_note_and_a_smooth_one_is_not():
    ball = icosphere(2)
    normal = np.cross(
        *(ball.positions[ball.corners.reshape(-1, 3)[:, k]] - ball.positions[ball.corners.reshape(-1, 3)[:, 0]] for k in (1, 2))
    )
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    flat = replace(ball, normals=Layer(normal.astype(np.float32), np.repeat(np.arange(len(normal)), 3).astype(np.int32)))
    told = findings(scene(flat))["facing.faceted"][0]
    assert told.result == "note"
    assert "facing.faceted" not in findings(apply_mend(scene(flat), *told.mends[0]).scene)
    assert "facing.faceted" not in findings(scene(replace(ball, normals=smooth_normals(ball, 40)[0])))
    # A box is all hard edges, and right.
    box = cube()
    assert "facing.faceted" not in findings(scene(replace(box, normals=smooth_normals(box, 40)[0])))


def test_the_amount_of_a_highlight_can_be_set(tmp_path):
    files = {
        "a.obj": "mtllib a.mtl\no a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl tin\nf 1 2 3\n",
        "a.mtl": "newmtl tin\nKd 1 1 1\nKs 1 1 1\nNs 400\n",
    }
    made = read_files(tmp_path, files, "a.obj")
    told = findings(made)["slots.shine"][0]
    call = next(c for c in told.mends if "highlight" in c[1])
    after = apply_mend(made, *call).scene
    assert "Ks 0.2 0.2 0.2" in after.materials[0].source["statements"]
    assert "Ns 400" in after.materials[0].source["statements"]
    assert "slots.shine" not in findings(after)

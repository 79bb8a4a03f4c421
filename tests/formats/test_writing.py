"""Files written as a destination wants them, proved against the model as it was."""

import base64
import json
from dataclasses import replace

import numpy as np
import pytest

from handlens import cli
from handlens.core import formats
from handlens.core.formats.table import BY_NAME, WRITERS
from handlens.core.limits import InputError
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.opening import open_scene
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.rules.export import ExportOptions
from handlens.core.rules.sheet import load_sheet
from handlens.core.scene import Layer, Material, Node, TextureInput
from handlens.core.surface.uv_transform import placed, turned_over
from kit.painted import PENTAGON, painted_scene, rope_png
from kit.scenes import cube, read_files, round_trip, scene, triangles_of


def written(made, name, options, folder):
    """The files, and what is read back of them; nothing differs but what was said."""
    there = write_as(made, name, "thing", options)
    for path, data in there.files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    package, main = FolderPackage(folder), next(iter(there.files))
    assert [r for r in there.proof(package, main).rows if r.result == "stop"] == []
    return there.files, formats.read(package, main)


@pytest.mark.parametrize("name", WRITERS)
def test_units_and_axes_are_converted_and_still_proved(name, tmp_path):
    options = ExportOptions(unit="cm", up_axis="Z", triangulate=True)
    sent = scene(cube("crate", 2.0, (1, 0, 0)))
    _, back = written(sent, name, options, tmp_path)
    high = max(float(np.ptp(m.positions, axis=0).max()) for m in back.meshes)
    # glTF has metres and Y up of its own (§3.4); 3MF Z up; everything else takes both.
    assert high == pytest.approx(2.0 if name in ("glb", "gltf") else 200.0, rel=1e-6)
    if "Z" in (back.up_axis, None) and name not in ("glb", "gltf"):
        assert min(float(m.positions[:, 2].min()) for m in back.meshes) == pytest.approx(0, abs=1e-9)
    said = formats.what_is_lost(sent, name, options)
    assert {"Polygons are cut into triangles.", "6 polygons are written as triangles."} & set(said)
    assert "Lengths are written in centimetres." in said or name in ("glb", "gltf")


def test_a_unit_that_is_not_stated_is_not_converted(tmp_path):
    sent = scene(cube(), unit_metres=None, up_axis=None, format="obj")
    _, back = written(sent, "stl", ExportOptions(unit="mm", up_axis="Z"), tmp_path)
    assert float(np.ptp(back.meshes[0].positions)) == 1.0


def test_polygons_are_cut_with_their_layers(tmp_path):
    _, back = written(scene(PENTAGON), "obj", ExportOptions(triangulate=True), tmp_path)
    assert back.meshes[0].corner_counts.tolist() == [3, 3, 3]


@pytest.mark.parametrize("name", ["gltf", "obj", "dae", "usda"])
def test_images_lie_in_the_folder_that_is_wanted(name, tmp_path):
    files, back = written(painted_scene(), name, ExportOptions(folder="maps/{model}"), tmp_path)
    assert "maps/thing/rope.png" in files
    assert [i.bytes() for i in back.images] == [rope_png()]
    with pytest.raises(InputError, match="leads out of the package"):
        write_as(painted_scene(), name, "thing", ExportOptions(folder="../maps"))


def test_images_inside_beside_or_left_out(tmp_path):
    files, back = written(painted_scene(), "glb", ExportOptions(images="beside"), tmp_path)
    assert list(files) == ["thing.glb", "rope.png"]
    assert back.images[0].status == "found"
    files, _ = written(painted_scene(), "gltf", ExportOptions(images="embedded"), tmp_path)
    uri = json.loads(files["thing.gltf"])["images"][0]["uri"]
    assert base64.b64decode(uri.partition(",")[2]) == rope_png()
    files, back = written(painted_scene(), "glb", ExportOptions(images="none"), tmp_path)
    assert back.images == ()


def test_an_obj_without_its_library(tmp_path):
    files, back = written(painted_scene(), "obj", ExportOptions(material_library=False), tmp_path)
    assert list(files) == ["thing.obj"]
    assert [(m.name, m.defined) for m in back.materials] == [("rope", False)]


def test_the_command_line_takes_the_sheets_wishes_and_its_own(tmp_path, capsys):
    source = tmp_path / "crate.glb"
    source.write_bytes(formats.write(scene(cube()), "glb", "crate")["crate.glb"])
    call = [
        "export",
        str(source),
        "--format",
        "obj",
        "--rules",
        "realtime-engine-centimetres",
        "--out",
        str(tmp_path / "out" / "crate.obj"),
        "--proof",
        str(tmp_path / "proof.json"),
    ]
    assert cli.main(call) == 0
    said = capsys.readouterr().out
    assert "Lengths are written in centimetres." in said
    assert "proved" in said
    assert load_sheet("realtime-engine-centimetres").export.unit == "cm"
    assert "v 100.0" in (tmp_path / "out" / "crate.obj").read_text()
    assert cli.main([*call, "--unit", "mm", "--replace"]) == 0
    assert "v 1000.0" in (tmp_path / "out" / "crate.obj").read_text()


@pytest.mark.parametrize(
    "transform", [{"rotation": 0.4, "scale": [2.0, 3.0], "offset": [0.1, -0.7]}, {"offset": [0.5, 0.25]}, {}]
)
def test_texture_transforms_turn_over_and_back(transform):
    """Both ways of v put a point of the picture at the same place of it."""
    flip = lambda p: np.array([p[0], 1 - p[1]])
    for point in np.random.default_rng(4).random((5, 2)):
        for v_down in (True, False):
            over = turned_over(transform, v_down)
            assert placed(point, over, not v_down) == pytest.approx(flip(placed(flip(point), transform, v_down)))
            assert placed(point, turned_over(over, not v_down), v_down) == pytest.approx(placed(point, transform, v_down))


def test_a_transform_turns_counter_clockwise_where_v_runs_upwards():
    """UsdPreviewSurface specification, Transform2d: the input is scaled, turned counter-clockwise about the origin, then shifted."""
    t = {"rotation": np.pi / 2, "scale": [2.0, 3.0], "offset": [0.1, 0.2]}
    assert placed(np.array([1.0, 0.0]), t, False) == pytest.approx([0.1, 2.2])
    assert placed(np.array([0.0, 1.0]), t, False) == pytest.approx([-2.9, 0.2])


@pytest.mark.parametrize("steps", [("usda",), ("usdz",), ("glb", "usda", "glb"), ("usda", "gltf", "usda")])
def test_a_moved_picture_lies_where_it_lay_in_every_format_that_can_say_so(steps, models, tmp_path):
    """Written and read along a chain of formats, whichever way v runs in each: every board's corners show the same of the picture."""
    first = open_scene(models / "glTF2/textureTransform/TextureTransformTest.gltf")[2]
    last = first
    for k, fmt in enumerate(steps):
        last = read_files(tmp_path / str(k), formats.write(last, fmt, "x"), f"x.{fmt}")
    seen = []
    for s in (first, last):
        v_down = BY_NAME[s.format].v_down
        boards = {}
        for node in s.nodes:
            if node.mesh is None:
                continue
            m = s.meshes[node.mesh]
            colour = s.materials[m.slot_materials[0]].inputs[0]
            at = placed(m.uvs[colour.uv_set].at_corners().astype(float), colour.transform, v_down)
            at = at if v_down else at * [1, -1] + [0, 1]
            boards[tuple(np.round(m.positions[m.corners].mean(axis=0), 6)), s.materials[m.slot_materials[0]].name] = sorted(
                np.round(at, 5).tolist()
            )
        seen.append(boards)
    assert len(seen[0]) == 9
    assert seen[0] == seen[1]


@pytest.mark.parametrize("stem", ["winch", "solid_winch", "Süll", "x" * 120])
def test_a_binary_stl_carries_its_name(stem, tmp_path):
    """The header of 80 bytes must not begin with "solid", which would have it taken for text (common practice)."""
    data = formats.write(scene(cube()), "stl", stem)[f"{stem}.stl"]
    assert not data.lower().startswith(b"solid")
    again = read_files(tmp_path, {"a.stl": data}, "a.stl")
    assert (again.meshes[0].face_count, len(data)) == (12, 84 + 12 * 50)
    assert again.meshes[0].name.lstrip("_") == stem[:79]


def _glowing(**material):
    """A painted cube whose picture is seen a second time as its glow."""
    made = painted_scene(**material)
    m = made.materials[0]
    return made.with_(materials=(replace(m, inputs=(*m.inputs, TextureInput("emissive", ("emissiveTexture",), 0))),))


def test_a_tint_of_a_picture_is_the_scale_of_its_texture_in_usd(tmp_path):
    """A connected input has no value of its own; `scale` multiplies what is read (UsdPreviewSurface specification, Texture Reader)."""
    from pxr import Usd, UsdShade

    sent = _glowing(base_colour=(0.5, 0.25, 1.0, 0.75), emissive=(1.0, 0.5, 0.0), alpha_mode="blend")
    for name, data in formats.write(sent, "usda", "tile").items():
        (tmp_path / name).write_bytes(data)
    stage = Usd.Stage.Open(str(tmp_path / "tile.usda"))
    scales = {
        p.GetName(): tuple(UsdShade.Shader(p).GetInput("scale").Get())
        for p in stage.Traverse()
        if p.IsA(UsdShade.Shader) and UsdShade.Shader(p).GetIdAttr().Get() == "UsdUVTexture"
    }
    assert scales == {
        "base_colour_image": (0.5, 0.25, 1.0, 1.0),
        "alpha_image": (0.75,) * 4,
        "emissive_image": (1.0, 0.5, 0.0, 1.0),
    }
    back = formats.read(FolderPackage(tmp_path), "tile.usda").materials[0]
    assert back.base_colour == (0.5, 0.25, 1.0, 0.75)
    assert back.emissive == (1.0, 0.5, 0.0)
    assert back.alpha_mode == "blend"


@pytest.mark.parametrize("name", ["usda", "dae"])
def test_a_picture_that_takes_the_place_of_the_glow_still_glows_in_gltf(name, tmp_path):
    """glTF multiplies by emissiveFactor, whose default is black (glTF 2.0 §3.9.3, material.emissiveFactor)."""
    files = formats.write(_glowing(emissive=(1.0, 1.0, 1.0), alpha_mode="opaque"), name, "tile")
    for path, data in files.items():
        (tmp_path / path).write_bytes(data)
    read = formats.read(FolderPackage(tmp_path), next(iter(files)))
    written = json.loads(formats.write(read, "gltf", "tile")["tile.gltf"])
    assert written["materials"][0]["emissiveFactor"] == [1.0, 1.0, 1.0]
    assert "emissiveTexture" in written["materials"][0]


def test_what_takes_a_pictures_place_is_said_where_there_is_no_tint(tmp_path):
    tinted, plain = _glowing(base_colour=(1, 0.2, 0.2, 1), emissive=(1, 1, 1)), _glowing(emissive=(1, 1, 1))
    said = lambda s, name: [x for x in formats.what_is_lost(s, name) if "over" in x and "image" in x]
    assert said(tinted, "dae") == ["1 material's colour over its image cannot be stored."]
    assert not any(said(tinted, name) for name in ("glb", "obj", "usdz"))
    assert not said(plain, "dae")
    dark = formats.write(_glowing(emissive=(0, 0, 0)), "dae", "tile")["tile.dae"].decode()
    assert "emissive-sampler" not in dark, "a glow that black switches off must not be lit by its picture"


@pytest.mark.parametrize("first", ["glb", "usda", "ply", "obj", "dae"])
@pytest.mark.parametrize("then", ["glb", "usdz", "ply", "obj", "dae"])
def test_colours_of_vertices_mean_the_same_in_every_format(first, then, tmp_path):
    """Half of full light is shown at 0.735357 (IEC 61966-2-1, equation 8). glTF 2.0 §3.7.2.1 and UsdGeom hold light."""
    made = triangles_of(cube())
    half = Layer(np.full((1, 3), 0.5 if BY_NAME[first].linear else 0.735357, np.float32), np.zeros(len(made.corners), np.int32))
    sent = scene(replace(made, colours=(half,)), format=first)
    _, back = written(sent, then, ExportOptions(), tmp_path)
    value = back.meshes[0].colours[0].values[:, :3]
    assert np.allclose(value, 0.5 if BY_NAME[then].linear else 0.735357, atol=1e-5)


def test_alpha_of_vertex_colours_is_no_light(tmp_path):
    made = triangles_of(cube())
    half = Layer(np.full((1, 4), 0.5, np.float32), np.zeros(len(made.corners), np.int32))
    _, back = written(scene(replace(made, colours=(half,)), format="ply"), "glb", ExportOptions(), tmp_path)
    assert back.meshes[0].colours[0].values[0].tolist() == pytest.approx([0.2140, 0.2140, 0.2140, 0.5], abs=1e-3)


def _by_second_set(first=0, second=1):
    """A painted cube whose picture is laid on by its second UV set."""
    made = painted_scene(alpha_mode="opaque", slot={"uv_set": second})
    m = made.meshes[0]
    spread = np.random.default_rng(5).random((len(m.corners), 2)).astype(np.float32)
    return made.with_(meshes=(replace(m, uvs=(*m.uvs, Layer(spread, np.arange(len(m.corners), dtype=np.int32)))),)), spread


@pytest.mark.parametrize("name", ["obj", "3mf", "ply"])
def test_a_format_with_one_uv_set_gets_the_one_that_is_drawn(name, tmp_path):
    sent, spread = _by_second_set()
    _, back = written(sent, name, ExportOptions(), tmp_path)
    uv = back.meshes[0].uvs[0]
    flip = np.column_stack([spread[:, 0], 1 - spread[:, 1]])
    assert np.allclose(uv.at_corners(), flip, atol=1e-6)
    assert not [x for x in formats.what_is_lost(sent, name) if "lie otherwise" in x]
    assert [x for x in formats.what_is_lost(sent, name) if "further UV sets" in x]


@pytest.mark.parametrize("name", ["glb", "dae", "usda"])
def test_a_format_with_several_sets_keeps_their_order(name, tmp_path):
    sent, _ = _by_second_set()
    _, back = written(sent, name, ExportOptions(), tmp_path)
    assert len(back.meshes[0].uvs) == 2
    assert next(t.uv_set for t in back.materials[0].inputs if t.role == "base-colour") == 1


def test_an_image_that_lies_by_another_set_is_said():
    sent, _ = _by_second_set()
    m = sent.materials[0]
    both = sent.with_(
        materials=(
            replace(m, inputs=(*m.inputs, TextureInput("emissive", ("emissiveTexture",), 0, uv_set=0)), emissive=(1, 1, 1)),
        )
    )
    assert "1 image is laid on by a UV set that is left out, and will lie otherwise." in formats.what_is_lost(both, "obj")
    assert not [x for x in formats.what_is_lost(both, "glb") if "lie otherwise" in x]


GAPPY = "o crate\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\nf 2 5 6 3\n"


@pytest.mark.parametrize("name", ["glb", "gltf", "dae", "obj"])
def test_corners_without_uv_do_not_take_those_of_others_along(name, tmp_path):
    sent = read_files(tmp_path, {"a.obj": GAPPY}, "a.obj")
    back, proof = round_trip(sent, name, tmp_path)
    assert proof.proved
    assert [int(np.count_nonzero(m.uvs[0].index >= 0)) for m in back.meshes if m.uvs] in ([4], [6])
    assert any(m.uvs and (m.uvs[0].index < 0).any() for m in back.meshes)


def test_a_mend_of_values_holds_in_the_file_whatever_stood_beside_them(tmp_path):
    """KHR_materials_specular and a factor out of range: what is typed wins, what is not known stays."""
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": []}],
        "extensionsUsed": ["KHR_materials_specular"],
        "materials": [
            {
                "name": "tar",
                "pbrMetallicRoughness": {"metallicFactor": 2.0, "extras": {"kept": 1}},
                "extensions": {"KHR_materials_specular": {"specularFactor": 0.5}},
            }
        ],
    }
    made = read_files(tmp_path, {"a.gltf": json.dumps(tree)}, "a.gltf")
    mended = apply_mend(made.with_(meshes=(cube(),), nodes=(Node("n", "crate", mesh=0),), roots=(0,)), "slots.clamp", {}).scene
    back, proof = round_trip(mended, "gltf", tmp_path)
    assert proof.proved
    assert back.materials[0].metallic == 1.0
    assert json.loads((tmp_path / "thing.gltf").read_bytes())["materials"][0]["extensions"]["KHR_materials_specular"] == {
        "specularFactor": 0.5
    }


def test_no_name_joins_two_lines_of_a_text(tmp_path):
    """A backslash at a line's end joins the next to it; blanks at the ends of a name do not count."""
    board = replace(cube("quay\\"), groups=np.zeros(6, np.int32), group_names=("  lid \\",))
    sent = scene(board, materials=(Material("m", "tar\\"),), nodes=(Node("n", "quay\\", mesh=0),))
    sent = sent.with_(meshes=(replace(sent.meshes[0], slot_materials=(0,)),))
    back, proof = round_trip(sent, "obj", tmp_path)
    assert proof.proved
    assert (back.meshes[0].name, back.meshes[0].group_names[-1], back.materials[0].name) == ("quay", "lid", "tar")
    assert {r.what for r in proof.rows if r.result == "caution"} >= {"Names", "Names of groups", "Names of materials"}

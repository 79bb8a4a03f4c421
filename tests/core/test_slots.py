"""Slots: each check with a model that trips it and a near miss, and what its mends keep."""

import json
from dataclasses import replace

import msgspec
import numpy as np
import pytest

from handlens.core import formats
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.measures.slots import _rounded
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Image, Layer, Material, TextureInput
from kit.pictures import png
from kit.scenes import cube, findings, mesh, read_files, scene


def material(number=0, name="tar", **more):
    return Material(f"material:{number}", name, alpha_mode="opaque", double_sided=False, **more)


def crate(*materials, slots=(0, 0, 0, 0, 0, 0), slot_materials=(0,), **more):
    made = replace(cube(), slots=np.array(slots, np.int32), slot_materials=slot_materials)
    return scene(made, materials=materials or (material(),), **more)


def found(made):
    return {k: v for k, v in findings(made).items() if k.startswith("slots.")}


def test_a_plain_material_raises_nothing():
    assert found(crate()) == {}


def test_faces_without_a_material():
    bare = crate(slots=(0, 1, 0, 1, 0, 0), slot_materials=(0, -1))
    f = found(bare)["slots.no-material"][0]
    assert (f.count, f.elements.indices.tolist()) == (2, [1, 3])
    after = apply_mend(bare, "slots.assign", {"material": "tar"}).scene
    assert after.meshes[0].slot_materials == (0,)
    assert found(after) == {}
    with pytest.raises(MendError, match="no material 'felt'"):
        apply_mend(bare, "slots.assign", {"material": "felt"})
    with pytest.raises(MendError, match="has a material"):
        apply_mend(after, "slots.assign", {"material": "tar"})


def test_materials_that_say_the_same():
    twins = crate(
        material(),
        material(1, "tar_copy"),
        material(2, "felt", roughness=0.3),
        slots=(0, 1, 2, 1, 0, 2),
        slot_materials=(0, 1, 2),
    )
    f = found(twins)["slots.equal"][0]
    assert (f.elements.indices.tolist(), "tar_copy as tar" in f.title) == ([1], True)
    after = apply_mend(twins, "slots.merge-equal", {}).scene
    assert [m.name for m in after.materials] == ["tar", "felt"]
    assert (after.meshes[0].slot_materials, after.meshes[0].slots.tolist()) == ((0, 1), [0, 0, 1, 0, 0, 1])
    assert "slots.equal" not in found(after)
    with pytest.raises(MendError):
        apply_mend(after, "slots.merge-equal", {})


@pytest.mark.parametrize(
    ("a", "b", "same"),
    [
        (0.5, 0.5004, True),
        (0.5, 0.51, False),
        (True, 1, False),
        ([1, 2], (1, 2), True),
        ({"a": 1}, {"a": 1.0}, True),
        ({"a": 1}, {"b": 1}, False),
        (None, None, True),
        ("x", "y", False),
        ([1], [1, 2], False),
    ],
)
def test_what_says_the_same(a, b, same):
    assert (_rounded(a) == _rounded(b) and type(_rounded(a)) is type(_rounded(b))) is same


def test_materials_with_different_images_are_not_the_same():
    image = lambda k: Image(f"image:{k}", f"{k}.png", f"{k}.png", "missing")
    painted = lambda k: material(
        k, f"m{k}", inputs=(TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), k),)
    )
    sheet = replace(
        cube(),
        uvs=(Layer(np.zeros((1, 2), np.float32), np.zeros(24, np.int32)),),
        slots=np.array([0, 1] * 3, np.int32),
        slot_materials=(0, 1),
    )
    assert "slots.equal" not in found(scene(sheet, materials=(painted(0), painted(1)), images=(image(0), image(1))))
    # Two entries of one file are one image.
    assert "slots.equal" in found(scene(sheet, materials=(painted(0), painted(1)), images=(image(0), image(0))))


def test_unused_materials_are_removed_and_references_follow():
    made = crate(material(0, "spare"), material(), slots=(0,) * 6, slot_materials=(1,))
    assert found(made)["slots.unused"][0].elements.indices.tolist() == [0]
    after = apply_mend(made, "slots.remove-unused", {}).scene
    assert ([m.name for m in after.materials], after.meshes[0].slot_materials) == (["tar"], (0,))
    with pytest.raises(MendError):
        apply_mend(after, "slots.remove-unused", {})


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("", True),
        ("Material 2", True),
        ("default", True),
        ("untitled.001", True),
        ("material of sails", False),
        ("mattress", False),
    ],
)
def test_names_that_nobody_gave(name, told):
    assert ("slots.unnamed" in found(crate(material(name=name)))) is told


def test_inputs_without_an_image_or_without_their_uv_set():
    hollow = material(inputs=(TextureInput("normal", ("normalTexture",), None),), source={"extras": {"kept": 1}})
    made = crate(hollow)
    assert "normal of tar" in found(made)["slots.empty-input"][0].title
    after = apply_mend(made, "slots.switch-off", {}).scene
    assert (after.materials[0].inputs, after.materials[0].source) == ((), {"extras": {"kept": 1}})
    assert b"normalTexture" not in formats.write(after, "gltf", "x")["x.gltf"]
    with pytest.raises(MendError):
        apply_mend(after, "slots.switch-off", {})
    image = (Image("image:0", "a.png", "a.png", "missing"),)
    second = crate(
        material(inputs=(TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0, 1),)), images=image
    )
    assert "needs set 2" in found(second)["slots.no-uv-set"][0].title


def test_values_and_strengths():
    image = (Image("image:0", "n.png", "n.png", "missing"),)
    flat = crate(material(inputs=(TextureInput("normal", ("normalTexture",), 0, scale=0.0),)), images=image)
    told = found(flat)["slots.flat-normal-map"][0]
    up = apply_mend(flat, *told.mends[0]).scene
    assert up.materials[0].inputs[0].scale == 1.0
    assert "slots.flat-normal-map" not in found(up)
    # Where the name stands for another material too, whose strength is meant, nothing is offered.
    for name in ("", "tar"):
        meant = material(1, "tar", inputs=(TextureInput("normal", ("normalTexture",), 0, scale=0.5),))
        both = crate(material(name=name, inputs=flat.materials[0].inputs), meant, images=image)
        assert found(both)["slots.flat-normal-map"][0].mends == ()
    odd = crate(material(base_colour=(1.2, 0.0, 0.0, 1.0), roughness=-0.5))
    assert found(odd)["slots.out-of-range"][0].measured == {"value": "red 1.2, roughness -0.5", "unit": "text"}
    with pytest.raises(MendError):
        apply_mend(flat, "slots.clamp", {})


def lamp(**more):
    """A crate whose picture is its paint and its glow."""
    paint = TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0)
    glow = TextureInput("emissive", ("emissiveTexture",), 0)
    return crate(material(inputs=(paint, glow), **more), images=(Image("image:0", "n.png", "n.png", "missing"),))


def test_an_image_that_black_multiplies():
    """glTF 2.0 §3.9.2 and §3.9.3: factors multiply textures, and emissiveFactor is black where it is left out."""
    dark = lamp(base_colour=(0.0, 0.01, 0.0, 1.0))
    image, glow = found(dark)["slots.black-tint"]
    assert (image.title, glow.title) == ("tar multiplies its image by black", "tar multiplies its glow by black")
    assert image.measured == {"value": 0.01, "unit": "factor"}
    light = apply_mend(dark, *image.mends[0])
    assert [(f.before, f.after) for f in light.figures] == [("image × 0 0.01, glow × 0", "image × 1, glow × 0")]
    assert light.scene.materials[0].base_colour == (1, 1, 1, 1)
    both = apply_mend(light.scene, *glow.mends[0]).scene
    assert written(both)["emissiveFactor"] == [1, 1, 1]
    assert "slots.black-tint" not in found(both)
    # A colour that is dark but shows something, and a black one without an image, are meant.
    assert "slots.black-tint" not in found(lamp(base_colour=(0.03, 0.0, 0.0, 1.0), emissive=(0.0, 0.5, 0.0)))
    assert "slots.black-tint" not in found(crate(material(base_colour=(0.0, 0.0, 0.0, 1.0))))


def test_a_black_tint_of_the_older_shading_is_set_where_it_stands():
    """KHR_materials_pbrSpecularGlossiness: diffuseFactor multiplies diffuseTexture."""
    name = "KHR_materials_pbrSpecularGlossiness"
    paint = TextureInput("base-colour", ("extensions", name, "diffuseTexture"), 0)
    old = {"extensions": {name: {"glossinessFactor": 0.2}}}
    dark = crate(
        material(inputs=(paint,), base_colour=(0, 0, 0, 0.5), source=old), images=(Image("image:0", "n.png", "n.png", "missing"),)
    )
    made = apply_mend(dark, *found(dark)["slots.black-tint"][0].mends[0]).scene
    stated = written(made)["extensions"][name]
    assert (stated["diffuseFactor"], stated["glossinessFactor"]) == ([1, 1, 1, 0.5], 0.2)
    assert "baseColorFactor" not in written(made).get("pbrMetallicRoughness", {})


def test_what_is_set_is_what_is_written_whatever_the_description_says(tmp_path):
    """Specular-glossiness: clamped to 1, the file must not go on saying 2."""
    name = "KHR_materials_pbrSpecularGlossiness"
    tree = {
        "asset": {"version": "2.0"},
        "materials": [{"name": "tar", "extensions": {name: {"diffuseFactor": [2, 0.5, 0, 1], "glossinessFactor": 0.2}}}],
    }
    made = read_files(tmp_path, {"tar.gltf": json.dumps(tree)}, "tar.gltf")
    mended = apply_mend(made, "slots.clamp", {}).scene
    assert written(mended)["extensions"][name] == {"diffuseFactor": [1, 0.5, 0, 1], "glossinessFactor": 0.2}


def written(made):
    """The first material as it stands in a glTF file."""
    return json.loads(formats.write(made, "gltf", "x")["x.gltf"])["materials"][0]


@pytest.mark.parametrize("fmt", ["obj", "glb", "usda"])
def test_a_black_tint_is_found_again_in_what_was_written_and_mended_for_good(fmt, tmp_path):
    def through(made, folder):
        (tmp_path / folder).mkdir()
        pictured = made.with_(images=(replace(made.images[0], load=lambda: png(), status="embedded"),))
        return read_files(tmp_path / folder, formats.write(pictured, fmt, "x"), f"x.{fmt}")

    dark = through(lamp(base_colour=(0.0, 0.0, 0.0, 1.0), emissive=(1.0, 1.0, 1.0)), "dark")
    assert "slots.black-tint" in found(dark)
    assert "slots.black-tint" not in found(through(apply_mend(dark, "slots.set", {"tint": 1.0}).scene, "light"))


@pytest.mark.parametrize("fmt", ["glb", "obj", "usda", "dae"])
def test_values_are_brought_into_their_range_and_stay_there_when_written(fmt, tmp_path):
    odd = crate(material(base_colour=(1.2, 0.25, 0.0, 1.0), roughness=-0.5, metallic=0.5))
    outcome = apply_mend(odd, *found(odd)["slots.out-of-range"][0].mends[0])
    assert [(f.before, f.after) for f in outcome.figures] == [("red 1.2, roughness -0.5", "0 to 1")]
    m = outcome.scene.materials[0]
    assert (m.base_colour, m.roughness, m.metallic) == ((1.0, 0.25, 0.0, 1.0), 0.0, 0.5)
    assert "slots.out-of-range" not in found(outcome.scene)
    again = read_files(tmp_path, formats.write(outcome.scene, fmt, "x"), f"x.{fmt}")
    assert again.materials[0].base_colour[0] == pytest.approx(1.0, abs=1e-6)
    assert "slots.out-of-range" not in found(again)


def test_an_obj_without_its_library(tmp_path):
    text = "mtllib ferry.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl oak\nf 1 2 3\n"
    f = found(read_files(tmp_path, {"a.obj": text}, "a.obj"))
    assert f["slots.undefined"][0].elements.indices.tolist() == [0]
    assert "ferry.mtl" in f["slots.library"][0].title
    f = found(read_files(tmp_path, {"a.obj": text, "Ferry.MTL": "newmtl oak\nKd 1 0 0\n"}, "a.obj"))
    assert set(f) == {"slots.library"}


# --- what the sheet asks, and values ------------------------------------------------------------------------


def judged(s, sheet=None):
    return {f.check: f for f in judge(collect(s), sheet or load_sheet(None), Intent()).findings if f.station == "Slots"}


def painted(*materials, slots=(0, 1)):
    """Two faces back to back, and each material's own slot."""
    made = mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2], [2, 1, 0]], "banner")
    made = replace(made, slots=np.array(slots, np.int32), slot_materials=tuple(range(len(materials))))
    return scene(made, materials=materials)


def plain(name, **more):
    return Material(f"material:{name}", name, roughness=0.8, metallic=0.0, **more)


def test_two_sides_painted_differently():
    assert judged(painted(plain("front"), plain("back", base_colour=(0, 0, 0, 1))))[
        "slots.two-faced"
    ].elements.indices.tolist() == [1]
    assert "slots.two-faced" not in judged(painted(plain("front"), slots=(0, 0)))


def test_more_slots_than_the_sheet_takes():
    s = painted(plain("front"), plain("back", base_colour=(0, 0, 0, 1)))
    assert "slots.too-many" not in judged(s)
    told = judged(s, load_sheet("block-world"))["slots.too-many"]
    assert (told.measured["value"], told.wanted["value"]) == (2, 1)
    after = apply_mend(s, *told.mends[0]).scene
    assert "slots.too-many" not in judged(after, load_sheet("block-world"))


def test_the_sheets_pattern_for_names():
    sheet = load_sheet(None)
    wanted = msgspec.structs.replace(sheet, names=msgspec.structs.replace(sheet.names, materials="MQ_[a-z]+"))
    assert judged(painted(plain("front"), plain("MQ_back")), wanted)["slots.pattern"].elements.indices.tolist() == [0]
    assert "slots.pattern" not in judged(painted(plain("MQ_front"), plain("MQ_back")), wanted)


def test_shading_that_the_destination_does_not_know():
    glass = plain("glass", source={"extensions": {"KHR_materials_transmission": {}, "KHR_materials_ior": {}}})
    told = judged(painted(glass, plain("back")))["slots.model"]
    assert "light through it" in told.title
    assert "slots.model" not in judged(painted(glass, plain("back")), load_sheet("ar-viewing"))


def test_shine_left_high_and_set():
    mirror = replace(plain("lacquer"), roughness=0.0)
    s = painted(mirror, plain("back"))
    told = judged(s)["slots.shine"]
    after = apply_mend(s, *told.mends[0]).scene
    assert "slots.shine" not in judged(after)
    assert (after.materials[0].roughness, after.materials[1].roughness) == (0.5, 0.8)
    library = plain("lacquer", source={"statements": ["Ns 250", "Ks 1 1 1", "Kd 1 0 0"]})
    old = painted(library, plain("back")).with_(format="obj")
    after = apply_mend(old, *judged(old)["slots.shine"].mends[0]).scene
    assert after.materials[0].source["statements"] == ["Kd 1 0 0"]
    with pytest.raises(MendError):
        apply_mend(s, "slots.set", {"materials": "lacquer"})
    with pytest.raises(MendError):
        apply_mend(s, "slots.set", {"materials": "back", "roughness": 0.8})


def test_families_of_names():
    colours = [plain(f"paint.00{k}", base_colour=(k / 4, 0, 0, 1)) for k in range(1, 4)]
    made = replace(cube(), slots=np.array([0, 1, 2, 0, 1, 2], np.int32), slot_materials=(0, 1, 2))
    assert judged(scene(made, materials=tuple(colours)))["slots.family"].measured["value"] == 3
    others = [plain(name, base_colour=(k / 4, 0, 0, 1)) for k, name in enumerate(("oak", "tar.001", "rope"))]
    assert "slots.family" not in judged(scene(made, materials=tuple(others)))

"""Roughness and metalness through every format: two channels of one picture, or a picture each."""

import io
import json
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.scene import Image, TextureInput
from handlens.core.surface.shine import in_one
from kit.library import OBJ, picture
from kit.painted import painted_scene
from kit.scenes import read_files

DICE = np.random.default_rng(4)
ROUGH, METAL = (DICE.integers(0, 256, (16, 16)).astype(np.uint8) for _ in range(2))
BOTH = np.dstack([np.full_like(ROUGH, 9), ROUGH, METAL])


def through(tmp_path, made, fmt, folder):
    (tmp_path / folder).mkdir()
    return read_files(tmp_path / folder, formats.write(made, fmt, "pot"), f"pot.{fmt}")


def brass(**more):
    """A cube whose roughness and metalness are green and blue of one picture, as glTF has them."""
    made = painted_scene(alpha_mode="opaque", **more)
    data = picture(BOTH)
    shine = Image("image:1", "shine", "shine.png", "embedded", None, "image/png", lambda: data)
    slot = TextureInput("metallic-roughness", ("pbrMetallicRoughness", "metallicRoughnessTexture"), 1)
    m = made.materials[0]
    return made.with_(images=(*made.images, shine), materials=(replace(m, inputs=(*m.inputs, slot)),))


def shine_of(s):
    """(H, W) roughness and metalness that a material ends up with, by factor and picture, as glTF multiplies them."""
    packed, _ = in_one(s)
    m = packed.materials[0]
    slot = next(t for t in m.inputs if t.role == "metallic-roughness")
    pixels = np.asarray(Pillow.open(io.BytesIO(packed.images[slot.image].bytes())).convert("RGB")).astype(float)
    return pixels[:, :, 1] * (1.0 if m.roughness is None else m.roughness), pixels[:, :, 2] * (
        0.0 if m.metallic is None else m.metallic
    )


@pytest.mark.parametrize("first", ["glb", "usda", "usdz", "obj"])
@pytest.mark.parametrize("then", ["glb", "gltf", "usda", "obj"])
def test_both_come_through(first, then, tmp_path):
    """glTF 2.0 §3.9.2: G is roughness and B metalness, multiplied by the factors; elsewhere each input names its channel."""
    sent = brass(roughness=0.5, metallic=1.0)
    back = through(tmp_path, through(tmp_path, sent, first, "first"), then, "then")
    rough, metal = shine_of(back)
    assert np.allclose(rough, ROUGH * 0.5, atol=1e-3)
    assert np.allclose(metal, METAL, atol=1e-3)
    assert not [x for x in formats.what_is_lost(sent, then) if "roughness" in x]


def test_channels_are_not_lost_by_going_twice_through_usd(tmp_path):
    once = through(tmp_path, brass(roughness=1.0, metallic=1.0), "usda", "once")
    twice = through(tmp_path, once, "usda", "twice")
    for s in (once, twice):
        assert {t.role: t.channel for t in s.materials[0].inputs if t.role in ("roughness", "metallic")} == {
            "roughness": "g",
            "metallic": "b",
        }


def test_a_connected_input_of_usd_has_no_default_beside_it(tmp_path):
    """UsdPreviewSurface: roughness is 0.5 and metalness 0 only where nothing is connected."""
    s = through(tmp_path, brass(roughness=1.0, metallic=1.0), "usda", "usd")
    assert (s.materials[0].roughness, s.materials[0].metallic) == (1.0, 1.0)
    document = json.loads(formats.write(s, "gltf", "pot")["pot.gltf"])
    pbr = document["materials"][0]["pbrMetallicRoughness"]
    # glTF 2.0 §5.22: both are 1 where nothing is stated.
    assert (pbr.get("roughnessFactor", 1.0), pbr.get("metallicFactor", 1.0)) == (1.0, 1.0)
    assert "metallicRoughnessTexture" in pbr


# --- a picture each ----------------------------------------------------------------------------------------


def pot(tmp_path, maps, **pictures):
    library = "newmtl leaf\nKd 1 1 1\n" + maps
    return read_files(tmp_path, {"leaf.obj": OBJ, "leaf.mtl": library, **pictures}, "leaf.obj")


def test_two_pictures_are_painted_into_one_and_it_is_said(tmp_path):
    s = pot(tmp_path, "map_Pr rough.png\nmap_Pm metal.png\n", **{"rough.png": picture(ROUGH), "metal.png": picture(METAL)})
    rough, metal = shine_of(s)
    assert np.array_equal(rough, ROUGH)
    assert np.array_equal(metal, METAL)
    said = "Roughness and metalness of leaf are painted into one picture: rough_roughness_metalness.png."
    assert said in formats.what_is_lost(s, "glb")
    assert said not in formats.what_is_lost(s, "obj")
    out = formats.write(s, "obj", "leaf")
    assert (out["rough.png"], out["metal.png"]) == (picture(ROUGH), picture(METAL))


@pytest.mark.parametrize(
    ("maps", "wanted"),
    [
        ("map_Pr rough.png\nPm 0.25\n", (ROUGH, 255 * 0.25)),
        ("map_Pm rough.png\nPr 0.5\n", (255 * 0.5, ROUGH)),
        ("map_Pr -imfchan r rough.png\n", (ROUGH, 0.0)),
    ],
)
def test_one_picture_leaves_the_other_to_its_value(maps, wanted, tmp_path):
    rough, metal = shine_of(pot(tmp_path, maps, **{"rough.png": picture(ROUGH)}))
    assert np.allclose(rough, wanted[0])
    assert np.allclose(metal, wanted[1])


def test_pictures_of_two_sizes_take_the_larger(tmp_path):
    s = pot(
        tmp_path, "map_Pr rough.png\nmap_Pm metal.png\n", **{"rough.png": picture(ROUGH), "metal.png": picture(METAL[:4, :4])}
    )
    rough, metal = shine_of(s)
    assert rough.shape == metal.shape == ROUGH.shape
    assert np.array_equal(rough, ROUGH)


def test_what_cannot_be_opened_is_said(tmp_path):
    s = pot(tmp_path, "map_Pr rough.png\nmap_Pm gone.png\n", **{"rough.png": b"no picture"})
    packed, said = in_one(s)
    assert said == ["The pictures for roughness and metalness of leaf cannot be opened, so they are left out."]
    assert packed.materials[0].inputs == ()
    assert said[0] in formats.what_is_lost(s, "glb")
    assert "metallicRoughnessTexture" not in formats.write(s, "gltf", "leaf")["leaf.gltf"].decode()


def test_what_is_laid_on_otherwise_is_said(tmp_path):
    s = pot(tmp_path, "map_Pr rough.png\nmap_Pm metal.png\n", **{"rough.png": picture(ROUGH), "metal.png": picture(METAL)})
    m = s.materials[0]
    turned = tuple(replace(t, uv_set=1) if t.role == "metallic" else t for t in m.inputs)
    _, said = in_one(s.with_(materials=(replace(m, inputs=turned),)))
    assert said[0] == "The metalness of leaf is laid on in another way than its roughness, so its picture is left out."


def test_occlusion_comes_from_usd_to_gltf(tmp_path):
    made = painted_scene(alpha_mode="opaque")
    m = made.materials[0]
    made = made.with_(materials=(replace(m, inputs=(*m.inputs, TextureInput("occlusion", ("occlusionTexture",), 0))),))
    s = through(tmp_path, made, "usda", "usd")
    assert "occlusionTexture" in json.loads(formats.write(s, "gltf", "pot")["pot.gltf"])["materials"][0]


def test_a_model_without_such_pictures_stays_the_very_same():
    made = painted_scene(alpha_mode="opaque")
    assert in_one(made)[0] is made

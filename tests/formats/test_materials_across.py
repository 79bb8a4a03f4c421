"""Values of materials through every format and on to glTF: what a format holds comes out as it went in."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from handlens.core import formats
from handlens.core.formats.table import BY_NAME
from handlens.core.scene import Image, Material, TextureInput
from handlens.core.surface.colour import converted
from handlens.core.surface.opacity import mode_of
from kit.painted import painted_scene
from kit.scenes import cube, read_files, round_trip, scene, triangles_of

#: What each format says of a material, besides its colour and opacity.
SAYS = {
    "glb": {"roughness", "metallic", "emissive", "mask", "sides"},
    "gltf": {"roughness", "metallic", "emissive", "mask", "sides"},
    "usda": {"roughness", "metallic", "emissive", "mask", "sides"},
    "obj": {"roughness", "metallic", "emissive"},
    "dae": {"emissive"},
    "3mf": set(),
}
SHARE = st.integers(0, 255).map(lambda k: k / 255)
COLOUR = st.tuples(SHARE, SHARE, SHARE)
QUIET = settings(deadline=None, max_examples=8, suppress_health_check=[HealthCheck.function_scoped_fixture])


@st.composite
def materials(draw):
    """A material as glTF has them: factors from 0 to 1, as light."""
    mode = draw(st.sampled_from(["opaque", "blend", "mask"]))
    return Material(
        "m",
        "oak",
        (*draw(COLOUR), draw(SHARE.filter(lambda v: v > 0)) if mode == "blend" else 1.0),
        draw(SHARE),
        draw(SHARE),
        draw(COLOUR),
        mode,
        0.25 if mode == "mask" else None,
        draw(st.booleans()),
    )


def through(made, name, folder):
    folder.mkdir(exist_ok=True)
    return read_files(folder, formats.write(made, name, "oak"), f"oak.{name}")


@pytest.mark.parametrize("name", SAYS)
@QUIET
@given(material=materials())
def test_plain_values_come_out_as_they_went_in(name, material, tmp_path):
    """Factors of glTF are light (2.0 §3.9.2); what formats show is coded by IEC 61966-2-1."""
    sent = scene(triangles_of(cube()), materials=(material,))
    back = through(sent, name, tmp_path / name).materials[0]
    light = lambda values: converted(values, BY_NAME[name].linear, True)
    assert np.allclose(light(back.base_colour[:3]), material.base_colour[:3], atol=5e-3 if name == "3mf" else 1e-5)
    assert back.base_colour[3] == pytest.approx(material.base_colour[3], abs=5e-3 if name == "3mf" else 1e-6)
    if "roughness" in SAYS[name]:
        assert back.roughness == pytest.approx(material.roughness, abs=1e-6)
        assert (back.metallic or 0.0) == pytest.approx(material.metallic, abs=1e-6)
    if "emissive" in SAYS[name]:
        assert np.allclose(light(back.emissive), material.emissive, atol=1e-5)
    see_through = material.base_colour[3] < 1
    if "mask" in SAYS[name] and not (name == "usda" and material.alpha_mode == "blend" and not see_through):
        # A stage that is blended at an opacity of 1, without a picture, says nothing that tells it from an opaque one.
        assert (mode_of(back), back.alpha_cutoff) == (material.alpha_mode, material.alpha_cutoff)
    elif name != "usda":
        assert mode_of(back) == ("blend" if see_through else "opaque")
    if "sides" in SAYS[name]:
        assert bool(back.double_sided) == material.double_sided


@pytest.mark.parametrize("name", SAYS)
@QUIET
@given(material=materials())
def test_and_on_to_gltf(name, material, tmp_path):
    """The road that most models take: from whatever they came in to one file for an engine."""
    sent = scene(triangles_of(cube()), materials=(material,))
    document = json.loads(formats.write(through(sent, name, tmp_path / name), "gltf", "oak")["oak.gltf"])
    told = document["materials"][0]
    pbr = {"baseColorFactor": [1, 1, 1, 1], "metallicFactor": 1.0, "roughnessFactor": 1.0} | told["pbrMetallicRoughness"]
    assert np.allclose(pbr["baseColorFactor"], material.base_colour, atol=5e-3 if name == "3mf" else 1e-5)
    assert np.allclose(told.get("emissiveFactor", [0, 0, 0]), material.emissive if "emissive" in SAYS[name] else 0, atol=1e-5)
    if "roughness" in SAYS[name]:
        assert (pbr["roughnessFactor"], pbr["metallicFactor"]) == pytest.approx((material.roughness, material.metallic), abs=1e-6)
    else:
        # Formats that state neither are matt and no metal; glTF's own defaults would turn them to metal (§3.9.2).
        assert (pbr["roughnessFactor"], pbr["metallicFactor"]) == (1.0, 0.0)
    if material.base_colour[3] < 1:
        assert told["alphaMode"] == "BLEND"


@pytest.mark.parametrize("name", ["glb", "usda", "obj"])
@QUIET
@given(tint=COLOUR)
def test_colours_over_images_multiply_them_everywhere(name, tint, tmp_path):
    sent = painted_scene(alpha_mode="opaque", base_colour=(*tint, 1.0))
    back = through(sent, name, tmp_path / name)
    assert np.allclose(converted(back.materials[0].base_colour[:3], BY_NAME[name].linear, True), tint, atol=1e-5)
    assert [t.role for t in back.materials[0].inputs if t.image is not None] == ["base-colour"]


@pytest.mark.parametrize("name", ["dae", "3mf"])
def test_where_an_image_takes_the_colours_place_it_is_white(name, tmp_path):
    """What comes on from there to glTF must not be darkened by a colour that was never drawn."""
    sent = painted_scene(alpha_mode="opaque", base_colour=(0.2, 0.4, 0.6, 1.0))
    back = through(sent, name, tmp_path / name)
    painted = next(m for m in back.materials if m.inputs)
    assert painted.base_colour[:3] == (1.0, 1.0, 1.0)
    document = json.loads(
        formats.write(back.with_(materials=(replace(painted),) * len(back.materials)), "gltf", "oak")["oak.gltf"]
    )
    # glTF 2.0 §5.22: white where nothing is stated.
    assert document["materials"][0]["pbrMetallicRoughness"].get("baseColorFactor", [1.0] * 4)[:3] == [1.0, 1.0, 1.0]


@pytest.mark.parametrize("name", ["usdz", "usda", "3mf", "dae", "obj", "glb"])
def test_a_material_whose_only_picture_cannot_come_along_is_proved(name, tmp_path):
    """Blended by a picture that no package may hold: without it nothing is left to be seen through, and that is said."""
    spoilt = Image("image:0", "spoilt.png", "spoilt.png", "found", "spoilt.png", None, lambda: b"no picture")
    tar = Material(
        "material:0", "tar", (0.0, 0.0, 0.0, 1.0), alpha_mode="blend", inputs=(TextureInput("base-colour", ("base-colour",), 0),)
    )
    made = scene(replace(cube(), slot_materials=(0,)), materials=(tar,), images=(spoilt,), format="dae")
    back, proof = round_trip(made, name, tmp_path)
    assert [r for r in proof.rows if r.result == "stop"] == []
    if name == "usdz":
        assert back.materials[0].alpha_mode == "opaque"
        assert any("nothing of it can be seen through" in r.remark for r in proof.rows)

"""Pictures of kinds that a format does not take are written as PNG, pixel for pixel, and it is said."""

import io
import json
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.formats.conform.accepted import PLAIN_KINDS, accepted, left_out, reencoded_images
from handlens.core.scene import Image
from handlens.core.surface.pictures import media_type
from kit.painted import painted_scene
from kit.scenes import read_files, round_trip

PIXELS = np.random.default_rng(8).integers(0, 256, (8, 8, 4)).astype(np.uint8)
#: Kind, mode and whether it keeps every pixel.
KINDS = [
    ("TGA", "RGB"),
    ("TGA", "RGBA"),
    ("BMP", "RGB"),
    ("TIFF", "RGBA"),
    ("TIFF", "L"),
    ("GIF", "P"),
    ("WEBP", "RGBA"),
    ("TIFF", "CMYK"),
    ("TIFF", "I;16"),
]


def encoded(kind, mode):
    """The bytes, and the picture as Pillow reads them back."""
    if mode == "I;16":
        made = Pillow.fromarray(PIXELS[:, :, 0].astype(np.uint16) * 257)
    else:
        made = Pillow.fromarray(PIXELS).convert(mode)
    out = io.BytesIO()
    made.save(out, kind, **({"lossless": True, "exact": True} if kind == "WEBP" else {}))
    return out.getvalue(), Pillow.open(io.BytesIO(out.getvalue()))


def painted_with(data, name="net.pic", format="dae", status="found"):
    made = painted_scene(alpha_mode="opaque")
    image = Image("image:0", name, name, status, name if status == "found" else None, None, lambda: data)
    return made.with_(images=(image,), format=format)


@pytest.mark.parametrize(("kind", "mode"), KINDS)
@pytest.mark.parametrize("to", ["glb", "gltf", "usdz"])
def test_every_pixel_comes_through(kind, mode, to, tmp_path):
    """glTF 2.0 §5.18: image/jpeg or image/png. A USD package holds the same two (its specification, "Package")."""
    data, sent = encoded(kind, mode)
    made = painted_with(data)
    back, proof = round_trip(made, to, tmp_path, "net")
    written = back.images[0].bytes()
    assert media_type(written) == "image/png"
    if mode in ("I;16", "CMYK"):
        wanted = np.asarray(sent) if mode == "I;16" else np.asarray(sent.convert("RGB"))
        assert np.array_equal(np.asarray(Pillow.open(io.BytesIO(written))), wanted)
    else:
        assert np.array_equal(np.asarray(Pillow.open(io.BytesIO(written)).convert("RGBA")), np.asarray(sent.convert("RGBA")))
    title = "a USD package" if to == "usdz" else "glTF"
    assert f"net.pic is {kind}, which {title} does not hold: it is written as PNG." in formats.what_is_lost(made, to)
    assert [r for r in proof.rows if r.result == "stop"] == []


@pytest.mark.parametrize("to", ["obj", "dae", "usda"])
def test_formats_that_name_any_picture_keep_it_as_it_came(to):
    data, _ = encoded("TGA", "RGBA")
    files = formats.write(painted_with(data, "net.tga"), to, "net")
    assert data in files.values()
    assert not [x for x in formats.what_is_lost(painted_with(data, "net.tga"), to) if "PNG" in x]


@pytest.mark.parametrize("kind", ["PNG", "JPEG"])
def test_plain_kinds_are_not_touched(kind):
    data, _ = encoded(kind, "RGB")
    made = painted_with(data)
    assert accepted(made, PLAIN_KINDS).images == made.images
    assert reencoded_images(made, PLAIN_KINDS, "glTF") == []
    assert data in formats.write(made, "glb", "net")["net.glb"]


def test_what_cannot_be_opened_stays_as_it_came():
    made = painted_with(b"no picture at all")
    assert accepted(made, PLAIN_KINDS).images == made.images
    assert reencoded_images(made, PLAIN_KINDS, "glTF") == []
    assert "1 image is neither PNG nor JPEG and left out." in formats.what_is_lost(made, "3mf")
    assert b"no picture at all" in formats.write(made, "glb", "net")["net.glb"]


def test_names_end_as_they_should(tmp_path):
    data, _ = encoded("TGA", "RGB")
    made = painted_with(data, "../maps/net.wet.TGA")
    files = formats.write(made, "gltf", "net")
    names = [k for k in files if k.endswith(".png")]
    assert names == ["net.wet.png"]
    assert json.loads(files["net.gltf"])["images"][0]["uri"] == "net.wet.png"
    packed = zipfile.ZipFile(io.BytesIO(formats.write(made, "usdz", "net")["net.usdz"])).namelist()
    assert [n for n in packed if n.endswith(".png")] == ["net.wet.png"]


def native(data, extension):
    """A glTF of three corners whose texture names its picture through an extension alone."""
    uri = "net.bin.pic"
    document = {
        "asset": {"version": "2.0"},
        "extensionsUsed": [extension],
        "extensionsRequired": [extension],
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "material": 0}]}],
        "images": [{"uri": uri}],
        "textures": [{"extensions": {extension: {"source": 0}}}],
        "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "buffers": [{"uri": "net.bin", "byteLength": 60}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 24}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"},
        ],
    }
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes() + np.zeros(6, np.float32).tobytes()
    return {"net.gltf": json.dumps(document), "net.bin": corners, uri: data}


@pytest.mark.parametrize(
    ("extension", "data"),
    [("EXT_texture_webp", encoded("WEBP", "RGB")[0]), ("KHR_texture_basisu", b"\xabKTX 20\xbb\r\n\x1a\n" + bytes(60))],
)
@pytest.mark.parametrize("to", ["glb", "gltf"])
def test_pictures_that_an_extension_brought_go_out_with_it(extension, data, to, tmp_path):
    """EXT_texture_webp and KHR_texture_basisu, "extending textures": a texture without a plain source needs the extension."""
    (tmp_path / "came").mkdir()
    came = read_files(tmp_path / "came", native(data, extension), "net.gltf")
    assert came.images[0].bytes() == data
    (tmp_path / "out").mkdir()
    back = read_files(tmp_path / "out", formats.write(came, to, "net"), f"net.{to}")
    assert back.images[0].bytes() == data
    assert back.materials[0].inputs[0].image == 0
    document = json.loads(formats.write(came, "gltf", "net")["net.gltf"])
    assert document["textures"][0] == {"extensions": {extension: {"source": 0}}}
    assert extension in document["extensionsUsed"]
    assert extension in document["extensionsRequired"]


def test_webp_from_elsewhere_is_written_plainly():
    data, _ = encoded("WEBP", "RGBA")
    document = json.loads(formats.write(painted_with(data, "net.webp"), "gltf", "net")["net.gltf"])
    assert document["textures"][0]["source"] == 0
    assert "EXT_texture_webp" not in document.get("extensionsUsed", [])


def test_an_image_that_nothing_uses_is_left_alone():
    data, _ = encoded("TGA", "RGB")
    made = painted_with(data)
    spare = replace(made.images[0], id="image:1", reference="spare.tga")
    both = made.with_(images=(*made.images, spare))
    out = accepted(both, PLAIN_KINDS)
    assert len(reencoded_images(both, PLAIN_KINDS, "glTF")) == 1
    assert left_out(both, PLAIN_KINDS) == 1
    assert out.images[1] is spare


@pytest.mark.parametrize(
    ("reference", "wanted"),
    [
        ("../maps/net", "../maps/net.png"),
        ("net.wet.tga", "net.wet.png"),
        ("a.b/net", "a.b/net.png"),
        (".\\net.tga", ".\\net.png"),
    ],
)
def test_a_reference_keeps_its_folders(reference, wanted):
    data, _ = encoded("BMP", "RGB")
    assert accepted(painted_with(data, reference), PLAIN_KINDS).images[0].reference == wanted


def test_telling_reads_headers_alone(monkeypatch):
    """What is lost is asked for every format at each inspection: no picture may be decoded or encoded for that."""
    data, _ = encoded("TGA", "RGB")
    monkeypatch.setattr("PIL.Image.Image.save", lambda *a, **k: pytest.fail("encoded"))
    for name in ("glb", "usdz", "3mf"):
        assert [x for x in formats.what_is_lost(painted_with(data), name) if "written as PNG" in x]

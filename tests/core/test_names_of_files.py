"""Names that a model gives to its pictures: written so that every file system takes them, wherever they came from."""

from __future__ import annotations

from dataclasses import replace

import pytest

from handlens.core import formats
from handlens.core.scene import Image, Material, TextureInput
from handlens.core.surface.names import as_file
from kit.pictures import png
from kit.scenes import cube, scene

HARD = [
    "..",
    ".",
    "...",
    "a" * 300 + ".png",
    "\u00e4" * 200 + ".png",
    "half \ud800.png",
    "x" * 300,
    "tar\0net.png",
    'a<b>:"|?*.png',
    " ",
    "net.png" + "g" * 20,
]


@pytest.mark.parametrize("name", HARD, ids=range(len(HARD)))
def test_a_name_becomes_one_that_every_file_system_takes(name, tmp_path):
    made = as_file(name)
    if made:
        assert len(made.encode()) <= 255
        (tmp_path / made).write_bytes(b"x")
        assert [p.name for p in tmp_path.iterdir()] == [made]
    assert as_file("net 1.png") == "net 1.png"


@pytest.mark.parametrize("format_name", ["gltf", "obj", "dae", "usda", "usdz", "3mf"])
def test_pictures_of_any_name_are_written_side_by_side(format_name, tmp_path):
    # No reader lets half a pair of surrogates through.
    names = [n for n in HARD if "\ud800" not in n]
    images = tuple(Image(f"image:{k}", n, n, "found", n, None, lambda k=k: png((4, 4), (k, 9, 9))) for k, n in enumerate(names))
    materials = tuple(
        Material(f"material:{k}", f"m{k}", alpha_mode="opaque", inputs=(TextureInput("base-colour", ("baseColorTexture",), k),))
        for k in range(len(names))
    )
    made = scene(replace(cube(), slot_materials=(0,)), materials=materials, images=images)
    for path, data in formats.write(made, format_name, "model").items():
        assert ".." not in path.split("/")
        place = tmp_path / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)

"""Files changed at random: every one ends in a report or in one sentence."""

import random

import pytest

from handlens.core import formats
from handlens.core.display import display_copy
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.packages import FolderPackage

SEEDS = [
    "glTF2/BoxTextured-glTF-Binary/BoxTextured.glb",
    "glTF2/BoxTextured-glTF-Embedded/BoxTextured.gltf",
    "glTF2/simple_skin/simple_skin.gltf",
    "OBJ/cube_usemtl.obj",
    "OBJ/testmixed.obj",
]


@pytest.mark.parametrize("name", SEEDS)
def test_mutated_files(models, name, tmp_path):
    whole = (models / name).read_bytes()
    dice = random.Random(name)
    place = tmp_path / name.rpartition("/")[2]
    read = 0
    for _ in range(150):
        data = bytearray(whole)
        for _ in range(dice.randint(1, 6)):
            at = dice.randrange(len(data))
            kind = dice.randrange(4)
            if kind == 0:
                data[at] = dice.randrange(256)
            elif kind == 1:
                del data[at : at + dice.randint(1, 40)]
            elif kind == 2:
                data[at:at] = dice.choice([b"-1", b"999999999", b"nan", b"[", b"}", b"\x00", b"null", b"1e999"])
            else:
                data = data[: max(1, at)]
            if not data:
                data = bytearray(b"x")
        place.write_bytes(data)
        try:
            scene = formats.read(FolderPackage(tmp_path), place.name)
            collect(scene)
            display_copy(scene)
            read += 1
        except InputError as error:
            assert "\n" not in str(error)
    assert read < 150

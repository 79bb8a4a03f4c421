"""What nobody would see, and what is kept of references and definitions that are not there."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.formats.table import WRITERS
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Image, Layer, Material, TextureInput
from kit.scenes import findings, mesh, read_files, round_trip, scene

TRIANGLE = "o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl canvas\nf 1/1 2/2 3/3\n"


@pytest.mark.parametrize("library", ["d 0", "Tr 1"])
def test_a_material_of_opacity_0_is_told_and_made_solid(tmp_path, library):
    files = {"sail.obj": "mtllib sail.mtl\n" + TRIANGLE, "sail.mtl": f"newmtl canvas\nKd 1 1 1\n{library}\n"}
    made = read_files(tmp_path, files, "sail.obj")
    told = findings(made)["see-through.invisible"][0]
    assert (told.result, told.title) == ("stop", "canvas has an opacity of 0: 1 face is invisible")
    solid = apply_mend(made, *told.mends[0]).scene
    assert "see-through.invisible" not in findings(solid)
    for name in ("glb", "obj", "dae", "usda"):
        again, proof = round_trip(solid, name, tmp_path / name)
        assert proof.proved
        assert again.materials[0].base_colour[3] == 1.0
    assert findings(made, intent='{"kind": "effect"}')["see-through.invisible"][0].result == "note"
    shown = replace(made.materials[0], base_colour=(1.0, 1.0, 1.0, 0.01))
    assert "see-through.invisible" not in findings(made.with_(materials=(shown,)))
    # The standard draws what is opaque solid, whatever its alpha (glTF 2.0 §3.9.4).
    opaque = replace(made.materials[0], alpha_mode="opaque")
    assert "see-through.invisible" not in findings(made.with_(materials=(opaque,)))


def painted(uv_set: int, sets: int):
    uvs = tuple(Layer(np.array([[0, 0], [1, 0], [0, 1]], np.float32), np.arange(3, dtype=np.int32)) for _ in range(sets))
    bare = Material("m", "canvas", inputs=(TextureInput("base-colour", ("x",), 0, uv_set),))
    image = Image("i", "weave", "weave.png", "missing")
    return scene(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]], uvs=uvs)).with_(materials=(bare,), images=(image,))


@pytest.mark.parametrize("name", ["glb", "gltf", "dae", "usda"])
def test_a_picture_without_its_uv_set_is_not_written_as_such(tmp_path, name):
    made = painted(1, 1)
    assert "slots.no-uv-set" in findings(made)
    again, proof = round_trip(made, name, tmp_path)
    assert proof.proved
    assert any("laid on by the first" in x for x in formats.what_is_lost(made, name))
    assert again.materials[0].inputs[0].uv_set == 0
    call = findings(made)["slots.no-uv-set"][0].mends[0]
    assert "slots.no-uv-set" not in findings(apply_mend(made, *call).scene)
    assert not any("laid on by the first" in x for x in formats.what_is_lost(painted(1, 2), name))


LIBRARY = "newmtl canvas\nKd 1 1 1\nmap_Kd weave.png\nnorm bumps.png\nmap_Ke lamp.png\n"
MENDS = [
    ("arrival.rename", {"search": "sail", "replace": "jib"}),
    ("size.scale", {"factor": 2.0}),
    ("facing.normals", {"angle": 40}),
    ("slots.set", {"roughness": 0.5, "materials": ["canvas"]}),
    ("see-through.set", {"mode": "mask", "materials": ["canvas"]}),
    ("surface.triangulate", {}),
]


@pytest.mark.parametrize("name", sorted(WRITERS))
def test_nothing_wrong_becomes_invisible_by_being_written(tmp_path, name):
    obj = "mtllib sail.mtl\n" + TRIANGLE + "v 1 1 0\nv 2 1 0\nv 2 2 0\nv 1 2 0\nusemtl ghost\nf 4/1 5/2 6/3 7/1\n"
    made = read_files(tmp_path / "came", {"sail.obj": obj, "sail.mtl": LIBRARY}, "sail.obj")
    for mend in MENDS:
        made = apply_mend(made, *mend).scene
    before = findings(made)
    assert len(before["textures.missing"]) == 3
    assert len(before["slots.undefined"]) == 1
    again, proof = round_trip(made, name, tmp_path / name)
    assert proof.proved
    after, told = findings(again), " ".join(formats.what_is_lost(made, name))
    for gone in {f.key for f in before["textures.missing"]} - {f.key for f in after.get("textures.missing", [])}:
        words = ("images", "image ", "Material inputs", "materials", "Materials")
        assert any(w in told for w in words), (gone, told)
    if "slots.undefined" not in after:
        assert "named but defined nowhere" in told or "material" in told.lower()

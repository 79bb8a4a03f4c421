"""What destinations say to packages that they read by themselves."""

from __future__ import annotations

import io
import json
import random
import zipfile
from dataclasses import replace

import msgspec
import numpy as np
import pytest
from PIL import Image as Pillow

from conftest import ROOT
from handlens.core import formats
from handlens.core.formats.table import WRITERS
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.packages import MemoryPackage
from handlens.core.pipeline.opening import open_scene
from handlens.core.pipeline.writing import write_as
from handlens.core.receivers import answer
from handlens.core.receivers.parcel import files_of
from handlens.core.receivers.picture import picture
from handlens.core.receivers.reading import READERS
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_tape
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.rules.intent import intent_from_json
from handlens.core.scene import Material
from handlens.core.scene.model import frozen
from handlens.core.scene.skinning import world_positions
from handlens.core.scene.transforms import world_matrices
from handlens.core.words.calls import parse_call
from kit.pictures import png, textured
from kit.scenes import cube, mesh, scene

STRICT = load_sheet("creator-platform-strict")
DEMO = json.loads((ROOT / "demo" / "models.json").read_text())["models"]
#: For each demo model that the gate refuses: the checks that say the same, and the mends after which it is taken.
REFUSED = {
    "crab_pot": ({"placement.mirrored", "facing.inward"}, ["placement.bake", "facing.outward:parts=net"]),
    "quay_crane": ({"placement.far"}, ["placement.home"]),
    "heron": (
        {"skin.bare", "skin.influences", "skin.required"},
        ["skin.fill:parts=wings", "skin.limit:influences=4,parts=neck", "skin.add-joints:joints=ground;sway;hips"],
    ),
    "tide_gauge": (
        {"budget.texture-memory", "budget.triangles-mesh", "textures.size"},
        ["textures.resize:pixels=1024", "budget.reduce:triangles=10000,parts=column"],
    ),
    "ferry_signboard": ({"textures.missing"}, ["textures.find:images=rope_coil.png,file=rope_coil_old.png"]),
    "reeds": ({"see-through.ignored"}, ["see-through.set:mode=auto,materials=reed solid"]),
}


def sent(model, ending="glb", sheet=STRICT, mends=()):
    _, _, read = open_scene(str(ROOT / "demo" / "models" / model["folder"]))
    mended, runs = apply_tape(read, [parse_call(text) for text in mends])
    assert all(run.applied for run in runs), [run.because for run in runs]
    intent = sheet.meant(intent_from_json(json.dumps(model.get("intent", {}))))
    return write_as(mended, ending, model["folder"], sheet.writes, intent).files


@pytest.mark.parametrize("model", DEMO, ids=lambda model: model["folder"])
def test_the_gate_refuses_a_demo_model_for_its_defects_alone_and_takes_it_mended(model):
    checks, mends = REFUSED.get(model["folder"], (set(), []))
    before = answer(sent(model), STRICT)
    assert {line.check for line in before.lines if line.result == "refused"} == checks
    assert before.accepted is not checks
    assert len(before.picture) > 100
    assert answer(sent(model, mends=mends), STRICT, drawn=False).accepted is True


@pytest.mark.parametrize("ending", sorted(set(READERS) & set(WRITERS)))
def test_a_reading_of_its_own_meets_the_same_model(ending):
    model = next(m for m in DEMO if m["folder"] == "crab_pot")
    files = sent(model, ending)
    main = next(iter(files))
    ours = formats.read(MemoryPackage(files), main)
    theirs = READERS[ending](files, main)
    drawn = [len(p.corners) for node in theirs.drawn for p in theirs.meshes[node.mesh]]
    assert sum(drawn) == sum(ours.meshes[n.mesh].triangle_count for n in ours.nodes if n.mesh is not None)
    assert [s.name for s in theirs.surfaces] == [m.name for m in ours.materials]
    lowest = lambda points: np.min(np.concatenate(points), axis=0)
    world = world_matrices(ours)
    ours_at = [world_positions(ours, k, world) for k, n in enumerate(ours.nodes) if n.mesh is not None]
    theirs_at = [theirs.world(node, p) for node in theirs.drawn for p in theirs.meshes[node.mesh] if len(p.corners)]
    assert lowest(theirs_at) == pytest.approx(lowest(ours_at), abs=1e-4 / (theirs.metres or 1.0))


@pytest.mark.parametrize(
    ("ending", "text"),
    [
        ("ply", "ply\nformat binary_little_endian 1.0\nelement vertex 9\nproperty float x\nend_header\n"),
        ("ply", "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list char int vertex_indices\nend_header\n0 0 0\n3 0 1 2\n"),
        ("stl", "solid a\nfacet\nvertex 0 0 0\nvertex 1 0 0\nendfacet\n"),
        ("dae", "<COLLADA><library_geometries><geometry id='g'><mesh><triangles><p>0 1 2</p></triangles></mesh></geometry></library_geometries><library_visual_scenes><visual_scene id='v'><node><instance_geometry url='#g'/></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url='#v'/></scene></COLLADA>"),
        ("dae", "<!DOCTYPE a [<!ENTITY b SYSTEM 'file:///etc/hostname'>]><COLLADA>&b;"),
        ("3mf", "PK"),
        ("3mf", ""),
    ],
)  # fmt: skip
def test_what_is_cut_off_or_does_not_fit_together_is_refused_in_a_sentence(ending, text):
    with pytest.raises(InputError, match=rf"a\.{ending}"):
        READERS[ending]({f"a.{ending}": text.encode()}, f"a.{ending}")


def test_a_component_of_itself_comes_to_an_end():
    model = "<model unit='millimeter'><resources><object id='1'><components><component objectid='1'/></components></object></resources><build><item objectid='1'/></build></model>"
    package = io.BytesIO()
    with zipfile.ZipFile(package, "w") as archive:
        archive.writestr("3D/3dmodel.model", model)
    with pytest.raises(InputError, match="contradict each other"):
        READERS["3mf"]({"a.3mf": package.getvalue()}, "a.3mf")


def test_a_thumbnail_is_wanted_missed_drawn_and_then_taken(tmp_path):
    names = msgspec.structs.replace(STRICT.names, thumbnail="{model} seen.png", case_matters=False)
    wants = msgspec.structs.replace(STRICT, names=names)
    model = next(m for m in DEMO if m["folder"] == "mooring_buoy")
    bare = sent(model, sheet=wants)
    assert [line.check for line in answer(bare, wants, drawn=False).lines if line.result == "refused"] == ["handoff.thumbnail"]
    _, _, read = open_scene(str(ROOT / "demo" / "models" / model["folder"]))
    missed = lambda scene: [f for f in judge(measure(scene), wants, Intent()).findings if f.check == "handoff.thumbnail"]
    found = missed(read)
    assert [f.mends[0].params for f in found] == [{"file": "mooring_buoy seen.png"}]
    made, runs = apply_tape(read, list(found[0].mends))
    assert runs[0].applied
    assert not missed(made)
    files = write_as(made, "glb", "mooring_buoy", wants.writes).files
    assert Pillow.open(io.BytesIO(files["mooring_buoy seen.png"])).size == (512, 512)
    assert answer(files, wants, drawn=False).accepted
    assert not answer({**files, "mooring_buoy seen.png": b"no picture"}, wants, drawn=False).accepted
    _, runs = apply_tape(made, list(found[0].mends))
    assert not runs[0].applied


def box(**more):
    return scene(replace(cube(), slot_materials=(0,)), materials=(Material("m", "glass", **more),))


def written(made, ending="glb"):
    return formats.write(made, ending, "box")


def test_counts_stop_at_the_limit_and_not_before():
    at = lambda most: msgspec.structs.replace(STRICT, limits=msgspec.structs.replace(STRICT.limits, triangles_mesh=most))
    assert answer(written(box()), at(12), drawn=False).accepted
    refused = answer(written(box()), at(11), drawn=False)
    assert [line.check for line in refused.lines if line.result == "refused"] == ["budget.triangles-mesh"]


def test_one_that_is_stricter_has_half_the_room_and_an_older_one_knows_less():
    sheet = msgspec.structs.replace(STRICT, limits=msgspec.structs.replace(STRICT.limits, triangles_mesh=12))
    assert not answer(written(box()), sheet, "stricter", drawn=False).accepted
    loader = load_sheet("block-world")
    assert answer(written(box()), loader, drawn=False).accepted
    assert "Only .obj is taken" in answer(written(box()), loader, "older", drawn=False).to_json()["reasons"][0]
    tree = json.loads(written(box(), "gltf")["box.gltf"])
    files = {**written(box(), "gltf"), "box.gltf": json.dumps({**tree, "extensionsRequired": ["EXT_quay_fog"]}).encode()}
    assert answer(files, load_sheet("realtime-engine"), drawn=False).to_json()["reasons"] == [
        "The file requires EXT_quay_fog, which is not known here"
    ]


def test_only_the_gate_refuses_for_what_can_still_be_drawn():
    model = next(m for m in DEMO if m["folder"] == "reeds")
    for sheet in shipped():
        told = answer(sent(model, sheet=sheet), sheet, drawn=False)
        line = next(x for x in told.lines if x.check == "see-through.ignored")
        assert line.result == ("refused" if sheet.slug == STRICT.slug else "otherwise")


def test_the_block_loader_wants_its_folder_and_plain_names():
    made = textured(png((4, 4)), name="rope.png")
    loader = load_sheet("block-world")
    files = formats.write(made, "obj", "box", loader.writes)
    assert answer(files, loader, drawn=False).accepted
    flat = {path.replace("textures/", ""): data for path, data in files.items()}
    reasons = answer(flat, loader, drawn=False).to_json()["reasons"]
    assert any("does not lie in textures/" in reason for reason in reasons)
    shouted = {path.replace("box", "Box-1"): data for path, data in files.items()}
    assert any("file names may have" in reason for reason in answer(shouted, loader, drawn=False).to_json()["reasons"])


@pytest.mark.parametrize(
    ("files", "says"),
    [
        ({}, "There is no model"),
        ({"notes.txt": b"mud"}, "There is no model"),
        ({"hut.stl": b"solid"}, ".stl is not taken here"),
        ({"hut.glb": b"glTF"}, "it is cut off, or not laid out as glTF 2.0 wants it."),
        ({"hut.glb": b""}, "it is empty."),
        ({"hut.obj": b"v 0 0\nf 1 2 3\n"}, "line 2 is not laid out"),
    ],
)
def test_what_is_no_package_is_refused_in_a_sentence(files, says):
    told = answer(files, STRICT)
    assert told.accepted is False
    assert says in told.to_json()["reasons"][0]


def test_nothing_that_is_damaged_makes_a_destination_fall():
    dice = random.Random(11)
    whole = written(box())["box.glb"]
    for _ in range(120):
        data = bytearray(whole)
        for _ in range(dice.choice([1, 3, 12])):
            data[dice.randrange(min(len(data), 1500))] = dice.choice(b'0123456789-e.[]{},"\x00\xff')
        assert answer({"box.glb": bytes(data)}, STRICT, drawn=False).sheet == STRICT.slug


def test_the_picture_draws_backs_as_the_destination_does():
    from io import BytesIO

    from PIL import Image as Pillow

    # A sheet seen from behind: the gate, which hides backs, has nothing to draw of it.
    files = formats.write(scene(mesh([[0, 0, 0], [0, 1, 0], [1, 1, 0], [1, 0, 0]], [[0, 1, 2, 3]], "sheet")), "glb", "box")
    received = READERS["glb"](files, "box.glb")
    shares = []
    for slug in ("creator-platform-strict", "modelling-room"):
        drawn = np.asarray(Pillow.open(BytesIO(picture(received, load_sheet(slug)))).convert("RGB")).astype(int)
        shares.append(float((np.abs(drawn - drawn[0, 0]).sum(axis=2) > 40).mean()))
    assert shares[0] == 0
    assert shares[1] > 0.05


def test_a_parcel_is_a_folder_a_zip_or_a_file(tmp_path):
    from handlens.core.pipeline.packaged import as_zip

    files = {"hut.obj": b"v 0 0 0\n", "textures/oak.png": b"p", "handlens-manifest.json": b"{}"}
    for path, data in files.items():
        (tmp_path / "hut" / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "hut" / path).write_bytes(data)
    (tmp_path / "hut.zip").write_bytes(as_zip(files))
    ours = {"hut.obj", "textures/oak.png"}
    assert set(files_of(tmp_path / "hut")) == set(files_of(tmp_path / "hut.zip")) == ours
    assert set(files_of(tmp_path / "hut" / "hut.obj")) == {"hut.obj"}
    (tmp_path / "hut" / "away").symlink_to(tmp_path / "hut.zip")
    assert set(files_of(tmp_path / "hut")) == ours
    with pytest.raises(InputError, match="cannot be read"):
        files_of(tmp_path / "none.glb")


def test_points_that_nothing_draws_lie_nowhere():
    """A model whose lines reach far out: of what is drawn nothing is far."""
    far = replace(cube(), positions=np.concatenate([cube().positions, [[1e6, 0, 0]]]), lines=frozen(np.array([[0, 8]], np.int32)))
    for ending in ("glb", "usda", "obj"):
        told = answer(
            write_as(scene(far), ending, "box", load_sheet("modelling-room").writes).files, load_sheet("modelling-room")
        )
        assert "placement.far" not in {line.check for line in told.lines}, ending


def test_what_a_sheet_does_not_ask_is_no_line_and_odd_names_are_no_fall():
    quiet = msgspec.structs.replace(STRICT, results={**STRICT.results, "arrival.illegal-names": "off"})
    tree = json.loads(written(box(), "gltf")["box.gltf"])
    tree["nodes"][0]["name"] = "mud\ud800|(a]+"
    files = {**written(box(), "gltf"), "box.gltf": json.dumps(tree).encode()}
    told = answer(files, STRICT, drawn=False)
    assert "mud\ufffd|(a]+" in next(line.says for line in told.lines if line.check == "arrival.illegal-names")
    assert json.dumps(told.to_json(), ensure_ascii=False).encode()
    assert "arrival.illegal-names" not in {line.check for line in answer(files, quiet, drawn=False).lines}

"""What fits in an old one's place: one thing is broken at a time, and its row says so."""

import json
from dataclasses import replace

import numpy as np
import pytest

from handlens.cli import main
from handlens.core import formats
from handlens.core.proof.in_place import in_place
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Channel, Clip, Material, Node
from kit.scenes import cube, eel, scene


def crane(**more):
    nodes = (
        Node("0", "crane", children=(1, 2, 3)),
        Node("1", "jib", translation=(0, 3, 0), mesh=0),
        Node("2", "foot", mesh=1),
        Node("3", "hook_socket", translation=(2, 3, 0)),
    )
    two = replace(cube("foot"), slots=np.array([0, 0, 0, 1, 1, 1], np.int32), slot_materials=(0, 1))
    materials = (Material("a", "tar"), Material("b", "oak"))
    keyed = Channel(1, "translation", np.array([0, 1], np.float32), np.array([[0, 3, 0], [0, 4, 0]], np.float32))
    settings = {"nodes": nodes, "materials": materials, "clips": (Clip("c", "lift", (keyed,)),)} | more
    return scene(cube("jib"), two, **settings)


def node(k, **changes):
    made = crane()
    return made.with_(nodes=tuple(replace(n, **changes) if i == k else n for i, n in enumerate(made.nodes)))


BROKEN = [
    ("Names", "the part jib is gone", node(1, name="arm")),
    ("Names", "the part jib is gone", node(1, mesh=None)),
    ("Names", "the material oak is gone", crane(materials=(Material("a", "tar"), Material("b", "elm")))),
    ("Pivots", "jib stands 5 cm off", node(1, translation=(0.05, 3, 0))),
    ("Size", "it is 4.50 m tall and was 4.00 m", node(1, scale=(1, 1.5, 1))),
    ("Size", "its base is 0.10 m higher", node(0, translation=(0, 0.1, 0))),
    (
        "Slot order",
        "slot 1 of foot is oak and was tar",
        (m := crane()).with_(meshes=(m.meshes[0], replace(m.meshes[1], slot_materials=(1, 0)))),
    ),
    (
        "Slot order",
        "slot 2 of foot is gone",
        m.with_(meshes=(m.meshes[0], replace(m.meshes[1], slots=m.meshes[0].slots, slot_materials=(0,)))),
    ),
    ("Names", "the node crane is gone", node(0, name="derrick")),
    ("Clips", "the clip lift is gone", crane(clips=())),
    ("Sockets", "hook_socket is gone", node(3, name="hook_place")),
    ("Sockets", "hook_socket stands 0.50 m off", node(3, translation=(2.5, 3, 0))),
    ("Sockets", "hook_socket is turned by 90°", node(3, rotation=(0, float(np.sqrt(0.5)), 0, float(np.sqrt(0.5))))),
]


@pytest.mark.parametrize(("row", "words", "later"), BROKEN, ids=[f"{r}: {w}" for r, w, _ in BROKEN])
def test_one_thing_is_broken_and_its_row_says_so(row, words, later):
    made = in_place(crane(), later)
    told = {r.what: r.broke for r in made.rows}
    assert not made.fits
    assert any(words in b for b in told[row]), told


def test_what_is_the_same_fits_in_another_unit_axis_and_shape_too():
    assert in_place(crane(), crane()).fits
    in_cm = apply_mend(apply_mend(crane(), "size.scale", {"factor": 100}).scene, "size.up-axis", {"to": "Z"}).scene.with_(
        unit_metres=0.01
    )
    assert in_place(crane(), in_cm).fits
    finer = m.with_(meshes=(m.meshes[0], replace(m.meshes[1], positions=m.meshes[1].positions * [1, 1, 1.0])))
    assert in_place(crane(), finer).fits
    more = crane().with_(nodes=(*crane().nodes, Node("9", "flag", mesh=0, translation=(0, 0, 0))), roots=(0, 4))
    assert in_place(crane(), more).fits  # what came besides is nobody's trouble
    assert [r.count for r in in_place(crane(), crane()).rows] == [5, 2, 3, 3, 1, 1, 0]


def test_a_joint_that_is_gone_is_told():
    without = eel().with_(nodes=tuple(replace(n, name="skull") if n.name == "head" else n for n in eel().nodes))
    assert {r.what: r.broke for r in in_place(eel(), without).rows}["Joints"] == ["the joint head is gone"]


def test_on_the_command_line(tmp_path, capsys):
    for name, made in (("a", crane()), ("b", crane()), ("c", node(1, name="arm"))):
        (tmp_path / f"{name}.glb").write_bytes(formats.write(made, "glb", name)[f"{name}.glb"])
    assert main(["fits", str(tmp_path / "a.glb"), str(tmp_path / "b.glb")]) == 0
    capsys.readouterr()
    assert main(["fits", str(tmp_path / "a.glb"), str(tmp_path / "c.glb"), "--json", "-"]) == 1
    told = json.loads(capsys.readouterr().out)
    assert (told["fits"], told["rows"][0]["broke"]) == (False, ["the part jib is gone"])

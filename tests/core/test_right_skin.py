"""Skins that are valid but odd, or not quite valid: what is said of them, by whose name, and what mends them.

Rules of skins are those of glTF 2.0 (§3.7.3.1, §3.7.3.3, §5.28); the eel is made for these tests.
"""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.route.tape import apply_tape
from handlens.core.scene import Clip, Node
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import world_matrices
from kit.scenes import cube, eel, findings, mesh, round_trip


def with_skin(made, **changes):
    return made.with_(skins=(replace(made.skins[0], **changes),))


def turned(made, node, degrees):
    half = np.radians(degrees) / 2
    nodes = list(made.nodes)
    nodes[node] = replace(nodes[node], rotation=(0.0, 0.0, float(np.sin(half)), float(np.cos(half))))
    return made.with_(nodes=tuple(nodes), clips=())


def test_the_joint_that_was_turned_is_named_and_not_those_that_hang_on_it():
    found = findings(turned(eel(), 2, 20))["skin.bind-offset"][0]
    assert found.part == "waist"
    assert "since waist was moved" in found.title
    assert found.elements.total == 2


def test_without_bind_matrices_the_way_is_counted_from_where_the_surface_was_made():
    """World_j v instead of v: what hangs on the head, two metres up, is two metres off."""
    found = findings(with_skin(eel(), inverse_bind=None))["skin.no-bind"][0]
    assert "up to 2.00 m" in found.title


def test_joints_outside_the_scene_are_told_and_hung_into_it(tmp_path):
    made = eel()
    astray = made.with_(roots=(4,), nodes=tuple(replace(n, children=(1,)) if k == 0 else n for k, n in enumerate(made.nodes)))
    found = findings(astray)["skin.outside"][0]
    assert (found.result, found.elements.total) == ("stop", 3)
    after, runs = apply_tape(astray, [tuple(found.mends[0])])
    assert runs[0].applied
    back, proof = round_trip(after, "glb", tmp_path)
    assert proof.proved
    assert "skin.outside" not in findings(back)
    assert "skin.outside" not in findings(made)


def test_a_root_that_joints_do_not_hang_on_is_told_and_named_anew(tmp_path):
    assert "skin.root" not in findings(with_skin(eel(), skeleton=0)) | findings(with_skin(eel(), skeleton=1))
    wrong = with_skin(eel(), skeleton=2)
    found = findings(wrong)["skin.root"][0]
    assert "names waist as its root" in found.title
    after, _ = apply_tape(wrong, [tuple(found.mends[0])])
    assert after.skins[0].skeleton == 1
    assert "skin.root" not in findings(round_trip(after, "glb", tmp_path)[0])


def test_a_joint_past_the_last_at_weight_zero_is_told(tmp_path):
    import json

    from handlens.core import formats
    from handlens.core.packages import FolderPackage

    written, _ = round_trip(eel(), "gltf", tmp_path)
    assert "skin.beyond" not in findings(written)
    (path,) = tmp_path.glob("*.gltf")
    tree = json.loads(path.read_text())
    accessor = tree["accessors"][tree["meshes"][0]["primitives"][0]["attributes"]["JOINTS_0"]]
    view = tree["bufferViews"][accessor["bufferView"]]
    data = path.parent / tree["buffers"][view.get("buffer", 0)]["uri"]
    raw = bytearray(data.read_bytes())
    at = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
    size = {5121: 1, 5123: 2}[accessor["componentType"]]
    raw[at + 3 * size] = 99
    data.write_bytes(raw)
    found = findings(formats.read(FolderPackage(tmp_path), path.name))["skin.beyond"][0]
    assert found.result == "caution"
    assert "joint 99 is named at weight 0, though the skin has 3" in found.title


@pytest.mark.parametrize("lifted", [0.0, 0.7])
def test_joints_that_are_added_have_a_length_and_move_nothing(lifted):
    made = eel()
    made = made.with_(
        nodes=tuple(replace(n, translation=(0.0, lifted, 0.0)) if k == 1 else n for k, n in enumerate(made.nodes)),
        clips=(
            made.clips[0],
            Clip(
                "c1",
                "hop",
                (
                    replace(
                        made.clips[0].channels[0],
                        node=1,
                        path="translation",
                        values=np.float32([[0, lifted, 0], [0, 1, 0], [0, lifted, 0]]),
                    ),
                ),
            ),
        ),
    )
    after, runs = apply_tape(made, [("skin.add-joints", {"joints": ["ground", "haul"]})])
    assert runs[0].applied
    assert any("every pose of 2 clips" in k for k in runs[0].kept)
    world = world_matrices(after)[:, :3, 3]
    chain = [next(k for k, n in enumerate(after.nodes) if n.name == x) for x in ("ground", "haul", "foot")]
    assert (np.linalg.norm(np.diff(world[chain], axis=0), axis=1) > 0.1).all()
    assert "skin.no-length" not in findings(after)
    assert posed(after, 4) == pytest.approx(posed(made, 4), abs=1e-9)


def test_an_accessory_is_near_by_surfaces_and_not_by_vertices():
    """A hat in the middle of a face of the eel's side, far from each of its vertices, and one on the large face of a fin."""
    made = eel(2)
    hat = cube("hat", 0.04, (0.2, 0.98, -0.02))
    nodes = (*made.nodes, Node("n5", "hat", mesh=1))
    near = made.with_(nodes=nodes, roots=(*made.roots, 5), meshes=(*made.meshes, hat))
    assert findings(near)["skin.left-behind"][0].part == "hat"
    fin = mesh([[0.21, -3, 3], [0.21, -3, -3], [0.21, 5, 0]], [[0, 1, 2]], "fin")
    away = replace(fin, positions=fin.positions + np.array([0.9, 0, 0]))
    shown = lambda m: findings(
        made.with_(nodes=(*made.nodes, Node("n5", "fin", mesh=1)), roots=(*made.roots, 5), meshes=(*made.meshes, m))
    )
    assert "skin.left-behind" not in shown(away)


def test_a_joint_scaled_unevenly_is_told():
    made = eel()
    uneven = made.with_(nodes=tuple(replace(n, scale=(2.0, 1.0, 1.0)) if k == 2 else n for k, n in enumerate(made.nodes)))
    bound = with_skin(uneven, inverse_bind=np.linalg.inv(world_matrices(uneven)[[1, 2, 3]]))
    found = findings(bound)["skin.uneven-joints"][0]
    assert (found.part, found.measured["value"]) == ("waist", "2 × 1 × 1")
    assert "skin.uneven-joints" not in findings(made)


def test_a_clip_that_carries_the_rig_away_is_told():
    made = eel()
    away = replace(made.clips[0].channels[0], node=0, path="translation", values=np.float32([[0, 0, 0], [40, 0, 0], [80, 0, 0]]))
    gone = made.with_(clips=(Clip("c", "haul", (away,)),))
    assert any("80" in f.title for f in findings(gone)["motion.travel"])

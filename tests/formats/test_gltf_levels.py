"""Levels of detail by glTF's extension: written as its registry has it, read from others, and told where they name what is not there."""

import json
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest

from handlens.core import formats
from handlens.core.measures.draw_cost import draw_cost
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.rules import load_sheet
from handlens.core.scene import Node
from handlens.core.scene.generated import ROLE, property_text
from handlens.core.scene.transforms import world_matrices
from kit.scenes import scene
from kit.solids import icosphere

WANTS = msgspec.structs.replace(load_sheet("realtime-engine").writes, levels="extension")
EXTENSION = "MSFT_lod"


def opened(tmp_path: Path, files: dict[str, bytes], main: str):
    for path, data in files.items():
        (tmp_path / path).write_bytes(data)
    return formats.read(FolderPackage(tmp_path), main)


def roles(s):
    return {n.name: property_text(n, ROLE) for n in s.nodes}


@pytest.mark.parametrize("moved", [False, True])
def test_levels_go_out_and_come_back_in_the_place_of_their_part(tmp_path, moved):
    nodes = (
        Node("n0", "pier", (1.0, 2.0, 3.0), children=(1,)),
        Node("n1", "buoy", (0, 1, 0), (0, 0.6, 0, 0.8), (2, 2, 2), mesh=0),
    )
    made = apply_mend(scene(icosphere(3), nodes=nodes), "budget.levels", {"shares": "40;10"}).scene
    if moved:
        made = made.with_(nodes=(*made.nodes[:3], replace(made.nodes[3], translation=(0.5, 0.0, 0.0))))
    written = write_as(made, "gltf", "quay", WANTS)
    tree = json.loads(written.files["quay.gltf"])
    assert tree["extensionsUsed"] == [EXTENSION]
    assert tree["nodes"][1]["extensions"] == {EXTENSION: {"ids": [2, 3]}}
    assert tree["scenes"][0]["nodes"] == [0]
    assert "children" not in tree["nodes"][1]
    back = opened(tmp_path, written.files, "quay.gltf")
    assert written.proof(FolderPackage(tmp_path), "quay.gltf").proved
    assert back.nodes[1].children == (2, 3)
    assert roles(back) == {"pier": "", "buoy": "", "buoy_level_1": "level-1", "buoy_level_2": "level-2"}
    assert np.allclose(world_matrices(back), world_matrices(made), atol=1e-6)
    # Who does not know the extension sees the part as it is, and nothing twice.
    assert draw_cost(back) == draw_cost(made)
    # They go out again as they came, whatever the sheet leaves open.
    again = json.loads(write_as(back, "gltf", "quay").files["quay.gltf"])
    assert again["nodes"][1]["extensions"] == {EXTENSION: {"ids": [2, 3]}}


#: As in the registry's example: the finest in the scene, the others beside it, with hints of how much of the screen each wants.
OTHERS = {
    "asset": {"version": "2.0"},
    "scene": 0,
    "scenes": [{"nodes": [0]}],
    "extensionsUsed": [EXTENSION],
    "nodes": [
        {"name": "near", "mesh": 0, "extensions": {EXTENSION: {"ids": [1, 2]}}, "extras": {"screencoverage": [0.5, 0.2, 0.01]}},
        {"name": "middle", "mesh": 0},
        {"name": "far", "children": [3]},
        {"name": "far_hull", "mesh": 0},
    ],
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
    "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]}],
    "bufferViews": [{"buffer": 0, "byteLength": 36}],
    "buffers": [{"byteLength": 36, "uri": "t.bin"}],
}


def others(tmp_path, ids):
    tree = json.loads(json.dumps(OTHERS))
    tree["nodes"][0]["extensions"][EXTENSION]["ids"] = ids
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    return opened(tmp_path, {"q.gltf": json.dumps(tree).encode(), "t.bin": points}, "q.gltf")


def test_levels_of_others_are_told_apart_and_kept(tmp_path):
    came = others(tmp_path, [1, 2])
    assert roles(came) == {"near": "", "middle": "level-1", "far": "level-2", "far_hull": "level-2"}
    assert not came.problems
    assert draw_cost(came).triangles == 1
    # What the extension says is not written into properties that somebody else's file had none of.
    tree = json.loads(write_as(came, "gltf", "q").files["q.gltf"])
    assert [n.get("extras") for n in tree["nodes"]] == [{"screencoverage": [0.5, 0.2, 0.01]}, None, None, None]
    assert [n.get("children") for n in tree["nodes"]] == [None, None, [3], None]
    wanted = json.loads(write_as(came, "gltf", "q", WANTS).files["q.gltf"])
    assert wanted["nodes"] == tree["nodes"]
    # A node less: what the extension names follows.
    less = apply_mend(came, "arrival.remove-parts", {"parts": ["middle"]}).scene
    tree = json.loads(write_as(less, "gltf", "q").files["q.gltf"])
    named = [tree["nodes"][k]["name"] for k in tree["nodes"][0]["extensions"][EXTENSION]["ids"]]
    assert named == ["far"]
    assert tree["nodes"][0]["extras"] == {"screencoverage": [0.5, 0.2, 0.01]}


@pytest.mark.parametrize("ids", [[9], [0], [-1], [True], ["1"], [3], [1, 1], "no", None])
def test_what_is_no_level_is_told_and_read_all_the_same(tmp_path, ids):
    came = others(tmp_path, ids)
    assert [p.kind for p in came.problems] == ["broken-reference"]
    assert len(came.nodes) == 4


def test_a_chain_of_levels_of_levels_is_read_and_properties_of_another_kind_stay(tmp_path):
    """20,000 nodes, each the level of the next: walked over once, not once for each."""
    count = 20_000
    nodes = [{"extensions": {EXTENSION: {"ids": [k - 1]}}} if k else {"extras": [1, 2]} for k in range(count)]
    tree = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [count - 1]}], "nodes": nodes}
    came = opened(tmp_path, {"c.gltf": json.dumps(tree).encode()}, "c.gltf")
    assert came.nodes[0].extras["extras"] == [1, 2]
    assert [n.children for n in came.nodes[:3]] == [(), (0,), (1,)]
    with_ring = json.loads(json.dumps(tree))
    with_ring["nodes"][0]["extensions"] = {EXTENSION: {"ids": [2]}}
    with_ring["nodes"] = with_ring["nodes"][:3]
    with_ring["scenes"][0]["nodes"] = [0]
    ring = opened(tmp_path, {"r.gltf": json.dumps(with_ring).encode()}, "r.gltf")
    # A ring is broken where it would close.
    assert sum(len(n.children) for n in ring.nodes) == 2
    assert len(ring.problems) == 1

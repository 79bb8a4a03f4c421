"""Numbers at and past the edge of what floats hold: a report or one sentence, never a traceback, and JSON that is JSON."""

import base64
import json
import struct
import warnings

import numpy as np
import pytest

from handlens import cli
from handlens.core.display import display_copy
from handlens.core.judge import judge
from handlens.core.measures import Measures, collect
from handlens.core.pipeline.opening import open_scene
from handlens.core.rules import Intent, shipped
from kit.scenes import ledger

TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
KEYS = struct.pack("<6f", float("nan"), 1, 2, 3, 4, 5)


def uri(data):
    return {"byteLength": len(data), "uri": "data:;base64," + base64.b64encode(data).decode()}


def gltf(*nodes, **more):
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": list(nodes),
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5126, "count": 1, "type": "SCALAR"},
            {"bufferView": 1, "byteOffset": 4, "componentType": 5126, "count": 1, "type": "VEC3"},
        ],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 1, "byteLength": 24}],
        "buffers": [uri(TRIANGLE), uri(KEYS)],
    }
    return json.dumps({**tree, **more})


FACE = "v 1 0 0\nv 0 1 0\nf 1 2 3\n"
CASES = {
    "past_32_bits.obj": "v 1e39 0 0\n" + FACE,
    "at_the_end.obj": "v 1e308 0 0\nv -1e308 0 0\nv 0 1e308 0\nf 1 2 3\n",
    "infinite.obj": "v inf 0 0\n" + FACE,
    "tiny.obj": "v 1e-300 0 0\nv 0 1e-300 0\nv 0 0 1e-300\nf 1 2 3\n",
    "piled_up.gltf": gltf({"scale": [1e200] * 3, "children": [1]}, {"scale": [1e200] * 3, "mesh": 0}),
    "scale_zero.gltf": gltf({"scale": [0, 0, 0], "mesh": 0}),
    "scale_flat.gltf": gltf({"scale": [1, 0, 1], "children": [1]}, {"mesh": 0, "rotation": [0.6, 0, 0, 0.8]}),
    "no_turn.gltf": gltf({"rotation": [0, 0, 0, 0], "mesh": 0}),
    "zero_matrix.gltf": gltf({"matrix": [0] * 16, "mesh": 0}),
    "far_away.gltf": gltf({"translation": [1e300, 0, 0], "mesh": 0}),
    "key_without_time.gltf": gltf(
        {"mesh": 0},
        animations=[
            {"samplers": [{"input": 1, "output": 2}], "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}]}
        ],
    ),
}
MENDS = ["placement.bake", "size.scale:factor=100", "placement.home", "size.up-axis:to=Z", "arrival.remove:what=unused"]


def strict(text):
    def refuse(constant):
        raise AssertionError(f"{constant} is no JSON")

    return json.loads(text, parse_constant=refuse)


@pytest.mark.parametrize("name", CASES)
def test_reports_are_json(name, tmp_path, capsys):
    (tmp_path / name).write_text(CASES[name])
    assert cli.main(["inspect", str(tmp_path / name), "--json", "-"]) in (0, 1)
    out = capsys.readouterr()
    assert strict(out.out)["schema"] == 1
    assert out.err == ""


@pytest.mark.parametrize("name", CASES)
def test_screens_are_json_too(name, tmp_path):
    (tmp_path / name).write_text(CASES[name])
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)
        made = open_scene(tmp_path / name)[2]
        assert display_copy(made)[:4] == b"HLST"
        measures = Measures.from_bytes(collect(made).to_bytes())
        for sheet in shipped():
            strict(json.dumps(ledger(measures, sheet, Intent(), judge(measures, sheet, Intent()))))


@pytest.mark.parametrize("name", CASES)
@pytest.mark.parametrize("call", [*MENDS, "glb", "obj"])
def test_mends_and_exports_end_in_a_file_or_a_sentence(name, call, tmp_path, capsys):
    (tmp_path / name).write_text(CASES[name])
    wish = (
        ["export", "--format", call, "--proof", str(tmp_path / "proof.json")]
        if call in ("glb", "obj")
        else ["mend", "--mend", call]
    )
    assert cli.main([wish[0], str(tmp_path / name), *wish[1:], "--out", str(tmp_path / "out") + "/"]) in (0, 1)
    assert len(capsys.readouterr().err.splitlines()) <= 1
    for path in (tmp_path / "out").iterdir():
        if path.suffix in (".glb", ".obj", ".gltf"):
            open_scene(path)

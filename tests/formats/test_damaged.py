"""One thing changed at a time in a written file: each is refused, or the proof sees it."""

import copy
import json
from collections.abc import Iterator
from typing import Any

import numpy as np

from handlens.core import formats
from handlens.core.limits import InputError
from handlens.core.proof import prove
from kit.everything import everything
from kit.scenes import read_files

#: What says nothing of the model: how buffers are cut up, who wrote it, bounds that readers work out anew, and lists of what is used.
INERT = {
    "generator",
    "target",
    "min",
    "max",
    "byteLength",
    "byteStride",
    "extensionsUsed",
    "extensionsRequired",
    "mimeType",
    "count",
    "normalized",
    "version",
    "componentType",
    "byteOffset",
}


def leaves(tree: Any, path: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    inside = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for key, value in inside:
        if key not in INERT:
            yield from leaves(value, (*path, key)) if isinstance(value, dict | list) else [(*path, key)]


def changed(value: Any) -> Any:
    if isinstance(value, bool):
        return not value
    if isinstance(value, int):
        return value - 1 if value else 1
    return value + 0.0625 if isinstance(value, float) else {"LINEAR": "STEP", "STEP": "LINEAR"}.get(value, f"x{value}")


def without(tree: dict[str, Any], path: tuple[str | int, ...], made: Any = None) -> dict[str, Any]:
    """The tree with another value at a path, or with none."""
    out = copy.deepcopy(tree)
    place: Any = out
    for key in path[:-1]:
        place = place[key]
    if made is None:
        del place[path[-1]]
    else:
        place[path[-1]] = made
    return out


def test_every_value_of_a_file_is_seen(tmp_path):
    files = formats.write(everything(), "gltf", "a")
    sent = read_files(tmp_path / "sent", files, "a.gltf")
    tree = json.loads(files["a.gltf"])
    tried, missed = 0, []
    for path in leaves(tree):
        value = tree
        for key in path:
            value = value[key]
        other = without(tree, path, changed(value))
        try:
            back = read_files(tmp_path / "back", {**files, "a.gltf": json.dumps(other)}, "a.gltf")
        except InputError:
            continue
        tried += 1
        if prove(sent, back).proved:
            missed.append((*path, value))
    assert tried > 150
    assert missed == [], str(missed)


def test_every_run_of_numbers_is_seen(tmp_path):
    """The first and the last number of each accessor, moved by a sixteenth of its reach."""
    files = formats.write(everything(), "gltf", "a")
    sent = read_files(tmp_path / "sent", files, "a.gltf")
    tree = json.loads(files["a.gltf"])
    kinds, widths = (
        {5121: "u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"},
        {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16},
    )
    missed = []
    for number, accessor in enumerate(tree["accessors"]):
        size = accessor["count"] * widths[accessor["type"]]
        for at in (0, size - 1):
            data = bytearray(files["a.bin"])
            start = tree["bufferViews"][accessor["bufferView"]].get("byteOffset", 0) + accessor.get("byteOffset", 0)
            values = np.frombuffer(data, kinds[accessor["componentType"]], size, start)
            values[at] = (
                (1 if values[at] == 0 else 0)
                if values.dtype.kind == "u"
                else values[at] + max(float(np.abs(values).max()), 1) / 16
            )
            try:
                back = read_files(tmp_path / "back", {**files, "a.bin": bytes(data)}, "a.gltf")
            except InputError:
                continue
            if prove(sent, back).proved:
                missed.append((number, accessor["type"], at))
    # The joint of an influence of no weight, and how long before its first key a clip in steps waits, mean nothing.
    assert [m[1:] for m in missed] == [("VEC4", 71), ("VEC4", 71), ("VEC4", 7), ("VEC4", 3), ("SCALAR", 0)], str(missed)

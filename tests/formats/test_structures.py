"""Random scenes by hypothesis: whatever stands in them is written, read back and proved in every format."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from handlens.core import formats
from handlens.core.format_table import WRITERS
from handlens.core.packages import FolderPackage
from handlens.core.proof import prove
from handlens.core.scene import Layer, Material, Mesh, Node, Scene

#: Names as people give them: blanks, signs of markup, other alphabets, path signs, nothing at all.
NAMES = st.one_of(
    st.sampled_from(["", "crate", "crate", "tarred <rope> & \"net\"", "Fähre 2", "ボート", "a/b\\c", "#1", "  two  words ", "mesh", "0", "it's", "usemtl x", "</node>", "{}"]),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Co", "Cn")), max_size=12),
)  # fmt: skip
SMALL = st.floats(-4, 4, width=32)


@st.composite
def meshes(draw: st.DrawFn, number: int, materials: int) -> Mesh:
    """Flat polygons of three to seven corners, each in a place of its own, with or without layers, lines and loose points."""
    counts = draw(st.lists(st.integers(3, 7), min_size=1, max_size=6))
    points, corners = [], []
    for f, n in enumerate(counts):
        turn = 2 * np.pi * np.arange(n) / n
        corners += range(len(points), len(points) + n)
        points += np.stack([np.cos(turn) + 3 * f, np.sin(turn), np.full(n, 0.25 * f)], axis=1).astype(np.float32).tolist()
    c = len(corners)
    random = np.random.default_rng(draw(st.integers(0, 2**31)))

    def layer(width: int, gaps: bool = False) -> Layer:
        values = random.random((draw(st.integers(1, c)), width)).astype(np.float32)
        index = random.integers(-1 if gaps else 0, len(values), c).astype(np.int32)
        return Layer(values, index)

    normals = None
    if draw(st.booleans()):
        raw = layer(3)
        normals = Layer(np.float32(raw.values / np.linalg.norm(raw.values, axis=1, keepdims=True)), raw.index)
    lines = random.integers(0, len(points), (draw(st.integers(0, 2)), 2)).astype(np.int32)
    slots = random.integers(0, max(materials, 1), len(counts)).astype(np.int32)
    return Mesh(
        f"mesh:{number}", draw(NAMES), np.array(points, np.float64), np.array(corners, np.int32), np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        slots, tuple(range(materials)) or (-1,), tuple(layer(2) for _ in range(draw(st.integers(0, 2)))), normals,
        colours=(layer(3),) if draw(st.booleans()) else (), lines=lines[lines[:, 0] != lines[:, 1]],
    )  # fmt: skip


@st.composite
def scenes(draw: st.DrawFn) -> Scene:
    """Up to five nodes in a random tree, some of them sharing a mesh, turned, scaled and mirrored."""
    materials = tuple(
        Material(f"material:{k}", draw(NAMES), (*draw(st.lists(st.floats(0, 1, width=16), min_size=3, max_size=3)), 1.0), alpha_mode="opaque", double_sided=False)
        for k in range(draw(st.integers(0, 2)))
    )  # fmt: skip
    made = tuple(draw(meshes(k, len(materials))) for k in range(draw(st.integers(1, 3))))
    count = draw(st.integers(1, 5))
    parents = [draw(st.integers(-1, i - 1)) for i in range(count)]
    nodes = []
    for i in range(count):
        q = np.array(draw(st.lists(SMALL, min_size=4, max_size=4)), float)
        q = q / np.linalg.norm(q) if np.linalg.norm(q) > 0.1 else np.array([0.0, 0, 0, 1])
        scale = draw(st.sampled_from([(1.0, 1.0, 1.0), (2.0, 2.0, 2.0), (-1.0, 1.0, 1.0), (0.5, 0.5, 0.5)]))
        nodes.append(
            Node(
                f"node:{i}", draw(NAMES), tuple(draw(st.lists(SMALL, min_size=3, max_size=3))), tuple(q.tolist()), scale,
                children=tuple(j for j in range(count) if parents[j] == i), mesh=draw(st.one_of(st.none(), st.integers(0, len(made) - 1))),
            )
        )  # fmt: skip
    unit = draw(st.sampled_from([None, 1.0, 0.01, 0.0254]))
    return Scene(
        "dae",
        tuple(nodes),
        tuple(i for i in range(count) if parents[i] < 0),
        made,
        materials,
        unit_metres=unit,
        up_axis=draw(st.sampled_from([None, "Y", "Z"])),
    )


@pytest.mark.parametrize("name", WRITERS)
def test_any_scene_is_written_and_proved(name):
    @settings(
        max_examples=10 if name.startswith("usd") else 40,
        deadline=None,
        derandomize=True,
        suppress_health_check=list(HealthCheck),
    )
    @given(scenes())
    def check(sent: Scene) -> None:
        with tempfile.TemporaryDirectory() as folder:
            files = formats.write(sent, name, "thing")
            for path, data in files.items():
                Path(folder, path).write_bytes(data)
            back = formats.read(FolderPackage(Path(folder)), next(iter(files)))
        stops = [r for r in prove(sent, back).rows if r.result == "stop"]
        assert not stops, stops

    check()

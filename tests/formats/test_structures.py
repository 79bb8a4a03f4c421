"""Random scenes by hypothesis: whatever stands in them is written, read back and proved in every format."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.formats.table import BY_NAME, WRITERS
from handlens.core.scene import Image, Layer, Material, Mesh, Node, Scene, TextureInput
from handlens.core.surface.decoded import opened
from kit.scenes import round_trip

#: Names as people give them: blanks, signs of markup, other alphabets, path signs, nothing at all.
NAMES = st.one_of(
    st.sampled_from(
        [
            "",
            "crate",
            "crate",
            'tarred <rope> & "net"',
            "Fähre 2",
            "ボート",
            "a/b\\c",
            "#1",
            "  two  words ",
            "mesh",
            "0",
            "it's",
            "usemtl x",
            "quay\\",
            "</node>",
            "{}",
            "a\x00b\x1f\nc",
            "\ufffe",
        ]
    ),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cs",)), max_size=12),
)
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
    groups = random.integers(0, 3, len(counts)).astype(np.int32) if draw(st.booleans()) else None
    smooth = random.integers(0, 4, len(counts)).astype(np.int32) if draw(st.booleans()) else None
    return Mesh(
        f"mesh:{number}",
        draw(NAMES),
        np.array(points, np.float64),
        np.array(corners, np.int32),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        slots,
        tuple(range(materials)) or (-1,),
        tuple(layer(2) for _ in range(draw(st.integers(0, 2)))),
        normals,
        colours=(layer(3),) if draw(st.booleans()) else (),
        lines=lines[lines[:, 0] != lines[:, 1]],
        smooth=smooth,
        groups=groups,
        group_names=("lid", draw(NAMES), "rim") if groups is not None else (),
    )


def _picture(k: int, kind: str) -> bytes:
    pixels = np.random.default_rng(k).integers(0, 256, (4 + k, 4, 4)).astype(np.uint8)
    out = io.BytesIO()
    Pillow.fromarray(pixels).convert("RGBA" if kind in ("PNG", "TGA") else "RGB").save(out, kind)
    return out.getvalue()


#: Pictures of several kinds, one that cannot be opened and one that did not come along.
PICTURES = (
    *((f"net {k}.{kind.lower()}", _picture(k, kind)) for k, kind in enumerate(("PNG", "JPEG", "TGA", "BMP"))),
    ("spoilt.png", b"no picture"),
    ("gone.png", None),
)
ROLES = ("base-colour", "emissive", "alpha", "roughness", "metallic", "normal", "bump", "specular")


def images() -> tuple[Image, ...]:
    return tuple(
        Image(
            f"image:{k}",
            name,
            name,
            "missing" if data is None else "found",
            name if data else None,
            None,
            None if data is None else lambda data=data: data,
        )
        for k, (name, data) in enumerate(PICTURES)
    )


@st.composite
def materials(draw: st.DrawFn, number: int) -> Material:
    """Values within their range, and pictures plugged into any of the inputs that COLLADA and a material library have."""
    share = st.floats(0, 1, width=16)
    colour = st.tuples(share, share, share)
    roles = draw(st.lists(st.sampled_from(ROLES), max_size=4, unique=True))
    inputs = tuple(TextureInput(r, (r,), draw(st.integers(0, len(PICTURES) - 1)), draw(st.integers(0, 1))) for r in roles)
    mode = draw(st.sampled_from(["opaque", "mask", "blend", None]))
    return Material(
        f"material:{number}",
        draw(NAMES),
        (*draw(colour), draw(st.sampled_from([1.0, 1.0, 0.5]))),
        draw(st.one_of(st.none(), share)),
        draw(st.one_of(st.none(), share)),
        draw(colour),
        mode,
        0.5 if mode == "mask" else None,
        draw(st.booleans()),
        inputs,
    )


@st.composite
def scenes(draw: st.DrawFn) -> Scene:
    """Up to five nodes in a random tree, some of them sharing a mesh, turned, scaled and mirrored."""
    made_of = tuple(draw(materials(k)) for k in range(draw(st.integers(0, 2))))
    made = tuple(draw(meshes(k, len(made_of))) for k in range(draw(st.integers(1, 3))))
    count = draw(st.integers(1, 5))
    parents = [draw(st.integers(-1, i - 1)) for i in range(count)]
    nodes = []
    for i in range(count):
        q = np.array(draw(st.lists(SMALL, min_size=4, max_size=4)), float)
        q = q / np.linalg.norm(q) if np.linalg.norm(q) > 0.1 else np.array([0.0, 0, 0, 1])
        scale = draw(st.sampled_from([(1.0, 1.0, 1.0), (2.0, 2.0, 2.0), (-1.0, 1.0, 1.0), (0.5, 0.5, 0.5)]))
        nodes.append(
            Node(
                f"node:{i}",
                draw(NAMES),
                tuple(draw(st.lists(SMALL, min_size=3, max_size=3))),
                tuple(q.tolist()),
                scale,
                children=tuple(j for j in range(count) if parents[j] == i),
                mesh=draw(st.one_of(st.none(), st.integers(0, len(made) - 1))),
            )
        )
    unit = draw(st.sampled_from([None, 1.0, 0.01, 0.0254]))
    return Scene(
        "dae",
        tuple(nodes),
        tuple(i for i in range(count) if parents[i] < 0),
        made,
        made_of,
        images(),
        unit_metres=unit,
        up_axis=draw(st.sampled_from([None, "Y", "Z"])),
    )


@pytest.mark.parametrize("name", WRITERS)
def test_any_scene_is_written_and_proved(name):
    @settings(
        max_examples=8 if name.startswith("usd") else 25,
        deadline=None,
        derandomize=True,
        suppress_health_check=list(HealthCheck),
    )
    @given(scenes())
    def check(sent: Scene) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lost = formats.what_is_lost(sent, name)
            back, proof = round_trip(sent, name, Path(folder))
            stops = [r for r in proof.rows if r.result == "stop"]
            assert not stops, (stops, lost)
            assert all(sentence.endswith(".") for sentence in lost)
            # 3MF has a picture only where there are UVs to lay it by.
            if "images" in BY_NAME[name].holds and name != "3mf":
                # What can be opened and is the colour of something comes out as a colour, whatever else hangs on the material.
                used = {k for n in sent.nodes if n.mesh is not None for k in sent.meshes[n.mesh].slot_materials if k >= 0}
                wanted = sum(_coloured(sent, sent.materials[k]) for k in used)
                assert sum(_coloured(back, m) for m in back.materials) >= wanted

    check()


def _coloured(made: Scene, m: Material) -> bool:
    found = next((t for t in m.inputs if t.role == "base-colour" and t.image is not None), None)
    return found is not None and opened(made.images[found.image]) is not None

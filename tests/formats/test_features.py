"""What each format holds: a scene with one feature is written and read back, and the table in docs/formats.md says the same."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Picture

from handlens.core import formats
from handlens.core.colour import converted
from handlens.core.format_table import BY_NAME, FEATURES, FORMATS, WRITERS
from handlens.core.formats.opacity import in_colour
from handlens.core.packages import FolderPackage
from handlens.core.proof import prove
from handlens.core.scene import Camera, Channel, Clip, Image, Layer, Light, Material, Morph, Node, Scene, TextureInput
from scenes import CUBE_POINTS, cube, mesh, rigged, scene, triangles_of

DOCS = Path(__file__).parents[2] / "docs" / "formats.md"


def _png() -> bytes:
    out = io.BytesIO()
    Picture.new("RGBA", (4, 4), (200, 120, 40, 128)).save(out, "PNG")
    return out.getvalue()


def _with_layers(**more):
    """A cube of triangles with layers of its own on every corner."""
    made = triangles_of(cube())
    index = np.arange(len(made.corners), dtype=np.int32)
    spread = np.random.default_rng(3).random((len(index), 4)).astype(np.float32)
    layers = {
        "uvs": tuple(Layer(np.ascontiguousarray(spread[:, k : k + 2]), index) for k in range(more.get("uv_sets", 1))),
        "normals": Layer(spread[:, :3] / np.linalg.norm(spread[:, :3], axis=1, keepdims=True), index)
        if more.get("normals")
        else None,
        "colours": (Layer(np.ascontiguousarray(spread[:8, :3]), made.corners),) if more.get("colours") else (),
    }
    return replace(made, **layers)


def _painted(**material) -> Scene:
    picture = Image("image:0", "rope", "rope.png", "embedded", None, "image/png", _png)
    slot = TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0, **material.pop("slot", {}))
    return scene(_with_layers(), materials=(Material("m", "rope", inputs=(slot,), **material),), images=(picture,))


def _moving(*names: str | None) -> Scene:
    times = np.array([0.0, 1.0], np.float32)
    channel = Channel(0, "translation", times, np.array([[0, 0, 0], [0, 2, 0]], np.float32))
    return scene(triangles_of(cube()), clips=tuple(Clip(f"c{k}", n, (channel,)) for k, n in enumerate(names)))


def _still_channel() -> Scene:
    """One channel that moves, and one that keeps the node as it is."""
    made = _moving("sway")
    still = Channel(0, "scale", np.array([0.0, 1.0], np.float32), np.ones((2, 3), np.float32))
    return made.with_(clips=(replace(made.clips[0], channels=(*made.clips[0].channels, still)),))


def _tree() -> Scene:
    nodes = (Node("a", "post", translation=(1, 2, 3), children=(1,)), Node("b", "lamp", scale=(2, 2, 2), mesh=0))
    return scene(triangles_of(cube()), nodes=nodes)


PENTAGON = mesh([[0, 0, 0], [2, 0, 0], [2, 1, 0], [1, 2, 0], [0, 1, 0]], [[0, 1, 2, 3, 4]], "sign")
TWO = (Node("a", "crate", mesh=0), Node("b", "crate too", translation=(3, 0, 0), mesh=0))

#: Feature -> a scene that has it, and how one tells that it is still there.
PROBES: dict[str, tuple[Callable[[], Scene], Callable[[Scene], bool]]] = {
    "unit": (lambda: scene(triangles_of(cube()), unit_metres=0.01, format="dae"), lambda s: s.unit_metres is not None),
    "up axis": (lambda: scene(triangles_of(cube()), up_axis="Z", format="dae"), lambda s: s.up_axis is not None),
    "parts": (lambda: scene(triangles_of(cube()), triangles_of(cube("peg", 0.5))), lambda s: sum(n.mesh is not None for n in s.nodes) == 2),
    "node tree": (_tree, lambda s: any(n.children and not np.allclose(n.local, np.eye(4)) for n in s.nodes)),
    "instances": (lambda: scene(triangles_of(cube()), nodes=TWO), lambda s: len(s.meshes) == 1 and sum(n.mesh is not None for n in s.nodes) == 2),
    "polygons": (lambda: scene(PENTAGON), lambda s: int(s.meshes[0].corner_counts[0]) == 5),
    "lines": (lambda: scene(replace(PENTAGON, lines=np.array([[0, 2]], np.int32))), lambda s: any(len(m.lines) for m in s.meshes)),
    "points": (lambda: scene(replace(PENTAGON, points=np.array([0, 3], np.int32))), lambda s: any(len(m.points) for m in s.meshes)),
    "one UV set": (_painted, lambda s: len(s.meshes[0].uvs) == 1),
    "UV sets": (lambda: scene(_with_layers(uv_sets=2)), lambda s: len(s.meshes[0].uvs) == 2),
    "normals": (lambda: scene(_with_layers(normals=True)), lambda s: s.meshes[0].normals is not None and len(s.meshes[0].normals.values) > 12),
    "vertex colours": (lambda: scene(_with_layers(colours=True)), lambda s: bool(s.meshes[0].colours)),
    "tangents": (
        lambda: scene(replace(_with_layers(normals=True), tangents=Layer(np.tile([1.0, 0, 0, 1], (36, 1)), np.arange(36, dtype=np.int32)))),
        lambda s: s.meshes[0].tangents is not None,
    ),
    "smoothing groups": (lambda: scene(replace(PENTAGON, smooth=np.array([3], np.int32)), format="obj"), lambda s: s.meshes[0].smooth is not None),
    "face groups": (
        lambda: scene(replace(triangles_of(cube()), groups=np.repeat([0, 1, 0, 2], 3).astype(np.int32), group_names=("lid", "box", "rim")), format="obj"),
        lambda s: s.meshes[0].groups is not None and [s.meshes[0].group_names[g] for g in s.meshes[0].groups[::3]] == ["lid", "box", "lid", "rim"],
    ),
    "tinted images": (
        lambda: _painted(alpha_mode="opaque", base_colour=(0.5, 0.25, 1.0, 1.0)),
        lambda s: any(m.inputs and np.allclose(converted(m.base_colour[:3], BY_NAME[s.format].linear, True), [0.5, 0.25, 1.0], atol=1e-3) for m in s.materials),
    ),
    "materials": (lambda: scene(triangles_of(cube())), lambda s: len(s.materials) == 1),
    "alpha modes": (lambda: _painted(alpha_mode="mask", alpha_cutoff=0.25), lambda s: [(m.alpha_mode, m.alpha_cutoff) for m in s.materials] == [("mask", 0.25)]),
    "see-through images": (
        lambda: _painted(alpha_mode="blend"),
        lambda s: bool(s.images) and [(m.alpha_mode, any(t.image is not None for t in m.inputs)) for m in in_colour(s)[0].materials] == [("blend", True)],
    ),
    "double-sided": (lambda: _painted(alpha_mode="opaque", double_sided=True), lambda s: any(m.double_sided for m in s.materials)),
    "images": (_painted, lambda s: [i.bytes() for i in s.images] == [_png()]),
    "texture transforms": (
        lambda: _painted(alpha_mode="opaque", slot={"transform": {"scale": [2.0, 3.0]}, "options": {"extensions": {"KHR_texture_transform": {"scale": [2.0, 3.0]}}}}),
        lambda s: any(t.transform and np.allclose(t.transform["scale"], [2, 3]) for m in s.materials for t in m.inputs),
    ),
    "skins": (lambda: rigged(np.random.default_rng(1), clip=False), lambda s: len(s.skins) == 1 and len(s.skins[0].joints) == 3),
    "morph targets": (lambda: scene(replace(PENTAGON, morphs=(Morph("sag", np.full((5, 3), 0.1)),))), lambda s: bool(s.meshes[0].morphs)),
    "clips": (lambda: _moving("sway"), lambda s: len(s.clips) == 1 and s.clips[0].seconds == 1.0),
    "further clips": (lambda: _moving("sway", "lift"), lambda s: [c.name for c in s.clips] == ["sway", "lift"]),
    "channels": (_still_channel, lambda s: sum(len(c.channels) for c in s.clips) == 2),
    "cameras": (lambda: _held(camera=0, cameras=(Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}),)), lambda s: len(s.cameras) == 1),
    "lights": (lambda: _held(light=0, lights=(Light("lamp", {"type": "point"}),)), lambda s: len(s.lights) == 1),
    "ambient lights": (lambda: _held(light=0, lights=(Light("sky", {"type": "ambient"}),)), lambda s: len(s.lights) == 1),
    "unplaced meshes": (
        lambda: scene(triangles_of(cube()), triangles_of(cube("spare")), nodes=(Node("a", "crate", mesh=0),)),
        lambda s: len(s.meshes) == 2 and sum(n.mesh is not None for n in s.nodes) == 1,
    ),
    "names": (lambda: scene(triangles_of(cube("the crate"))), lambda s: "the crate" in {s.part_name(i) for i in range(len(s.nodes))}),
}  # fmt: skip


def _held(cameras=(), lights=(), **held) -> Scene:
    nodes = (Node("a", "crate", mesh=0), Node("b", "stand", **held))
    return scene(triangles_of(cube()), nodes=nodes, cameras=cameras, lights=lights)


def round_trip(made: Scene, name: str, folder: Path) -> Scene:
    files = formats.write(made, name, "thing")
    for path, data in files.items():
        (folder / path).write_bytes(data)
    return formats.read(FolderPackage(folder), next(iter(files)))


@pytest.mark.parametrize("name", WRITERS)
@pytest.mark.parametrize("feature", PROBES)
def test_what_the_table_says_is_so(feature, name, tmp_path):
    made, there = PROBES[feature]
    sent = made()
    back = round_trip(sent, name, tmp_path)
    held = feature in BY_NAME[name].holds
    assert there(back) == held
    stops = [r for r in prove(sent, back).rows if r.result == "stop"]
    assert not stops
    # What is not held is said before writing, unless nothing of the model hangs on it.
    said = formats.what_is_lost(sent, name)
    if not held and feature not in ("channels", "names", "up axis", "unit"):
        assert said, f"{name} loses {feature} without a word"


def test_every_feature_is_probed():
    assert set(PROBES) == set(FEATURES)


def table() -> str:
    """The table of docs/formats.md: r read, w written and proved."""
    out = [
        "# Formats\n",
        "Made by `tests/formats/test_features.py` (`HANDLENS_WRITE_DOCS=1`): a scene with each feature is written, read back and proved.",
        "`r` read, `w` written and proved; – is not held by the format, and said before writing.\n",
        "| | " + " | ".join(f.name for f in FORMATS) + " |",
        "|---|" + "---|" * len(FORMATS),
    ]
    for feature in FEATURES:
        cells = [("r" + "w" * bool(f.writer)) if feature in f.holds else "–" for f in FORMATS]
        out.append(f"| {feature} | " + " | ".join(cells) + " |")
    return "\n".join(out) + "\n"


def test_the_table_in_the_documents_is_this_one():
    if os.environ.get("HANDLENS_WRITE_DOCS"):
        DOCS.write_text(table())
    assert DOCS.read_text() == table()


def test_a_binary_stage_reads_as_its_text_does(tmp_path):
    """The same stage in both kinds, converted by the reference library itself."""
    from pxr import Usd

    sent = rigged(np.random.default_rng(2), clip=False)
    round_trip(sent, "usda", tmp_path)
    stage = Usd.Stage.Open(str(tmp_path / "thing.usda"))
    stage.GetRootLayer().Export(str(tmp_path / "thing.usdc"))
    back = formats.read(FolderPackage(tmp_path), "thing.usdc")
    assert back.format == "usdc"
    assert prove(sent, back).proved


def test_positions_keep_every_bit_where_the_format_can(tmp_path):
    far = cube(at=(965_606.03125, 0.1, -1e-7))
    for name in ("obj", "ply", "dae"):
        back = round_trip(scene(far, format="obj"), name, tmp_path)
        assert np.array_equal(
            np.unique(back.meshes[0].positions, axis=0), np.unique(CUBE_POINTS + np.array([965_606.03125, 0.1, -1e-7]), axis=0)
        ), name

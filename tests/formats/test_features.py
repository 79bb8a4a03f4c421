"""What each format holds: a scene with one feature is written and read back, and the table in docs/formats.md says the same."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.formats.conform import STEPS, conform
from handlens.core.formats.table import BY_NAME, FEATURES, FORMATS, WRITERS
from handlens.core.packages import FolderPackage
from handlens.core.proof import ASPECTS, prove, prove_conformed
from handlens.core.proof.compared import Compared
from handlens.core.proof.tolerances import DOUBLE, SINGLE, TOLD
from handlens.core.scene import Camera, Channel, Clip, Image, Layer, Light, Material, Morph, Node, Scene, TextureInput
from handlens.core.surface.colour import converted
from handlens.core.surface.opacity import in_colour
from kit.everything import everything
from kit.painted import PENTAGON, _with_layers, painted_scene, rope_png
from kit.scenes import CUBE_POINTS, cube, mesh, rigged, round_trip, scene, triangles_of

DOCS = Path(__file__).parents[2] / "docs"


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


def _gappy() -> Scene:
    """One material, and two of its faces without UVs: they must not take those of the others away."""
    made = _with_layers()
    index = made.uvs[0].index.copy()
    index[:6] = -1
    return scene(
        replace(made, uvs=(Layer(made.uvs[0].values, index),)), materials=painted_scene().materials, images=painted_scene().images
    )


def _lost() -> Scene:
    return painted_scene(alpha_mode="opaque").with_(images=(Image("image:0", "lost.png", "maps/lost.png", "missing"),))


def _occluded() -> Scene:
    made = painted_scene(alpha_mode="opaque")
    worn = TextureInput("occlusion", ("occlusionTexture",), 0, scale=0.5)
    return made.with_(materials=(replace(made.materials[0], inputs=(worn,)),))


def _idle_skin() -> Scene:
    made = rigged(np.random.default_rng(1), clip=False)
    return made.with_(nodes=tuple(replace(n, skin=None) for n in made.nodes))


def _rooted() -> Scene:
    made = rigged(np.random.default_rng(1), clip=False)
    return made.with_(skins=(replace(made.skins[0], skeleton=0),))


TWO = (Node("a", "crate", mesh=0), Node("b", "crate too", translation=(3, 0, 0), mesh=0))

#: Feature -> a scene that has it, and how one tells that it is still there.
PROBES: dict[str, tuple[Callable[[], Scene], Callable[[Scene], bool]]] = {
    "unit": (lambda: scene(triangles_of(cube()), unit_metres=0.01, format="dae"), lambda s: s.unit_metres is not None),
    "up axis": (lambda: scene(triangles_of(cube()), up_axis="Z", format="dae"), lambda s: s.up_axis is not None),
    "parts": (
        lambda: scene(triangles_of(cube()), triangles_of(cube("peg", 0.5))),
        lambda s: sum(n.mesh is not None for n in s.nodes) == 2,
    ),
    "node tree": (_tree, lambda s: any(n.children and not np.allclose(n.local, np.eye(4)) for n in s.nodes)),
    "instances": (
        lambda: scene(triangles_of(cube()), nodes=TWO),
        lambda s: len(s.meshes) == 1 and sum(n.mesh is not None for n in s.nodes) == 2,
    ),
    "polygons": (lambda: scene(PENTAGON), lambda s: int(s.meshes[0].corner_counts[0]) == 5),
    "lines": (
        lambda: scene(replace(PENTAGON, lines=np.array([[0, 2]], np.int32))),
        lambda s: any(len(m.lines) for m in s.meshes),
    ),
    "points": (
        lambda: scene(replace(PENTAGON, points=np.array([0, 3], np.int32))),
        lambda s: any(len(m.points) for m in s.meshes),
    ),
    "one UV set": (painted_scene, lambda s: len(s.meshes[0].uvs) == 1),
    "UV sets": (
        lambda: painted_scene(alpha_mode="opaque").with_(meshes=(_with_layers(uv_sets=2),)),
        lambda s: len(s.meshes[0].uvs) == 2,
    ),
    "normals": (
        lambda: scene(_with_layers(normals=True)),
        lambda s: s.meshes[0].normals is not None and len(s.meshes[0].normals.values) > 12,
    ),
    "vertex colours": (lambda: scene(_with_layers(colours=True)), lambda s: bool(s.meshes[0].colours)),
    "tangents": (
        lambda: scene(
            replace(_with_layers(normals=True), tangents=Layer(np.tile([1.0, 0, 0, 1], (36, 1)), np.arange(36, dtype=np.int32)))
        ),
        lambda s: s.meshes[0].tangents is not None,
    ),
    "smoothing groups": (
        lambda: scene(replace(PENTAGON, smooth=np.array([3], np.int32)), format="obj"),
        lambda s: s.meshes[0].smooth is not None,
    ),
    "face groups": (
        lambda: scene(
            replace(triangles_of(cube()), groups=np.repeat([0, 1, 0, 2], 3).astype(np.int32), group_names=("lid", "box", "rim")),
            format="obj",
        ),
        lambda s: (
            s.meshes[0].groups is not None
            and [s.meshes[0].group_names[g] for g in s.meshes[0].groups[::3]] == ["lid", "box", "lid", "rim"]
        ),
    ),
    "tinted images": (
        lambda: painted_scene(alpha_mode="opaque", base_colour=(0.5, 0.25, 1.0, 1.0)),
        lambda s: any(
            m.inputs and np.allclose(converted(m.base_colour[:3], BY_NAME[s.format].linear, True), [0.5, 0.25, 1.0], atol=1e-3)
            for m in s.materials
        ),
    ),
    "materials": (lambda: scene(triangles_of(cube())), lambda s: len(s.materials) == 1),
    "alpha modes": (
        lambda: painted_scene(alpha_mode="mask", alpha_cutoff=0.25),
        lambda s: [(m.alpha_mode, m.alpha_cutoff) for m in s.materials] == [("mask", 0.25)],
    ),
    "see-through images": (
        lambda: painted_scene(alpha_mode="blend"),
        lambda s: (
            bool(s.images)
            and [(m.alpha_mode, any(t.image is not None for t in m.inputs)) for m in in_colour(s)[0].materials]
            == [("blend", True)]
        ),
    ),
    "double-sided": (
        lambda: painted_scene(alpha_mode="opaque", double_sided=True),
        lambda s: any(m.double_sided for m in s.materials),
    ),
    "images": (painted_scene, lambda s: [i.bytes() for i in s.images] == [rope_png()]),
    "texture transforms": (
        lambda: painted_scene(alpha_mode="opaque", slot={"transform": {"scale": [2.0, 3.0]}}),
        lambda s: any(t.transform and np.allclose(t.transform["scale"], [2, 3]) for m in s.materials for t in m.inputs),
    ),
    "skins": (lambda: rigged(np.random.default_rng(1), clip=False), lambda s: len(s.skins) == 1 and len(s.skins[0].joints) == 3),
    "morph targets": (
        lambda: scene(replace(PENTAGON, morphs=(Morph("sag", np.full((5, 3), 0.1)),))),
        lambda s: bool(s.meshes[0].morphs),
    ),
    "clips": (lambda: _moving("sway"), lambda s: len(s.clips) == 1 and s.clips[0].seconds == 1.0),
    "further clips": (lambda: _moving("sway", "lift"), lambda s: [c.name for c in s.clips] == ["sway", "lift"]),
    "channels": (_still_channel, lambda s: sum(len(c.channels) for c in s.clips) == 2),
    "cameras": (
        lambda: _held(camera=0, cameras=(Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}),)),
        lambda s: len(s.cameras) == 1,
    ),
    "lights": (lambda: _held(light=0, lights=(Light("lamp", {"type": "point"}),)), lambda s: len(s.lights) == 1),
    "ambient lights": (lambda: _held(light=0, lights=(Light("sky", {"type": "ambient"}),)), lambda s: len(s.lights) == 1),
    "unplaced meshes": (
        lambda: scene(triangles_of(cube()), triangles_of(cube("spare")), nodes=(Node("a", "crate", mesh=0),)),
        lambda s: len(s.meshes) == 2 and sum(n.mesh is not None for n in s.nodes) == 1,
    ),
    "mixed instances": (
        lambda: scene(replace(PENTAGON, lines=np.array([[0, 2]], np.int32)), nodes=TWO),
        lambda s: len(s.meshes) == 1 and len(s.nodes) > 1 and len(s.meshes[0].lines) == 1,
    ),
    "hidden nodes": (
        lambda: scene(triangles_of(cube()), nodes=(Node("a", "crate", mesh=0), Node("b", "lid", mesh=0, hidden=True))),
        lambda s: [n.hidden for n in s.nodes] == [False, True],
    ),
    "custom properties": (
        lambda: scene(triangles_of(cube()), nodes=(Node("a", "crate", mesh=0, extras={"extras": {"tide": 1}}),)),
        lambda s: s.nodes[0].extras == {"extras": {"tide": 1}},
    ),
    "further scenes": (
        lambda: scene(triangles_of(cube()), nodes=(Node("a", "crate", mesh=0), Node("b", "spare", mesh=0)), roots=(0,)),
        lambda s: len(s.nodes) == 2,
    ),
    "empty meshes": (
        lambda: scene(triangles_of(cube()), mesh(np.zeros((0, 3)), [], "nothing"), nodes=(TWO[0], replace(TWO[1], mesh=1))),
        lambda s: len(s.meshes) == 2 or (len(s.nodes) == 1 and not s.meshes[0].slots.any()),
    ),
    "spare positions": (
        lambda: scene(replace(PENTAGON, positions=np.vstack([PENTAGON.positions, [9.0, 9.0, 9.0]]))),
        lambda s: bool((np.abs(s.meshes[0].positions) == 9.0).all(axis=1).any()),
    ),
    "gaps": (_gappy, lambda s: bool(s.meshes[0].uvs) and int((s.meshes[0].uvs[0].index < 0).sum()) == 6),
    "colour sets": (
        lambda: scene(replace(_with_layers(colours=True), colours=_with_layers(colours=True).colours * 2)),
        lambda s: len(s.meshes[0].colours) == 2,
    ),
    "corner colours": (
        lambda: scene(
            replace(
                triangles_of(cube()),
                colours=(Layer(np.random.default_rng(1).random((36, 3)).astype(np.float32), np.arange(36, dtype=np.int32)),),
            )
        ),
        lambda s: bool(s.meshes[0].colours),
    ),
    "vertex alpha": (
        lambda: scene(
            replace(
                triangles_of(cube()),
                colours=(Layer(np.random.default_rng(1).random((8, 4)).astype(np.float32), triangles_of(cube()).corners),),
            )
        ),
        lambda s: bool(s.meshes[0].colours) and s.meshes[0].colours[0].values.shape[1] == 4,
    ),
    "undefined materials": (
        lambda: scene(triangles_of(cube()), materials=(Material("m", "lost", defined=False),)),
        lambda s: [(m.name, m.defined) for m in s.materials] == [("lost", False)],
    ),
    "sides of materials": (
        lambda: scene(
            replace(triangles_of(cube()), slots=np.repeat([0, 1], 6).astype(np.int32), slot_materials=(0, 1)),
            materials=(Material("m", "net", double_sided=True), Material("n", "tar", double_sided=False)),
        ),
        lambda s: {m.name: bool(m.double_sided) for m in s.materials} == {"net": True, "tar": False},
    ),
    "shine": (
        lambda: scene(
            triangles_of(cube()), materials=(Material("m", "brass", metallic=1.0, roughness=0.25, alpha_mode="opaque"),)
        ),
        lambda s: [(m.metallic, m.roughness) for m in s.materials] == [(1.0, 0.25)],
    ),
    "glow": (
        lambda: scene(triangles_of(cube()), materials=(Material("m", "lamp", emissive=(1.0, 0.0, 0.0), alpha_mode="opaque"),)),
        lambda s: any(m.emissive[0] > 0.99 for m in s.materials),
    ),
    "values out of range": (
        lambda: scene(
            triangles_of(cube()), materials=(Material("m", "odd", (1.5, 0.0, 0.0, 1.0), alpha_mode="opaque"),), format="obj"
        ),
        lambda s: any(m.base_colour[0] > 1.4 for m in s.materials),
    ),
    "missing images": (lambda: _lost(), lambda s: [(i.load, i.reference) for i in s.images] == [(None, "maps/lost.png")]),
    "unused images": (
        lambda: painted_scene().with_(
            images=(
                *painted_scene().images,
                Image("i", "tar", "tar.png", "embedded", None, "image/png", lambda: rope_png() + b" "),
            )
        ),
        lambda s: len(s.images) == 2,
    ),
    "empty inputs": (
        lambda: scene(
            _with_layers(),
            materials=(
                Material(
                    "m",
                    "rope",
                    alpha_mode="opaque",
                    inputs=(TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), None),),
                ),
            ),
        ),
        lambda s: any(t.image is None for m in s.materials for t in m.inputs),
    ),
    "wrapping": (
        lambda: painted_scene(alpha_mode="opaque", slot={"sampler": {"wrapS": 33648, "wrapT": 33071}}),
        lambda s: any((t.sampler.get("wrapS"), t.sampler.get("wrapT")) == (33648, 33071) for m in s.materials for t in m.inputs),
    ),
    "filters": (
        lambda: painted_scene(alpha_mode="opaque", slot={"sampler": {"magFilter": 9728}}),
        lambda s: any(t.sampler.get("magFilter") == 9728 for m in s.materials for t in m.inputs),
    ),
    "all strengths": (
        lambda: _occluded(),
        lambda s: any(t.role == "occlusion" and t.scale == 0.5 for m in s.materials for t in m.inputs),
    ),
    "idle skins": (lambda: _idle_skin(), lambda s: len(s.skins) == 1),
    "skeleton roots": (lambda: _rooted(), lambda s: [x.skeleton is not None for x in s.skins] == [True]),
    "still channels": (_still_channel, lambda s: any(c.path == "scale" for x in s.clips for c in x.channels)),
    "all of cameras": (
        lambda: _held(
            camera=0,
            cameras=(Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}, "extras": {"kept": 1}}),),
        ),
        lambda s: any("extras" in c.source for c in s.cameras),
    ),
    "all of lights": (
        lambda: _held(light=0, lights=(Light("lamp", {"type": "point", "range": 4.0}),)),
        lambda s: any(x.source.get("range") == 4.0 for x in s.lights),
    ),
    "names": (
        lambda: scene(triangles_of(cube("the crate"))),
        lambda s: "the crate" in {s.part_name(i) for i in range(len(s.nodes))},
    ),
}


def _held(cameras=(), lights=(), **held) -> Scene:
    nodes = (Node("a", "crate", mesh=0), Node("b", "stand", **held))
    return scene(triangles_of(cube()), nodes=nodes, cameras=cameras, lights=lights)


@pytest.mark.parametrize("name", WRITERS)
@pytest.mark.parametrize("feature", PROBES)
def test_what_the_table_says_is_so(feature, name, tmp_path):
    made, there = PROBES[feature]
    sent = made()
    back, proof = round_trip(sent, name, tmp_path)
    held = feature in BY_NAME[name].holds
    assert there(back) == held
    assert [r for r in proof.rows if r.result == "stop"] == []
    # What is not held is said before writing.
    said = formats.what_is_lost(sent, name)
    assert held or said, f"{name} loses {feature} without a word"
    assert {r.remark for r in proof.rows if r.result == "caution"} == set(said)


#: Steps after which the numbers are still the same within what the number type holds.
NOTHING_CHANGES = {"rounding"}


@pytest.mark.parametrize("name", WRITERS)
def test_nothing_is_excused_that_was_not_said(name, tmp_path):
    """Without the step that says so, and what it does, each thing that a format cannot hold differs."""
    told, seen = set(), set()
    for feature, (made, _) in PROBES.items():
        sent = made()
        target = formats.target(sent, name, "thing")
        back = None
        for step in [s for s in STEPS if s.tell(sent, target) and s.name not in NOTHING_CHANGES | seen]:
            told.add(step.name)
            back = back or round_trip(sent, name, tmp_path / feature)[0]
            without = conform(sent, target, steps=[s for s in STEPS if s is not step])
            if not prove_conformed(without, back, sent.format).proved:
                seen.add(step.name)
    assert len(told) > 3
    assert told == seen


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
        cells = [("r" + "w" * f.written) if feature in f.holds else "–" for f in FORMATS]
        out.append(f"| {feature} | " + " | ".join(cells) + " |")
    return "\n".join(out) + "\n"


def excused() -> str:
    """docs/proof.md: aspects with their rows, tolerances, and what is said of each format's way of holding each feature."""
    out = [
        "# The proof\n",
        "Made from the code by `tests/formats/test_features.py` (`HANDLENS_WRITE_DOCS=1`).\n",
        "What was written is opened afresh and compared with what was sent, as the format can hold it. Each row is *the same*,",
        "*expected* (a loss that was listed before writing), or *differs*; one that differs is enough for *Not proved*.",
        "`handlens prove A B` compares any two files, excusing only what the second one's format cannot hold.\n",
        "## Aspects\n",
        "Each is a module of `core/proof/`; the rows are those of a scene that has everything.\n",
        "| aspect | compares | rows |",
        "|---|---|---|",
    ]
    both = Compared(everything(), everything(), True)
    for aspect in ASPECTS:
        names = dict.fromkeys(r.what for r in aspect.rows(both))
        told = " ".join((aspect.__doc__ or "").split("\n\n")[0].split())
        out.append(f"| `{aspect.__name__.rpartition('.')[2]}` | {told} | {', '.join(names)} |")
    out += [
        "\n## Tolerances\n",
        "Two figures are the same within what the number type can hold that they went through: a step is",
        f"{SINGLE:.3g} where either format has 32-bit floats, {DOUBLE:.3g} otherwise (`core/proof/tolerances.py`).\n",
        "| what | may lie apart by |",
        "|---|---|",
        *(f"| {what} | {within} |" for what, within in TOLD),
        "\n## What each format excuses\n",
        "What is said before writing a scene that has the feature, and nothing else. A feature that is not listed is not excused.",
    ]
    for name in WRITERS:
        out.append(f"\n### {BY_NAME[name].title}\n")
        always = set(formats.what_is_lost(scene(triangles_of(cube())), name))
        for feature, (made, _) in PROBES.items():
            if feature not in BY_NAME[name].holds:
                said = formats.what_is_lost(made(), name)
                out.append(f"- {feature}: {' '.join([x for x in said if x not in always] or said)}")
    return "\n".join(out) + "\n"


@pytest.mark.parametrize(("page", "made"), [("formats.md", table), ("proof.md", excused)])
def test_the_documents_say_what_the_code_does(page, made):
    if os.environ.get("HANDLENS_WRITE_DOCS"):
        (DOCS / page).write_text(made())
    assert (DOCS / page).read_text() == made()


def test_a_binary_stage_reads_as_its_text_does(tmp_path):
    """The same stage in both kinds, converted by the reference library itself."""
    from pxr import Usd

    sent = rigged(np.random.default_rng(2), clip=False)
    there, _ = round_trip(sent, "usda", tmp_path)
    stage = Usd.Stage.Open(str(tmp_path / "thing.usda"))
    stage.GetRootLayer().Export(str(tmp_path / "thing.usdc"))
    back = formats.read(FolderPackage(tmp_path), "thing.usdc")
    assert back.format == "usdc"
    assert prove(there, back).proved


def test_positions_keep_every_bit_where_the_format_can(tmp_path):
    far = cube(at=(965_606.03125, 0.1, -1e-7))
    for name in ("obj", "ply", "dae"):
        back, _ = round_trip(scene(far, format="obj"), name, tmp_path)
        assert np.array_equal(
            np.unique(back.meshes[0].positions, axis=0), np.unique(CUBE_POINTS + np.array([965_606.03125, 0.1, -1e-7]), axis=0)
        ), name

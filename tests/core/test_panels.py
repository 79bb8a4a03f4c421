"""What stands in the ledger, station by station, on scenes whose figures can be worked out by hand."""

import json
from dataclasses import replace

import msgspec
import numpy as np
import pytest

from handlens.core.judge import judge
from handlens.core.measures import collect
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.scene import Camera, Image, Layer, Light, Material, Node, TextureInput
from kit.cards import CUT, card
from kit.pictures import png, textured
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, ledger, mesh, read_files, rigged, scene, triangles_of


def opened(made, sheet=None, intent=None, reasons=None):
    measures, rules = collect(made), load_sheet(sheet)
    meant = Intent() if intent is None else intent_from_json(intent)
    return {s["name"]: s for s in ledger(measures, rules, meant, judge(measures, rules, meant), reasons or {})}


def head(station):
    """{label: (value, unit, result)} of a station's figures."""
    return {h["label"]: (h["value"], h["unit"], h["result"]) for h in station["headline"]}


def rows(station, number=0):
    return [{k: c["text"] for k, c in r["cells"].items()} for r in station["tables"][number]["rows"]]


def row(station, first, number=0):
    return next(r for r in rows(station, number) if next(iter(r.values())) == first)


@pytest.fixture(scope="module")
def crates():
    """A crate scaled to twice its size, and two lids that share a mesh, the farther one at nine metres."""
    nodes = (
        Node("a", "crate", mesh=0, scale=(2, 2, 2)),
        Node("b", "lid", translation=(3, 0, 0), mesh=1),
        Node("c", "lid too", translation=(9, 0, 0), mesh=1),
    )
    return opened(scene(triangles_of(cube("crate", 2.0)), cube("lid", 1.0, (0, 2, 0)), nodes=nodes))


def test_arrival_counts_what_came(crates):
    """Three parts of two meshes of twelve triangles each."""
    assert crates["Arrival"]["line"] == "3 parts, 0 images"
    assert head(crates["Arrival"])["triangles"] == ("36", "", None)
    assert row(crates["Arrival"], "Meshes")["count"] == "2"
    left = scene(
        cube(),
        nodes=(Node("a", "crate", mesh=0), Node("b", "eye", camera=0), Node("c", "lamp", light=0), Node("d", "bare")),
        cameras=(Camera("eye", {"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}),),
        lights=(Light("lamp", {"type": "point"}),),
    )
    assert head(opened(left)["Arrival"])["left over"] == ("3", "", "note")


def test_size_says_what_it_measures_and_what_was_expected(crates):
    assert head(crates["Size"])["tall"] == ("4.00", "m", None)
    assert row(crates["Size"], "Size X, Y, Z")["file"] == "10.0 m × 4.00 m × 4.00 m"
    asked = opened(
        scene(cube("crate", 100.0), format="obj", unit_metres=None, up_axis=None), intent='{"expected": {"height_m": 1.0}}'
    )["Size"]
    assert head(asked)["expected"][0] == "1.00"
    factors = {r["factor"]: r["fit"] for r in rows(asked, 1)}
    assert factors["× 0.01"] == "fits"
    assert next(iter(factors)) == "× 0.01", "what fits stands first"


def test_placement_tells_scales_distances_and_steps(crates):
    """The farthest corner lies ten metres out: a 32-bit float steps by 2^-20 there (IEEE 754-2019, binary32)."""
    assert head(crates["Placement"])["nodes scaled"] == ("1", "", "caution")
    assert row(crates["Placement"], "crate")["scale"] == "2"
    assert row(crates["Placement"], "lid too")["far"] == "10.0 m"
    assert row(crates["Placement"], "lid too")["gap"] == f"{2**-20 * 1e9:.0f} nm"
    assert float(np.spacing(np.float32(9.9))) == 2**-20


def test_pivots_tell_the_circle_that_is_swept():
    """Turned about an axis along an edge, the far edge of a cube of 2 m sweeps √8; about its middle √2 is needed."""
    corner = opened(scene(cube("crate", 2.0)))["Pivots"]
    assert row(corner, "crate")["sweeps"] == "2.83 m"
    assert row(corner, "crate")["needs"] == "1.41 m"
    assert head(corner)["widest sweep over what is needed"] == ("2", "×", "clear")
    wanted = opened(scene(cube("crate", 2.0)), intent='{"pivot": "base-centre"}')["Pivots"]
    assert row(wanted, "crate")["anchor"] == "base centre"
    assert row(wanted, "crate")["off"] == "1.41 m"


def test_facing_tells_faces_that_look_away():
    """One of six sides of a cube turned: a sixth of its area, and its four edges run against their neighbours."""
    turned = mesh(CUBE_POINTS, [CUBE_FACES[0][::-1], *CUBE_FACES[1:]], "crate")
    told = opened(scene(turned))["Facing"]
    assert row(told, "crate")["away"] == "1"
    assert row(told, "crate")["share"] == "16.7 %"
    assert row(told, "crate")["winding"] == "4"
    assert head(told)["edges with inconsistent winding"] == ("4", "", "caution")
    inside = opened(scene(turned), intent='{"seen_from": "inside"}')["Facing"]
    assert row(inside, "crate")["from"] == "inside"
    assert row(inside, "crate")["away"] == "5"


def test_surface_tells_openings_and_what_is_for_nothing():
    """A cube without its lid has one opening, one metre wide; a face that is there twice is for nothing."""
    pot = mesh(CUBE_POINTS, [*CUBE_FACES[1:], CUBE_FACES[1]], "pot")
    told = opened(scene(pot))["Surface"]
    assert row(told, "pot")["spare"] == "1"
    whole = opened(scene(mesh(CUBE_POINTS, CUBE_FACES[1:], "pot")))["Surface"]
    assert row(whole, "pot")["open"] == "1"
    assert row(whole, "pot")["largest"] == "1.00 m"
    pentagon = mesh([[0, 0, 0], [2, 0, 0], [2, 1, 0], [1, 2, 0], [0, 1, 0]], [[0, 1, 2, 3, 4]], "sign")
    assert row(opened(scene(pentagon))["Surface"], "sign")["many"] == "1"


def test_slots_tell_materials_and_what_is_plugged_in():
    paint = TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0)
    tar = Material(
        "m0", "tar", alpha_mode="mask", double_sided=True, inputs=(paint, TextureInput("normal", ("normalTexture",), None))
    )
    made = scene(
        replace(cube(), slots=np.array([0, 0, 0, 0, 1, 1], np.int32), slot_materials=(0, -1)),
        materials=(tar, Material("m1", "spare", roughness=0.5, alpha_mode="opaque")),
        images=(Image("i", "a.png", "a.png", "missing"),),
    )
    told = opened(made)["Slots"]
    assert row(told, "tar") | {"same": ""} == {
        "material": "tar",
        "faces": "4",
        "inputs": row(told, "tar")["inputs"],
        "mode": "mask",
        "sides": "both",
        "same": "",
    }
    assert head(told)["faces without one"][0] == "2"
    assert head(told)["used by no face"][0] == "1"
    assert head(told)["inputs without an image"][0] == "1"


def test_textures_tell_pixels_and_density():
    """A board of 1 m with a picture of 512 pixels has 512 pixels a metre; with mips it takes a third more than its pixels."""
    told = opened(textured(png((512, 512), noise=3)))["Textures"]
    assert row(told, "paint.png")["size"] == "512 × 512"
    assert head(told)["in the middle of the model"][:2] == ("512", "px/m")
    assert float(head(told)["once loaded, with mips"][0]) == pytest.approx(512 * 512 * 4 / 2**20 * 4 / 3, rel=0.01)
    assert row(told, "board", 1)["density"] == "512 px/m"


def test_see_through_tells_what_images_ask_for():
    told = opened(card(CUT))["See-through"]
    assert head(told)["drawn solid over see-through pixels"] == ("1", "", "stop")
    assert row(told, "leaf")["mode"] == "opaque"
    assert row(told, "leaf")["wanted"].startswith("mask at")
    share = 100 * (CUT[:, :, 3] < 250).mean()
    assert float(row(told, "leaf")["seen"].removesuffix(" %")) == pytest.approx(share, abs=2)
    mended = opened(apply_mend(card(CUT), "see-through.set", {}).scene)["See-through"]
    assert head(mended)["drawn solid over see-through pixels"] == ("0", "", "clear")


def test_budget_counts_what_the_destination_pays():
    """Two crates of one mesh in two slots: four draw calls; ten copies of the model ask ten times of all."""
    made = replace(triangles_of(cube()), slots=np.repeat([0, 1], 6).astype(np.int32), slot_materials=(0, 1))
    two = tuple(Material(f"m{k}", f"tar {k}", base_colour=(k / 2, 0, 0, 1), alpha_mode="opaque") for k in range(2))
    nodes = (Node("a", "crate", mesh=0), Node("b", "crate too", translation=(3, 0, 0), mesh=0))
    told = opened(scene(made, nodes=nodes, materials=two), intent='{"copies": 10}')["Budget"]
    assert head(told)["triangles"] == ("24", "", "clear")
    assert head(told)["draw calls"] == ("4", "", "clear")
    assert row(told, "Triangles in all")["copies"] == "240"
    strict = opened(scene(*(triangles_of(cube(f"c{k}", at=(2.0 * k, 0, 0))) for k in range(3))), "creator-platform-strict")[
        "Budget"
    ]
    assert row(strict, "Triangles, largest mesh") | {"copies": ""} == {
        "what": "Triangles, largest mesh",
        "measured": "12",
        "wanted": "10,000",
        "copies": "",
    }


def test_handoff_lists_the_files_that_are_sent(tmp_path):
    files = {
        "net.obj": "mtllib net.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl rope\nf 1 2 3\n",
        "net.mtl": "newmtl rope\nmap_Kd rope.png\n",
        "rope.png": png((64, 64), noise=40),
        "moorings.xml": "<a b='net'/>",
    }
    read_files(tmp_path, files, "net.obj")
    made = measure(open_scene(tmp_path)[2])
    sheet = load_sheet("creator-platform-strict")
    told = {s["name"]: s for s in ledger(made, sheet, Intent(), judge(made, sheet, Intent()), {})}["Handoff"]
    assert told["inspected"]
    [table] = told["tables"]
    assert {(r["cells"]["path"]["text"], r["cells"]["role"]["text"]) for r in table["rows"]} == {
        ("net.obj", "model"),
        ("net.mtl", "material library"),
        ("rope.png", "image"),
        ("moorings.xml", "side file"),
    }
    assert sum(r["cells"]["bytes"]["value"] for r in table["rows"]) == sum(p.stat().st_size for p in tmp_path.iterdir())
    assert told["line"].startswith("4 files, ")
    assert told["limit"] == "50.0 MiB"


def test_a_model_without_a_file_of_its_own_has_nothing_to_list():
    told = opened(rigged(np.random.default_rng(1)))["Handoff"]
    assert (told["line"], told["tables"]) == ("0 files, 0 B", [])


def test_waived_findings_do_not_count(crates):
    nodes = (Node("a", "crate", mesh=0, scale=(2, 2, 2)),)
    made = scene(triangles_of(cube("crate")), nodes=nodes)
    measures, rules = collect(made), load_sheet(None)
    judged = judge(measures, rules, Intent())
    scaled = next(f.id for f in judged.findings if f.check == "placement.scale")
    counts = lambda reasons: next(
        s["counts"] for s in ledger(measures, rules, Intent(), judged, reasons) if s["name"] == "Placement"
    )
    assert counts({})["caution"] == counts({scaled: "the quay wants it so"})["caution"] + 1


def test_further_uv_sets_have_rows_of_their_own():
    made = textured(png((64, 64), noise=2))
    m = made.meshes[0]
    second = Layer(m.uvs[0].values * 0.5, m.uvs[0].index)
    paint = made.materials[0]
    inputs = (*paint.inputs, TextureInput("occlusion", ("occlusionTexture",), 0, uv_set=1))
    told = opened(made.with_(meshes=(replace(m, uvs=(*m.uvs, second)),), materials=(replace(paint, inputs=inputs),)))["Textures"]
    assert [r["set"] for r in rows(told, 1)] == ["1", "2"]


def test_what_is_kept_of_a_ledger_is_json_whatever_its_figures_are(monkeypatch):
    """A sweep over next to nothing is past all numbers: the meter is full, and no row brings its weight along."""
    made = scene(cube(), nodes=(Node("n", "crate", mesh=0),))
    m = collect(made)
    m = msgspec.structs.replace(m, parts=[msgspec.structs.replace(p, sweep=1e300, needed=1e-300) for p in m.parts])
    told = ledger(m, load_sheet(None), Intent(), judge(m, load_sheet(None), Intent()))
    pivots = next(e for e in told if e["slug"] == "pivots")
    assert pivots["meter"] == 1e9
    assert [r["weight"] for e in told for t in e["tables"] for r in t["rows"]] == [0.0] * sum(
        t["total"] for e in told for t in e["tables"]
    )
    json.dumps(told, allow_nan=False)

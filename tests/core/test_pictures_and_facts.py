"""Images measured pixel by pixel, and every fact of the contract on scenes whose answers are known."""

import io
import struct
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core.judge import judge
from handlens.core.measures import collect, count
from handlens.core.measures.drawing import texture_memory
from handlens.core.measures.pictures import picture
from handlens.core.pipeline.opening import open_scene
from handlens.core.present.report import facts, source
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Clip, Image, Layer, Material, Morph, Node, TextureInput, Weights
from handlens.core.scene.model import Channel
from kit.scenes import cube, findings, ledger, mesh, read_files, rigged, scene


def encoded(drawn, form="PNG", **more):
    out = io.BytesIO()
    drawn.save(out, form, **more)
    return out.getvalue()


def image(data, status="found"):
    return Image("image:0", "net.png", "net.png", status, "net.png", load=None if data is None else lambda: data)


def half_clear():
    pixels = np.full((8, 4, 4), 255, np.uint8)
    pixels[:4, :, 3] = 254  # one step under opaque already counts
    return Pillow.fromarray(pixels)


@pytest.mark.parametrize(
    ("data", "size", "channels", "alpha", "share"),
    [
        (encoded(half_clear()), (4, 8), 4, True, 0.5),
        (encoded(Pillow.new("RGB", (3, 5))), (3, 5), 3, False, 0.0),
        (encoded(Pillow.new("L", (3, 5))), (3, 5), 1, False, 0.0),
        (encoded(Pillow.new("LA", (2, 2), (9, 0))), (2, 2), 2, True, 1.0),
        (encoded(Pillow.new("P", (2, 2))), (2, 2), 3, False, 0.0),
        (encoded(Pillow.new("P", (2, 2)), transparency=0), (2, 2), 4, True, 1.0),
        (encoded(Pillow.new("RGB", (16, 16)), "JPEG"), (16, 16), 3, False, 0.0),
        (encoded(half_clear(), "WEBP", lossless=True), (4, 8), 4, True, 0.5),
        (encoded(Pillow.new("RGB", (7, 2)), "BMP"), (7, 2), 3, False, 0.0),
        (encoded(half_clear(), "TGA"), (4, 8), 4, True, 0.5),
    ],
)
def test_pictures(data, size, channels, alpha, share):
    p = picture(image(data)).figures
    assert ((p.width, p.height), p.channels, p.has_alpha, p.see_through_share, p.bytes) == (
        size,
        channels,
        alpha,
        share,
        len(data),
    )


def chunk(kind, body):
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


BOMB = (
    b"\x89PNG\r\n\x1a\n"
    + chunk(b"IHDR", struct.pack(">IIBBBBB", 60_000, 60_000, 8, 6, 0, 0, 0))
    + chunk(b"IDAT", zlib.compress(b"\0" * 100))
    + chunk(b"IEND", b"")
)


@pytest.mark.parametrize(
    "data", [b"", b"no picture", encoded(half_clear())[:30], encoded(half_clear())[:-32], BOMB, b"\xff\xd8\xff" * 9]
)
def test_pictures_that_cannot_be_opened_say_why(data):
    p = picture(image(data)).figures
    assert p.unreadable
    assert p.see_through_share is None
    assert "0x" not in p.unreadable  # no address of memory: the report must be the same each time


def test_a_missing_picture_has_no_figures():
    assert picture(image(None, "missing")) == ((None,) * 8, None)


def dressed():
    """Two parts sharing a mesh, one more mesh, every kind of thing counted."""
    net = image(encoded(half_clear()))
    other = Image("image:1", "old.png", "C:/quay/old.png", "absolute")
    materials = (
        Material(
            "m0", "net", alpha_mode="blend", double_sided=True, inputs=(TextureInput("base-colour", ("baseColorTexture",), 0),)
        ),
        Material("m1", "spare", alpha_mode="opaque", double_sided=False, inputs=(TextureInput("normal", ("normalTexture",), 0),)),
    )
    uv = Layer(np.zeros((1, 2), np.float32), np.zeros(24, np.int32))
    crate = replace(
        cube(), uvs=(uv, uv), slots=np.array([0, 0, 0, 0, 1, 1], np.int32), slot_materials=(0, -1), points=np.array([0], np.int32)
    )
    fan = mesh(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0.5, 2, 0], [0, 1, 0], [9, 9, 9]],
        [[0, 1, 2, 3, 4]],
        "fan",
        lines=np.array([[0, 2]], np.int32),
    )
    nodes = (
        Node("n0", "one", mesh=0),
        Node("n1", "two", mesh=0, translation=(4.0, 0, 0), scale=(2.0, 1.0, -1.0)),
        Node("n2", "fan", mesh=1, translation=(0.0, 0, -5), scale=(3.0, 3.0, 3.0)),
    )
    return scene(crate, fan, nodes=nodes, materials=materials, images=(net, other))


def test_every_fact():
    f = facts(collect(dressed()))
    want = {
        "nodes": 3,
        "meshes": 2,
        "parts": 3,
        "triangles": 27,
        "triangles_unique": 15,
        "faces": 7,
        "faces_over_4": 1,
        "vertices": 14,
        "vertices_welded": 14,
        "loose_edges": 1,
        "loose_points": 2,
        "faces_without_material": 2,
        "uv_sets": 2,
        "closed": False,
        "winding_consistent": True,
        "nodes_scaled": 2,
        "nodes_non_uniform": 1,
        "nodes_mirrored": 1,
        "influences_max": 0,
        "vertices_weights_off": 0,
        "cameras": 0,
        "lights": 0,
        "skins": [],
        "clips": [],
        "gpu_vertices": 13,
    }
    assert {k: f[k] for k in want} == want
    assert f["bounds"]["min"] == [0, 0, -5]
    assert f["bounds"]["max"] == [27, 27, 22]
    assert [(m["name"], m["used_by_faces"], m["alpha_mode"], m["double_sided"]) for m in f["materials"]] == [
        ("net", 5, "blend", True),
        ("spare", 0, "opaque", False),
    ]
    assert f["images"][0] | {"found_at": 0} == {
        "reference": "net.png",
        "status": "found",
        "found_at": 0,
        "width": 4,
        "height": 8,
        "channels": 4,
        "has_alpha": True,
        "see_through_share": 0.5,
        "used_by": ["net", "spare"],
    }
    assert (f["images"][1]["status"], f["images"][1]["width"], f["images"][1]["used_by"]) == ("absolute", None, [])


def test_facts_of_nothing():
    f = facts(collect(scene()))
    assert (f["bounds"], f["size_m"], f["closed"], f["winding_consistent"], f["uv_sets"]) == (None, None, None, None, 0)


def test_sizes_are_in_metres_where_the_unit_is_stated():
    assert facts(collect(scene(cube(size=50)).with_(unit_metres=0.01)))["size_m"] == [0.5, 0.5, 0.5]
    assert facts(collect(scene(cube()).with_(unit_metres=None)))["size_m"] is None


def test_weights():
    """Sums off by more than 1e-3 count, vertices without any too."""
    weights = Weights(
        np.array([0, 1, 3, 6, 7, 8, 9, 9, 10]),
        np.zeros(10, np.int32),
        np.array([1, 0.5, 0.4995, 0.2, 0.3, 0.5, 0.998, 1.002, 1, 1], np.float32),
    )
    f = facts(collect(scene(replace(cube(), weights=weights))))
    assert (f["influences_max"], f["vertices_weights_off"]) == (3, 3)


def test_rig_facts():
    f = facts(collect(rigged(np.random.default_rng(0))))
    assert f["skins"] == [{"joints": 3, "name": "bones"}]
    assert f["clips"] == [{"name": "swim", "seconds": 1.0, "channels": 3}]
    assert (f["nodes_scaled"], f["nodes_non_uniform"]) == (4, 0)


def test_a_clip_begins_at_zero():
    late = Clip("c", None, (Channel(0, "translation", np.array([2.0, 3.5], np.float32), np.zeros((2, 3), np.float32)),))
    assert facts(collect(scene(cube()).with_(clips=(late,))))["clips"] == [{"name": None, "seconds": 3.5, "channels": 1}]


def test_texture_memory():
    """Four bytes a pixel and a third for the mips (a series of quarters); an image that no material uses costs nothing."""
    made = dressed()
    assert texture_memory(collect(made)) == 4 * 8 * 4 * 4 // 3
    unused = made.with_(materials=tuple(replace(m, inputs=()) for m in made.materials))
    assert texture_memory(collect(unused)) == 0


def test_source_lists_each_file_once(tmp_path):
    from handlens.core.packages import FolderPackage

    s = read_files(
        tmp_path,
        {
            "pot.obj": "mtllib a.mtl a.mtl\nusemtl net\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
            "a.mtl": "newmtl net\nmap_Kd net.png\nmap_d net.png\n",
            "net.png": encoded(half_clear()),
            "notes.txt": "x",
        },
        "pot.obj",
    )
    listed = source(FolderPackage(tmp_path), "pot.obj", s)
    assert [(f["path"], f["role"]) for f in listed["files"]] == [
        ("pot.obj", "model"),
        ("a.mtl", "material-library"),
        ("net.png", "image"),
    ]
    assert len(s.images) == 1


def station(made, name, sheet="realtime-engine", intent=None):
    m, rules, meant = collect(made), load_sheet(sheet), intent or Intent()
    return next(r for r in ledger(m, rules, meant, judge(m, rules, meant)) if r["name"] == name)


def test_ledger_budget_figures():
    b = station(dressed(), "Budget", intent=Intent(copies=10))
    assert [f["value"] for f in b["headline"]][:3] == ["27", "21", "5"]
    rows = {r["cells"]["what"]["text"]: {k: c["text"] for k, c in r["cells"].items()} for r in b["tables"][0]["rows"]}
    assert rows["Triangles in all"]["copies"] == "270"
    assert [r["cells"]["part"]["text"] for r in b["tables"][1]["rows"]] == ["one", "two", "fan"]
    assert b["meter"] == pytest.approx(12 / 100_000)


def test_ledger_placement_puts_the_worst_first():
    p = station(dressed(), "Placement")
    assert p["line"] == "2 scaled, 0 turned"
    assert [r["result"] for r in p["tables"][0]["rows"]] == ["caution", "caution", "clear"]


def test_ledger_size_offers_factors_as_mends():
    from handlens.core.rules.intent import Expected

    s = station(scene(cube(size=180)).with_(unit_metres=None), "Size", intent=Intent(expected=Expected(height_m=1.8)))
    best = s["tables"][1]["rows"][0]
    assert (best["cells"]["fit"]["text"], best["mend"]) == ("fits", ("size.scale", {"factor": 0.01, "unit": "m"}))
    assert s["meter"] == pytest.approx(100)


def test_waived_findings_do_not_count():
    from handlens.core.present.report import report, with_waivers

    m, rules = collect(dressed()), load_sheet(None)
    judged = judge(m, rules, Intent())
    tree = report({}, m, judged)
    waived = with_waivers(tree, {tree["findings"][0]["id"]: "so wanted"})
    assert sum(waived["verdict"].values()) == sum(tree["verdict"].values()) - 1
    assert waived["findings"][0]["waived"] == "so wanted"
    rows = ledger(m, rules, Intent(), judged, [f["id"] for f in tree["findings"]])
    assert all(sum(r["counts"].values()) == 0 for r in rows)


def test_morph_targets_are_counted():
    made = scene(replace(cube(), morphs=(Morph("a", np.zeros((8, 3))), Morph("b", np.zeros((8, 3))))))
    rows = station(made, "Arrival")["tables"][0]["rows"]
    cells = [v["text"] for r in rows for v in r["cells"].values()]
    assert cells[cells.index("Morph targets") + 1] == "2"


def test_hidden_parts_and_shared_positions_do_not_double_count():
    made = scene(cube(), nodes=(Node("n0", "a", mesh=0), Node("n1", "b", mesh=0, hidden=True, translation=(3.0, 0, 0))))
    f = facts(collect(made))
    assert (f["triangles"], f["triangles_unique"], f["vertices"]) == (24, 12, 8)
    assert "arrival.hidden" in findings(made)


@pytest.mark.parametrize(
    "folder", sorted(p for p in (Path(__file__).parents[2] / "demo" / "models").iterdir() if p.is_dir()), ids=lambda p: p.name
)
def test_counting_alone_gives_the_same_facts(folder):
    """A proof takes its figures from a count that looks at nothing: they must be those of the inspection."""
    made = open_scene(folder)[2]
    assert facts(count(made)) == facts(collect(made))

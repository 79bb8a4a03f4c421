"""One cause is one finding, severity goes by consequence, and figures are such as people read."""

import base64
import json
import re
from dataclasses import replace

import numpy as np
import pytest

from handlens.core.declare.check import Finding
from handlens.core.geometry.recut import only_faces, turned_faces
from handlens.core.judge import Judgement, judge
from handlens.core.judge.causes import folded
from handlens.core.measures import collect
from handlens.core.measures.known import content_key
from handlens.core.offers.trials import new_or_worse
from handlens.core.present.report import finding_json, report, with_waivers
from handlens.core.route.stations import all_checks
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Layer, Node
from handlens.core.words.figures import percent, plain
from handlens.terminal import findings_text
from kit.scenes import cube, findings, mesh, read_files, scene
from kit.solids import icosphere


def test_what_follows_is_a_note_under_its_first_cause():
    one = Finding("a", check="surface.doubles", key="k", node=3, result="caution")
    two = Finding("b", check="surface.pinched", key="k", node=3, result="caution")
    else_where = Finding("c", check="surface.pinched", key="j", node=4, result="caution")
    found = folded([one, two, else_where])
    assert [(f.under, f.result) for f in found] == [("", "caution"), ("surface.doubles:k", "note"), ("", "caution")]
    chain = [
        Finding("a", check="surface.duplicates", key="k", node=3, result="caution"),
        Finding("b", check="surface.crowded-edges", key="k", node=3, result="caution"),
        replace(two, key="k"),
    ]
    assert {f.under for f in folded(chain)[1:]} == {"surface.duplicates:k"}


def several(*counts, result="caution"):
    return [
        Finding(f"{n} faces", check="surface.zero-area", key=f"k{k}", node=k, count=n, result=result)
        for k, n in enumerate(counts)
    ]


def test_the_same_on_three_parts_is_one_finding_told_of_the_worst():
    found = folded(several(2, 7, 3))
    assert [(f.under, f.result) for f in found] == [
        ("surface.zero-area:k1", "note"),
        ("", "caution"),
        ("surface.zero-area:k1", "note"),
    ]
    assert all(not f.under for f in folded(several(2, 7)))
    # Two results are two findings, and what follows from one of them follows from the one that stands for it.
    assert (
        sum(
            not f.under
            for f in folded([*several(1, 2, 3), *(replace(f, key=f"j{f.node}") for f in several(4, 5, 6, result="stop"))])
        )
        == 2
    )
    follows = Finding("n", check="surface.needles", key="n", node=0, result="note")
    assert folded([*several(2, 7, 3), follows])[-1].under == "surface.zero-area:k1"


def test_what_stands_for_the_rest_is_not_waived_for_the_rest():
    """One of three parts that look inward is accepted: the other two still stop, and no gate is passed by it."""
    balls = [
        replace(icosphere(2), positions=icosphere(2).positions + np.array([5.0 * k, 0, 0]), name=f"ball_{k}") for k in range(3)
    ]
    inside_out = [turned_faces(b, np.ones(b.face_count, bool)) for b in balls]
    m = collect(scene(*inside_out))
    tree = report({}, m, judge(m, load_sheet(None), Intent()), with_indices=False)
    own = [f for f in tree["findings"] if f["check"] == "facing.inward"]
    assert [f["result"] for f in own].count("stop") == 1
    head = next(f["id"] for f in own if f["result"] == "stop")
    waived = with_waivers(tree, {head: "a shell"})
    left = [f for f in waived["findings"] if f["check"] == "facing.inward" and f["waived"] is None]
    assert sorted(f["result"] for f in left) == ["note", "stop"]
    assert waived["verdict"]["stop"] == tree["verdict"]["stop"]
    assert {f["under"] for f in left} == {None, next(f["id"] for f in left if f["result"] == "stop")}
    assert with_waivers(tree, {f["id"]: "all" for f in own})["verdict"]["stop"] == tree["verdict"]["stop"] - 1


def test_another_part_that_comes_to_stand_for_the_rest_is_not_worse_than_before():
    before = Judgement(tuple(folded(several(2, 7, 3, 4))), (), ())
    # The worst is mended: another stands for the rest, which was there before.
    left = Judgement(tuple(folded([f for f in several(2, 7, 3, 4) if f.node != 1])), (), ())
    assert new_or_worse(before, left) == []
    worse = [replace(f, result="stop") if f.node == 3 else f for f in several(2, 7, 3, 4)]
    assert [f.node for f in new_or_worse(before, Judgement(tuple(folded(worse)), (), ()))] == [3]


def test_no_material_is_a_note_where_the_format_holds_none():
    bare = replace(cube("crate"), slots=np.zeros(6, np.int32), slot_materials=(-1,))
    told = lambda format: findings(scene(bare, format=format))["slots.no-material"][0].result
    assert (told("stl"), told("ply"), told("glb")) == ("note", "note", "caution")


def test_no_stop_is_hidden_under_a_lesser_cause():
    unit = Finding("a", check="size.undeclared-unit", result="caution")
    size = Finding("b", check="size.expected", result="stop")
    assert [(f.under, f.result) for f in folded([unit, size])] == [("", "caution"), ("", "stop")]


def test_causes_are_checks_that_there_are():
    known = {c.id for c in all_checks()}
    for check in all_checks():
        causes = {*check.follows, *check.follows_in_model}
        assert causes <= known - {check.id}, check.id


def test_doubled_faces_are_told_once():
    ball = icosphere(2)
    twice = replace(
        ball,
        corners=np.concatenate([ball.corners, ball.corners[:30]]),
        starts=np.arange(ball.face_count + 11) * 3,
        slots=np.concatenate([ball.slots, ball.slots[:10]]) if len(ball.slots) else ball.slots,
    )
    found = findings(scene(twice))
    loud = [f.check for several in found.values() for f in several if f.result != "note"]
    assert loud == ["surface.duplicates"]
    assert {f.under for f in found["surface.crowded-edges"]} == {"surface.duplicates:float"}


def test_an_opening_that_nobody_looks_through_is_a_note():
    """A hole in a ball within a closed box: small enough to be a caution where it can be seen."""
    ball = icosphere(3)
    torn = only_faces(ball, np.arange(ball.face_count) != 7)
    small = lambda made: next(f for f in findings(made)["surface.holes"] if f.id.endswith("/small"))
    assert small(scene(torn)).result in ("caution", "note")
    assert "facing.walk-round" in findings(scene(torn))
    hidden = scene(torn, cube("case", 8.0, (-4, -4, -4)))
    assert small(hidden).result == "note"
    assert not small(hidden).under


@pytest.mark.parametrize("sheet", ["block-world", "creator-platform-strict", "ar-viewing"])
def test_above_a_gates_own_limit_is_a_stop(sheet):
    crowd = scene(icosphere(5), nodes=tuple(Node(f"n{k}", f"float_{k}", mesh=0) for k in range(20)))
    found = findings(crowd, sheet)
    limits = load_sheet(sheet).limits
    told = {check: several[0].result for check, several in found.items() if check.startswith("budget.")}
    assert told["budget.triangles-total"] == told["budget.draw-calls"] == "stop"
    assert limits.triangles_total is not None
    assert findings(crowd)["budget.triangles-total"][0].result == "caution"


@pytest.mark.parametrize(
    ("amount", "words"),
    [
        (34_100.0, "34,100"),
        (1e6, "1,000,000"),
        (4.2, "4.2"),
        (0.00254, "0.00254"),
        (39.37007874, "39.4"),
        (100.0, "100"),
        (0, "0"),
        (1e-9, "under 0.000001"),
        (-0.5, "-0.5"),
        (999.6, "1000"),
    ],
)
def test_numbers_in_words(amount, words):
    assert plain(amount) == words


def test_shares_in_words():
    assert [percent(x) for x in (1.0, 7.94e-8, 0.246)] == ["100 %", "under 0.01 %", "24.6 %"]


EXPONENT = re.compile(r"\d[eE][+-]?\d")


@pytest.mark.parametrize("size", [1e-7, 3.3e-3, 1.0, 1234.5, 7.7e6])
def test_no_figure_has_an_exponent_or_is_no_size(size):
    crate = replace(cube("crate", size), positions=cube("crate", size).positions + size * 400)
    for unit in (1.0, 0.001, None):
        made = scene(crate, unit_metres=unit, format="dae")
        measures = collect(made)
        judged = judge(measures, load_sheet(None), Intent())
        told = [t for f in judged.findings for t in (f.title, f.why)]
        text = findings_text("crate.dae", "Realtime engine", report({}, measures, judged))
        for line in [*told, *text.splitlines()]:
            assert not EXPONENT.search(line), line
            assert "no size m" not in line


def test_a_unit_is_wrong_by_its_own_factor():
    told = findings(scene(cube(), unit_metres=0.001, format="dae"))["size.unit"][0]
    assert "1,000 times too big" in told.why
    assert told.title.endswith("× 0.001 at the import")


def test_backs_of_cards_are_not_the_far_wall():
    card = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], "card")
    told = findings(scene(card))["facing.walk-round"][0]
    assert "far wall" not in told.why
    assert told.samples
    assert finding_json(replace(told, costs=(None,) * len(told.mends)))["samples"] == told.samples


def test_edges_at_infinity_are_not_sharp():
    box = cube()
    points = box.positions.copy()
    points[7] = np.inf
    from handlens.core.geometry.smoothing import smooth_normals

    lit = replace(box, positions=points, normals=smooth_normals(box, 180)[0])
    assert all(f.count <= 9 for f in findings(scene(lit)).get("facing.smeared", []))


def test_meshes_over_one_set_of_positions_are_not_stored_many_times(tmp_path):
    """Eighteen meshes of one accessor, each with a material of its own: the file holds the positions once."""
    body = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()

    def tree(accessors):
        return json.dumps(
            {
                "asset": {"version": "2.0"},
                "scene": 0,
                "scenes": [{"nodes": list(range(18))}],
                "nodes": [{"mesh": k, "translation": [2.0 * k, 0, 0]} for k in range(18)],
                "meshes": [{"primitives": [{"attributes": {"POSITION": k % accessors}}]} for k in range(18)],
                "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}] * accessors,
                "bufferViews": [{"buffer": 0, "byteLength": len(body)}],
                "buffers": [
                    {"byteLength": len(body), "uri": "data:application/octet-stream;base64," + base64.b64encode(body).decode()}
                ],
            }
        )

    one = read_files(tmp_path / "one", {"fan.gltf": tree(1)}, "fan.gltf")
    assert "arrival.copies-stored" not in findings(one)
    many = read_files(tmp_path / "many", {"fan.gltf": tree(3)}, "fan.gltf")
    assert findings(many)["arrival.copies-stored"][0].measured["value"] == 3


#: Which check holds each limit.
HELD_BY = {
    "triangles_mesh": "budget.triangles-mesh",
    "triangles_total": "budget.triangles-total",
    "vertices_mesh": "budget.vertices-mesh",
    "draw_calls": "budget.draw-calls",
    "texture_memory_bytes": "budget.texture-memory",
    "parts": "arrival.crumbs",
    "float_spacing_mm": "placement.far",
    "texture_pixels": "textures.size",
    "texture_file_bytes": "textures.file-size",
    "slots_mesh": "slots.too-many",
    "influences_vertex": "skin.influences",
    "joints_skin": "skin.joint-count",
    "joints_total": "skin.joint-count",
    "files": "handoff.files",
    "file_bytes": "handoff.file-size",
    "package_bytes": "handoff.package-size",
}


@pytest.mark.parametrize("sheet", ["block-world", "creator-platform-strict", "ar-viewing"])
def test_every_limit_of_a_gate_stops(sheet):
    wanted = load_sheet(sheet)
    by_id = {c.id: c for c in all_checks()}
    limits = {n: getattr(wanted.limits, n) for n in wanted.limits.__struct_fields__ if n != "scene_triangles"}
    assert set(limits) == set(HELD_BY)
    for name, limit in limits.items():
        assert limit is None or by_id[HELD_BY[name]].result_on(wanted) == "stop", name


def _sheet(height, name, up=True, n=4):
    at = lambda x, y: y * (n + 1) + x
    points = [[x / n - 0.5, y / n - 0.5, height] for y in range(n + 1) for x in range(n + 1)]
    faces = [[at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1)] for y in range(n) for x in range(n)]
    return mesh(points, faces if up else [f[::-1] for f in faces], name)


@pytest.mark.parametrize("gap", [0.0, 0.0005])
def test_sheets_back_to_back_are_seen_from_the_front(gap):
    """Whichever of the two a ray meets first: what is drawn there is the front of the other."""
    found = findings(scene(_sheet(gap, "front"), _sheet(-gap, "back", up=False)))
    assert all(f.result == "note" for f in found.get("facing.walk-round", []))
    alone = findings(scene(_sheet(0, "front")))["facing.walk-round"][0]
    assert alone.result == "caution"
    # One that looks the same way hides nothing of the other's back.
    assert findings(scene(_sheet(0, "front"), _sheet(0, "back")))["facing.walk-round"][0].result == "caution"


def test_parts_of_one_name_are_offered_names_of_their_own():
    parts = [replace(cube("crate", at=(2 * k, 0, 0)), id=f"m{k}") for k in range(3)]
    found = findings(scene(*parts))["arrival.names-alike"][0]
    after = apply_mend(scene(*parts), *found.mends[0]).scene
    assert [n.name for n in after.nodes] == ["crate", "crate_02", "crate_03"]
    assert "arrival.names-alike" not in findings(after)


def test_uvs_overlap_by_material_and_not_by_slot():
    """Two slots of one material over the same place of its image, and two of two materials, which share nothing."""
    two = mesh(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], [[0, 1, 2, 3], [4, 5, 6, 7]]
    )
    square = np.float32([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]])
    laid = replace(two, uvs=(Layer(square, np.tile(np.arange(4, dtype=np.int32), 2)),), slots=np.int32([0, 1]))
    shares = [
        collect(scene(replace(laid, slot_materials=of), materials=2 * scene(cube()).materials)).meshes[0].uvs[0].overlap
        for of in ((0, 0), (0, 1))
    ]
    assert shares == [pytest.approx(1.0), 0.0]
    assert content_key(replace(laid, slot_materials=(0, 0))) != content_key(replace(laid, slot_materials=(0, 1)))
    assert content_key(replace(laid, slot_materials=(5, 7))) == content_key(replace(laid, slot_materials=(0, 1)))


def test_a_full_highlight_is_told_from_an_exponent_of_fifty_on():
    tarred = scene(cube()).materials[0]
    said = lambda shine: replace(tarred, roughness=None, metallic=None, source={"statements": [f"Ns {shine}", "Ks 1 1 1"]})
    shiny = lambda shine: scene(replace(cube(), slot_materials=(0,)), materials=(said(shine),), format="obj")
    assert "slots.shine" not in findings(shiny(20.0))
    assert "is glossy all over" in findings(shiny(50.0))["slots.shine"][0].title
    assert "shines like a mirror" in findings(shiny(300.0))["slots.shine"][0].title

"""Shipped sheets, the ledger's figures, the display copy and the demo models."""

import json
import struct
from pathlib import Path

import jsonschema
import msgspec
import numpy as np
import pytest

from handlens.core.display import display_copy
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.route.stations import all_checks, stations
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.rules.export import ExportOptions
from handlens.core.rules.fields import fields_of
from handlens.core.rules.intent import Expected, PartIntent, intent_from_json
from handlens.core.rules.sheet import SHEETS, Limits, Names, Receiver, RuleSheet, Textures, sheet_from_json, sheet_schema
from handlens.core.scene import Node
from kit.scenes import cube, findings, ledger, rigged, scene

DEMO = Path(__file__).parents[2] / "demo"
MODELS = json.loads((DEMO / "models" / "manifest.json").read_text())["models"]


def test_shipped_sheets_fit_the_schema_and_say_their_basis():
    schema = sheet_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    assert schema == json.loads((DEMO.parent / "docs/rule-sheet.schema.json").read_text()), "run tools/list-checks"
    assert [s.name for s in shipped()] == [
        "Realtime engine",
        "Realtime engine, centimetres",
        "AR viewing",
        "Creator platform, strict",
        "Modelling room",
        "Block world",
    ]
    for path in SHEETS.glob("*.json"):
        jsonschema.validate(json.loads(path.read_text()), schema)
    assert all("ommon practice" in s.basis for s in shipped())
    # What the gate refuses is nobody's set: each value says where it comes from.
    strict = next(s for s in shipped() if s.code == "CP")
    stated = {f"limits.{k}" for k, v in msgspec.to_builtins(strict.limits).items()} | {"names.longest", "names.allowed"}
    assert stated <= set(strict.sources)
    assert len({s.code for s in shipped()}) == 6


@pytest.mark.parametrize(
    ("place", "value", "says"),
    [
        (("limits", "triangles_mesh"), 0, "at limits/triangles_mesh, expected `int` >= 1"),
        (("limits", "triangle_mesh"), 5, "at limits, object contains unknown field `triangle_mesh`"),
        (("receiver", "alpha"), "some", "at receiver/alpha, says 'some'; use one of: as-material, mask-only, none"),
        (
            ("results",),
            {"size.unit": "stop", "size.up-axis": "never"},
            "at results/size.up-axis, says 'never'; use one of: caution, note, off, stop",
        ),
        (("textures", "formats"), ["png", "psd"], "at textures/formats/1, says 'psd'"),
        (("export", "folder"), "../up", "at export/folder, expected `str` matching"),
        (("export", "unstated_unit"), "cm", "not for a sheet to say"),
        (("names", "materials"), "(", "The sheet"),
        (("slug",), 7, "at slug, expected `str`"),
    ],
)
def test_a_wrong_sheet_is_told_by_its_place(place, value, says):
    tree = json.loads((SHEETS / "realtime-engine.json").read_text())
    at = tree
    for name in place[:-1]:
        at = at.setdefault(name, {})
    at[place[-1]] = value
    with pytest.raises(InputError) as told:
        sheet_from_json(json.dumps(tree), "The sheet")
    assert says in str(told.value)
    if place[-1] not in ("unstated_unit", "materials"):
        assert not jsonschema.Draft202012Validator(sheet_schema()).is_valid(tree)


@pytest.mark.parametrize("record", [Intent, Expected, PartIntent, Limits, Names, Textures, Receiver, RuleSheet, ExportOptions])
def test_every_field_says_what_it_is(record):
    """A form can be made of it: a title, and words for each choice."""
    plain = {
        "expected",
        "parts",
        "side_keys",
        "limits",
        "motion",
        "names",
        "results",
        "roles",
        "sources",
        "textures",
        "receiver",
        "export",
        "house",
        "unstated_unit",
        "unstated_axis",
    }
    told = {f.name: f for f in fields_of(record)}
    assert set(record.__struct_fields__) - set(told) <= plain
    assert all(f.title and (f.kind != "choice" or all(c.words for c in f.choices)) for f in told.values())
    counts = [f for f in told.values() if f.kind in ("count", "number")]
    assert all(f.unit or f.name in ("version", "copies") for f in counts)


@pytest.mark.parametrize("text", ["{", "[]", '{"slug": "x"}', "[" * 100_000])
def test_bad_sheets(text):
    with pytest.raises(InputError):
        sheet_from_json(text, "The sheet")


@pytest.mark.parametrize(
    "text", ['{"copies": 0}', '{"expected": {"height_m": -1}}', '{"seen_from": "below"}', "7", '{"expected": 3}']
)
def test_bad_intents(text):
    with pytest.raises(InputError):
        intent_from_json(text)


@pytest.mark.parametrize("model", MODELS, ids=lambda m: m["folder"])
def test_demo_models_carry_their_defects_and_nothing_else(model):
    found = findings(measure(open_scene(DEMO / "models" / model["folder"])[2]), model["sheet"], json.dumps(model["intent"]))
    assert sorted(found) == sorted(model["defects"])


def test_the_demo_is_made_again_byte_for_byte(tmp_path, monkeypatch):
    import make

    monkeypatch.setattr(make, "OUT", tmp_path)
    make.main()
    for path in tmp_path.rglob("*"):
        if path.is_file():
            assert path.read_bytes() == (DEMO / "models" / path.relative_to(tmp_path)).read_bytes(), path


def test_the_crab_pots_turned_faces_are_there():
    """25 net quads look inward."""
    s = open_scene(DEMO / "models" / "crab_pot")[2]
    net = next(m for m in s.meshes if m.name == "net")
    p = net.positions[net.corners].reshape(-1, 3, 3)
    out = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    middle = p.mean(axis=1) - [0, 0.056, 0]
    assert (np.einsum("ij,ij->i", out[:, 1:], middle[:, 1:]) < 0).sum() == 50


def test_ledger_covers_every_station():
    m = collect(scene(cube(), nodes=(Node("n", "crate", scale=(2.0,) * 3, mesh=0),)))
    for sheet in shipped():
        rows = ledger(m, sheet, Intent(), judge(m, sheet, Intent()))
        assert [r["name"] for r in rows] == [s.name for s in stations()]
        assert all(r["inspected"] for r in rows)
        for r in rows:
            for table in r.get("tables", []):
                keys = {c["key"] for c in table["columns"]}
                assert all(set(row["cells"]) == keys for row in table["rows"])


def test_ledger_of_nothing():
    m = collect(scene())
    rows = ledger(m, load_sheet(None), Intent(), judge(m, load_sheet(None), Intent()))
    assert rows[1]["line"] == "nothing to measure"


def unpack(data):
    assert data[:4] == b"HLST"
    (length,) = struct.unpack_from("<I", data, 4)
    return json.loads(data[8 : 8 + length]), 8 + length


def test_display_copy_stands_where_the_model_does():
    made = scene(cube(), nodes=(Node("n", "crate", translation=(482_803.21, 0.0, 7.0), mesh=0),))
    data = display_copy(made)
    header, base = unpack(data)
    part, m = header["parts"][0], header["meshes"][0]
    p = np.frombuffer(data, np.float32, m["positions"]["count"], base + m["positions"]["at"]).reshape(-1, 3)
    matrix = np.array(part["matrix"]).reshape(4, 4).T
    world = p @ matrix[:3, :3].T + matrix[:3, 3] + header["origin"]
    assert world.min(axis=0) == pytest.approx([482_803.21, 0, 7], abs=1e-6)
    assert world.max(axis=0) == pytest.approx([482_804.21, 1, 8], abs=1e-6)
    faces = np.frombuffer(data, np.uint32, m["faces"]["count"], base + m["faces"]["at"])
    assert np.bincount(faces).tolist() == [2] * 6


def test_display_copy_of_odd_scenes():
    for made in (scene(), rigged(np.random.default_rng(0)), scene(cube()).with_(up_axis="Z", unit_metres=0.01)):
        header, _ = unpack(display_copy(made))
        assert np.isfinite(header["bounds"]["max"]).all()


def test_the_other_buoy_is_in_order_but_for_the_shared_list():
    red = open_scene(DEMO / "models" / "moorings" / "buoy_red.obj")[2]
    found = findings(measure(red), "realtime-engine", json.dumps({"kind": "prop", "expected": {"height_m": 0.9}}))
    assert set(found) == {
        "arrival.side-no-file",
        "size.undeclared-unit",
        "size.undeclared-up-axis",
        "surface.polygons",
    }


def test_every_limit_is_held_by_a_check_that_says_so():
    from handlens.core.present.sheet_page import sheet_values

    values = {value.path: value for value in sheet_values()}
    assert not [path for c in all_checks() for path in c.held_to if path not in values]
    assert not [path for path, value in values.items() if path.startswith("limits.") and not value.checks]


def test_a_sheet_with_changes_is_told_value_by_value():
    from handlens.core.present.sheet_page import sheet_changes
    from handlens.core.rules.inherited import changes_between, with_changes

    base = load_sheet("creator-platform-strict")
    edited = with_changes(
        base,
        {
            "limits": {"parts": None},
            "results": {"slots.too-many": "note"},
            "receiver": {"lines": True},
            "textures": {"tiling": True},
        },
        "x",
    )
    told = {(x.title, x.before, x.after) for x in sheet_changes(base, edited)}
    title = next(c.title for c in all_checks() if c.id == "slots.too-many")
    assert told == {
        ("Parts", "24 parts", ""),
        (title, "stop", "note"),
        ("Lines and points are drawn", "no", "yes"),
        ("Images may repeat", "no", "yes"),
    }
    assert with_changes(base, changes_between(base, edited), "x") == edited
    assert changes_between(base, base) == {}
    with pytest.raises(InputError, match="limits/parts"):
        with_changes(base, {"limits": {"parts": 0}}, "The edit")

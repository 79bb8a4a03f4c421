"""What keeps a verdict from claiming more than was looked at, and what an intent may say."""

import json
import logging
from dataclasses import fields, replace

import numpy as np
import pytest

from handlens.core.judge.judge import FAILED, judge
from handlens.core.judge.judge import __name__ as JUDGE
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.measures.known import content_key
from handlens.core.present.report import report
from handlens.core.route.measuring import measure
from handlens.core.route.stations import stations
from handlens.core.rules import Intent, load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.scene import Mesh, Node
from kit.everything import everything
from kit.pictures import png, textured
from kit.scenes import cube, findings, rigged, scene

SHEET = load_sheet(None)


def test_what_nobody_looks_at_is_named():
    told = lambda s: report({}, m := collect(s), judge(m, SHEET, Intent()))["not_looked_at"]
    # What stations measure for themselves was not taken here.
    assert told(scene(cube())) == ["Arrival", "Placement", "See-through", "Budget", "Handoff"]
    assert told(rigged(np.random.default_rng(1))) == [
        "Arrival",
        "Placement",
        "See-through",
        "Budget",
        "Skin",
        "Motion",
        "Handoff",
    ]
    assert told(rigged(np.random.default_rng(1), clip=False)) == [
        "Arrival",
        "Placement",
        "See-through",
        "Budget",
        "Skin",
        "Handoff",
    ]


def test_a_check_that_falls_leaves_its_station_unlooked_and_the_others_whole(monkeypatch):
    m = measure(scene(cube()))
    before = judge(m, SHEET, Intent())
    station = next(s for s in stations() if s.slug == "facing")
    one, *rest = station.checks

    def fall(*_):
        raise ZeroDivisionError

    monkeypatch.setitem(station.__dict__, "checks", (replace(one, run=fall), *rest))
    monkeypatch.setattr(logging.getLogger(JUDGE), "handlers", [])
    after = judge(m, SHEET, Intent())
    assert after.unlooked == ("Facing",)
    assert [why for check, why in after.skipped if check == one.id] == [f"{FAILED}: ZeroDivisionError"]
    assert set(before.clear) - set(after.clear) <= {one.id}


#: Names that no figure hangs on; of materials only whether a slot has one.
NAMED = {"id", "name", "extras", "slot_materials"}


@pytest.mark.parametrize("field", [f.name for f in fields(Mesh) if f.name not in NAMED])
def test_every_field_of_a_mesh_is_in_its_key(field):
    """Walks the type: a new field is changed here like the others, or fails."""
    hull = everything().meshes[0]

    def changed(value):
        if isinstance(value, np.ndarray):
            return value + 1 if value.size else np.ones((1, *value.shape[1:]), value.dtype)
        if isinstance(value, tuple):
            return value[:-1] if value else (0.5,)
        if value is None:
            return np.ones(hull.face_count, np.int32)
        first = fields(value)[0].name
        return replace(value, **{first: changed(getattr(value, first))})

    assert content_key(replace(hull, **{field: changed(getattr(hull, field))})) != content_key(hull)
    assert content_key(replace(hull, name="another")) == content_key(hull)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"expeted": {}}', "expeted"),
        ('{"kind": "banana"}', "use one of: building, character"),
        ('{"parts": {"crate": {"role": "lid"}}}', "at parts/crate/role, says 'lid'"),
        ('{"parts": {"crate": {"kind": "banana"}}}', "at parts/crate/kind, says 'banana'"),
        ('{"copies": 0}', "at copies, expected `int` >= 1"),
        ('{"nearest_view_m": -1}', "at nearest_view_m, expected `float` > 0"),
        ('{"parts": {"crate": {"expected": {"height": 1}}}}', "height"),
        ("[" * 9000, "cannot be used"),
    ],
)
def test_an_intent_that_says_what_nobody_reads_is_refused(text, says):
    with pytest.raises(InputError, match=says) as told:
        intent_from_json(text)
    assert "\n" not in str(told.value)


def test_parts_by_patterns():
    meant = intent_from_json(
        '{"parts": {"lamp_*": {"role": "aside"}, "lamp_2": {"copies": 3}, "a*b*c": {"kind": "prop"}, "*": {}}}'
    )
    assert meant.of_part("lamp_1").role == "aside"
    assert (meant.of_part("lamp_2").role, meant.of_part("lamp_2").copies) == (None, 3)
    assert meant.of_part("abbc").kind == "prop"
    assert intent_from_json('{"parts": {"ab*ba": {}}}').without(["aba"]) == ["ab*ba"]
    assert meant.without(["lamp_2"]) == ["a*b*c"]


def test_what_stands_aside_counts_for_no_size_and_no_budget():
    figure = replace(cube("figure"), positions=cube().positions * 9)
    both = scene(cube("crate"), figure, nodes=(Node("a", "crate", mesh=0), Node("b", "figure", mesh=1)))
    wanted = {"expected": {"height_m": 1.0}}
    assert "size.expected" in findings(both, intent=json.dumps(wanted))
    aside = {**wanted, "parts": {"fig*": {"role": "aside"}}}
    assert "size.expected" not in findings(both, intent=json.dumps(aside))


def test_each_part_has_a_size_of_its_own():
    both = scene(cube("crate"), nodes=(Node("a", "crate", mesh=0), Node("b", "lid", mesh=0)))
    said = lambda height: json.dumps({"parts": {"lid": {"expected": {"height_m": height}}}})
    assert not {c for c in findings(both, intent=said(1.0)) if c.startswith("size.expected")}
    found = [f for c, some in findings(both, intent=said(0.01)).items() if c.startswith("size.") for f in some]
    assert any("lid" in f.title for f in found)


def test_an_image_is_too_coarse_only_from_near_by():
    """1,080 lines over 60 degrees: at 1 m a screen shows 1080 / (2 tan 30°) = 935 pixels a metre."""
    board = textured(png((64, 64)))
    assert "textures.near-view" not in findings(board)
    told = findings(board, intent='{"nearest_view_m": 1.0}')["textures.near-view"][0]
    assert told.wanted["value"] == pytest.approx(935.3, abs=0.1)
    assert "textures.near-view" not in findings(board, intent='{"nearest_view_m": 50.0}')

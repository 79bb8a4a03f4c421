"""Reports say by what they were judged, and findings give their figures apart."""

import hashlib
import json

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from handlens import __version__
from handlens.core.declare.check import Finding
from handlens.core.judge import judge
from handlens.core.judge.judged_by import message_of
from handlens.core.measures import collect
from handlens.core.present.report import report
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.rules.intent import Expected
from handlens.core.scene import Node
from kit.scenes import cube, scene

WORDS = st.text(st.sampled_from("ab 0123456789.,-{}%µ_"), max_size=30)


@given(WORDS, st.one_of(st.none(), WORDS))
def test_a_message_with_its_figures_put_back_is_the_title(title, part):
    message, args = message_of(Finding(title, part=part))
    assert message.format(**args) == title


@pytest.mark.parametrize(
    ("title", "part", "message"),
    [
        ("body_4 has 1,171 degenerate faces, without area", "body_4", "{part} has {n0} degenerate faces, without area"),
        (
            "0.385 % of the looks meet the back of a face, 8.2 % there",
            None,
            "{n0} % of the looks meet the back of a face, {n1} % there",
        ),
        ("It stands 2 m tall", "2", "It stands {part} m tall"),
    ],
)
def test_findings_of_one_kind_have_one_message(title, part, message):
    assert message_of(Finding(title, part=part))[0] == message


def test_a_report_says_by_what_it_was_judged():
    """Another sheet, another value of it, or another intent is another judge."""
    m, sheet = collect(scene(cube("crate"))), load_sheet(None)
    by = lambda sheet, intent: report({}, m, judge(m, sheet, intent))["judged_by"]
    bare = Intent()
    told = by(sheet, Intent(expected=Expected(height_m=2.0)))
    assert told["sheet"] == "realtime-engine"
    assert told["sheet_version"] == sheet.version
    assert told["intent"] == {"expected": {"height_m": 2.0}}
    assert told["tool"] == f"Hand Lens {__version__}"
    assert json.loads(json.dumps(told)) == told
    other = msgspec.structs.replace(sheet, size_tolerance=0.5)
    assert by(other, bare)["sheet_sha256"] != by(sheet, bare)["sheet_sha256"] == told["sheet_sha256"]
    assert len(told["sheet_sha256"]) == len(hashlib.sha256().hexdigest())


def test_names_that_nobody_can_read_are_told_in_short_and_still_tell_parts_apart():
    """Twelve of a megabyte each, of which two begin alike: what is kept of the model stays small, and a mend finds its part."""
    nodes = tuple(
        Node(f"n{k}", ("a" if k < 2 else chr(97 + k)) * 1_000_000 + str(k), mesh=0, scale=(1, 1, 1 + k)) for k in range(12)
    )
    made = scene(cube("crate"), nodes=nodes)
    m = collect(made)
    assert len(json.dumps(report({}, m, judge(m, load_sheet(None), Intent())))) < 500_000
    assert len({p.name for p in m.parts}) == 12
    after = apply_mend(made, "pivots.set", {"anchor": "base-centre", "parts": [m.parts[1].name]}).scene
    assert [after.nodes[k].translation != made.nodes[k].translation for k in range(3)] == [False, True, False]
    assert after.nodes[1].name == made.nodes[1].name

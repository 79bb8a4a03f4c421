"""Findings of one kind: gathered, mended in one go, told on a terminal with calls that can be pasted."""

import shlex
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from handlens.core.judge import judge
from handlens.core.measures import collect
from handlens.core.present.kinds import kinds, together
from handlens.core.present.report import report
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Material, Node
from handlens.core.words.calls import call_text, parse_call, split_names
from handlens.terminal import findings_text
from kit.scenes import cube, scene, triangles_of


def finding(id, result="note", waived=None, mends=()):
    return {
        "id": id,
        "check": id.partition(":")[0],
        "result": result,
        "waived": waived,
        "mends": [{"mend": m, "params": p} for m, p in mends],
    }


def ids(found):
    return [k["findings"] for k in kinds(found)]


def test_three_of_a_kind_stand_together_where_the_first_stands():
    found = [finding(x) for x in ("a:1", "b:1", "a:2", "c:1", "a:3", "c:2")]
    assert ids(found) == [["a:1", "a:2", "a:3"], ["b:1"], ["c:1"], ["c:2"]]


def test_what_differs_in_result_or_was_waived_stands_apart():
    found = [finding("a:1"), finding("a:2", "stop"), finding("a:3"), finding("a:4", waived="meant"), finding("a:5")]
    assert ids(found) == [["a:1", "a:3", "a:5"], ["a:2"], ["a:4"]]
    assert kinds([]) == []


def test_calls_for_several_parts_become_one():
    calls = [
        ("weld", {"distance_mm": 2.0, "parts": "oar"}),
        ("weld", {"parts": "net;buoy", "distance_mm": 2.0}),
        ("weld", {"distance_mm": 2.0, "parts": ["oar"]}),
    ]
    assert together([{"mend": m, "params": p} for m, p in calls]) == [
        {"mend": "weld", "params": {"distance_mm": 2.0, "parts": ["oar", "net", "buoy"]}}
    ]
    # Another distance is another call, and one for the whole model is not one for a part.
    others = [("weld", {"distance_mm": 3.0, "parts": "oar"}), ("weld", {"distance_mm": 3.0}), ("clean", {})]
    assert len(together([{"mend": m, "params": p} for m, p in others])) == 3


def test_a_kind_is_mended_at_once_only_where_all_of_it_can_be():
    some = [finding(f"a:{k}", mends=[("fill", {"parts": f"p{k}"})] if k else []) for k in range(3)]
    assert [k["mends"] for k in kinds(some)] == [[]]
    every = [finding(f"a:{k}", mends=[("fill", {"parts": f"p{k}"}), ("other", {})]) for k in range(40)]
    assert [k["mends"] for k in kinds(every)] == [[{"mend": "fill", "params": {"parts": [f"p{k}" for k in range(40)]}}]]
    apart = [finding(f"a:{k}", mends=[("fill", {"across_mm": float(k), "parts": f"p{k}"})]) for k in range(40)]
    assert [k["mends"] for k in kinds(apart)] == [[]], "forty slips at once are no help"


NAMES = st.text(st.characters(codec="utf-8"), min_size=1, max_size=12)


@given(st.lists(NAMES, min_size=1, max_size=4), NAMES)
def test_a_call_in_words_is_read_back(parts, word):
    """Commas and backslashes in names are written so that they are none of the call's own."""
    name, params = parse_call(call_text("arrival.rename", {"search": word, "parts": parts, "whole": True, "factor": 0.1}))
    assert name == "arrival.rename"
    assert split_names(params.pop("parts")) == parts
    assert params == {"search": word, "whole": "true", "factor": "0.1"}
    assert parse_call(call_text("placement.home", {})) == ("placement.home", {})


def crates(count):
    """As many crates as wanted, each turned: the sheet asks for none."""
    one = triangles_of(cube())
    nodes = tuple(
        Node(f"n{k}", f"crate {k}", translation=(2.0 * k, 0, 0), rotation=(0, 0.7071068, 0, 0.7071068), mesh=0)
        for k in range(count)
    )
    return scene(one, nodes=nodes)


def told(made):
    m = collect(made)
    return findings_text("crates.glb", "Realtime engine", report({}, m, judge(m, load_sheet(None), Intent()), with_indices=False))


def test_a_terminal_tells_a_kind_once_with_one_call_for_all():
    paints = tuple(Material(f"m{k}", f"paint, {k}", roughness=0.01, metallic=0.0, base_colour=(k / 9, 0, 0, 1)) for k in range(9))
    made = scene(*(replace(cube(f"crate {k}", at=(2.0 * k, 0, 0)), slot_materials=(k,)) for k in range(9)), materials=paints)
    lines = told(made).splitlines()
    titles = [k for k, line in enumerate(lines) if "shines like a mirror" in line]
    assert len(titles) == 5
    more, why, call = lines[titles[-1] + 1 : titles[-1] + 4]
    assert more.strip() == "and 4 more of this kind, all of them in --json"
    assert lines.count(why) == 1
    after = apply_mend(made, *parse_call(shlex.split(call)[-1])).scene
    assert {m.roughness for m in after.materials} == {0.5}


def test_calls_on_a_terminal_can_be_pasted():
    made = crates(3)
    made = made.with_(
        nodes=tuple(
            n if k else Node(n.id, "it's, a \\ crate", n.translation, n.rotation, mesh=0) for k, n in enumerate(made.nodes)
        )
    )
    words = [shlex.split(line.partition("mend: ")[2]) for line in told(made).splitlines() if "mend: --mend" in line]
    assert words
    for flag, call in words:
        assert flag == "--mend"
        apply_mend(made, *parse_call(call))


@pytest.mark.parametrize("count", [0, 1])
def test_little_is_told_of_little(count):
    text = told(crates(count)) if count else told(scene(nodes=(Node("a", "empty"),)))
    assert "more of this kind" not in text

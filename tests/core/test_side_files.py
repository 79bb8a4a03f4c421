"""Text files beside a model: every kind of file, every kind of use, and correcting them without touching another letter."""

import json
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens import cli
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.packages.side_text import Lines, decoded, values
from handlens.core.pipeline.opening import open_scene
from handlens.core.pipeline.writing import changed_files
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.stations.arrival.measures import OWN
from handlens.core.stations.arrival.side_files import all_names, one_edit, variant_words

MODEL = "mtllib buoy_green.mtl\no float\nv 0 0 0\nv 1 0 0\nv 1 1 0\nusemtl buoy green\nf 1 2 3\n"
LIBRARY = "newmtl buoy green\nKd 0.2 0.5 0.3\n"


def package(folder: Path, **files: str | bytes) -> Path:
    (folder / "buoy_green.obj").write_text(MODEL)
    (folder / "buoy_green.mtl").write_text(LIBRARY)
    for name, text in files.items():
        path = folder / name.replace("__", ".")
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return folder


def told(s, **intent):
    found = judge(measure(s), load_sheet("realtime-engine"), Intent(**intent)).findings
    return [(f.check.removeprefix("arrival.side-"), f.title) for f in found if f.check.startswith("arrival.side-")]


def uses(s):
    return [(u.line, u.column, u.text, u.state, u.meant) for u in OWN.of(measure(s)).uses]


@pytest.mark.parametrize(
    ("name", "text", "path"),
    [
        ("list.xml", '<a><b paint="buoy green"/>\n<b><paint>buoy green</paint></b></a>', "/a/b/@paint"),
        ("list.json", '{"buoys": [{"paint": "buoy green"},\n {"paint": "buoy green"}]}', "/buoys/*/paint"),
        ("list.ini", "[buoy1]\npaint = buoy green\n", "/buoy*/paint"),
        ("list.csv", 'name,paint\nnorth,buoy green\nsouth,"buoy green"\n', "/paint"),
        ("list.txt", 'north "buoy green" 12\n', ""),
    ],
)
def test_every_kind_of_file_is_read_with_places_and_keys(name, text, path):
    found = [v for v in values(text, Path(name).suffix) if v.text == "buoy green"]
    assert found[0].path == path
    for v in found:
        assert text[v.start : v.end] == "buoy green"
        line, column = Lines(text).at(v.start)
        assert text.split("\n")[line - 1][column - 1 :].startswith("buoy green")


def test_json_keys_escapes_and_nesting():
    text = '{"buoy green": {"scale": 2, "says": "a \\"b\\" \\u00e9"}, "list": ["x", {"y": "z"}]}'
    assert [(v.text, v.path) for v in values(text, ".json")] == [
        ("buoy green", "/(key)"),
        ("scale", "/buoy green/(key)"),
        ("says", "/buoy green/(key)"),
        ('a "b" é', "/buoy green/says"),
        ("list", "/(key)"),
        ("x", "/list/*"),
        ("y", "/list/*/(key)"),
        ("z", "/list/*/y"),
    ]


def test_xml_comments_and_entities():
    text = "<!-- <a b='no'/> --><a b='x &amp; y'><![CDATA[in]]></a>"
    assert [(v.text, v.path) for v in values(text, ".xml")] == [("x & y", "/a/@b"), ("in", "/a")]


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=200), st.sampled_from([".xml", ".json", ".ini", ".csv", ".txt", ".yaml"]))
def test_no_text_breaks_it(text, ending):
    """Values lie within the text, one behind another, whatever is in it."""
    found = values(text, ending)
    assert all(0 <= v.start <= v.end <= len(text) for v in found)
    lines = Lines(text)
    for v in found:
        line, column = lines.at(v.start)
        assert line >= 1
        assert column >= 1


def test_encodings_are_kept():
    for encoding in ("utf-8", "utf-8-sig", "utf-16", "latin-1"):
        assert decoded("Bôje".encode(encoding)) == ("Bôje", encoding)
    with pytest.raises(ValueError, match="text"):
        decoded(b"\x00\x01")


@pytest.mark.parametrize(
    ("a", "b", "near"),
    [
        ("ring", "rng", True),
        ("rng", "ring", True),
        ("ring", "rink", True),
        ("ring", "rign", True),
        ("ring", "ring", False),
        ("ring", "rings2", False),
        ("ab", "ba", True),
        ("abc", "cba", False),
    ],
)
def test_one_edit(a, b, near):
    """Damerau 1964: one letter changed, added, left out, or two neighbours swapped."""
    assert one_edit(a, b) is near


def test_variants_differ_in_one_word():
    assert variant_words("buoy_green.obj", ["buoy_red.obj", "crane.obj", "buoy_red_small.obj", "BuoyRed.obj"]) == {
        "red": "buoy_red.obj"
    }
    assert variant_words("heron_female.glb", ["heron_male.glb"]) == {"male": "heron_male.glb"}


def test_uses_and_what_is_wrong_with_them(tmp_path):
    text = '<m>\n <b model="buoy_green.obj" paint="buoy green"/>\n <b model="buoy_green.obj" paint="Buoy Green"/>\n <b paint="buoy gren"/>\n <b chart="chart.png"/>\n <b paint="rust"/>\n</m>\n'
    s = open_scene(package(tmp_path, list__xml=text))[2]
    assert [(t, state, meant) for _, _, t, state, meant in uses(s)] == [
        ("buoy_green.obj", "exact", "buoy_green.obj"),
        ("buoy green", "exact", "buoy green"),
        ("buoy_green.obj", "exact", "buoy_green.obj"),
        ("Buoy Green", "case", "buoy green"),
        ("buoy gren", "near", "buoy green"),
        ("chart.png", "no-file", None),
        ("rust", "other", None),
    ]
    assert [c for c, _ in told(s)] == ["near-miss", "near-miss", "no-file"]
    assert "list.xml, line 3, column 35" in told(s)[0][1]
    # Pointing at one use makes all of its kind matter.
    for key in ("/m/b/@paint", "list.xml:/m/b/@paint"):
        assert [c for c, _ in told(s, side_keys=[key])] == ["near-miss", "near-miss", "no-file", "unknown"]


def test_other_variants_in_the_entry_and_in_the_model(tmp_path):
    (tmp_path / "buoy_red.obj").write_text(MODEL.replace("green", "red"))
    (tmp_path / "buoy_red.mtl").write_text(LIBRARY.replace("green", "red"))
    text = '[{"model": "buoy_red.obj", "paint": "buoy red"},\n {"model": "buoy_green.obj", "paint": "buoy red"}]'
    package(tmp_path, list__json=text)
    green, red = (open_scene(tmp_path / f"buoy_{c}.obj")[2] for c in ("green", "red"))
    # A lone file looks at the files beside it too.
    assert [c for c, _ in told(green)] == ["other-variant"]
    assert told(red) == []
    (tmp_path / "buoy_green.mtl").write_text(LIBRARY + "map_Kd buoy_red.png\n")
    assert [t for _, t in told(open_scene(tmp_path / "buoy_green.obj")[2])][
        -1
    ] == "The image buoy_red.png sounds like buoy_red.obj's"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "latin-1"])
def test_a_correction_changes_nothing_else(tmp_path, encoding):
    text = '<m>\r\n\t<b paint="Buoy Green" note="Bôje"/>\r\n</m>'
    s = open_scene(package(tmp_path, list__xml=text.encode(encoding)))[2]
    outcome = apply_mend(s, "arrival.side-file", {"file": "list.xml", "line": 2, "column": 12, "to": "buoy green"})
    assert outcome.figures[0].before == '<b paint="Buoy Green" note="Bôje"/>'
    assert outcome.figures[0].after == '<b paint="buoy green" note="Bôje"/>'
    assert changed_files(outcome.scene) == {"list.xml": text.replace("Buoy Green", "buoy green").encode(encoding)}
    assert told(outcome.scene) == []
    assert (tmp_path / "list.xml").read_bytes() == text.encode(encoding)
    with pytest.raises(MendError, match="No value begins"):
        apply_mend(s, "arrival.side-file", {"file": "list.xml", "line": 2, "column": 3, "to": "x"})
    with pytest.raises(MendError, match="not among"):
        apply_mend(s, "arrival.side-file", {"file": "other.xml", "line": 1, "column": 1, "to": "x"})


def test_what_is_written_is_spelt_as_the_file_wants(tmp_path):
    s = open_scene(package(tmp_path, list__json='{"paint": "Buoy Green"}', list__xml='<b paint="Buoy Green"/>'))[2]
    awkward = 'a "b" & <c>'
    for name, column in (("list.json", 12), ("list.xml", 11)):
        after = apply_mend(s, "arrival.side-file", {"file": name, "line": 1, "column": column, "to": awkward}).scene
        text = changed_files(after)[name].decode()
        assert [v.text for v in values(text, Path(name).suffix) if "a " in v.text] == [awkward]
    json.loads(
        changed_files(apply_mend(s, "arrival.side-file", {"file": "list.json", "line": 1, "column": 12, "to": awkward}).scene)[
            "list.json"
        ]
    )


def test_renaming_in_the_model_settles_it_as_well(tmp_path):
    s = open_scene(package(tmp_path, list__xml='<b paint="Buoy Green"/>'))[2]
    finding = next(f for f in judge(measure(s), load_sheet(None), Intent()).findings if f.check == "arrival.side-near-miss")
    assert [m for m, _ in finding.mends] == ["arrival.side-file", "arrival.rename"]
    for name, params in finding.mends:
        assert told(apply_mend(s, name, params).scene) == []


def test_the_command_line_writes_the_corrected_copy(tmp_path, capsys):
    source = tmp_path / "in"
    source.mkdir()
    package(source, list__xml='<b paint="Buoy Green"/>')
    out = tmp_path / "out" / "buoy_green.obj"
    call = "arrival.side-file:file=list.xml,line=1,column=11,to=buoy green"
    assert cli.main(["mend", str(source / "buoy_green.obj"), "--mend", call, "--out", str(out)]) == 0
    assert (out.parent / "list.xml").read_text() == '<b paint="buoy green"/>'
    assert (source / "list.xml").read_text() == '<b paint="Buoy Green"/>'
    assert "list.xml, line 1" in capsys.readouterr().out


def test_text_that_is_none_is_passed_over(tmp_path):
    s = open_scene(package(tmp_path, list__json=b"\x00\x01\x02", list__ini=b"", list__txt=b"\xff\xfe\x00"))[2]
    assert uses(s) == []
    assert told(s) == []


def test_a_name_of_before_is_told(tmp_path):
    s = open_scene(package(tmp_path, list__xml='<m><b paint="buoy green"/><b paint="buoy moss"/></m>'))[2]
    assert told(s) == []
    renamed = apply_mend(s, "arrival.rename", {"search": "buoy green", "replace": "buoy moss"}).scene
    after = renamed.with_(former=all_names(s))
    assert [(c, "a former name" in t) for c, t in told(after)] == [("near-miss", True)]
    assert ("buoy green", "former") in [(t, state) for _, _, t, state, _ in uses(after)]


def test_a_crowded_folder_is_looked_at_in_part(tmp_path):
    package(tmp_path)
    for k in range(230):
        (tmp_path / f"list_{k:03}.txt").write_text("buoy green")
    s = open_scene(tmp_path / "buoy_green.obj")[2]
    assert sum(n.role == "side-file" for n in s.beside) == 200
    assert len(uses(s)) == 200


def test_names_of_several_words_in_running_text(tmp_path):
    s = open_scene(package(tmp_path, notes__txt='The buoy green is painted; "buoy green" again, not sea-buoy greenish.'))[2]
    assert [(column, t, state) for _, column, t, state, _ in uses(s)] == [(5, "buoy green", "exact"), (29, "buoy green", "exact")]

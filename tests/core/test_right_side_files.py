"""Side files: each key has a kind of name, one wrong word is one finding wherever it stands, and what is not well-formed is told."""

import json

import pytest

from handlens.core.packages.side_text import ill_formed
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.stations.arrival.measures import OWN
from kit.scenes import findings

OBJ = "mtllib buoy.mtl\no buoy_float\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl tarred_rope\nf 1 2 3\n"


def opened(folder, **side):
    (folder / "buoy.obj").write_text(OBJ)
    (folder / "buoy.mtl").write_text("newmtl tarred_rope\nKd 1 1 1\n")
    for name, text in side.items():
        (folder / name.replace("__", ".")).write_text(text)
    return open_scene(folder)[2]


def test_a_key_of_paints_is_not_corrected_to_the_models_name(tmp_path):
    made = opened(
        tmp_path, list__xml='<list><item model="buoy.obj" paint="buoys"/><item model="buoy.obj" paint="tarred_rope"/></list>'
    )
    found = findings(made)
    assert "arrival.side-near-miss" not in found
    assert [f.title for f in found["arrival.side-unknown"]] == ["list.xml, line 1, column 37: buoys is no material of the model"]


def test_a_key_that_the_intent_names_is_told_although_nothing_under_it_resolves(tmp_path):
    made = opened(tmp_path, list__json=json.dumps({"rows": [{"coat": "wet_rope"}]}))
    assert "arrival.side-unknown" not in findings(made)
    key = next(u.path for u in OWN.of(measure(made)).uses if u.text == "wet_rope")
    told = findings(made, intent=json.dumps({"side_keys": [key]}))["arrival.side-unknown"]
    assert [f.measured["value"] for f in told] == ["wet_rope"]


THREE = """<list>
 <item paint="tarred_rope"/>
 <item paint="tarred_ropr"/>
 <item paint="tarred_ropr"/>
 <shelf><deep><label text="tarred_ropr"/></deep></shelf>
</list>
"""


def test_one_wrong_word_in_three_places_is_told_and_corrected_together(tmp_path):
    made = opened(tmp_path, list__xml=THREE)
    told = findings(made)["arrival.side-near-miss"]
    assert [(f.count, f.title) for f in told] == [
        (3, "list.xml, line 3, column 15 and lines 4, 5: tarred_ropr for the material tarred_rope, one letter off")
    ]
    after = apply_mend(made, *told[0].mends[0]).scene
    text = next(n for n in after.beside if n.path == "list.xml").load().decode()
    assert text.count("tarred_rope") == 4
    assert "ropr" not in text
    assert "arrival.side-near-miss" not in findings(after)
    # The other side may be the right one: both are offered.
    renamed = apply_mend(made, *told[0].mends[1]).scene
    assert renamed.materials[0].name == "tarred_ropr"


@pytest.mark.parametrize(
    ("ending", "text", "place"),
    [
        (".xml", "<list>\n <item>\n</list>\n", (3, 3)),
        (".xml", '<?xml version="1.0" encoding="utf-16"?>\n<list>\n <a b=1/>\n</list>', (3, 7)),
        (".json", '{"a": 1,\n "b": [1, 2}\n}', (2, 12)),
        (".json", "", None),
        (".xml", "<list/>", None),
        (".txt", "<list>", None),
    ],
)
def test_where_a_text_breaks_its_grammar(ending, text, place):
    found = ill_formed(text, ending)
    assert (found and found[:2]) == place


def test_a_side_file_that_is_not_well_formed_is_told_with_its_place(tmp_path):
    made = opened(tmp_path, list__xml="<list>\n <item>\n</list>\n")
    assert [f.title for f in findings(made)["arrival.side-broken"]] == ["list.xml breaks at line 3, column 3: mismatched tag"]


def test_entities_that_stand_for_gigabytes_are_not_followed():
    bomb = "<!DOCTYPE a [<!ENTITY x 'xx'>" + "".join(f"<!ENTITY y{k} '&x;&x;&x;'>" for k in range(9)) + "]><a>&y8;</a>"
    assert ill_formed(bomb, ".xml") is None


def test_a_model_in_another_files_clothes_is_no_side_file(tmp_path):
    library = '<COLLADA version="1.4.1"><library_lights><light name="Buoy_float"/></library_lights></COLLADA>'
    assert not OWN.of(measure(opened(tmp_path, other__xml=library))).uses
    assert OWN.of(measure(opened(tmp_path, other__xml=library.replace("COLLADA", "harbour")))).uses


def test_a_key_that_says_its_kind_is_enough_for_a_wrong_letter(tmp_path):
    told = findings(opened(tmp_path, list__json='{"material": "tarred_rop", "note": "tarred_rop3"}'))["arrival.side-near-miss"]
    assert [f.title for f in told] == ["list.json, line 1, column 15: tarred_rop for the material tarred_rope, one letter off"]


def test_files_that_running_text_names_are_worth_one_note_and_under_a_key_a_caution(tmp_path):
    log = "\n".join(f"saved rope_{k}.png for buoy.obj" for k in range(6)) + "\nsaved rope_0.png again\n"
    made = opened(tmp_path, log__txt=log, list__ini="[buoy]\nmodel = buoy.obj\npicture = net.png\n")
    found = {(f.result, f.title) for f in findings(made)["arrival.side-no-file"]}
    names = ", ".join(f"rope_{k}.png (line {k + 1})" for k in range(4))
    assert found == {
        ("note", f"log.txt names 6 files that are not in the package: {names} …"),
        ("caution", "list.ini, line 3, column 11: net.png is not in the package"),
    }

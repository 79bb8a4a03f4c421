"""The way to Fit: what it clears, at what cost, with how few mends, and what it leaves to a person."""

from __future__ import annotations

import json
import shutil
from itertools import chain

import pytest
from msgspec.structs import replace

import handlens.core.offers.way as way_module
from handlens.cli import main
from handlens.core import formats
from handlens.core.judge import judge
from handlens.core.limits import InputError, MendError
from handlens.core.offers.as_written import read_back
from handlens.core.offers.way import Wish, find_way, read_rules, recipe
from handlens.core.offers.way.looks import compare_looks
from handlens.core.offers.way.questions import as_suggested
from handlens.core.offers.way.search import Search
from handlens.core.offers.way.states import States
from handlens.core.route import tape
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_tape
from handlens.core.rules import load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.words.calls import Call, call_text
from handlens.library import open_model
from kit.defects import INTENT, seeded, sound
from kit.offered import DEMO

SHEET = load_sheet("realtime-engine")


def way_of(made, *sheets, intent=INTENT, **wish):
    wish.setdefault("look", False)
    return find_way(made, [load_sheet(s) for s in sheets] or [SHEET], intent_from_json(intent), Wish(**wish)).way


def left(way, k=0):
    return way.branches[k].after.stop, way.branches[k].after.caution


def fewest(made, most):
    """The length of the shortest tape of offered mends, in any order, that leaves as little as the way does; None where none of up to `most` does.

    By trying all of them: each call by itself, and calls that differ only in their parts together.
    """
    states = States(made, measure(made), [SHEET], intent_from_json(INTENT), Wish(), lambda *_: None)
    search = Search(states)
    wanted = None
    rim = [states.start]
    for n in range(most + 1):
        scores = [states.score(state, (0,)) for state in rim]
        wanted = min(scores) if wanted is None else wanted
        if n and any(not any(score[1:]) and not score[0] for score in scores):
            return n
        following = {}
        for state in rim if n < most else ():
            groups = search.groups(state, (0,), ("stop", "caution"))
            for offer in chain.from_iterable(groups):
                try:
                    after = states.after(state, offer.call)
                except (MendError, InputError):
                    continue
                following[frozenset(call_text(*call) for call in after.tape)] = after
        rim = list(following.values())
    return None


def test_what_is_sound_needs_no_mend():
    way = way_of(sound())
    assert (way.slips, way.fit, left(way)) == ([], True, (0, 0))


@pytest.mark.parametrize(("seed", "by_hand"), [(2, False), pytest.param(7, True, marks=pytest.mark.long), (12, True)])
def test_seeded_defects_end_in_fit_with_as_few_mends_as_can_be(seed, by_hand):
    made, names = seeded(seed)
    way = way_of(made, look=True)
    assert way.fit, names
    assert left(way) == (0, 0)
    # What was put wrong is put right, and the rest looks as it did.
    assert way.looks.worst < 0.02 * way.looks.of
    assert not by_hand or fewest(made, min(len(way.slips) - 1, 2)) is None
    # The tape by itself does what was told of it, and its file holds it.
    after, runs = apply_tape(made, recipe(way, SHEET.slug))
    assert all(run.applied for run in runs)
    held = judge(measure(read_back(after, "glb")), SHEET, intent_from_json(INTENT))
    assert (held.verdict()["stop"], held.verdict()["caution"]) == (0, 0)


@pytest.mark.long
@pytest.mark.parametrize("seed", range(60))
def test_sixty_models_with_seeded_defects_end_in_fit(seed):
    made, names = seeded(seed)
    way = way_of(made, look=True)
    assert way.fit, names
    assert way.looks.worst < 0.02 * way.looks.of


def test_the_same_model_has_the_same_way():
    ways = [way_of(seeded(2)[0]) for _ in range(2)]
    assert [(s.mend, s.params) for s in ways[0].slips] == [(s.mend, s.params) for s in ways[1].slips]
    assert ways[0].work == ways[1].work


def test_what_only_a_person_knows_is_asked_and_never_guessed():
    """A hut whose walls look inward is a room, or is inside out: nothing in the file tells which."""
    hut = open_model(DEMO / "ferry_hut").scene
    unsaid = way_of(hut, intent="{}")
    assert not unsaid.slips
    assert {x.needs for x in unsaid.branches[0].left} == {"intent"}
    asked = {q.key: (q.suggestion, q.why) for q in unsaid.questions}
    assert asked["seen_from"] == ("inside", "nearly all faces look inward")
    assert way_of(hut, intent='{"seen_from": "inside"}').fit
    # Said, though it be what is taken where nothing is said.
    turned = way_of(hut, intent='{"seen_from": "outside"}', answered=frozenset({"seen_from"}))
    assert "facing.outward" in {s.mend for s in turned.slips}
    said = as_suggested(intent_from_json("{}"), unsaid.questions)
    assert (said.seen_from, said.expected.height_m, said.pivot) == ("inside", 2.5, "base-centre")


def test_a_unit_that_nobody_stated_is_no_mend_but_a_question():
    made = sound().with_(unit_metres=None, format="obj")
    way = way_of(made, intent="{}", answered=frozenset())
    assert "size.scale" not in {s.mend for s in way.slips}
    assert [(q.key, q.suggestion) for q in way.questions][:1] == [("unit", "m")]


def test_several_destinations_share_a_tape_and_each_has_the_rest_for_itself():
    """One destination allows a hundred triangles a mesh, which the float exceeds."""
    few = replace(SHEET, slug="few", name="Few", limits=replace(SHEET.limits, triangles_mesh=100))
    made, _ = seeded(12)
    found = find_way(made, [SHEET, few], intent_from_json(INTENT), Wish(look=False))
    way = found.way
    assert {sheet for s in way.slips for sheet in s.serves} == {SHEET.slug, "few"}
    assert all(s.serves == [branch.sheet] for branch in way.branches for s in branch.slips)
    for k, branch in enumerate(way.branches):
        judged = judge(measure(found.scenes[k + 1]), [SHEET, few][k], intent_from_json(INTENT))
        assert (judged.verdict()["stop"], judged.verdict()["caution"]) == (branch.after.stop, branch.after.caution)
        # Alone, neither ends better.
        assert left(way, k) <= left(find_way(made, [[SHEET, few][k]], intent_from_json(INTENT), Wish(look=False)).way)


def test_a_choice_is_told_with_its_price_and_a_rule_takes_the_other():
    made = open_model(DEMO / "quay_crane").scene
    slip = next(s for s in way_of(made, intent="{}").slips if s.mend == "arrival.remove")
    assert {o.mend: o.chosen for o in slip.options} == {"arrival.remove": True, "arrival.thicken-lines": False}
    assert {o.mend: o.cost.triangles > 0 for o in slip.options} == {"arrival.remove": False, "arrival.thicken-lines": True}
    other = way_of(made, intent="{}", rules={slip.checks[0]: "arrival.thicken-lines"})
    assert (other.slips[0].mend, other.slips[0].options[1].mend) == ("arrival.thicken-lines", "arrival.remove")
    with pytest.raises(InputError, match="there is not"):
        read_rules({"surface.nothing": "surface.clean"})
    found = judge(measure(made), SHEET, intent_from_json("{}")).findings
    assert way_of(made, intent="{}", waived=frozenset(f.id for f in found)).slips == []


def test_a_mend_that_breaks_its_promise_is_never_in_a_way(monkeypatch):
    made, _ = seeded(2)
    usual = way_of(made)
    broken = usual.slips[0].mend
    real = tape.apply_as_promised

    def breaks(scene, id, params):
        if id == broken:
            raise MendError("It promises to keep everything, and does not.")
        return real(scene, id, params)

    monkeypatch.setattr(way_module, "apply_as_promised", breaks)
    assert broken not in {s.mend for s in way_of(made).slips}
    # However many there are.
    monkeypatch.setattr(way_module, "apply_as_promised", lambda scene, id, params: breaks(scene, broken, params))
    assert way_of(made).slips == []


def test_looks_tell_what_changed_and_not_what_was_moved_turned_or_scaled():
    made = sound()
    moved = apply_tape(made, [Call("size.scale", {"factor": 3.0}), Call("placement.home", {})])[0]
    looks, _ = compare_looks(made, moved)
    assert (looks.worst, round(looks.distance_m, 6)) == (0, 0)
    gone = apply_tape(made, [Call("arrival.remove-parts", {"parts": ["post"]})])[0]
    looks, picture = compare_looks(made, gone)
    assert looks.worst > 50
    worst = max(looks.sides, key=lambda side: side.pixels)
    # The post stands beside the crate, 1.6 m tall of a frame about as large: what differs is taller than wide, in a corner of it.
    left, top, right, bottom = worst.box
    assert bottom - top > 2 * (right - left)
    assert picture[:4] == b"RIFF"


def test_the_command_tells_writes_and_proves(tmp_path, capsys):
    (tmp_path / "intent.json").write_text(INTENT)
    pot = tmp_path / "in"
    pot.mkdir()
    (pot / "cart.glb").write_bytes(formats.write(seeded(2)[0], "glb", "cart")["cart.glb"])
    call = ["way", str(pot), "--intent", str(tmp_path / "intent.json"), "--no-project", "--no-looks"]
    assert (
        main([*call, "--json", str(tmp_path / "way.json"), "--recipe", str(tmp_path / "r.json"), "--out", f"{tmp_path}/out/"])
        == 0
    )
    told = capsys.readouterr().out
    assert told.startswith(f"{pot}/cart.glb: Fit after 4 mends\n")
    assert "proved:" in told
    tree = json.loads((tmp_path / "way.json").read_text())
    assert (tree["schema"], tree["fit"], len(tree["slips"])) == (1, True, 4)
    assert (
        main(["inspect", f"{tmp_path}/out", "--intent", str(tmp_path / "intent.json"), "--no-project", "--fail-on", "caution"])
        == 0
    )
    # The recipe does the same to the next model.
    again = [str(pot), "--recipe", str(tmp_path / "r.json"), "--out", str(tmp_path / "b.glb")]
    assert main(["mend", *again]) == 0
    assert main([*call, "--rules", "block-world", "--rules", "nowhere"]) == 2
    assert main([*call, "--prefer", "mud"]) == 2
    assert main([*call, "--rules", "block-world", "--rules", "ar-viewing", "--out", f"{tmp_path}/two.glb"]) == 2
    assert not (tmp_path / "two.glb").exists()
    assert main([*call, "--out", f"{pot}/inside/"]) == 2
    assert main(["way", f"{DEMO}/ferry_signboard", "--no-project", "--no-looks", "--json", "-"]) == 1


def test_the_project_remembers_choices(tmp_path, monkeypatch, capsys):
    shutil.copytree(DEMO / "quay_crane", tmp_path / "crane")
    (tmp_path / "handlens.toml").write_text('[way]\n"arrival.lines" = "arrival.thicken-lines"\n')
    monkeypatch.chdir(tmp_path)
    assert main(["way", "crane", "--no-looks"]) == 0
    assert "1 Make them 20 mm wide shapes, setting_out" in capsys.readouterr().out
    (tmp_path / "handlens.toml").write_text('[way]\n"arrival.mud" = "arrival.remove"\n')
    assert main(["way", "crane", "--no-looks"]) == 2

"""The node tree put in order: nothing moves, whatever hangs on what; names, roles and what is aside."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from handlens.core.edit.tree import common_parent, topmost
from handlens.core.judge import judge, relevant_measures
from handlens.core.kit.naming import named_in, names_by
from handlens.core.kit.roles import proposals
from handlens.core.limits import InputError, MendError
from handlens.core.measures import collect
from handlens.core.pipeline.writing import write_as
from handlens.core.present.tree import tree
from handlens.core.route.tape import apply_mend, apply_tape
from handlens.core.rules import load_sheet
from handlens.core.rules.intent import intent_from_json
from handlens.core.scene import Channel, Clip, Material, Node
from handlens.core.scene.bounds import world_bounds
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import parents
from handlens.core.stations.motion.mends import chosen_clips
from kit.scenes import cube, findings, rigged, scene
from kit.trees import positions, random_tree


def keys(s):
    return [n.name for n in s.nodes]


def stands(before, after):
    """Every part is where it was, by name."""
    old, new = positions(before), positions(after)
    assert old.keys() == new.keys()
    for name, p in old.items():
        assert np.allclose(new[name], p, atol=1e-8 * max(1, np.abs(p).max())), name


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_grouping_hanging_and_ungrouping_move_nothing(seed):
    random = np.random.default_rng(seed)
    before = random_tree(random)
    some = [str(x) for x in random.choice(keys(before), size=min(3, len(before.nodes)), replace=False)]
    grouped = apply_mend(before, "placement.group", {"parts": some, "name": "crew"}).scene
    stands(before, grouped)
    assert "crew" in keys(grouped)
    hung = (
        apply_mend(before, "placement.hang", {"parts": [some[0]], "under": ""})
        if parents(before)[keys(before).index(some[0])] >= 0
        else None
    )
    if hung is not None:
        stands(before, hung.scene)
        assert parents(hung.scene)[keys(hung.scene).index(some[0])] == -1
    stands(before, apply_mend(grouped, "placement.ungroup", {}).scene)


def yard(**more):
    """A crane of a group with two parts, one under the other, and a crate beside it, all turned and scaled otherwise."""
    s = float(np.sqrt(0.5))
    nodes = (
        Node("0", "crane", translation=(4, 0, 0), rotation=(0, s, 0, s), scale=(2, 2, 2), children=(1, 2)),
        Node("1", "jib", translation=(0, 3, 0), mesh=0, children=(3,)),
        Node("2", "foot", mesh=0),
        Node("3", "hook", translation=(0, -1, 0), scale=(0.5, 0.5, 0.5), mesh=0),
        Node("4", "crate", translation=(-3, 0, 1), mesh=1),
    )
    return scene(cube(), cube("box"), nodes=nodes, **more)


def test_the_group_takes_the_place_of_the_first_and_holds_topmost_nodes_alone():
    made = apply_mend(yard(), "placement.group", {"parts": ["jib", "hook", "foot"], "name": "upper"}).scene
    group = keys(made).index("upper")
    assert [made.nodes[c].name for c in made.nodes[group].children] == ["jib", "foot"]
    assert parents(made)[group] == keys(made).index("crane")
    assert topmost(yard(), {1, 3, 4}) == [1, 4]
    assert (common_parent(yard(), [3, 2]), common_parent(yard(), [3, 4]), common_parent(yard(), [3])) == (0, -1, 1)


def test_a_node_cannot_hang_below_itself_nor_where_it_hangs_already():
    with pytest.raises(MendError, match="is below one of these"):
        apply_mend(yard(), "placement.hang", {"parts": ["crane"], "under": "hook"})
    with pytest.raises(MendError, match="already"):
        apply_mend(yard(), "placement.hang", {"parts": ["hook"], "under": "jib"})


def clip_of(node):
    keyed = Channel(node, "translation", np.array([0, 1], np.float32), np.array([[0, 3, 0], [0, 4, 0]], np.float32))
    return (Clip("c", "lift", (keyed,)),)


def test_what_a_clip_moves_stays_where_its_frame_is_and_says_so():
    moved = yard(clips=clip_of(1))
    with pytest.raises(MendError, match="a clip moves it"):
        apply_mend(moved, "placement.hang", {"parts": ["jib"], "under": ""})
    # Below a group in the very frame it goes, and its clip with it.
    grouped = apply_mend(moved, "placement.group", {"parts": ["jib", "foot"], "name": "g"}).scene
    assert grouped.clips[0].channels[0].node == keys(grouped).index("jib")
    told = apply_mend(moved, "placement.hang", {"parts": ["hook"], "under": "crate"})
    assert told.remarks == ("What was taken from jib no longer follows the clip that moves it.",)
    with pytest.raises(MendError, match="move otherwise"):
        apply_mend(moved, "placement.ungroup", {"parts": ["crane"]})


def test_a_branch_goes_with_its_clips_and_meshes_but_not_from_under_a_skin():
    gone = apply_mend(yard(clips=clip_of(3)), "placement.remove-below", {"parts": ["jib"]})
    assert keys(gone.scene) == ["crane", "foot", "crate"]
    assert gone.scene.clips[0].channels == ()
    assert len(gone.scene.meshes) == 2
    assert ("channels of clips for them", "1", "0") in [(f.what, f.before, f.after) for f in gone.figures]
    assert len(apply_mend(yard(), "placement.remove-below", {"parts": ["crate"]}).scene.meshes) == 1
    rig = rigged(np.random.default_rng(1))
    with pytest.raises(MendError, match="is bound to"):
        apply_mend(rig, "placement.remove-below", {"parts": ["hip"]})
    with pytest.raises(MendError, match="Nothing would be left"):
        apply_mend(yard(), "placement.remove-below", {"parts": ["crane", "crate"]})


def test_parts_come_to_the_origin_together():
    before = yard()
    after = apply_mend(before, "placement.to-origin", {"parts": ["jib", "foot"]}).scene
    alone = after.with_(nodes=tuple(replace(n, mesh=None) if n.name == "crate" else n for n in after.nodes))
    low, high = world_bounds(alone)
    assert np.allclose(((low + high) / 2)[[0, 2]], 0, atol=1e-12)
    assert abs(low[1]) < 1e-12
    old, new = positions(before), positions(after)
    assert np.allclose(new["jib"] - old["jib"], (new["hook"] - old["hook"])[0])
    assert np.allclose(new["crate"], old["crate"])
    rig = rigged(np.random.default_rng(1), clip=False)
    whole = apply_mend(rig, "placement.to-origin", {"anchor": "centre"}).scene
    low, high = world_bounds(whole)
    assert np.allclose(low + high, 0, atol=1e-6)
    assert np.allclose(posed(rig, 4) - posed(rig, 4).mean(0), posed(whole, 4) - posed(whole, 4).mean(0), atol=1e-6)
    with pytest.raises(MendError, match="choose the topmost"):
        apply_mend(rig, "placement.to-origin", {"parts": ["eel"]})


def test_a_slip_that_another_rests_on_offers_its_place():
    tape = [("placement.to-origin", {}), ("size.up-axis", {"to": "Z"})]
    _, runs = apply_tape(yard(), tape)
    assert runs[1].before == 0
    assert "rests on it" in runs[1].remarks[-1]
    assert apply_tape(yard(), tape[::-1])[1][1].before is None


# --- names -----------------------------------------------------------------------------------------


def test_names_by_a_pattern_are_unlike_each_other_and_all_others():
    made = yard(materials=(Material("m", "tar"), Material("n", "oak")))
    named = lambda pattern, **more: keys(apply_mend(made, "arrival.name-by-pattern", {"pattern": pattern, **more}).scene)
    assert named("{parent}_{slot}_{counter:2}") == ["crane", "crane_tar_01", "crane_tar_03", "jib_tar_02", "top_tar_04"]
    assert named("{side} {place}", parts=["jib", "foot", "crate"]) == ["crane", "right high", "right low", "hook", "left low"]
    # Sizes of two are the same, and `crane` is another's name.
    assert named("{size}")[1:] == ["2.00m", "2.00m_2", "1.00m", "1.00m_2"]
    assert named("CRANE", parts=["foot"])[2] == "CRANE_2"
    for bad in ("{colour}", "{name:3}", "{name", " "):
        with pytest.raises(InputError, match=r"arrival\.name-by-pattern"):
            named(bad)


def test_the_form_shows_the_very_names_that_the_mend_gives():
    made = yard(materials=(Material("m", "tar"), Material("n", "oak")))
    m = collect(made)
    for parts in ([], ["jib", "crate", "crane"]):
        things, taken = named_in(m, parts)
        shown = names_by("{side}{place}{size}{slot}{parent}{counter}", 3, things, taken, "Y", 1.0)
        given_ = apply_mend(
            made, "arrival.name-by-pattern", {"pattern": "{side}{place}{size}{slot}{parent}{counter}", "start": 3, "parts": parts}
        )
        assert sorted(f.after for f in given_.figures) == sorted(shown)


def test_a_plain_material_is_made_for_faces_that_have_none():
    bare = scene(replace(cube(), slot_materials=(-1,)), materials=())
    with pytest.raises(MendError, match="give it a colour"):
        apply_mend(bare, "slots.assign", {"material": "oak"})
    with pytest.raises(InputError, match="six digits"):
        apply_mend(bare, "slots.assign", {"material": "oak", "colour": "brown"})
    made = apply_mend(bare, "slots.assign", {"material": "oak", "colour": "#808080"}).scene
    assert "slots.no-material" in findings(bare)
    assert "slots.no-material" not in findings(made)
    # 128 of 255 as shown is 0.2158605 as light (IEC 61966-2-1).
    assert made.materials[0].base_colour == pytest.approx((0.2158605, 0.2158605, 0.2158605, 1.0), abs=1e-6)


# --- roles -----------------------------------------------------------------------------------------


def shed():
    names = ("shed", "human_figure", "shed_collision", "shed_lod2", "lodge", "collisionless", "Person", "lamp")
    return scene(*(cube(n, at=(3 * k, 0, 0)) for k, n in enumerate(names)))


def test_roles_are_proposed_by_whole_words_and_never_applied():
    m = collect(shed())
    assert [(p.name, p.role) for p in proposals(m)] == [
        ("human_figure", "aside"),
        ("shed_collision", "stand-in"),
        ("shed_lod2", "level-2"),
        ("Person", "aside"),
    ]
    found = findings(shed())["arrival.roles"]
    assert {f.result for f in found} == {"note"}
    assert len(found) == 3
    said = json.dumps({"parts": {n: {"role": "thing"} for n in ("human_figure", "shed_collision", "shed_lod2", "Person")}})
    assert "arrival.roles" not in findings(shed(), intent=said)
    assert [n.proposed for n in tree(m, intent_from_json("{}")).nodes if n.name.startswith("shed")] == [
        None,
        "stand-in",
        "level-2",
    ]


def test_a_shell_is_proposed_where_all_of_it_looks_inward():
    round_it = cube("outline", 1.1, (-0.05, -0.05, -0.05))
    turned = replace(round_it, corners=round_it.corners.reshape(-1, 4)[:, ::-1].reshape(-1).copy())
    assert [(p.name, p.role, p.because) for p in proposals(collect(scene(cube("tank"), turned)))] == [
        ("outline", "inner", "all of it looks inward, around tank")
    ]
    assert not proposals(collect(scene(cube("tank"), round_it)))


@pytest.mark.parametrize("role", ["aside", "stand-in", "level-1", "level-3"])
def test_what_has_a_role_apart_counts_in_no_size_and_no_budget(role):
    made = scene(cube("crate"), cube("tall", 9.0))
    meant = intent_from_json(json.dumps({"parts": {"tall": {"role": role}}, "expected": {"height_m": 1}}))
    m = collect(made)
    assert relevant_measures(m, meant).bounds_max == [1, 1, 1]
    assert "size.expected" not in {f.check for f in judge(m, load_sheet(None), meant).findings}


def test_the_sheet_says_roles_by_patterns_and_the_intent_goes_before_it():
    import msgspec

    sheet = msgspec.structs.replace(load_sheet(None), roles={"*_collision": "stand-in", "human*": "aside"})
    meant = sheet.meant(intent_from_json('{"parts": {"human_figure": {"role": "thing"}}}'))
    assert meant.of_part("shed_collision").role == "stand-in"
    assert meant.of_part("human_figure").role == "thing"
    told = lambda by: {f.id for f in judge(collect(shed()), by, intent_from_json("{}")).findings}
    assert told(load_sheet(None)) - told(sheet) == {"arrival.roles:stand-in"}


def test_what_is_aside_stays_behind_and_is_told():
    made = scene(cube("crate"), cube("human", at=(3, 0, 0)))
    meant = intent_from_json('{"parts": {"human": {"role": "aside"}}}')
    written = write_as(made, "glb", "x", intent=meant)
    assert written.lost[0] == "1 part stays behind, said to be not of the thing: human."
    assert [written.held.scene.nodes[0].name] == [n.name for n in written.held.scene.nodes]
    assert not any("stays behind" in x for x in write_as(made, "glb", "x").lost)
    with pytest.raises(InputError, match="nothing to write"):
        write_as(made, "glb", "x", intent=intent_from_json('{"parts": {"*": {"role": "aside"}}}'))


def test_names_to_choose_from_are_those_that_mends_take():
    made = scene(cube(), materials=(Material("m0", "tar"), Material("m1", ""), Material("m2", "tar")))
    made = made.with_(clips=(Clip("c0", "wade", ()), Clip("c1", "wade", ()), Clip("c2", None, ()), Clip("c3", "fly", ())))
    listed = tree(collect(made), intent_from_json("{}"))
    assert (listed.materials, listed.clips) == (["tar"], ["#0", "#1", "#2", "fly"])
    assert chosen_clips(made, listed.clips) == [0, 1, 2, 3]

"""Offers that were tried: what does not help is not offered, on any model, and what helps says what it costs."""

from dataclasses import replace

import msgspec
import pytest

from handlens.core import formats
from handlens.core.declare.check import Finding
from handlens.core.judge import judge
from handlens.core.judge.judge import offered
from handlens.core.measures import Measures, collect
from handlens.core.measures.known import Known
from handlens.core.measures.records import TrialFigures
from handlens.core.offers.trials import new_or_worse, with_trials
from handlens.core.packages import MemoryPackage
from handlens.core.pipeline.opening import open_scene
from handlens.core.present.ledger import ledger
from handlens.core.present.report import finding_json
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.rules.sheet import Limits
from handlens.core.scene import Camera, Node
from kit.scenes import cube, mesh, scene
from kit.solids import icosphere

OTHERS = [
    "OBJ/spider.obj",
    "OBJ/WusonOBJ.obj",
    "Collada/duck.dae",
    "Collada/cameras.dae",
    "Collada/teapots.DAE",
    "PLY/Wuson.ply",
    "STL/sphereWithHole.stl",
    "OFF/Wuson.off",
    "glTF2/BoxTextured-glTF/BoxTextured.gltf",
    "glTF2/textureTransform/TextureTransformTest.gltf",
    "STL/3DSMaxExport.STL",
    "OBJ/box.obj",
    "Collada/ConcavePolygon.dae",
]


def tried(made, work=float("inf"), sheets=None, intent=None):
    measures = collect(made, known=Known())
    return with_trials(made, measures, sheets or [load_sheet(None)], intent or Intent(), work)


def helped_in_file(made, call, format_name, sheet, said):
    """Titles of the findings of a call that are still in the file that it is written into, by a path of its own through the product."""
    files = formats.write(apply_mend(made, *call).scene, format_name, "model")
    back = formats.read(MemoryPackage(files), next(iter(files)))
    return {f.id for f in judge(collect(back), sheet, said).findings}


@pytest.mark.parametrize("name", ["STL/sphereWithHole.stl", "PLY/Wuson.ply", "Collada/duck.dae", "OBJ/box.obj"])
def test_what_is_offered_as_tried_holds_once_it_is_written(models, name):
    made = open_scene(models / name)[2]
    sheet = load_sheet(None)
    found = judge(tried(made), sheet, Intent()).findings
    bare = formats.write(made, made.format, "model")
    told = {f.id for f in judge(collect(formats.read(MemoryPackage(bare), next(iter(bare)))), sheet, Intent()).findings}
    checked = 0
    for f in found:
        for call, costs in zip(f.mends, f.costs, strict=True):
            if costs is not None and f.id in told:
                said = Intent(unit=call.params.get("unit")) if "unit" in call.params else Intent()
                assert f.id not in helped_in_file(made, call, made.format, sheet, said), (f.title, call)
                checked += 1
    assert checked


def test_what_the_own_format_cannot_hold_is_offered_with_one_that_can(models):
    """STL holds no normals of points: soft ones are worked out anew by each reader."""
    made = open_scene(models / "STL/sphereWithHole.stl")[2]
    found = judge(tried(made), load_sheet(None), Intent()).findings
    offers = [m for f in found for m in finding_json(f)["mends"] if m["mend"] == "facing.normals"]
    assert [(m["tried"], m["needs_format"]) for m in offers] == [(False, "glb")]


def test_a_unit_that_was_said_is_kept_as_the_intent_and_not_asked_for_again(models):
    made = open_scene(models / "STL/sphereWithHole.stl")[2]
    asked = lambda intent: [
        f for f in judge(collect(made), load_sheet(None), intent).findings if f.check == "size.undeclared-unit"
    ]
    assert asked(Intent())
    assert not asked(Intent(unit="m"))
    # Said as millimetres, the numbers count so: what stood 2 m tall stands 2 mm.
    sides = [
        entry
        for entry in ledger(
            collect(made), load_sheet(None), Intent(unit="mm"), judge(collect(made), load_sheet(None), Intent(unit="mm"))
        )
        if entry.slug == "size"
    ]
    assert "mm" in str(sides[0])


@pytest.mark.parametrize("name", OTHERS)
def test_every_offer_takes_its_finding_away_and_brings_none(models, name):
    made = open_scene(models / name)[2]
    sheet = load_sheet(None)
    measures = tried(made)
    before = judge(measures, sheet, Intent())
    for f in before.findings:
        for call in f.mends:
            after = judge(collect(apply_mend(made, *call).scene, known=Known(measures)), sheet, Intent())
            assert f.id not in {x.id for x in after.findings}, (f.title, call)
            assert not [x.title for x in new_or_worse(before, after)], (f.title, call)


def test_what_is_refused_stays_or_brings_another_is_not_offered():
    sheet = load_sheet(None)
    finding = Finding("x", mends=(("a.b", {}),), check="a.c", key="k")
    trial = TrialFigures("a.b", None, ["a.c:k"], {}, ["3 faces fewer"], written=True)
    kept = lambda t: offered(finding, {"a.b": t}, sheet)
    assert kept(trial).mends
    assert finding_json(replace(kept(trial), result="note"))["mends"] == [
        {"mend": "a.b", "params": {}, "tried": True, "costs": ["3 faces fewer"]}
    ]
    assert offered(finding, {}, sheet).costs == (None,)
    for worse in (
        {"refused": "No."},
        {"gone": []},
        {"came": {"realtime-engine": ["another"]}},
    ):
        assert not kept(TrialFigures(**{**{n: getattr(trial, n) for n in trial.__struct_fields__}, **worse})).mends
    # What comes only under another sheet is that sheet's business.
    assert kept(TrialFigures("a.b", None, ["a.c:k"], {"block-world": ["another"]}, [])).mends


def test_trials_are_kept_with_the_measures_and_cost_no_more_than_allowed():
    twice = mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], [[0, 1, 2], [0, 1, 2], [1, 3, 2]])
    made = scene(twice, cube(at=(5, 0, 0)))
    measures = tried(made)
    call = next(t for t in measures.trials if t.call.startswith("surface.clean"))
    assert call.gone
    assert "1 face fewer" in call.costs
    assert Measures.from_bytes(measures.to_bytes()).trials == measures.trials
    assert not tried(made, work=0).trials
    # One sheet's word on a model is not another's: each is asked.
    assert tried(made, sheets=shipped()).trials


def test_what_two_sheets_want_of_one_part_is_tried_apart():
    """A ball of 5,120 triangles, over one sheet's limit and far over another's: the second is not tried on what is left for the first."""
    limits = lambda n: msgspec.structs.replace(load_sheet(None), slug=f"s{n}", limits=Limits(triangles_mesh=n))
    ball = icosphere(4)
    found = tried(scene(ball), sheets=[limits(1_000), limits(4_000)])
    calls = {t.call: t for t in found.trials if t.call.startswith("budget.reduce")}
    assert len(calls) == 2
    assert all(t.refused is None and t.gone for t in calls.values())
    assert calls[f"budget.reduce:triangles=4000,parts={ball.name}"].costs == ["1,120 faces fewer"]


def test_a_mend_that_falls_is_not_offered(monkeypatch):
    from handlens.core.offers import trials

    def falls(*_):
        raise RuntimeError

    made = scene(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2], [0, 1, 2]]))
    monkeypatch.setattr(trials, "apply_as_promised", falls)
    measures = tried(made)
    assert measures.trials
    assert all(t.refused and "RuntimeError" in t.refused for t in measures.trials)
    assert not any(f.mends for f in judge(measures, load_sheet(None), Intent()).findings)


def test_what_would_take_long_to_try_is_offered_untried(monkeypatch):
    from handlens.core.offers import trials

    twice = mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], [[0, 1, 2], [0, 1, 2], [1, 3, 2]])
    made = scene(twice, cube(at=(5, 0, 0))).with_(cameras=(Camera("eye", {}),))
    made = made.with_(nodes=(*made.nodes, Node("n", "eye", camera=0)), roots=(0, 1, 2))
    calls = lambda work: {t.call.partition(":")[0] for t in tried(made, work).trials}
    assert calls(1e6) >= {"surface.clean", "arrival.remove"}
    # A model of more triangles than half of what trying may cost: only what leaves its meshes alone is played.
    assert calls(10) == {"arrival.remove"}
    monkeypatch.setattr(trials, "_PIXELS", -1)
    assert not any(c.startswith("textures.resize") for c in calls(1e6))

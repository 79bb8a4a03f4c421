"""What every finding and every ledger must be, looked at over all demo models and some that others made, under every sheet."""

from functools import cache

import pytest

from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.pipeline.opening import open_scene
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.words.lengths import metres
from kit.offered import LISTED, MAY_STAY, RUBBISH, demo, looked_over, weight
from kit.scenes import scene

OTHERS = [
    "OBJ/spider.obj",
    "Collada/duck.dae",
    "glTF2/BoxTextured-glTF/BoxTextured.gltf",
    "PLY/Wuson.ply",
    "STL/sphereWithHole.stl",
    "glTF2/textureTransform/TextureTransformTest.gltf",
    "glTF2/simple_skin/simple_skin.gltf",
    "OFF/Wuson.off",
]


@cache
def other(models, name):
    opened = open_scene(models / name)[2]
    return opened, measure(opened)


SHEETS = [s.slug for s in shipped()]


@pytest.mark.parametrize("sheet", SHEETS)
@pytest.mark.parametrize("folder", [m["folder"] for m in LISTED])
def test_ledgers_and_findings_of_the_demo_hold_together(folder, sheet):
    _, measures, _, intent = demo(folder)
    looked_over(measures, load_sheet(sheet), intent)


@pytest.mark.parametrize("sheet", SHEETS)
@pytest.mark.parametrize("name", OTHERS)
def test_ledgers_and_findings_of_others_hold_together(models, name, sheet):
    looked_over(other(models, name)[1], load_sheet(sheet), Intent())


@pytest.mark.parametrize("sheet", SHEETS)
def test_ledgers_and_findings_of_nothing_hold_together(sheet):
    looked_over(measure(scene()), load_sheet(sheet), Intent())


def offers(found):
    """Every call that a finding offers, in order."""
    return [(f, call) for f in found for call in f.mends]


#: Whether these can do it is known only by trying.
MAY_REFUSE = {"surface.take-apart"}


def first_offers_help(opened, measures, sheet, intent):
    """The first mend that a finding offers takes the finding away or makes it less, unless it says that it cannot."""
    for f in judge(measures, sheet, intent).findings:
        if not f.mends or f.check in MAY_STAY:
            continue
        name, params = f.mends[0]
        try:
            outcome = apply_mend(opened, name, params)
        except MendError:
            assert name in MAY_REFUSE, (f.check, name)
            continue
        after = judge(measure(outcome.scene), sheet, intent).findings
        left = weight(after, f)
        assert left == 0 or left < (f.count or 1) or milder(after, f), (f.check, f.title, name, params)
        assert outcome.figures, name


def milder(found, finding):
    """Whether what is measured has come nearer to what is wanted."""
    left = next(f for f in found if f.id == finding.id)
    before, after = finding.measured, left.measured
    if before is None or after is None or not isinstance(before["value"], int | float):
        return False
    wanted = (finding.wanted or {}).get("value") or 0
    return abs(after["value"] - wanted) < abs(before["value"] - wanted)


@pytest.mark.parametrize("folder", [m["folder"] for m in LISTED])
def test_the_first_mend_that_a_finding_offers_helps(folder):
    first_offers_help(*demo(folder))


@pytest.mark.parametrize("name", OTHERS)
def test_the_first_mend_offered_for_a_model_of_others_helps(models, name):
    opened, measures = other(models, name)
    first_offers_help(opened, measures, load_sheet(None), Intent())


def test_every_call_that_is_offered_is_one_that_the_mend_takes():
    """The others after the first may not apply, but then they say so in a sentence."""
    tried = 0
    for listed in LISTED:
        opened, measures, sheet, intent = demo(listed["folder"])
        for f, (name, params) in offers(judge(measures, sheet, intent).findings):
            try:
                apply_mend(opened, name, params)
            except MendError as error:
                text = str(error)
                assert text.endswith("."), text
                assert not RUBBISH.search(text), (f.check, text)
            tried += 1
    assert tried > 20


@pytest.mark.parametrize(
    ("amount", "words"),
    [
        (0, "0 m"),
        (6.25e-8, "62.5 nm"),
        (5e-5, "50 µm"),
        (0.0094, "9.4 mm"),
        (0.05, "5 cm"),
        (0.94, "0.94 m"),
        (1.0, "1.00 m"),
        (999.5, "1 km"),
        (482_803, "483 km"),
        (-0.25, "-0.25 m"),
        (-0.004, "-4 mm"),
        (float("inf"), "inf m"),
    ],
)
def test_lengths_in_words(amount, words):
    assert metres(amount) == words

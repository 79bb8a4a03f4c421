"""A sheet that is learnt from models that were accepted, and some that were refused."""

from __future__ import annotations

import json

import msgspec
import numpy as np
import pytest

from conftest import ROOT
from handlens.cli import main
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.measures import Measures
from handlens.core.pipeline.learning import Example, draft, learn
from handlens.core.route.measuring import measure
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Node
from kit.pictures import png, textured
from kit.scenes import cube, mesh, scene

ENGINE = load_sheet("realtime-engine")
STRICT = load_sheet("creator-platform-strict")


def example(name, made, ending="glb"):
    measures: Measures = measure(made)
    return Example(name, measures, Intent(), ending)


def grid(n):
    """A sheet of 2 n² triangles."""
    at = lambda x, y: y * (n + 1) + x
    points = [[x, y, 0] for y in range(n + 1) for x in range(n + 1)]
    faces = [[at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1)] for y in range(n) for x in range(n)]
    return scene(mesh(points, faces, "net"))


def lines(fit, unfit, beside=ENGINE):
    return {line.path: line for line in learn(fit, unfit, beside).lines}


def test_a_limit_that_an_accepted_model_is_over_is_widened_to_it():
    tight = msgspec.structs.replace(ENGINE, limits=msgspec.structs.replace(ENGINE.limits, triangles_mesh=10))
    found = lines([example("net.glb", grid(3))], [], tight)["limits.triangles_mesh"]
    assert (found.value, found.before, found.models, found.sure) == (18, 10, ["net.glb"], "seen")
    assert "net.glb has 18 and was accepted" in found.says


def test_a_refused_model_that_nothing_else_explains_tells_a_limit_between_the_two():
    found = lines([example("small.glb", grid(3))], [example("large.glb", grid(16))])
    line = found["limits.triangles_total"]
    assert 18 <= line.value < 512
    assert line.value == 500
    assert line.models == ["small.glb", "large.glb"]
    assert line.sure == "guess"
    sheet = draft(
        learn([example("small.glb", grid(3))], [example("large.glb", grid(16))], ENGINE), ENGINE, "Net loft", "net-loft", "NL"
    )
    assert sheet.sources["limits.triangles_total"] == line.says
    stops = lambda made: {f.check for f in judge(measure(made), sheet, Intent()).findings if f.result == "stop"}
    assert stops(grid(3)) == set()
    assert "budget.triangles-total" in stops(grid(16))


def test_a_refused_model_that_a_stop_explains_tells_nothing_of_limits():
    lost = textured(b"", name="lost.png")
    found = lines([example("small.glb", grid(3))], [example("lost.glb", lost)])
    assert not any(path.startswith("limits.") for path in found), found


def test_a_stop_that_an_accepted_model_has_is_none_there():
    lost = textured(b"", name="lost.png")
    stops = [f.check for f in judge(measure(lost), ENGINE, Intent()).findings if f.result == "stop"]
    found = lines([example("lost.glb", lost)], [])
    assert stops
    assert {found[f"results.{check}"].value for check in stops} == {"caution"}


def test_names_formats_images_and_nodes_are_told_by_what_was_accepted():
    odd = textured(png((48, 48), kind="BMP"), name="paint.bmp")
    turned = scene(cube("crate#1"), nodes=(Node("n", "crate#1", rotation=(0.0, 0.3826834, 0.0, 0.9238795), mesh=0),))
    found = lines([example("board.glb", odd), example("crate.dae", turned, "dae")], [], STRICT)
    assert found["textures.formats"].value == ["bmp", "jpeg", "png"]
    assert found["textures.power_of_two"].value is False
    assert found["node_rotation"].value == "any"
    assert found["formats"].value == ["dae", "glb"]
    assert found["names.allowed"].value.startswith("a-z")
    assert "#" in found["names.allowed"].value


def test_what_cannot_be_told_is_said_and_no_example_is_a_sentence():
    lesson = learn(
        [example("net.obj", grid(3).with_(unit_metres=None, up_axis=None), "obj")], [example("same.obj", grid(3), "obj")], ENGINE
    )
    told = " ".join(lesson.untold)
    assert "no accepted model states one" in told
    assert "Why same.obj was refused: nothing is found on it that no accepted model has" in told
    with pytest.raises(InputError, match="name at least one"):
        learn([], [], ENGINE)


def test_a_sheet_learnt_from_the_demos_fit_models_refuses_the_unfit_ones(tmp_path, capsys):
    demo = ROOT / "demo" / "models"
    fit = ["mooring_buoy", "slip_cart", "lantern_flame", "moorings", "glass_floats"]
    unfit = {
        "crab_pot": "facing.inward",
        "quay_crane": "placement.far",
        "heron": "skin.bare",
        "tide_gauge": "budget.triangles-mesh",
        "ferry_signboard": "textures.missing",
        "reeds": "see-through.ignored",
    }
    out = tmp_path / "learnt.json"
    call = [
        "learn-sheet",
        *(str(demo / name) for name in fit),
        "--unfit",
        *(str(demo / name) for name in unfit),
        "--out",
        str(out),
    ]
    assert main(call) == 0
    assert "limits.triangles_mesh: 100000 → 20000" in capsys.readouterr().out
    for name in [*fit, *unfit]:
        told = tmp_path / f"{name}.json"
        main(["inspect", str(demo / name), "--rules", str(out), "--try", "none", "--json", str(told)])
        tree = json.loads(told.read_text())
        stops = {f["check"] for one in tree.get("models", [tree]) for f in one["findings"] if f["result"] == "stop"}
        assert (unfit[name] in stops) if name in unfit else not stops, (name, stops)
    assert main([*call[:-1], str(tmp_path / "learnt.txt")]) == 2


def test_the_least_that_was_refused_is_never_taken_and_the_most_that_was_accepted_always():
    from handlens.core.pipeline.learning import _round_below

    dice = np.random.default_rng(7)
    for _ in range(2000):
        least = float(dice.integers(1, 10**6))
        above = least + float(dice.integers(1, 10**6))
        for name in ("triangles_mesh", "texture_pixels"):
            assert least <= _round_below(above, least, name) < above

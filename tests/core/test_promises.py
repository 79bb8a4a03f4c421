"""What a mend promises to keep, broken one thing at a time."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core.declare.mend import Outcome
from handlens.core.declare.promises import FORM, LOOKS, PLACES, POSES, Clock, Promise, measured_promise
from handlens.core.limits import MendError
from handlens.core.route import tape
from handlens.core.route.tape import apply_tape
from handlens.core.scene import Channel, Clip
from handlens.core.scene.model import frozen
from kit.pictures import textured
from kit.scenes import cube, scene, triangles_of


def _driven(to: float = 1.0, middle: float = 0.5):
    """A crate that a clip lifts, with a key in the middle."""
    keys = np.array([[0, 0, 0], [0, middle, 0], [0, to, 0]], np.float32)
    return scene(triangles_of(cube())).with_(clips=(_lift((0, 1, 2), keys),))


def _lift(times, keys=((0, 0, 0), (0, 0.5, 0), (0, 1, 0))):
    channel = Channel(0, "translation", frozen(np.array(times, np.float32)), frozen(np.array(keys, np.float32)))
    return Clip("c", "lift", (channel,))


def _moved(s, by):
    return s.with_(nodes=(replace(s.nodes[0], translation=by), *s.nodes[1:]))


BEFORE = _driven()
BREAKS = {
    "rest": (PLACES, _moved(BEFORE, (0.001, 0, 0))),
    "a key": (POSES, _driven(middle=0.501)),
    "the last key": (POSES, _driven(to=1.001)),
    "the clip's times": (POSES, BEFORE.with_(clips=(_lift((0, 1.01, 2)),))),
    "form": (FORM, scene(replace(triangles_of(cube()), positions=triangles_of(cube()).positions * [1, 1, 1.001]))),
}


@pytest.mark.parametrize("name", BREAKS)
def test_what_is_broken_is_found_and_what_is_kept_is_not(name):
    promise, after = BREAKS[name]
    assert any(not k.holds for k in measured_promise(BEFORE, after, promise, {}))
    assert all(k.holds for k in measured_promise(BEFORE, BEFORE, promise, {}))


def test_what_is_no_number_any_more_is_not_kept():
    """Nor is one vertex of many, and a clip without times that are numbers is not said to have been looked at."""
    mesh = triangles_of(cube())
    lost = mesh.positions.copy()
    lost[0, 0] = np.nan
    after = scene(replace(mesh, positions=frozen(lost)))
    for promise in (PLACES, FORM):
        assert [k.holds for k in measured_promise(BEFORE, after, promise, {})] == [False]
        assert [k.holds for k in measured_promise(after, after, promise, {})] == [True]
    timeless = BEFORE.with_(clips=(_lift((0, np.nan, np.nan)),))
    assert [k.what for k in measured_promise(timeless, timeless, POSES, {})] == ["where everything stands at rest"]


def test_form_leaves_size_place_and_direction_free():
    """A similarity; the fit is checked against one that is known (common practice, no published source)."""
    turn = np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]])
    mesh = triangles_of(cube())
    after = scene(replace(mesh, positions=frozen(0.01 * mesh.positions @ turn.T + [3, 4, 5])))
    assert [k.holds for k in measured_promise(BEFORE, after, FORM, {})] == [True]
    mirrored = scene(replace(mesh, positions=frozen(np.r_[mesh.positions[:-1] * [1, 1, 2], mesh.positions[-1:]])))
    assert [k.holds for k in measured_promise(BEFORE, mirrored, FORM, {})] == [False]


def test_moments_stand_for_each_other_by_the_clock():
    slow = BEFORE.with_(clips=(_lift((0, 2, 4)),))
    assert not measured_promise(BEFORE, slow, POSES, {})[-1].holds
    clocked = Promise(poses=True, clock=lambda _s, _k, _p: Clock(factor=2.0))
    assert measured_promise(BEFORE, slow, clocked, {})[-1].holds
    assert not measured_promise(BEFORE, slow, replace(clocked, clock=lambda _s, _k, _p: Clock(factor=1.9)), {})[-1].holds


def test_a_mend_that_breaks_its_promise_is_passed_over(monkeypatch):
    lying = replace(tape.find_mend("motion.drop-stray"), run=lambda s, clips: Outcome(_driven(middle=0.6), ()))
    monkeypatch.setattr(tape, "find_mend", lambda _id: lying)
    with pytest.raises(MendError, match="every pose of 1 clip at 200 moments"):
        tape.apply_as_promised(BEFORE, "motion.drop-stray", {})
    after, runs = apply_tape(BEFORE, [("motion.drop-stray", {})])
    assert after is BEFORE
    assert "promises to keep" in runs[0].because


def test_a_play_tells_what_was_measured():
    _, runs = apply_tape(BEFORE, [("motion.retime", {"factor": 0.5}), ("size.scale", {"factor": 2})])
    assert runs[0].kept[-1].startswith("every pose of 1 clip at 200 moments")
    assert runs[1].kept == ("how everything stands to each other: as before",)


def test_looks_are_what_materials_say_and_images_show():
    """A picture stored otherwise shows the same; a value, a pixel or a face's material that is another does not."""
    made = textured(saved(np.random.default_rng(5).integers(0, 255, (8, 8, 4), np.uint8), "png"))
    same = lambda after: [k.holds for k in measured_promise(made, after, LOOKS, {})]
    with_image = lambda data: made.with_(images=(replace(made.images[0], load=lambda: data),))
    pixels = np.asarray(Pillow.open(io.BytesIO(made.images[0].bytes())).convert("RGBA"))
    assert same(with_image(saved(pixels, "tiff"))) == [True]
    changed = pixels.copy()
    changed[0, 0, 0] ^= 1
    assert same(with_image(saved(changed, "png"))) == [False]
    assert same(made.with_(materials=tuple(replace(m, name="another") for m in made.materials))) == [True]
    assert same(made.with_(materials=tuple(replace(m, roughness=0.123) for m in made.materials))) == [False]
    coated = tuple(replace(m, source={"extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 1}}}) for m in made.materials)
    assert same(made.with_(materials=coated)) == [False]
    assert same(made.with_(meshes=(replace(made.meshes[0], slot_materials=(-1,)),))) == [False]


def saved(pixels, kind):
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, kind)
    return out.getvalue()

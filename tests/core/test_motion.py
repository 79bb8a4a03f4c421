"""Motion: each defect of a clip is found with its figure, each mend mends that, and curves keep what they say.

Interpolation is that of glTF 2.0, appendix C; the other limits are common practice, no published source.
"""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.edit.thinning import needed, reaches
from handlens.core.limits import InputError, MendError
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.rules.export import ExportOptions
from handlens.core.scene import Channel, Clip, Node
from handlens.core.scene.matrices import quaternion_product
from handlens.core.scene.motion import pose_at, sample
from handlens.core.scene.skinning import posed
from kit.scenes import eel, findings, read_files

NODE = 4
TIMES = np.array([0, 0.5, 1], np.float32)


def turns(*angles):
    return np.array([[0, 0, np.sin(a / 2), np.cos(a / 2)] for a in angles], np.float32)


def clip(*channels, name="bend"):
    return eel().with_(clips=(Clip("c0", name, channels),))


def bend(times=TIMES, values=None, node=2, path="rotation", way="LINEAR"):
    return Channel(
        node, path, np.array(times, np.float32), turns(0, 0.6, 0) if values is None else np.array(values, np.float32), way
    )


def also(*more):
    return clip(bend(), *more)


def spoilt(k, value):
    v = turns(0, 0.6, 0.1)
    v[k] = value
    return clip(bend(values=v))


def stray():
    made = also(bend(node=5))
    return made.with_(nodes=(*made.nodes, Node("n5", "stray")), roots=(*made.roots, 5))


def baked(seconds=1.0, rate=120):
    t = np.arange(0, seconds, 1 / rate)
    return clip(bend(t, turns(*(0.1 * np.sin(2 * np.pi * t / seconds)))))


STILL = np.array([[0, 1, 0]] * 3, np.float32)
#: name: (scene, check, measured, mends that take it away)
DEFECTS = {
    "one key": (lambda: clip(bend([0.0], turns(0.6))), "motion.held-pose", pytest.approx(603, rel=0.01), ["motion.drop-clips"]),
    "two equal keys": (
        lambda: clip(bend([0, 0.1], turns(0.6, 0.6))),
        "motion.held-pose",
        pytest.approx(603, rel=0.01),
        ["motion.drop-clips"],
    ),
    "scale": (
        lambda: also(bend(path="scale", values=[[1] * 3, [2] * 3, [1] * 3])),
        "motion.scale-keys",
        1,
        ["motion.drop-scale"],
    ),
    "constant": (lambda: also(bend(path="translation", node=3, values=STILL)), "motion.constant", 1, ["motion.drop-constant"]),
    "constant elsewhere": (
        lambda: also(bend(path="translation", node=3, values=STILL * 2)),
        "motion.constant",
        1,
        ["motion.drop-constant"],
    ),
    "aimed at nothing": (lambda: also(bend(node=None)), "motion.aimless", 1, ["motion.drop-stray"]),
    "aimed at what holds nothing": (stray, "motion.aimless", 1, ["motion.drop-stray"]),
    "no key": (lambda: also(bend([], np.zeros((0, 4)))), "motion.aimless", 1, ["motion.drop-stray"]),
    "backward": (lambda: clip(bend([0, 1, 0.5], turns(0, 0.6, 0.2))), "motion.times", 1, ["motion.repair-keys"]),
    "at one time": (lambda: clip(bend([0, 0.5, 0.5], turns(0, 0.6, 0.2))), "motion.times", 1, ["motion.repair-keys"]),
    "not of length 1": (lambda: spoilt(1, turns(0.6)[0] * 1.5), "motion.off-unit", 1.5, ["motion.repair-keys"]),
    "no length at all": (lambda: spoilt(1, 0), "motion.off-unit", 0, ["motion.repair-keys"]),
    "NaN": (lambda: spoilt(1, np.nan), "motion.not-finite", 1, ["motion.repair-keys"]),
    "NaN time": (lambda: clip(bend([0, np.nan, 1], turns(0, 0.6, 0.2))), "motion.not-finite", 1, ["motion.repair-keys"]),
    "sign": (lambda: spoilt(1, -turns(0.6)[0]), "motion.flips", 2, ["motion.repair-keys"]),
    "no channel": (clip, "motion.empty", 1, ["motion.drop-clips"]),
    "late": (lambda: clip(bend(TIMES + 3)), "motion.late", 3, ["motion.trim"]),
    "a copy": (
        lambda: eel().with_(clips=(eel().clips[0], replace(eel().clips[0], name="again"))),
        "motion.copies",
        1,
        ["motion.drop-clips"],
    ),
    "does not close": (lambda: clip(bend(values=turns(0, 0.6, 0.05))), "motion.loop", pytest.approx(50, rel=0.01), []),
    "no name": (lambda: clip(bend(), name=None), "motion.names", 1, []),
    "far too many keys": (baked, "motion.dense", 120, ["motion.thin"]),
}


@pytest.mark.parametrize("name", DEFECTS)
def test_each_defect_is_found_with_its_figure_and_mended(name):
    make, check, measured, mends = DEFECTS[name]
    made = make()
    found = findings(made)[check]
    assert len(found) == 1
    want = measured if not isinstance(measured, float) else pytest.approx(measured, rel=1e-4)
    assert found[0].measured["value"] == want
    assert found[0].elements.kind == "clips"
    assert [call.mend for call in found[0].mends] == mends
    for call in found[0].mends:
        assert check not in findings(apply_mend(made, *call).scene)
    assert check not in findings(eel())


def test_counts_that_do_not_match_are_told_at_motion(tmp_path):
    tree = """{"asset":{"version":"2.0"},"nodes":[{}],"buffers":[{"byteLength":32,"uri":"data:;base64,AAAAAAAAAD8AAIA/AAAAAAAAAAAAAAAAAACAPwAAAAA="}],
    "bufferViews":[{"buffer":0,"byteLength":12},{"buffer":0,"byteOffset":12,"byteLength":20}],
    "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":1,"type":"VEC4"}],
    "animations":[{"samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}},{"sampler":0,"target":{"node":8,"path":"rotation"}}]}]}"""
    told = [f.title for f in findings(read_files(tmp_path, {"a.gltf": tree}, "a.gltf"))["motion.broken"]]
    assert any("3 times but 1 values" in t for t in told)
    assert any("drives node 8, which does not exist" in t for t in told)


def test_clips_that_are_wanted_are_missed_and_near_names_offered():
    made = eel().with_(clips=(replace(eel().clips[0], name="rig|Bend_1"),))
    found = {f.key: f for f in findings(made, intent='{"clips": ["bend1", "wade"]}')["motion.missing"]}
    assert found.keys() == {"bend1", "wade"}
    assert not found["wade"].mends
    after = apply_mend(made, *found["bend1"].mends[0]).scene
    assert [f.key for f in findings(after, intent='{"clips": ["bend1", "wade"]}')["motion.missing"]] == ["wade"]


def test_a_root_that_travels_and_a_foot_that_slides():
    """A walk of two steps: the root goes 1 m in a second, each foot bears for half of it and is carried along."""
    t = np.linspace(0, 1, 21)
    walk = clip(bend(t, np.column_stack([t, 0 * t, 0 * t]), node=1, path="translation"))
    found = findings(walk)
    assert found["motion.travel"][0].measured["value"] == pytest.approx(1.0, rel=1e-5)
    # What closes once the way is taken away is a loop all the same.
    assert "motion.loop" not in found
    lift = np.maximum(np.sin(2 * np.pi * t), 0) * 0.3
    # The head is the only end here: turned upside down it is a foot that comes down for half of the time.
    step = clip(bend(t, np.column_stack([0.5 * np.cos(2 * np.pi * t), lift - 3.0, 0 * t]), node=3, path="translation"))
    slides = findings(step)["motion.slides"][0]
    assert slides.measured["value"] == pytest.approx(1.0, abs=0.1)
    assert slides.elements.drawn.tolist() == [3]


def test_thinned_keys_hold_every_vertex_within_the_tolerance():
    made = baked()
    outcome = apply_mend(made, "motion.thin", {"within_mm": 0.5})
    after = outcome.scene
    assert len(after.clips[0].channels[0].times) < 0.4 * 120
    for t in np.linspace(0, 1, 241):
        a, b = (posed(s, NODE, pose_at(s, s.clips[0], t)) for s in (made, after))
        assert np.linalg.norm(a - b, axis=1).max() <= 0.5e-3
    with pytest.raises(MendError, match="Every key is needed"):
        apply_mend(eel(), "motion.thin", {})


def test_keys_that_are_needed_are_as_few_as_corners():
    """A zigzag of straight ways needs its corners and nothing else, however densely it was sampled."""
    t = np.linspace(0, 4, 401)
    zigzag = np.abs((t % 2) - 1)
    c = Channel(0, "translation", t.astype(np.float32), np.column_stack([zigzag, 0 * t, 0 * t]).astype(np.float32))
    assert needed(c, 1e-4).tolist() == [0, 100, 200, 300, 400]
    stepped = replace(c, values=np.repeat(np.arange(4.0), 101)[:401, None].repeat(3, 1).astype(np.float32), interpolation="STEP")
    assert needed(stepped, 1e-4).tolist() == [0, 101, 202, 303, 400]
    cubic = replace(c, values=np.zeros((1203, 3), np.float32), interpolation="CUBICSPLINE")
    assert needed(cubic, 1e-6).tolist() == [0, 400]
    # A cubic that is sampled with its true slopes is that cubic: t³ needs its two ends.
    t = t.astype(np.float32)[:, None].astype(np.float64)
    rows = np.stack([3 * t**2, t**3, 3 * t**2], axis=1).repeat(3, axis=2).reshape(-1, 3)
    assert needed(replace(cubic, values=rows.astype(np.float32)), 1e-2).tolist() == [0, 400]


def test_no_small_turn_moves_a_vertex_farther_than_the_reach_says():
    made, angle = eel(), 1e-5
    reach, random = reaches(made), np.random.default_rng(1)
    rest = posed(made, NODE)
    for joint in (1, 2, 3):
        worst = 0.0
        for _ in range(200):
            axis = random.normal(size=3)
            by = np.array([*(axis / np.linalg.norm(axis) * np.sin(angle / 2)), np.cos(angle / 2)])
            turned = tuple(quaternion_product(np.array(made.nodes[joint].rotation), by))
            nodes = tuple(replace(n, rotation=turned) if k == joint else n for k, n in enumerate(made.nodes))
            worst = max(worst, float(np.linalg.norm(posed(made.with_(nodes=nodes), NODE) - rest, axis=1).max()))
        assert worst <= reach[joint] * angle * 1.001
        assert worst >= 0.95 * reach[joint] * angle


@pytest.mark.parametrize("way", ["LINEAR", "STEP", "CUBICSPLINE"])
def test_a_trimmed_clip_says_the_same_between_its_ends(way):
    random = np.random.default_rng(2)
    values = random.normal(size=(15 if way == "CUBICSPLINE" else 5, 3))
    c = bend([0, 0.4, 1, 1.5, 2], values, path="translation", way=way)
    after = apply_mend(clip(c), "motion.trim", {"start": 0.4, "end": 1.5}).scene.clips[0]
    assert after.seconds == pytest.approx(1.1)
    at = np.linspace(0.01, 1.08, 12)
    assert sample(after.channels[0], at) == pytest.approx(sample(c, at + 0.4), abs=1e-5)
    cut = apply_mend(clip(c), "motion.trim", {"start": 0.2, "end": 1.7}).scene.clips[0]
    assert cut.seconds == pytest.approx(1.5)
    at = np.linspace(0.01, 1.49, 9)
    assert sample(cut.channels[0], at) == pytest.approx(sample(c, at + 0.2), abs=1e-5)


def curve(seconds, swing):
    """A joint that swings to and fro, as a cubic spline with the true slopes: one key each 0.25 s."""
    at = np.arange(0, seconds + 1e-9, 0.25)
    half = swing / 2 * np.sin(at)
    slope = swing / 2 * np.cos(at)
    points = np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1)
    slopes = np.stack([np.cos(half) * slope, 0 * half, 0 * half, -np.sin(half) * slope], axis=1)
    return bend(at, np.stack([slopes, points, slopes], axis=1).reshape(-1, 4), path="rotation", way="CUBICSPLINE")


def between(a, b):
    """(n,) degrees between rotations."""
    return np.degrees(2 * np.arccos(np.clip(np.abs((a * b).sum(axis=1)), 0, 1)))


def test_a_turn_that_is_a_cubic_spline_is_cut_between_its_keys():
    c = curve(3, 1.2)
    cut = apply_mend(clip(c), "motion.trim", {"start": 0.1, "end": 2.6}).scene.clips[0]
    assert cut.seconds == pytest.approx(2.5)
    at = np.linspace(0, 2.5, 200)
    assert between(sample(cut.channels[0], at), sample(c, at + 0.1)).max() < 0.05


def test_keys_before_0_are_told_and_moved_to_where_a_clip_begins():
    c = bend(TIMES - 2)
    finding = findings(clip(c))["motion.times"][0]
    assert "before 0" in finding.title
    after = apply_mend(clip(c), *finding.mends[0]).scene
    assert "motion.times" not in findings(after)
    assert sample(after.clips[0].channels[0], np.array([0.3])) == pytest.approx(sample(c, np.array([-1.7])), abs=1e-6)


def test_signs_are_judged_by_how_a_channel_is_read():
    flipped = lambda way: bend(
        TIMES, np.repeat([[0, 0, 0, 1], [0, 0, 0, -1], [0, 0, 0, 1]], 3 if way == "CUBICSPLINE" else 1, axis=0), way=way
    )
    told = lambda way: [f.result for f in findings(clip(flipped(way))).get("motion.flips", [])]
    assert (told("LINEAR"), told("CUBICSPLINE"), told("STEP")) == (["note"], ["caution"], [])
    after = apply_mend(clip(flipped("CUBICSPLINE")), "motion.repair-keys", {}).scene.clips[0].channels[0]
    # Between two keys that are one rotation it stays there, where it swung through half a turn before.
    assert (after.values.reshape(-1, 3, 4)[:, 1] @ [0, 0, 0, 1] > 0).all()


def test_a_dense_cubic_spline_is_thinned():
    dense = curve(40, 0.4)
    after = apply_mend(clip(dense), "motion.thin", {"within_mm": 20}).scene.clips[0].channels[0]
    assert len(after.times) < 0.7 * len(dense.times)
    at = np.linspace(0, 40, 500)
    assert between(sample(after, at), sample(dense, at)).max() < 3


def test_a_retimed_cubic_curve_keeps_its_shape():
    values = np.random.default_rng(1).normal(size=(9, 3))
    c = bend(TIMES, values, path="translation", way="CUBICSPLINE")
    after = apply_mend(clip(c), "motion.retime", {"factor": 2.5}).scene.clips[0].channels[0]
    at = np.linspace(0, 1, 9)
    assert sample(after, at * 2.5) == pytest.approx(sample(c, at), abs=1e-5)


def test_dropped_constant_channels_leave_every_pose():
    made = also(bend(path="translation", node=3, values=STILL), bend(path="scale", node=3, values=np.ones((3, 3))))
    after = apply_mend(made, "motion.drop-constant", {}).scene
    assert len(after.clips[0].channels) == 1
    for t in TIMES:
        assert posed(after, NODE, pose_at(after, after.clips[0], t)) == pytest.approx(
            posed(made, NODE, pose_at(made, made.clips[0], t))
        )


@pytest.mark.parametrize(
    ("mend", "params", "error"),
    [
        ("motion.retime", {"factor": -1}, InputError),
        ("motion.trim", {"start": 2, "end": 1}, InputError),
        ("motion.drop-clips", {"clips": []}, InputError),
        ("motion.drop-clips", {"clips": ["none"]}, MendError),
        ("motion.rename", {"clip": "bend", "to": " "}, InputError),
        ("motion.repair-keys", {}, MendError),
    ],
)
def test_what_does_not_apply_is_one_sentence(mend, params, error):
    with pytest.raises(error):
        apply_mend(eel(), mend, params)


@pytest.mark.parametrize("form", ["glb", "dae", "usda"])
def test_clips_go_into_files_of_their_own_and_each_is_proved(tmp_path, form):
    nod = Clip("c1", "nod", (bend(node=3, values=turns(0, 0.2, 0)),))
    made = eel().with_(clips=(eel().clips[0], nod))
    written = write_as(made, form, "eel", ExportOptions(clip_files=True))
    assert [path for path, _ in written.apart] == [f"eel_bend.{form}", f"eel_nod.{form}"]
    for path, data in written.files.items():
        (tmp_path / path).write_bytes(data)
    package = FolderPackage(tmp_path)
    assert written.proof(package, f"eel.{form}").proved
    assert [[c.name for c in formats.read(package, f"eel{x}.{form}").clips] for x in ("", "_bend", "_nod")] == [
        [],
        ["bend"],
        ["nod"],
    ]
    # One file in the place of another is no proof.
    (tmp_path / f"eel_nod.{form}").write_bytes((tmp_path / f"eel_bend.{form}").read_bytes())
    assert not written.proof(package, f"eel.{form}").proved
    assert write_as(eel(), form, "eel", ExportOptions(clip_files=True)).apart == ()


def test_clips_whose_names_meet_still_have_a_file_each(tmp_path):
    clips = tuple(
        replace(eel().clips[0], id=f"c{k}", name=n)
        for k, n in enumerate(["nod", "Nod", "nod_2", None, "no/d", "../../d", "..\\d", "\u7fbd"])
    )
    written = write_as(eel().with_(clips=clips), "glb", "eel", ExportOptions(clip_files=True))
    assert not any("/" in path or "\\" in path for path in written.files)
    assert len({path.casefold() for path in written.files}) == len(written.files) == 1 + len(clips)
    for path, data in written.files.items():
        (tmp_path / path).write_bytes(data)
    assert written.proof(FolderPackage(tmp_path), "eel.glb").proved


def test_what_nobody_would_notice_is_no_alarm():
    """A clip that begins one frame late, keys on scale that keep it, and a pose half a millimetre off (common practice, no published source)."""
    assert "motion.late" not in findings(clip(bend(TIMES + 1 / 24)))
    assert "motion.late" in findings(clip(bend(TIMES + 0.1)))
    kept = also(bend(path="scale", node=3, values=np.ones((3, 3))))
    assert "motion.scale-keys" not in findings(kept)
    assert "motion.constant" in findings(kept)
    grown = also(bend(path="scale", node=3, values=np.full((3, 3), 2.0)))
    assert "motion.scale-keys" in findings(grown)
    held = lambda angle: findings(clip(bend([0, 1], turns(angle, angle))))["motion.held-pose"][0].result
    assert (held(0.6), held(1e-4)) == ("caution", "note")

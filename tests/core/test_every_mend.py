"""Every mend with every choice on odd scenes: it does something whole, or says in a sentence why it does not apply."""

import itertools
import re

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.limits import InputError, MendError
from handlens.core.measures import collect
from handlens.core.route.stations import all_mends
from handlens.core.route.tape import apply_mend
from kit.odd import ODD, odd, whole

RUBBISH = re.compile(r"\bNone\b(?! of)|\b(nan|NaN|inf|Infinity)\b|<[a-z_]+ object|\{|\}|Traceback")


def calls(m):
    """A call for every combination of choices; other parameters at their default, or at something plain."""
    plain = {"number": 1.5, "text": "tar", "flag": "true", "parts": (), "names": ()}
    plain |= {"faces": "0", "face": 0, "vertex": 1, "rim": "0-1", "material": "tar", "colour": "#202020"}
    fixed = {p.name: plain[p.kind] for p in m.parameters if p.kind != "choice" and p.default is None}
    choices = [[(p.name, c) for c in p.choices] for p in m.parameters if p.kind == "choice"]
    return [{**fixed, **dict(combination)} for combination in itertools.product(*choices)]


def test_buttons_name_parameters_that_there_are():
    for mend in all_mends():
        assert set(re.findall(r"\{(\w+)\}", mend.button)) <= {p.name for p in mend.parameters}, mend.id


@pytest.mark.parametrize("name", ODD)
def test_every_mend_is_whole_or_says_why_not(name):
    before = odd(name)
    whole(before)
    kept = [(m.positions.copy(), m.corners.copy()) for m in before.meshes]
    done = 0
    for m in all_mends():
        for params in calls(m):
            try:
                outcome = apply_mend(before, m.id, params)
            except (MendError, InputError) as error:
                text = str(error)
                assert text.endswith("."), (m.id, text)
                assert not RUBBISH.search(text), (m.id, text)
                continue
            done += 1
            whole(outcome.scene)
            assert outcome.figures, m.id
            for f in outcome.figures:
                assert f.what, m.id
                assert not RUBBISH.search(f"{f.what} {f.before} {f.after}"), (m.id, f)
            for remark in outcome.remarks:
                assert remark.endswith("."), (m.id, remark)
            if outcome.scene.format == "glb":
                assert formats.write(outcome.scene, "glb", "x")["x.glb"][:4] == b"glTF"
    for (positions, corners), m in zip(kept, before.meshes, strict=True):
        # What came is never touched: a mend works on a copy.
        assert np.array_equal(positions, m.positions, equal_nan=True)
        assert np.array_equal(corners, m.corners)
    assert done or name in ("nothing", "no nodes"), "no mend did anything"


@pytest.mark.parametrize("name", ["stray things", "lost images", "a rig"])
def test_what_a_mend_leaves_can_be_measured(name):
    before = odd(name)
    for m in all_mends():
        for params in calls(m)[:1]:
            try:
                after = apply_mend(before, m.id, params).scene
            except (MendError, InputError):
                continue
            assert collect(after).parts is not None

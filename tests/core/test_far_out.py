"""Numbers that are large on the way to a part, whatever they add up to. 600 miles = 965,606.4 m: the mile is 1,609.344 m exactly
(NIST SP 811 app. B.8), and 32-bit floats lie 62.5 mm apart there (IEEE 754-2019: 2^(19-23) m)."""

from dataclasses import replace

import numpy as np
import pytest

from handlens.core.route.tape import apply_mend
from handlens.core.scene import Node
from handlens.core.scene.matrices import apply
from handlens.core.scene.transforms import world_matrices
from kit.scenes import cube, findings, round_trip, scene

FAR = 600 * 1609.344


def stored_far():
    box = cube("crate", 0.4, (FAR, 0, 0))
    rounded = replace(box, positions=box.positions.astype(np.float32).astype(float))
    return scene(rounded, nodes=(Node("node:0", "crate", translation=(-FAR, 0.0, 0.0), mesh=0),))


def chained():
    nodes = (
        Node("node:0", "survey", translation=(FAR, 0.0, 0.0), children=(1, 2)),
        Node("node:1", "crate", translation=(-FAR, 0.0, 0.0), mesh=0),
        Node("node:2", "lid", translation=(1.0 - FAR, 0.0, 0.0), mesh=0),
    )
    return scene(cube("crate", 0.4), nodes=nodes)


@pytest.mark.parametrize(("made", "words"), [(stored_far(), "vertices of crate lie up to 966 km"), (chained(), "is 966 km from")])
def test_large_numbers_that_cancel_are_told_with_the_gap_between_them(made, words):
    told = findings(made)["placement.far"][0]
    assert told.result == "stop"
    assert words in told.title
    assert told.measured["value"] == pytest.approx(62.5)


def test_the_damage_that_is_done_is_told():
    title = findings(stored_far())["placement.far"][0].title
    assert title.endswith("what was finer is rounded away already")
    fine = cube("crate", 0.4, (FAR, 0, 0))
    whole = scene(fine, nodes=(Node("node:0", "crate", translation=(-FAR, 0.0, 0.0), mesh=0),))
    assert "rounded away" not in findings(whole)["placement.far"][0].title


@pytest.mark.parametrize("made", [stored_far(), chained()])
def test_each_part_is_brought_home_exactly(tmp_path, made):
    after = apply_mend(made, "placement.home", {}).scene
    assert "placement.far" not in findings(after)
    # All moved by one offset, told to the last bit that 64-bit floats have at that place.
    moved = [
        apply(world_matrices(s)[i], s.meshes[s.nodes[i].mesh].positions)
        for s in (made, after)
        for i, n in enumerate(s.nodes)
        if n.mesh is not None
    ]
    parts = len(moved) // 2
    shift = moved[parts][0] - moved[0][0]
    for before, now in zip(moved[:parts], moved[parts:], strict=True):
        assert now == pytest.approx(before + shift, abs=np.spacing(FAR))
    again, proof = round_trip(after, "glb", tmp_path)
    assert proof.proved
    assert "placement.far" not in findings(again)
    # Parts that shared a mesh still do.
    assert len({n.mesh for n in after.nodes if n.mesh is not None}) == 1


def test_a_part_that_is_near_is_not_far():
    assert "placement.far" not in findings(scene(cube()))
    at = scene(cube("crate", 0.4), nodes=(Node("node:0", "crate", translation=(FAR, 0.0, 0.0), mesh=0),))
    assert findings(at)["placement.far"][0].title.startswith("1 part stands up to 966 km out")

"""Facing by what a viewer meets: floors under roofs, shells that are inside on purpose, and what nobody can see."""

import json

import numpy as np
import pytest

from handlens.core.geometry.recut import turned_faces
from handlens.core.route.tape import apply_mend
from kit.scenes import CUBE_FACES, CUBE_POINTS, cube, findings, mesh, scene
from kit.solids import icosphere


def hall(closed: float = 0.0):
    """A floor, a roof three metres above it with an underside, and walls that leave off so many metres above the floor."""
    floor = mesh([[0, 0, 0], [10, 0, 0], [10, 0, 10], [0, 0, 10]], [[0, 3, 2, 1]], "floor")
    roof = cube("roof", 1.0)
    roof = mesh(np.array(CUBE_POINTS) * [12, 0.3, 12] + [-1, 3, -1], CUBE_FACES, "roof")
    low = 3.0 - closed
    walls = (
        [
            mesh(np.array(CUBE_POINTS) * size + at, CUBE_FACES, f"wall_{k}")
            for k, (size, at) in enumerate(
                [
                    ((10.4, closed, 0.2), (-0.2, low, -0.2)),
                    ((10.4, closed, 0.2), (-0.2, low, 10)),
                    ((0.2, closed, 10), (-0.2, low, 0)),
                    ((0.2, closed, 10), (10, low, 0)),
                ]
            )
        ]
        if closed
        else []
    )
    return scene(floor, roof, *walls)


@pytest.mark.parametrize("closed", [0.0, 2.0])
def test_the_floor_of_an_open_hall_is_not_turned_over(closed):
    made = hall(closed)
    assert "facing.inward" not in findings(made)
    after = None
    try:
        after = apply_mend(made, "facing.outward", {}).scene
    except Exception as error:
        assert "No face is turned away" in str(error)
    assert after is None or np.array_equal(after.meshes[0].corners, made.meshes[0].corners)


def test_a_closed_rooms_floor_is_right_where_it_is_a_room():
    made = hall(3.0)
    for kind in ("room", "building"):
        told = findings(made, intent=json.dumps({"kind": kind})).get("facing.inward", [])
        assert "floor" not in {f.part for f in told}


def test_a_roof_that_is_turned_over_is_still_told():
    made = hall()
    upside_down = made.with_(meshes=(made.meshes[0], turned_faces(made.meshes[1], np.ones(6, bool))))
    told = findings(upside_down)["facing.inward"][0]
    assert (told.part, told.result) == ("roof", "stop")
    assert told.measured["value"] == pytest.approx(1.0)


def test_the_share_is_one_of_the_whole_part():
    """Two of six sides lie loose and turned: a third of the area, whatever could not be judged."""
    pieces = [mesh(CUBE_POINTS, [f if k < 4 else f[::-1]], "crate") for k, f in enumerate(CUBE_FACES)]
    from handlens.core.geometry.joining import joined_meshes

    told = findings(scene(joined_meshes(pieces)))["facing.inward"][0]
    assert told.measured["value"] == pytest.approx(1 / 3, abs=1e-6)


def shaft():
    """A block with a deep, narrow shaft, of which the bottom is turned over: open, so that no volume tells."""
    outer = mesh(np.array(CUBE_POINTS) * [1, 10, 1], [f for f in CUBE_FACES if f != [2, 3, 7, 6]], "block")
    w = 0.02
    lid = [
        [0, 10, 0],
        [1, 10, 0],
        [1, 10, 1],
        [0, 10, 1],
        [0.5 - w, 10, 0.5 - w],
        [0.5 + w, 10, 0.5 - w],
        [0.5 + w, 10, 0.5 + w],
        [0.5 - w, 10, 0.5 + w],
    ]
    top = mesh(lid, [[0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]], "top")
    low = [[x, 1, z] for x, _, z in lid[4:]]
    sides = mesh(lid[4:] + low, [[0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]], "shaft")
    bottom = mesh(low, [[0, 1, 2, 3]], "bottom")
    from handlens.core.geometry.joining import joined_meshes

    return scene(joined_meshes([outer, top, sides, bottom]))


def test_what_nobody_meets_is_no_stop():
    told = findings(shaft()).get("facing.inward", [])
    assert all(f.result == "note" for f in told), [f.title for f in told]


def shells():
    inward = lambda name, size: turned_faces(cube(name, size, (-size / 2,) * 3), np.ones(6, bool))
    return scene(inward("outer", 4.0), inward("middle", 3.0), cube("core", 1.0, (-0.5,) * 3))


def test_shells_that_are_inside_on_purpose_are_left_alone():
    parts = {"outer": {"seen_from": "inverted"}, "middle": {"role": "inner"}, "core": {"role": "inner"}}
    found = findings(shells(), intent=json.dumps({"parts": parts}))
    offered = [call for several in found.values() for f in several for call in f.mends]
    assert "facing.inward" not in found
    assert "facing.walk-round" not in found
    assert "surface.unseen" not in found
    assert not {mend for mend, _ in offered} & {"facing.outward", "facing.inward", "surface.remove-unseen", "surface.fill"}
    assert "facing.inward" in findings(shells())


def test_a_room_whose_faces_all_look_outward_is_no_room():
    """A closed box needs no ray to be judged from outside; from inside one looks straight through every wall."""
    told = findings(scene(cube("room", 4.0)), intent='{"kind": "room", "seen_from": "inside"}')["facing.inward"]
    assert [(f.result, f.count) for f in told] == [("stop", 6)]
    after = apply_mend(scene(cube("room", 4.0)), *told[0].mends[0]).scene
    assert "facing.inward" not in findings(after, intent='{"kind": "room", "seen_from": "inside"}')


@pytest.mark.parametrize(("turned", "result"), [(1, "note"), (8, "stop")])
def test_a_sliver_that_looks_inward_is_no_stop(turned, result):
    """One of 20,480 faces is a half of a ten-thousandth of what is seen; eight are four of them."""
    ball = icosphere(5)
    wrong = np.zeros(ball.face_count, bool)
    wrong[100 : 100 + turned] = True
    assert [f.result for f in findings(scene(turned_faces(ball, wrong)))["facing.inward"]] == [result]

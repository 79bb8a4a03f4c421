"""A tape is not played again from its start: a mended scene is kept, and what follows goes on from it to the same end."""

import pytest

from handlens.jobs import child
from handlens.store import contents
from handlens.store.database import session
from handlens.store.models import Inspection, Model, Revision
from handlens.store.shelf import keep_scene, played_before, tape_key

OBJ = b"o sail\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 0\nv 1 1 0\nf 1 2 3\nf 2 5 3\n"
SCALE = {"mend": "size.scale", "params": {"factor": 3.0}}
TURN = {"mend": "size.up-axis", "params": {"to": "Z"}}
CLEAN = {"mend": "arrival.remove", "params": {"what": "unused"}}
FIND = {"mend": "textures.find", "params": {}}


@pytest.fixture
def request_for(tmp_path, monkeypatch):
    """A child's request with a tape; with the scene of an earlier one where that is given."""
    monkeypatch.setattr(child, "_WORTH", 0.0)
    (tmp_path / "in").mkdir()
    (tmp_path / "in/sail.obj").write_bytes(OBJ)

    def make(*slips, after=None):
        request = {"folder": str(tmp_path / "in"), "main": "sail.obj", "tape": list(slips)}
        if after is not None:
            made = child._read_and_mend(make(*after))
            child._keep_scene(made, tmp_path)
            request["played"] = {"file": str(tmp_path / "scene.bin"), "runs": made.runs}
        return request

    return make


def test_what_follows_goes_on_from_the_kept_scene(request_for, monkeypatch):
    whole = child._read_and_mend(request_for(SCALE, TURN))
    short = request_for(SCALE, TURN, after=[SCALE])
    monkeypatch.setattr(child, "open_main", lambda *_: pytest.fail("the file is read again"))
    made = child._read_and_mend(short)
    for one in (whole, made):
        assert one.scene.meshes[0].positions.max() == 3
    assert (made.scene.up_axis, made.scene.unit_metres) == (whole.scene.up_axis, whole.scene.unit_metres)
    assert made.scene.meshes[0].positions.tolist() == whole.scene.meshes[0].positions.tolist()
    assert (made.runs, made.scene.files, made.scene.former) == (whole.runs, whole.scene.files, whole.scene.former)
    assert (whole.came is None, made.came is None) == (False, True)


@pytest.mark.parametrize("last", [CLEAN, FIND])
def test_where_it_could_tell_less_the_tape_is_played_from_its_start(request_for, last):
    whole = child._read_and_mend(request_for(SCALE, last))
    made = child._read_and_mend(request_for(SCALE, last, after=[SCALE]))
    assert made.came is not None
    assert made.runs == whole.runs


def test_damaged_bytes_are_not_taken_up(request_for, tmp_path):
    request = request_for(SCALE, TURN, after=[SCALE])
    (tmp_path / "scene.bin").write_bytes((tmp_path / "scene.bin").read_bytes()[:-40])
    assert child._read_and_mend(request).came is not None


def test_quick_tapes_are_not_kept(request_for, tmp_path, monkeypatch):
    monkeypatch.setattr(child, "_WORTH", 60.0)
    child._keep_scene(child._read_and_mend(request_for(SCALE)), tmp_path)
    assert not (tmp_path / "scene.bin").exists()


@pytest.mark.usefixtures("database")
def test_the_longest_beginning_is_found_and_few_are_kept():
    with session() as s:
        model = Model(name="Played", revisions=[Revision(number=1, main="sail.obj")])
        s.add(model)
        s.flush()
        revision = model.revisions[0]
        content = contents.put_bytes(s, b"a scene", "x").id

        def keep(*tape, key=None):
            made = Inspection(revision_id=revision.id, tape=list(tape), tape_key=key or tape_key(list(tape)), state="done")
            s.add(made)
            s.flush()
            keep_scene(s, made, content)
            return made

        one, two = keep(SCALE), keep(SCALE, TURN)
        found = lambda *tape: played_before(s, revision, list(tape))
        assert found(SCALE, TURN, CLEAN) is two
        assert found(SCALE, CLEAN) is one
        assert found(TURN, SCALE) is None
        assert found({"mend": "size.scale", "params": {"factor": 4.0}}, TURN) is None
        keep(SCALE, TURN, CLEAN, key="of an earlier version")
        assert found(SCALE, TURN, CLEAN) is two
        keep(TURN)
        assert (one.scene_id, two.scene_id) == (None, content)
        s.rollback()

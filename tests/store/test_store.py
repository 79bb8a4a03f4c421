"""The content store, migrations, and the cluster's care for what is not its own."""

import hashlib
import json
import os
import threading

import pytest
from sqlalchemy import func, select

from handlens.core.limits import InputError
from handlens.launch.cluster import Cluster, ClusterError
from handlens.store import contents, migrate
from handlens.store.database import json_text, session
from handlens.store.models import Chunk, Content, Model, Revision, RevisionFile, TapeState
from handlens.store.shelf import change_tape, slips_of, tape_key, throw_away

pytestmark = pytest.mark.usefixtures("database")


def test_models_and_migrations_agree():
    assert migrate.differences() == []


def test_contents_are_stored_once_and_in_chunks():
    data = os.urandom(2 * contents.CHUNK + 77)
    with session() as s:
        one = contents.put(s, (data[k : k + 10_000] for k in range(0, len(data), 10_000)), "x")
        two = contents.put_bytes(s, data, "x")
        assert one.id == two.id
        assert one.sha256 == hashlib.sha256(data).hexdigest()
        sizes = s.scalars(select(func.length(Chunk.data)).where(Chunk.content_id == one.id).order_by(Chunk.number)).all()
        assert sizes == [contents.CHUNK, contents.CHUNK, 77]
        assert contents.read(s, one.id) == data


def test_json_keeps_every_letter_but_one_that_the_database_cannot():
    said = {"odd\0name": ["a\\\\u0000b", "\\u0000", "\\\0", 'é\n"', 1.5, None]}
    assert json.loads(json_text(said)) == {"odd\ufffdname": ["a\\\\u0000b", "\\u0000", "\\\ufffd", 'é\n"', 1.5, None]}


def test_an_empty_content():
    with session() as s:
        assert contents.read(s, contents.put_bytes(s, b"", "x").id) == b""


def test_too_long_a_stream_leaves_nothing_behind():
    with session() as s:
        before = s.scalar(select(func.count(Content.id)))
    with pytest.raises(InputError, match="larger than"), session() as s:
        contents.put(s, (b"x" * 1_000_000 for _ in range(9)), "big.glb", most=4 << 20)
    with session() as s:
        assert s.scalar(select(func.count(Content.id))) == before


def test_the_same_bytes_from_many_at_once():
    data = os.urandom(300_000)
    ids, troubles = [], []

    def put():
        try:
            with session() as s:
                ids.append(contents.put_bytes(s, data, "x").id)
        except Exception as error:
            troubles.append(error)

    threads = [threading.Thread(target=put) for _ in range(6)]
    [t.start() for t in threads]
    [t.join() for t in threads]
    assert troubles == []
    assert len(set(ids)) == 1


def make_model(s):
    content = contents.put_bytes(s, os.urandom(50), "x")
    model = Model(name="Skiff")
    revision = Revision(number=1, main="skiff.obj", files=[RevisionFile(path="skiff.obj", content_id=content.id)])
    model.revisions.append(revision)
    s.add(model)
    s.flush()
    return model, revision, content.id


def test_taking_a_model_off_sweeps_what_was_its_alone():
    with session() as s:
        model, _, content_id = make_model(s)
        throw_away(s, model)
        contents.sweep(s)
    with session() as s:
        assert s.get(Content, content_id) is None


def test_the_tape_undoes_and_forgets_what_was_undone():
    a, b, c = ({"mend": "size.scale", "params": {"factor": f}, "on": True} for f in (2.0, 3.0, 4.0))
    with session() as s:
        _, revision, _ = make_model(s)
        change_tape(s, revision, [a])
        change_tape(s, revision, [a, b])
        revision.tape_at -= 1
        s.flush()
        assert slips_of(s, revision) == [a]
        change_tape(s, revision, [a, c])
        assert slips_of(s, revision) == [a, c]
        assert [
            t.number for t in s.scalars(select(TapeState).where(TapeState.revision_id == revision.id).order_by(TapeState.number))
        ] == [1, 2]


def test_a_slip_that_is_off_does_not_change_the_key():
    a = {"mend": "size.scale", "params": {"factor": 2.0}, "on": True}
    assert tape_key([a]) == tape_key([a, {**a, "on": False}]) != tape_key([a, a])


def test_a_database_that_is_not_ours_is_not_touched(tmp_path):
    base = tmp_path / "database"
    base.mkdir()
    (base / "PG_VERSION").write_text("15\n")
    with pytest.raises(ClusterError, match="did not make"):
        Cluster(tmp_path, 8480).start()
    assert [p.name for p in base.iterdir()] == ["PG_VERSION"]


def test_a_folder_with_other_things_is_not_touched(tmp_path):
    (tmp_path / "database").mkdir()
    (tmp_path / "database" / "diary.txt").write_text("low water at six")
    with pytest.raises(ClusterError, match="not empty"):
        Cluster(tmp_path, 8480).start()


def test_migrations_go_down_and_up_again(tmp_path_factory):
    """In a cluster of its own: the session's data must survive the other tests."""
    folder = tmp_path_factory.mktemp("cluster")
    for parent in [folder, *folder.parents][:3]:
        parent.chmod(0o755)
    cluster = Cluster(folder, 8482)
    cluster.start()
    try:
        migrate.upgrade(url=cluster.url)
        migrate.downgrade(url=cluster.url)
        migrate.upgrade(url=cluster.url)
        assert migrate.differences(cluster.url) == []
    finally:
        from handlens.store.database import engine

        engine(cluster.url).dispose()
        cluster.stop()

"""Contents in an object store: kept, read, swept, moved both ways, verified; against a simulated store that runs here alone."""

from __future__ import annotations

import hashlib

import pytest
from sqlalchemy import func, select

from handlens.core.limits import InputError
from handlens.store import contents, moving
from handlens.store.database import session
from handlens.store.models import Chunk, Content, GoneObject
from handlens.store.object_store import KEY, PLACE, SECRET, object_store

BIG = bytes(range(256)) * 20_000


@pytest.fixture(scope="module")
def simulated():
    """Address of a store that speaks S3."""
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0)
    server.start()
    host, port = server.get_host_and_port()
    yield f"http://{host}:{port}"
    server.stop()


@pytest.fixture
def store(database, simulated, monkeypatch):
    """The store of this test, set and empty; contents of other tests stay in the database."""
    monkeypatch.setenv(PLACE, f"s3://quay/contents?endpoint={simulated}")
    monkeypatch.setenv(KEY, "harbour")
    monkeypatch.setenv(SECRET, "master")
    made = object_store()
    made.client.create_bucket(Bucket="quay")
    yield made
    for entry in made.client.list_objects_v2(Bucket="quay").get("Contents", []):
        made.client.delete_object(Bucket="quay", Key=entry["Key"])
    with session() as s:
        for content in s.scalars(select(Content).where(Content.stored)):
            s.delete(content)


def names(store):
    return {entry["Key"] for entry in store.client.list_objects_v2(Bucket="quay").get("Contents", [])}


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def test_what_comes_in_lies_there_once_and_is_read_from_there(store):
    with session() as s:
        first = contents.put(s, [BIG[:1000], BIG[1000:]], "a.bin")
        assert contents.put_bytes(s, BIG, "b.bin").id == first.id
        number = first.id
    with session() as s:
        content = s.get_one(Content, number)
        assert (content.stored, content.bytes, content.sha256) == (True, len(BIG), digest(BIG))
        assert s.scalar(select(func.count()).where(Chunk.content_id == number)) == 0
        assert contents.read(s, number) == BIG
    assert names(store) == {f"contents/{digest(BIG)[:2]}/{digest(BIG)}"}
    with session() as s, pytest.raises(InputError, match="larger than"):
        contents.put(s, [BIG], "c.bin", 1 << 20)


def test_what_nobody_refers_to_is_taken_away_but_not_what_came_again(store):
    with session() as s:
        contents.put_bytes(s, b"nobody's", "x")
        contents.put_bytes(s, b"came again", "y")
    with session() as s:
        contents.sweep(s)
    with session() as s:
        assert s.scalar(select(func.count()).select_from(GoneObject)) >= 2
        contents.put_bytes(s, b"came again", "y")
    contents.take_gone_objects_away()
    assert names(store) == {f"contents/{digest(b'came again')[:2]}/{digest(b'came again')}"}


def test_contents_move_both_ways_and_are_what_they_were(store, monkeypatch):
    place = store
    with monkeypatch.context() as without:
        without.delenv(PLACE)
        with session() as s:
            number = contents.put_bytes(s, BIG + b"moved", "m").id
    told = []
    moved, size = moving.move_contents("store", lambda *x: told.append(x))
    assert told[-1] == (moved, moved)
    assert size >= len(BIG)
    with session() as s:
        assert contents.read(s, number) == BIG + b"moved"
        assert s.get_one(Content, number).stored
    with monkeypatch.context() as without:
        without.delenv(PLACE)
        with session() as s, pytest.raises(InputError, match="none is set here"):
            contents.read(s, number)
    # One whose object is another by now stays where it is, and says so.
    key = place.name(digest(BIG + b"moved"))
    place.client.put_object(Bucket="quay", Key=key, Body=b"something else")
    with pytest.raises(InputError, match="not what it was"):
        moving.move_contents("database")
    with session() as s:
        assert s.get_one(Content, number).stored
    place.client.put_object(Bucket="quay", Key=key, Body=BIG + b"moved")
    moving.move_contents("database")
    with session() as s:
        assert not s.scalar(select(func.count()).where(Content.stored))
        assert contents.read(s, number) == BIG + b"moved"
    contents.take_gone_objects_away()
    assert not names(place)


def test_a_store_that_is_away_is_one_sentence(store, monkeypatch):
    for place in ("s3:///x", "file:///tmp", "s3://b?host=x"):
        monkeypatch.setenv(PLACE, place)
        with pytest.raises(InputError, match="says no store"):
            object_store()
    monkeypatch.setenv(PLACE, "s3://none-such?endpoint=" + store.client.meta.endpoint_url)
    with session() as s, pytest.raises(InputError, match="could not keep"):
        contents.put_bytes(s, b"nowhere", "x")

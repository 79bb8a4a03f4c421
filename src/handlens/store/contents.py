"""The content store: bytes by SHA-256, in chunks in the database or as objects in a store beside it, never whole in memory."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from sqlalchemy import Function, delete, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from ..core import limits
from ..core.limits import InputError
from ..core.packages import open_plain
from .database import engine, session
from .models import Chunk, Content, GoneObject
from .object_store import PLACE, ObjectStore, object_store
from .room import NoRoom, no_room

CHUNK = 1 << 20


def put(db: Session, pieces: Iterable[bytes], label: str, most: int = limits.MAX_FILE_BYTES) -> Content:
    """Store a stream. Bytes that are there already are not stored again. Raises InputError where it is too long, or the disk too full.

    Runs inside the caller's transaction, so a broken upload leaves nothing behind.
    """
    store = object_store()
    return _put_object(db, store, pieces, label, most) if store is not None else _put_chunks(db, pieces, label, most)


def _put_chunks(db: Session, pieces: Iterable[bytes], label: str, most: int) -> Content:
    content = Content()
    db.add(content)
    db.flush()
    digest = hashlib.sha256()
    for _ in add_chunks(db, content, _counted(pieces, label, most, digest)):
        pass
    twin = _twin(db, digest.hexdigest())
    if twin is not None:
        db.execute(delete(Content).where(Content.id == content.id))
        db.expunge(content)
        return twin
    content.sha256 = digest.hexdigest()
    db.flush()
    return content


def _put_object(db: Session, store: ObjectStore, pieces: Iterable[bytes], label: str, most: int) -> Content:
    """An object is named by its hash, so its bytes wait in a file until that is known."""
    digest, total = hashlib.sha256(), 0
    with tempfile.NamedTemporaryFile(prefix="handlens-content-") as file:
        for piece in _counted(pieces, label, most, digest):
            file.write(piece)
            total += len(piece)
        file.flush()
        twin = _twin(db, digest.hexdigest())
        if twin is not None:
            return twin
        store.put(digest.hexdigest(), Path(file.name))
    content = Content(sha256=digest.hexdigest(), bytes=total, stored=True)
    # An object of that name is wanted again.
    db.execute(delete(GoneObject).where(GoneObject.sha256 == content.sha256))
    db.add(content)
    db.flush()
    return content


def _counted(pieces: Iterable[bytes], label: str, most: int, digest: hashlib._Hash) -> Iterator[bytes]:
    """Pieces as they come, hashed. Raises InputError where they are too many, or the disk too full."""
    total = since = 0
    for piece in pieces:
        digest.update(piece)
        total += len(piece)
        since += len(piece)
        if total > most:
            raise InputError(f"{label} is larger than {most >> 20:,} MiB, the most that is taken.")
        if since >= CHUNK:
            if full := no_room(since):
                raise NoRoom(full)
            since = 0
        yield piece


def _twin(db: Session, name: str) -> Content | None:
    """The content of that hash which is there already. Nobody else may put the same bytes in before the transaction ends."""
    # Two uploads of the same bytes may end at once: the lock lets the second see the first.
    db.execute(select(lock_of(name)))
    # Held until the caller refers to it: nobody may sweep it away meanwhile, since as yet it may be nobody's.
    return db.scalar(select(Content).where(Content.sha256 == name).with_for_update(read=True, key_share=True))


def lock_of(name: str) -> Function[Any]:
    """What is selected to have a hash to oneself until the transaction ends."""
    return func.pg_advisory_xact_lock(int(name[:15], 16))


def add_chunks(db: Session, content: Content, pieces: Iterable[bytes]) -> Iterator[bytes]:
    """Store pieces as a content's chunks, and hand each on once it is taken; the content knows its size at the end."""
    number, total, held = 0, 0, bytearray()
    for piece in pieces:
        held += piece
        total += len(piece)
        while len(held) >= CHUNK:
            _add(db, content, number, bytes(held[:CHUNK]))
            del held[:CHUNK]
            number += 1
        yield piece
    if held:
        _add(db, content, number, bytes(held))
    content.bytes = total
    db.flush()


def object_is_gone(db: Session, digest: str) -> None:
    """Have the object of a hash taken away once this transaction is written: until then it is still what a content is read from."""
    db.execute(insert(GoneObject).values(sha256=digest).on_conflict_do_nothing())


def take_gone_objects_away(most: int = 1000) -> int:
    """Take objects out of the store that no content is read from any more; returns how many. Raises InputError where the store is away."""
    store = object_store()
    if store is None:
        return 0
    with session() as db:
        digests = list(db.scalars(select(GoneObject.sha256).limit(most)))
    for digest in digests:
        with session() as db:
            # The same bytes may have come again meanwhile: then the object stays.
            db.execute(select(lock_of(digest)))
            if db.scalar(select(Content.id).where(Content.sha256 == digest, Content.stored)) is None:
                store.delete(digest)
            db.execute(delete(GoneObject).where(GoneObject.sha256 == digest))
    return len(digests)


def _add(db: Session, content: Content, number: int, data: bytes) -> None:
    chunk = Chunk(content_id=content.id, number=number, data=data)
    db.add(chunk)
    db.flush()
    db.expunge(chunk)


def put_bytes(db: Session, data: bytes, label: str) -> Content:
    """Store bytes, as `put` does."""
    return put(db, [data], label)


def put_file(db: Session, path: Path) -> Content:
    """Keep a file's bytes. Raises OSError where it is no plain file."""

    def pieces() -> Iterator[bytes]:
        with open_plain(path) as file:
            while piece := file.read(CHUNK):
                yield piece

    return put(db, pieces(), path.name)


def stream(db: Session, content_id: int) -> Iterator[bytes]:
    """The content in order, a chunk at a time. Raises InputError where it lies in a store that is away, or not set here."""
    found = db.execute(select(Content.sha256, Content.stored).where(Content.id == content_id)).one_or_none()
    if found is not None and found.stored:
        store = object_store()
        if store is None:
            raise InputError(f"A content lies in an object store, and none is set here; start with the same {PLACE} as before.")
        yield from store.stream(str(found.sha256))
        return
    number = 0
    while (data := db.scalar(select(Chunk.data).where(Chunk.content_id == content_id, Chunk.number == number))) is not None:
        yield data
        number += 1


def sent(content_id: int) -> Iterator[bytes]:
    """The content in a session of its own, for an answer that goes out after the request's has ended."""
    with session() as db:
        yield from stream(db, content_id)


def read(db: Session, content_id: int) -> bytes:
    """The whole content. For small ones: others are streamed."""
    return b"".join(stream(db, content_id))


def write_to(db: Session, content_id: int, path: Path) -> None:
    """Write a content to a file, chunk by chunk; folders above it are made."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        for piece in stream(db, content_id):
            file.write(piece)


def give_back() -> bool:
    """Give the disk back what deleted contents took, where that is more than what is still there; returns whether it was.

    A plain VACUUM only marks room as free for what comes next. The whole table is written anew (PostgreSQL documentation, VACUUM
    FULL), which takes as much room for a while and lets nobody read meanwhile, so it waits for no lock longer than a moment.
    """
    with engine().connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        held, used = connection.execute(
            text("SELECT pg_total_relation_size('content_chunk'), (SELECT coalesce(sum(bytes), 0) FROM content WHERE NOT stored)")
        ).one()
        idle = int(held) - int(used)
        if idle < max(_IDLE_BYTES, int(used)) or no_room(int(used) * 2):
            return False
        connection.execute(text("SET lock_timeout = '2s'"))
        try:
            connection.execute(text("VACUUM FULL content_chunk"))
        except OperationalError:
            return False
        finally:
            connection.execute(text("RESET lock_timeout"))
        return True


#: Room that is free in the table from which on it is given back.
_IDLE_BYTES = 256 << 20


def sweep(db: Session) -> int:
    """Delete contents that nothing refers to any more; returns how many."""
    from .models import Asking, DropFile, Export, ExportFile, Inspection, Revision, RevisionFile, Sending, SoughtWay

    users = [DropFile.content_id, RevisionFile.content_id, ExportFile.content_id, Revision.thumbnail_id]
    users += [Inspection.stage_id, Inspection.full_stage_id, Inspection.scene_id, Export.stage_id]
    users += [Sending.picture_id, Asking.picture_id, SoughtWay.picture_id]
    orphan = select(Content.id).where(*[~select(u).where(u == Content.id).exists() for u in users], Content.sha256.is_not(None))
    gone = list(db.scalars(orphan.with_for_update(skip_locked=True)))
    if gone:
        stored = select(Content.sha256).where(Content.id.in_(gone), Content.stored)
        for digest in db.scalars(stored).all():
            object_is_gone(db, str(digest))
        db.execute(delete(Content).where(Content.id.in_(gone)))
    return len(gone)

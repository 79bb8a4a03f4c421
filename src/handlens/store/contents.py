"""The content store: bytes by SHA-256, in chunks, never whole in memory."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from pathlib import Path

from sqlalchemy import delete, select, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from ..core import limits
from ..core.limits import InputError
from ..core.packages import open_plain
from .database import engine, session
from .models import Chunk, Content
from .room import NoRoom, no_room

CHUNK = 1 << 20


def put(db: Session, pieces: Iterable[bytes], label: str, most: int = limits.MAX_FILE_BYTES) -> Content:
    """Store a stream. Bytes that are there already are not stored again. Raises InputError where it is too long, or the disk too full.

    Runs inside the caller's transaction, so a broken upload leaves nothing behind.
    """
    content = Content()
    db.add(content)
    db.flush()
    digest, total, number, held = hashlib.sha256(), 0, 0, bytearray()
    for piece in pieces:
        digest.update(piece)
        total += len(piece)
        if total > most:
            raise InputError(f"{label} is larger than {most >> 20:,} MiB, the most that is taken.")
        held += piece
        if len(held) >= CHUNK and (full := no_room(len(held))):
            raise NoRoom(full)
        while len(held) >= CHUNK:
            _add(db, content, number, bytes(held[:CHUNK]))
            del held[:CHUNK]
            number += 1
    if held:
        _add(db, content, number, bytes(held))
    name = digest.hexdigest()
    # Two uploads of the same bytes may end at once: the lock lets the second see the first.
    db.execute(select(_lock(name)))
    # Held until the caller refers to it: nobody may sweep it away meanwhile, since as yet it may be nobody's.
    twin = db.scalar(select(Content).where(Content.sha256 == name).with_for_update(read=True, key_share=True))
    if twin is not None:
        db.execute(delete(Content).where(Content.id == content.id))
        db.expunge(content)
        return twin
    content.sha256, content.bytes = name, total
    db.flush()
    return content


def _lock(name: str):  # type: ignore[no-untyped-def]
    from sqlalchemy import func

    return func.pg_advisory_xact_lock(int(name[:15], 16))


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
        with open_plain(path) as f:
            while piece := f.read(CHUNK):
                yield piece

    return put(db, pieces(), path.name)


def stream(db: Session, content_id: int) -> Iterator[bytes]:
    """The content in order, a chunk at a time."""
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
    with path.open("wb") as f:
        for piece in stream(db, content_id):
            f.write(piece)


def give_back() -> bool:
    """Give the disk back what deleted contents took, where that is more than what is still there; returns whether it was.

    A plain VACUUM only marks room as free for what comes next. The whole table is written anew (PostgreSQL documentation, VACUUM
    FULL), which takes as much room for a while and lets nobody read meanwhile, so it waits for no lock longer than a moment.
    """
    with engine().connect().execution_options(isolation_level="AUTOCOMMIT") as c:
        held, used = c.execute(
            text("SELECT pg_total_relation_size('content_chunk'), (SELECT coalesce(sum(bytes), 0) FROM content)")
        ).one()
        idle = int(held) - int(used)
        if idle < max(_IDLE_BYTES, int(used)) or no_room(int(used) * 2):
            return False
        c.execute(text("SET lock_timeout = '2s'"))
        try:
            c.execute(text("VACUUM FULL content_chunk"))
        except OperationalError:
            return False
        finally:
            c.execute(text("RESET lock_timeout"))
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
        db.execute(delete(Content).where(Content.id.in_(gone)))
    return len(gone)

"""Moves contents between the database and the object store, both ways, each verified by its hash before it is gone from where it was.

Run by `./start --move-contents store|database`. It may be stopped and begun again: what was moved is moved.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from ..core.limits import InputError
from . import contents
from .database import session
from .models import Chunk, Content
from .object_store import PLACE, ObjectStore, object_store

#: Hears of each content that was moved: how many are, of how many.
Report = Callable[[int, int], None]


def move_contents(to: str, report: Report = lambda *_: None) -> tuple[int, int]:
    """Move all contents to "store" or to "database"; returns how many, and how many bytes. Raises InputError where one cannot be moved:
    it is then where it was."""
    store = object_store()
    if store is None:
        raise InputError(f"No object store is set; say by {PLACE} which.")
    wanted = (Content.sha256.is_not(None), Content.stored.is_(to != "store"))
    with session() as db:
        ids = list(db.scalars(select(Content.id).where(*wanted).order_by(Content.id)))
    bytes_moved = 0
    for number, content_id in enumerate(ids, 1):
        with session() as db:
            content = db.get(Content, content_id, with_for_update=True)
            if content is not None and content.stored is (to != "store"):
                (_to_store if to == "store" else _to_database)(db, store, content)
                bytes_moved += content.bytes
        report(number, len(ids))
    return len(ids), bytes_moved


def _to_store(db: Session, store: ObjectStore, content: Content) -> None:
    digest = str(content.sha256)
    # Nobody may take the same bytes in, or away, meanwhile.
    db.execute(select(contents.lock_of(digest)))
    number, name = tempfile.mkstemp(prefix="handlens-move-")
    path = Path(name)
    try:
        with os.fdopen(number, "wb") as file:
            _verify(digest, content.bytes, contents.stream(db, content.id), file.write)
        store.put(digest, path)
        _verify(digest, content.bytes, store.stream(digest))
    finally:
        path.unlink(missing_ok=True)
    content.stored = True
    db.execute(delete(Chunk).where(Chunk.content_id == content.id))


def _to_database(db: Session, store: ObjectStore, content: Content) -> None:
    digest = str(content.sha256)
    db.execute(select(contents.lock_of(digest)))
    db.execute(delete(Chunk).where(Chunk.content_id == content.id))
    _verify(digest, content.bytes, contents.add_chunks(db, content, store.stream(digest)))
    content.stored = False
    contents.object_is_gone(db, digest)


def _verify(digest: str, size: int, pieces: Iterator[bytes], write: Callable[[bytes], object] = lambda _: None) -> None:
    """Raises InputError where pieces are not the content that they are called."""
    seen, total = hashlib.sha256(), 0
    for piece in pieces:
        seen.update(piece)
        total += len(piece)
        write(piece)
    if seen.hexdigest() != digest or total != size:
        raise InputError(
            f"The content {digest[:12]}… is not what it was: {total:,} of {size:,} bytes, and another hash. It was not moved."
        )

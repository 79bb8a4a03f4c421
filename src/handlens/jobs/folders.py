"""Watched folders: each saved model becomes the next revision of the one that it was before."""

from __future__ import annotations

import asyncio
import logging
import time
from pathlib import Path

from sqlalchemy import select

from ..core import limits
from ..core.limits import InputError
from ..store import contents
from ..store.database import session
from ..store.models import Drop, DropFile, Job, Model, Watch
from ..store.queue import enqueue
from ..watching import EVERY, Folder

log = logging.getLogger("handlens.worker")


async def keep_watch() -> None:
    """Look into every watched folder until the worker ends. What goes wrong once may go right the next time."""
    folders: dict[int, Folder] = {}
    while True:
        try:
            await asyncio.to_thread(look_once, folders, time.monotonic())
        except Exception:
            log.warning("watching was cut short", exc_info=True)
        await asyncio.sleep(EVERY)


def look_once(folders: dict[int, Folder], now: float) -> None:
    """One look into each. folders: what is known of them, by the watch's id."""
    with session() as db:
        watched = {w.id: w.path for w in db.scalars(select(Watch))}
    for gone in folders.keys() - watched.keys():
        del folders[gone]
    for id, path in watched.items():
        error = None
        try:
            folder = folders.get(id) or Folder(Path(path))
            folders[id] = folder
            for model in sorted({*folder.look(now), *folder.waiting}):
                folder.waiting.discard(model)
                if not _take(id, folder, model):
                    folder.waiting.add(model)
        except (InputError, OSError) as trouble:
            error = str(trouble)
            folders.pop(id, None)
        with session() as db:
            watch = db.get(Watch, id)
            if watch is not None and watch.error != error:
                watch.error = error


def _take(id: int, folder: Folder, model: str) -> bool:
    """Lay a saved model and what it may use into a drop. What it was made of already is not taken again. Returns False where an
    earlier save of it is still being set on the shelf: until then nobody knows of which model this is the next revision.
    """
    files = folder.files_of(model)
    if sum(file.stat().st_size for file in files.values()) > limits.MAX_PACKAGE_BYTES:
        raise InputError(
            f"{model} lies among more than {limits.MAX_PACKAGE_BYTES >> 30} GiB of files; give it a folder of its own."
        )
    made_of = folder.contents_of(model)
    with session() as db:
        watch = db.get(Watch, id, with_for_update=True)
        if watch is None or watch.models.get(model, {}).get("made_of") == made_of:
            return True
        under_way = select(Job.id).where(
            Job.kind == "intake",
            Job.state.in_(["waiting", "running"]),
            Job.subject["watch"].as_integer() == id,
            Job.subject["path"].as_string() == model,
        )
        if db.scalar(under_way.limit(1)) is not None:
            return False
        known = watch.models.get(model, {}).get("model")
        drop = Drop(model_id=known if known is not None and db.get(Model, known) is not None else None)
        db.add(drop)
        db.flush()
        for path, place in files.items():
            drop.files.append(DropFile(path=path, content_id=contents.put_file(db, place).id))
        db.flush()
        watch.models = {**watch.models, model: {"model": drop.model_id, "made_of": made_of}}
        name = model.rpartition("/")[2]
        enqueue(db, "intake", f"Setting {name} on the shelf", {"drop": drop.id, "watch": id, "path": model})
        return True

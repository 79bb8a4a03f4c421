"""Put the demo models on an empty shelf, once."""

from __future__ import annotations

import json
from pathlib import Path

from sqlalchemy import func, select

from ..store import contents
from ..store.database import session
from ..store.models import Drop, DropFile, Model
from ..store.queue import enqueue


def load_once(folder: Path) -> int:
    """Drop every model of the folder's manifest, if the shelf has never held a model. Returns how many were dropped."""
    manifest = json.loads((folder / "manifest.json").read_text())
    with session() as db:
        ever = db.execute(select(func.max(Model.id))).scalar()
        if ever is not None or db.scalar(select(Drop.id).limit(1)) is not None:
            return 0
        for entry in reversed(manifest["models"]):
            drop = Drop()
            db.add(drop)
            db.flush()
            for name in entry["files"]:
                content = contents.put_file(db, folder / entry["folder"] / name)
                drop.files.append(DropFile(path=name, content_id=content.id))
            db.flush()
            enqueue(
                db,
                "intake",
                f"Setting {entry['name']} on the shelf",
                {"drop": drop.id, "demo": True, "intent": entry["intent"], "sheet": entry["sheet"]},
            )
    return len(manifest["models"])

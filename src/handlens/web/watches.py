"""Folders of this machine that are watched: what is saved there comes on the shelf by itself."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import func, select

from ..store.batches import making
from ..store.database import session
from ..store.models import Watch
from . import schemas
from .find import refuse, row

blueprint = Blueprint("watches", __name__, url_prefix="/api/watches", description="Watched folders")
#: Folders that are watched at once.
_MOST = 20


@blueprint.route("")
class Watches(MethodView):
    @blueprint.response(200, schemas.Watches)
    def get(self) -> dict[str, Any]:
        """All that are watched, with why one cannot be looked into."""
        with session() as db:
            return {"watches": [_described(w) for w in db.scalars(select(Watch).order_by(Watch.id))]}

    @blueprint.arguments(schemas.WatchWish)
    @blueprint.response(201, schemas.Watch)
    def post(self, wish: dict[str, Any]) -> dict[str, Any]:
        """Watch a folder of this machine, by its whole path."""
        path = _place(wish["path"].strip())
        with session() as db:
            known = db.scalar(select(Watch).where(Watch.path == str(path)))
            if known is not None:
                return _described(known)
            if (db.scalar(select(func.count(Watch.id))) or 0) >= _MOST:
                refuse(422, f"{_MOST} folders are watched already; give one up first.")
            batch = making.begin(db, path.name or str(path), "realtime-engine", []) if wish["batch"] else None
            watch = Watch(path=str(path), batch_id=batch.id if batch is not None else None)
            db.add(watch)
            db.flush()
            return _described(watch)


@blueprint.route("/<int:watch_id>")
class OneWatch(MethodView):
    @blueprint.response(204)
    def delete(self, watch_id: int) -> None:
        """Watch a folder no longer. What came from it stays on the shelf."""
        with session() as db:
            db.delete(row(db, Watch, watch_id, "watched folder"))


def _place(text: str) -> Path:
    """The folder that is meant. Refuses what is none, cannot be looked into, lies outside the roots, or has to do with our own data."""
    try:
        path = Path(text).expanduser()
        if not path.is_absolute():
            refuse(422, f"{path} is no whole path; begin at the root, as in /home/me/exports.")
        there, path = path.is_dir(), path.resolve()
        if there:
            next(os.scandir(path), None)
    except (OSError, RuntimeError, ValueError):
        refuse(422, f"{text[:200]} cannot be looked into; name a folder that is there and may be read.")
    if not there:
        refuse(422, f"{text[:200]} is no folder that is there on the machine that runs Hand Lens.")
    roots = _roots()
    if not any(path.is_relative_to(root) for root in roots):
        refuse(
            422,
            f"{path} lies outside what may be watched: {', '.join(map(str, roots))}. HANDLENS_WATCH_ROOTS names other roots when "
            "Hand Lens is started.",
        )
    own = os.environ.get("HANDLENS_DATA")
    if own and (path.is_relative_to(Path(own).resolve()) or Path(own).resolve().is_relative_to(path)):
        refuse(422, f"Hand Lens keeps its own data in {own}; watch a folder that does not hold it.")
    return path


def _roots() -> list[Path]:
    """Below which folders may be watched: those that the setting names, else the home folder."""
    named = [Path(p) for p in os.environ.get("HANDLENS_WATCH_ROOTS", "").split(os.pathsep) if p]
    return [p.expanduser().resolve() for p in named or [Path.home()]]


def _described(watch: Watch) -> dict[str, Any]:
    return {"id": watch.id, "path": watch.path, "models": len(watch.models), "error": watch.error, "batch": watch.batch_id}

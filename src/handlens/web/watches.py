"""Folders of this machine that are watched: what is saved there comes on the shelf by itself."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import func, select

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
        with session() as s:
            return {"watches": [_said(w) for w in s.scalars(select(Watch).order_by(Watch.id))]}

    @blueprint.arguments(schemas.WatchWish)
    @blueprint.response(201, schemas.Watch)
    def post(self, wish: dict[str, Any]) -> dict[str, Any]:
        """Watch a folder of this machine, by its whole path."""
        path = Path(wish["path"].strip()).expanduser()
        if not path.is_absolute():
            refuse(422, f"{path} is no whole path; begin at the root, as in /home/me/exports.")
        if not path.is_dir():
            refuse(422, f"{path} is no folder that is there on the machine that runs Hand Lens.")
        path = path.resolve()
        with session() as s:
            known = s.scalar(select(Watch).where(Watch.path == str(path)))
            if known is not None:
                return _said(known)
            if (s.scalar(select(func.count(Watch.id))) or 0) >= _MOST:
                refuse(422, f"{_MOST} folders are watched already; give one up first.")
            watch = Watch(path=str(path))
            s.add(watch)
            s.flush()
            return _said(watch)


@blueprint.route("/<int:watch_id>")
class OneWatch(MethodView):
    @blueprint.response(204)
    def delete(self, watch_id: int) -> None:
        """Watch a folder no longer. What came from it stays on the shelf."""
        with session() as s:
            s.delete(row(s, Watch, watch_id, "watched folder"))


def _said(w: Watch) -> dict[str, Any]:
    return {"id": w.id, "path": w.path, "models": len(w.models), "error": w.error}

"""Intake: files stream in one by one, then become models."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from flask import request
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import func, select

from ..core import limits, packages
from ..core.formats.table import MODEL_ENDINGS
from ..core.pipeline.no_model import no_model
from ..store import contents
from ..store.database import session
from ..store.models import Content, Drop, DropFile, Job, Model
from ..store.queue import enqueue
from . import schemas
from .find import refuse, row

blueprint = Blueprint("drops", __name__, url_prefix="/api/drops", description="Intake")


@blueprint.route("")
class Drops(MethodView):
    @blueprint.arguments(schemas.DropWish)
    @blueprint.response(201, schemas.Drop)
    def post(self, wish: dict[str, Any]) -> dict[str, int]:
        """Begin a drop; with a model, what arrives becomes its next revision."""
        with session() as db:
            if wish["model"] is not None:
                row(db, Model, wish["model"], "model")
            drop = Drop(model_id=wish["model"])
            db.add(drop)
            db.flush()
            return {"id": drop.id}


@blueprint.route("/<int:drop_id>")
class OneDrop(MethodView):
    @blueprint.response(204)
    def delete(self, drop_id: int) -> None:
        """Give a drop up; what arrived of it is thrown away."""
        with session() as db:
            db.delete(row(db, Drop, drop_id, "drop"))
            db.flush()
            contents.sweep(db)


@blueprint.put("/<int:drop_id>/files")
@blueprint.arguments(schemas.DropFileQuery, location="query")
@blueprint.response(201, schemas.StoredFile)
def put_file(query: dict[str, Any], drop_id: int) -> dict[str, Any]:
    """One file as the request's raw body, streamed."""
    path = packages.clean_path(query["path"])
    label = path.rpartition("/")[2]
    if packages.is_noise(path):
        refuse(422, f"{label} is left behind by the operating system and is not taken.")
    with session() as db:
        # Two files of one drop may come at once; each sees those before it.
        drop = row(db, Drop, drop_id, "drop", locked=True)
        if len(drop.files) >= limits.MAX_PACKAGE_FILES:
            refuse(413, f"More than {limits.MAX_PACKAGE_FILES:,} files at once are not taken.")
        other = packages.in_the_way(path, (file.path for file in drop.files))
        if other:
            refuse(422, f"{path} cannot lie beside {other}: one is a file where the other wants a folder. Rename one of them.")
        sizes = (
            select(func.coalesce(func.sum(Content.bytes), 0))
            .join(DropFile, DropFile.content_id == Content.id)
            .where(DropFile.drop_id == drop_id)
        )
        room = limits.MAX_PACKAGE_BYTES - int(db.scalar(sizes) or 0)
        content = contents.put(db, _body(label), label, min(limits.MAX_FILE_BYTES, max(room, 0)))
        known = next((file for file in drop.files if file.path == path), None)
        if known is None:
            drop.files.append(DropFile(path=path, content_id=content.id))
        else:
            known.content_id = content.id
        return {"path": path, "bytes": content.bytes, "sha256": content.sha256}


def _body(label: str) -> Iterator[bytes]:
    wanted, got = request.content_length, 0
    while piece := request.stream.read(1 << 18):
        got += len(piece)
        yield piece
    if wanted is not None and got < wanted:
        raise limits.InputError(f"{label} was cut off on its way ({got:,} of {wanted:,} bytes); send it again.")


@blueprint.post("/<int:drop_id>/close")
@blueprint.response(202, schemas.Job)
def close(drop_id: int) -> Any:
    """All files are there: make models of them."""
    with session() as db:
        drop = row(db, Drop, drop_id, "drop", locked=True)
        # Whoever did not hear the answer asks again: it is still the same drop.
        begun = db.scalar(
            select(Job).where(
                Job.kind == "intake", Job.subject["drop"].as_integer() == drop_id, Job.state.in_(["waiting", "running"])
            )
        )
        if begun is not None:
            return begun
        if not drop.files:
            refuse(422, "No file arrived; drop a model file with its textures.")
        names = [file.path for file in drop.files]
        if not any(n.lower().endswith((*MODEL_ENDINGS, *packages.ARCHIVES)) for n in names):
            held = {file.path: file.content_id for file in drop.files}
            there = db.execute(select(Content.id, Content.bytes).where(Content.id.in_(held.values())))
            bytes_of = {item.id: item.bytes for item in there}
            sizes = {name: bytes_of[number] for name, number in held.items()}
            error = no_model(sizes, lambda name: next(contents.stream(db, held[name]), b""))
            db.delete(drop)
            db.commit()
            refuse(422, str(error))
        main = next(n for n in names if n.lower().endswith((*MODEL_ENDINGS, *packages.ARCHIVES)))
        return enqueue(db, "intake", f"Setting {main.rpartition('/')[2]} on the shelf", {"drop": drop.id})

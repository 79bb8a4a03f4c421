"""Images that lost references of a model may mean, with their pictures."""

from __future__ import annotations

from typing import Any

from flask import Response
from flask_smorest import Blueprint

from ..core.surface.pictures import media_type
from ..store import contents
from ..store.database import session
from ..store.lost_images import lost_images
from ..store.models import Revision
from . import schemas
from .find import refuse, row

blueprint = Blueprint("lost_images", __name__, url_prefix="/api/revisions", description="Lost images")
#: What a browser shows by itself.
_SHOWN = ("image/png", "image/jpeg", "image/webp", "image/gif", "image/bmp")


@blueprint.get("/<int:revision_id>/lost-images")
@blueprint.response(200, schemas.LostImages)
def offered(revision_id: int) -> dict[str, Any]:
    """For each image that did not come along: files that may be meant, the likeliest first, with the reason."""
    with session() as db:
        found = lost_images(db, row(db, Revision, revision_id, "revision"))
    listed = [
        {
            "reference": reference,
            "candidates": [{**file.candidate._asdict(), "own": file.own, "content": file.content_id} for file in files],
        }
        for reference, files in found.items()
    ]
    return {"images": listed}


@blueprint.get("/<int:revision_id>/lost-images/<int:content_id>")
@blueprint.response(200)
def picture(revision_id: int, content_id: int) -> Response:
    """The picture of a file that may be meant."""
    with session() as db:
        found = lost_images(db, row(db, Revision, revision_id, "revision"))
        if content_id not in {file.content_id for files in found.values() for file in files}:
            refuse(404, "This file is not among those that may be meant.")
        data = contents.read(db, content_id)
    kind = media_type(data)
    if kind not in _SHOWN:
        refuse(404, "This kind of picture cannot be shown here.")
    answer = Response(data, mimetype=kind)
    answer.headers["Cache-Control"] = "private, max-age=3600"
    return answer

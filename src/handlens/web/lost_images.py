"""Images that lost references of a model may mean, with their pictures."""

from __future__ import annotations

from typing import Any

from flask import Response
from flask_smorest import Blueprint
from sqlalchemy import select

from ..core.formats.files import role_of
from ..core.surface.pictures import media_type
from ..store import contents
from ..store.database import session
from ..store.lost_images import lost_images
from ..store.models import Likeness, Revision, RevisionFile
from ..store.queue import want_likeness
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
        revision = row(db, Revision, revision_id, "revision")
        found = lost_images(db, revision)
        likeness = db.scalar(select(Likeness).where(Likeness.revision_id == revision.id))
        looked = {"state": "none", "error": None} if likeness is None else {"state": likeness.state, "error": likeness.error}
    listed = [
        {
            "reference": reference,
            "candidates": [{**file.candidate._asdict(), "own": file.own, "content": file.content_id} for file in lost.found],
            "before": None if lost.before is None else {"content": lost.before[0], "number": lost.before[1]},
        }
        for reference, lost in found.items()
    ]
    return {"images": listed, "looked": looked}


@blueprint.post("/<int:revision_id>/lost-images/look")
@blueprint.response(202, schemas.Looked)
def look(revision_id: int) -> dict[str, Any]:
    """Look for images that look as the lost ones did in an earlier revision. Ask `lost-images` until it is done."""
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        if not any(lost.before for lost in lost_images(db, revision).values()):
            refuse(409, "No earlier revision shows how the lost images looked.")
        likeness = want_likeness(db, revision)
        return {"state": likeness.state, "error": likeness.error}


@blueprint.get("/<int:revision_id>/lost-images/<int:content_id>")
@blueprint.response(200)
def picture(revision_id: int, content_id: int) -> Response:
    """The picture of a file that may be meant."""
    with session() as db:
        row(db, Revision, revision_id, "revision")
        # Asked once for each picture on the page: all that may be meant is not worked out anew each time.
        names = db.scalars(select(RevisionFile.path).where(RevisionFile.content_id == content_id))
        if not any(role_of(name) == "image" for name in names):
            refuse(404, "This file is no image of any model.")
        data = contents.read(db, content_id)
    kind = media_type(data)
    if kind not in _SHOWN:
        refuse(404, "This kind of picture cannot be shown here.")
    answer = Response(data, mimetype=kind)
    answer.headers["Cache-Control"] = "private, max-age=3600"
    return answer

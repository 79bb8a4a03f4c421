"""The Shelf and its models."""

from __future__ import annotations

from typing import Any

from flask import Response, request
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.measures import Measures
from ..core.report import with_waivers
from ..core.rules import shipped
from ..core.rules.intent import intent_from_json
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Export, Model, Revision, Waiver, now
from . import schemas
from .find import refuse, row

blueprint = Blueprint("models", __name__, url_prefix="/api", description="The Shelf")


@blueprint.get("/shelf")
@blueprint.response(200, schemas.Shelf)
def whole_shelf() -> dict[str, Any]:
    with session() as s:
        models = s.scalars(select(Model).order_by(Model.touched.desc(), Model.id.desc())).all()
        return {"models": [_entry(s, m) for m in models if m.revisions]}


def _entry(s: Session, model: Model) -> dict[str, Any]:
    revision = model.revisions[-1]
    wanted = shelf.inspection_of(s, revision, shelf.slips_of(s, revision))
    done = wanted if wanted is not None and wanted.state == "done" else shelf.latest_done(s, revision)
    intent = shelf.intent_of(model)
    reasons = shelf.reasons_of(model)
    judged = [] if done is None else [(sheet.slug, shelf.judgement(s, done, sheet, intent)) for sheet in shipped()]
    reports = {slug: with_waivers(tree, reasons) for slug, tree in judged}
    facts = next(iter(reports.values()))["facts"] if reports else None
    bounds = facts["bounds"] if facts else None
    unit = (facts["unit_metres"] or 1.0) if facts else 1.0
    exports = select(func.count(Export.id)).where(Export.revision_id == revision.id, Export.state == "done")
    return {
        "id": model.id,
        "name": model.name,
        "revision": revision.id,
        "number": revision.number,
        "main": revision.main,
        "state": wanted.state if wanted is not None else "waiting",
        "error": wanted.error if wanted is not None else None,
        "sheet": model.sheet,
        "longest_m": max(bounds["size"]) * unit if bounds else None,
        "unit_stated": bool(facts and facts["unit_metres"] is not None),
        "triangles": facts["triangles"] if facts else None,
        "stage": done.id if done is not None else None,
        "thumbnail": revision.thumbnail_id is not None,
        "verdicts": [
            {
                "sheet": x.slug,
                "code": x.code,
                "counts": reports[x.slug]["verdict"] if reports else None,
                "not_looked_at": reports[x.slug]["not_looked_at"] if reports else [],
            }
            for x in shipped()
        ],
        "exported": bool(s.scalar(exports)),
    }


@blueprint.route("/models/<int:model_id>")
class OneModel(MethodView):
    @blueprint.arguments(schemas.ModelChange)
    @blueprint.response(204)
    def patch(self, change: dict[str, Any], model_id: int) -> None:
        """Rename, choose another rule sheet, or say what the thing is meant to be."""
        import json

        with session() as s:
            model = row(s, Model, model_id, "model")
            if "sheet" in change:
                if change["sheet"] not in {x.slug for x in shipped()}:
                    refuse(422, f"There is no rule sheet {change['sheet']}.")
                model.sheet = change["sheet"]
            if "intent" in change:
                wanted = {k: v for k, v in change["intent"].items() if v is not None}
                intent = intent_from_json(json.dumps(wanted))
                read = shelf.latest_done(s, model.revisions[-1]) if model.revisions else None
                if intent.parts and read is not None and read.measures is not None:
                    lost = intent.without(p.name for p in Measures.from_bytes(read.measures).parts)
                    if lost:
                        refuse(422, f"The intent speaks of {lost[0]!r}, which is no part of the model.")
                model.intent = wanted
            if "name" in change:
                model.name = change["name"].strip() or model.name

    @blueprint.response(204)
    def delete(self, model_id: int) -> None:
        """Take a model off the shelf."""
        with session() as s:
            shelf.delete_model(s, row(s, Model, model_id, "model"))


@blueprint.route("/models/<int:model_id>/waivers")
class Waivers(MethodView):
    @blueprint.arguments(schemas.WaiverWish)
    @blueprint.response(204)
    def put(self, wish: dict[str, Any], model_id: int) -> None:
        """Accept a finding, with the reason."""
        reason = wish["reason"].strip()
        if not reason:
            refuse(422, "Say in a few words why this finding is accepted.")
        with session() as s:
            model = row(s, Model, model_id, "model")
            number = model.revisions[-1].number if model.revisions else 0
            waiver = insert(Waiver).values(
                model_id=model.id, finding=wish["finding"], reason=reason, number=number, created=now()
            )
            s.execute(
                waiver.on_conflict_do_update(index_elements=["model_id", "finding"], set_={"reason": reason, "number": number})
            )

    @blueprint.arguments(schemas.WaiverQuery, location="query")
    @blueprint.response(204)
    def delete(self, query: dict[str, Any], model_id: int) -> None:
        """Let a waived finding count again."""
        with session() as s:
            model = row(s, Model, model_id, "model")
            model.waivers = [w for w in model.waivers if w.finding != query["finding"]]


@blueprint.route("/revisions/<int:revision_id>/thumbnail")
class Thumbnail(MethodView):
    @blueprint.response(200)
    def get(self, revision_id: int) -> Response:
        with session() as s:
            revision = row(s, Revision, revision_id, "revision")
            if revision.thumbnail_id is None:
                refuse(404, "No picture has been drawn yet.")
            data = contents.read(s, revision.thumbnail_id)
        answer = Response(data, mimetype="image/webp")
        answer.headers["Cache-Control"] = "private, max-age=3600"
        return answer

    @blueprint.response(204)
    def put(self, revision_id: int) -> None:
        """The first browser that drew a picture leaves it here."""
        data = request.get_data(cache=False)
        if not (data[:4] == b"RIFF" and data[8:12] == b"WEBP"):
            refuse(422, "The picture must be a WebP of at most 400 kB.")
        with session() as s:
            revision = row(s, Revision, revision_id, "revision")
            revision.thumbnail_id = contents.put_bytes(s, data, "The picture").id

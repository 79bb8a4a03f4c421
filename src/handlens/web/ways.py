"""The way to Fit: asked for, told, its choices remembered, and what only one destination needs."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec
from flask import Response
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.judge import judge
from ..core.limits import InputError
from ..core.offers.way.questions import questions, unsaid
from ..core.offers.way.wish import read_rules
from ..core.route.stations import find_mend
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Inspection, Job, Revision, SoughtWay, WayRule
from ..store.sheets import all_sheets, sheet_of
from ..store.ways import seek
from . import schemas_way as schemas
from .find import refuse, row
from .inspections import measures_of

blueprint = Blueprint("ways", __name__, url_prefix="/api", description="The way to Fit")


@blueprint.get("/inspections/<int:inspection_id>/questions")
@blueprint.response(200, schemas.Questions)
def asked(inspection_id: int) -> dict[str, Any]:
    """What the intent leaves open of a model, each with what the model suggests and how many findings wait for it."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        model = row(db, Revision, inspection.revision_id, "revision").model
        measures, sheet, intent = measures_of(inspection), sheet_of(db, model.sheet), shelf.intent_of(model)
    open_ones = questions(measures, sheet, intent, set(model.intent))
    waiting: dict[str, int] = {}
    for finding in judge(measures, sheet, intent).findings:
        for key in unsaid(finding, intent, open_ones) if finding.mends and finding.result != "note" else ():
            waiting[key] = waiting.get(key, 0) + 1
    return {
        "questions": [{**msgspec.to_builtins(q), "waiting": waiting.get(q.key.partition(".")[0], 0)} for q in open_ones],
    }


@blueprint.post("/inspections/<int:inspection_id>/way")
@blueprint.arguments(schemas.WayWish)
@blueprint.response(200, schemas.Way)
def sought(wish: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """The way to Fit of a model as its tape has it. Ask again until it is done; nothing goes on the tape by itself."""
    begin = wish.pop("begin")
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        if inspection.state != "done":
            refuse(409, "The model is still being read.")
        model = row(db, Revision, inspection.revision_id, "revision").model
        wish["sheets"] = list(dict.fromkeys(wish["sheets"])) or [model.sheet]
        _refuse_unknown(db, wish["sheets"])
        return _entry(db, seek(db, inspection, wish["sheets"], wish["goal"], wish["prefer"], begin))


def _refuse_unknown(db: Session, slugs: Iterable[str]) -> None:
    """Refuse a destination that there is not."""
    known = {sheet.slug for sheet in all_sheets(db)}
    for slug in slugs:
        if slug not in known:
            refuse(422, f"There is no rule sheet {slug}.")


def _entry(db: Session, found: SoughtWay | None) -> dict[str, Any]:
    if found is None:
        return {"id": None, "state": "none", "error": None, "job": None, "way": None, "picture": False}
    of_it = (Job.subject["way"].as_integer() == found.id, Job.state.in_(["waiting", "running"]))
    return {
        "id": found.id,
        "state": found.state,
        "error": found.error,
        "job": db.scalar(select(Job.id).where(*of_it).limit(1)),
        "way": found.way,
        "picture": found.picture_id is not None,
    }


@blueprint.get("/ways/<int:way_id>/picture")
@blueprint.response(200)
def looks(way_id: int) -> Response:
    """The side that changes most: before, after, and where."""
    with session() as db:
        found = row(db, SoughtWay, way_id, "way")
        if found.picture_id is None:
            refuse(404, "There is no picture of this way.")
        return Response(contents.read(db, found.picture_id), mimetype="image/webp")


@blueprint.route("/way-rules")
class Rules(MethodView):
    @blueprint.response(200, schemas.WayRules)
    def get(self) -> dict[str, Any]:
        """What was chosen once, for the next model."""
        with session() as db:
            return {"rules": list(db.scalars(select(WayRule).order_by(WayRule.check)))}

    @blueprint.arguments(schemas.WayRuleWish)
    @blueprint.response(204)
    def put(self, wish: dict[str, Any]) -> None:
        """Remember which mend is taken for a check's findings; one that was remembered before is replaced."""
        try:
            read_rules({wish["check"]: wish["mend"]})
        except InputError as error:
            refuse(422, str(error))
        with session() as db:
            kept = insert(WayRule).values(**wish)
            db.execute(kept.on_conflict_do_update(index_elements=["check"], set_={"mend": wish["mend"]}))


@blueprint.delete("/way-rules/<check>")
@blueprint.response(204)
def forget(check: str) -> None:
    """Choose again where this check has a choice."""
    with session() as db:
        found = db.get(WayRule, check)
        if found is None:
            refuse(404, "There is no rule for this check.")
        db.delete(found)


@blueprint.put("/revisions/<int:revision_id>/branches")
@blueprint.arguments(schemas.Branches)
@blueprint.response(204)
def keep_branches(wish: dict[str, Any], revision_id: int) -> None:
    """Keep what single destinations need beyond the tape: it is played where the model is exported for them. Others stay as they are."""
    kept = {
        slug: [{"mend": slip["mend"], "params": find_mend(slip["mend"]).read(slip["params"])} for slip in slips]
        for slug, slips in wish["branches"].items()
    }
    with session() as db:
        revision = row(db, Revision, revision_id, "revision", locked=True)
        _refuse_unknown(db, kept)
        revision.branches = {slug: slips for slug, slips in {**revision.branches, **kept}.items() if slips}

"""The Shelf and its models."""

from __future__ import annotations

from typing import Any

from flask import Response
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.measures import Measures
from ..core.rules.intent import intent_from_json
from ..store import cards, contents, shelf, shelf_page
from ..store.batches.feeding import release
from ..store.database import session
from ..store.models import Model, Revision, Waiver, now
from ..store.sheets import all_sheets
from . import schemas, schemas_shelf
from .find import refuse, row

blueprint = Blueprint("models", __name__, url_prefix="/api", description="The Shelf")


@blueprint.get("/shelf")
@blueprint.arguments(schemas_shelf.ShelfQuery, location="query")
@blueprint.response(200, schemas_shelf.Shelf)
def shelf_asked(query: dict[str, Any]) -> dict[str, Any]:
    """A page of the Shelf, with totals over all of it."""
    with session() as db:
        first = query.pop("first")
        return shelf_page.page(db, shelf_page.Asked(**{**query, "search": query["search"].strip()}), first)._asdict()


@blueprint.get("/shelf/chosen")
@blueprint.arguments(schemas_shelf.ShelfChoice, location="query")
@blueprint.response(200, schemas_shelf.Chosen)
def chosen(query: dict[str, Any]) -> dict[str, Any]:
    """Ids of all models that the Shelf would show, over all its pages: to choose them all."""
    with session() as db:
        asked = shelf_page.Asked(**{**query, "search": query["search"].strip()})
        return {"models": shelf_page.chosen(db, asked, schemas_shelf.MOST_CHOSEN)}


@blueprint.post("/models/many")
@blueprint.arguments(schemas_shelf.ManyWish)
@blueprint.response(200, schemas_shelf.ManyDone)
def many(wish: dict[str, Any]) -> dict[str, Any]:
    """Do one thing with many models: judge them by a sheet, tag them or take a tag away, take them off, bring them back, or throw away for
    good those that were taken off."""
    value = wish["value"].strip()
    with session() as db:
        if wish["act"] == "judge-by" and value not in {x.slug for x in all_sheets(db)}:
            refuse(422, f"There is no rule sheet {value}.")
        if wish["act"] in ("tag", "untag") and not value:
            refuse(422, "Name the tag.")
        # In one order, so that two who want the same never wait for each other.
        wanted = select(Model).where(Model.id.in_(wish["models"])).order_by(Model.id).with_for_update()
        models = db.scalars(wanted).all()
        return {"models": [model.id for model in models if _MANY[wish["act"]](db, model, value)]}


def _judge_by(db: Session, model: Model, slug: str) -> bool:
    model.sheet = slug
    return True


def _tag(db: Session, model: Model, tag: str) -> bool:
    if tag in model.tags:
        return False
    if len(model.tags) >= _MOST_TAGS:
        refuse(422, f"{model.name} has {_MOST_TAGS} tags already; take one away first.")
    model.tags = sorted([*model.tags, tag], key=str.casefold)
    return True


def _untag(db: Session, model: Model, tag: str) -> bool:
    there = tag in model.tags
    model.tags = [x for x in model.tags if x != tag]
    return there


def _take_off(db: Session, model: Model, _: str) -> bool:
    if model.taken_off is not None:
        return False
    release(db, model)
    shelf.take_off(db, model)
    return True


def _bring_back(db: Session, model: Model, _: str) -> bool:
    there = model.taken_off is not None
    shelf.bring_back(db, model)
    return there


def _throw_away(db: Session, model: Model, _: str) -> bool:
    if model.taken_off is None:
        return False
    shelf.throw_away(db, model)
    return True


#: Tags of one model.
_MOST_TAGS = 20
_MANY = {
    "judge-by": _judge_by,
    "tag": _tag,
    "untag": _untag,
    "take-off": _take_off,
    "bring-back": _bring_back,
    "throw-away": _throw_away,
}


def _intent_wished(now: dict[str, Any], change: dict[str, Any]) -> dict[str, Any]:
    """The whole intent after a change: all of it, or, where what was seen is said, those fields alone that differ from that.

    So two who fill in the form at once keep what both said. One that somebody else changed meanwhile is refused.
    """
    wished, seen = change["intent"], change.get("intent_seen")
    if seen is None:
        return {k: v for k, v in wished.items() if v is not None}
    out = dict(now)
    for key in sorted(wished.keys() | seen.keys()):
        said, before, there = wished.get(key), seen.get(key), now.get(key)
        if said in (before, there):
            continue
        if there != before:
            refuse(
                409,
                f"The {key.replace('_', ' ')} of the intent was changed meanwhile, in another window or by someone else. Look at it as it is now.",
            )
        out[key] = said
    return {k: v for k, v in out.items() if v is not None}


@blueprint.route("/models/<int:model_id>")
class OneModel(MethodView):
    @blueprint.arguments(schemas.ModelChange)
    @blueprint.response(204)
    def patch(self, change: dict[str, Any], model_id: int) -> None:
        """Rename, choose another rule sheet, or say what the thing is meant to be."""
        import json

        with session() as db:
            model = row(db, Model, model_id, "model", locked=True)
            if "sheet" in change:
                if change["sheet"] not in {x.slug for x in all_sheets(db)}:
                    refuse(422, f"There is no rule sheet {change['sheet']}.")
                model.sheet = change["sheet"]
            if "intent" in change:
                wanted = _intent_wished(model.intent, change)
                intent = intent_from_json(json.dumps(wanted))
                read = shelf.latest_done(db, model.revisions[-1]) if model.revisions else None
                if intent.parts and read is not None and read.measures is not None:
                    lost = intent.without(part.name for part in Measures.from_bytes(read.measures).parts)
                    if lost:
                        refuse(422, f"The intent speaks of {lost[0]!r}, which is no part of the model.")
                model.intent = wanted
                cards.renew(db, model)
            if "name" in change:
                model.name = change["name"].strip() or model.name

    @blueprint.response(204)
    def delete(self, model_id: int) -> None:
        """Take a model off the shelf. It can be brought back for 30 days."""
        with session() as db:
            _take_off(db, row(db, Model, model_id, "model", locked=True), "")


@blueprint.route("/models/<int:model_id>/waivers")
class Waivers(MethodView):
    @blueprint.arguments(schemas.WaiverWish)
    @blueprint.response(204)
    def put(self, wish: dict[str, Any], model_id: int) -> None:
        """Accept a finding, with the reason."""
        reason = wish["reason"].strip()
        if not reason:
            refuse(422, "Say in a few words why this finding is accepted.")
        with session() as db:
            model = row(db, Model, model_id, "model")
            number = model.revisions[-1].number if model.revisions else 0
            said = {"reason": reason, "number": number, "by": wish["by"].strip(), "created": now()}
            waiver = insert(Waiver).values(model_id=model.id, finding=wish["finding"], **said)
            db.execute(waiver.on_conflict_do_update(index_elements=["model_id", "finding"], set_=said))
            db.expire(model, ["waivers"])
            cards.renew(db, model)

    @blueprint.arguments(schemas.WaiverQuery, location="query")
    @blueprint.response(204)
    def delete(self, query: dict[str, Any], model_id: int) -> None:
        """Let a waived finding count again."""
        with session() as db:
            model = row(db, Model, model_id, "model")
            model.waivers = [waiver for waiver in model.waivers if waiver.finding != query["finding"]]
            db.flush()
            cards.renew(db, model)


@blueprint.route("/revisions/<int:revision_id>/thumbnail")
class Thumbnail(MethodView):
    @blueprint.response(200)
    def get(self, revision_id: int) -> Response:
        """The picture that was drawn when the revision was read last; the shelf names it by its number, so that it can be kept."""
        with session() as db:
            revision = row(db, Revision, revision_id, "revision", off=True)
            if revision.thumbnail_id is None:
                refuse(404, "No picture has been drawn yet.")
            data = contents.read(db, revision.thumbnail_id)
        answer = Response(data, mimetype="image/webp")
        answer.headers["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer

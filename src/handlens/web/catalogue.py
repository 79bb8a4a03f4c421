"""Stations, rule sheets, mends, formats and what can be said of a thing, for the forms."""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable
from typing import Any

import msgspec
from flask import Response, jsonify, make_response, request
from flask_smorest import Blueprint

from .. import __version__
from ..core.present import catalogue, symptoms
from ..core.route.stations import route_key
from ..core.rules import Intent, RuleSheet
from ..core.rules.fields import fields_of
from ..core.rules.intent import Expected, PartIntent
from ..core.words.lengths import WISH
from ..store.database import session
from ..store.sheets import all_sheets
from . import schemas

#: Sheets and checks are loaded when the server begins: another run may have others.
_BEGAN = f"{time.time_ns():x}"
blueprint = Blueprint("catalogue", __name__, url_prefix="/api/catalogue", description="What there is to choose from")


@blueprint.get("")
@blueprint.response(200, schemas.Catalogue)
def everything() -> Any:
    """What there is to choose from."""
    with session() as db:
        sheets = all_sheets(db)
    own = hashlib.sha256(msgspec.json.encode(sheets)).hexdigest()[:12]
    return _sent_once(lambda: schemas.Catalogue().dump(_all(sheets)), own)


@blueprint.get("/checks")
@blueprint.response(200, schemas.CheckFacts(many=True))
def checks() -> Any:
    """Every check, ours and the house's, with what it looks for, why, and where that comes from."""
    return _sent_once(lambda: schemas.CheckFacts().dump(catalogue.checks(), many=True))


def _sent_once(body: Callable[[], Any], more: str = "") -> Response:
    """An answer that is the same for as long as this version and its house checks run: after the first time it is only asked whether
    it still holds. body: makes the answer's JSON. more: what else it depends on."""
    tag = f"{__version__}-{route_key()}-{_BEGAN}{more}"
    answer = make_response("", 304) if tag in request.if_none_match else jsonify(body())
    answer.set_etag(tag)
    answer.headers["Cache-Control"] = "private, no-cache"
    return answer


def _all(sheets: tuple[RuleSheet, ...]) -> dict[str, Any]:
    return {
        "stations": catalogue.route(),
        "sheets": sheets,
        "mends": catalogue.mends(),
        "formats": catalogue.formats(),
        "symptoms": symptoms.listed(),
        "lengths": os.environ.get(WISH, "metric"),
        "intent": fields_of(Intent),
        "parts": fields_of(PartIntent),
        "sizes": fields_of(Expected),
    }

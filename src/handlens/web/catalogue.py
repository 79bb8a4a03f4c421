"""Stations, rule sheets, mends, formats and what can be said of a thing, for the forms."""

from __future__ import annotations

import time
from typing import Any

from flask import make_response, request
from flask_smorest import Blueprint

from .. import __version__
from ..core.judge import catalogue, symptoms
from ..core.route.stations import route_key
from ..core.rules import Intent, shipped
from ..core.rules.fields import fields_of
from ..core.rules.intent import Expected, PartIntent
from . import schemas

#: Sheets and checks are loaded when the server begins: another run may have others.
_BEGAN = f"{time.time_ns():x}"
blueprint = Blueprint("catalogue", __name__, url_prefix="/api/catalogue", description="What there is to choose from")


@blueprint.get("")
@blueprint.response(200, schemas.Catalogue)
def whole() -> Any:
    """The same for as long as this version and its house checks run: it is sent once, and then only asked whether it still holds."""
    tag = f"{__version__}-{route_key()}-{_BEGAN}"
    if tag in request.if_none_match:
        answer = make_response("", 304)
    else:
        answer = make_response(schemas.Catalogue().dump(_all()))
    answer.set_etag(tag)
    answer.headers["Cache-Control"] = "private, no-cache"
    return answer


def _all() -> dict[str, Any]:
    return {
        "stations": catalogue.route(),
        "sheets": shipped(),
        "mends": catalogue.mends(),
        "formats": catalogue.formats(),
        "symptoms": symptoms.listed(),
        "intent": fields_of(Intent),
        "parts": fields_of(PartIntent),
        "sizes": fields_of(Expected),
    }

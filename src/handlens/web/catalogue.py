"""Stations, rule sheets, mends, formats and what can be said of a thing, for the forms."""

from __future__ import annotations

from typing import Any

from flask_smorest import Blueprint

from ..core.judge import catalogue, symptoms
from ..core.rules import Intent, shipped
from ..core.rules.fields import fields_of
from ..core.rules.intent import Expected, PartIntent
from . import schemas

blueprint = Blueprint("catalogue", __name__, url_prefix="/api/catalogue", description="What there is to choose from")


@blueprint.get("")
@blueprint.response(200, schemas.Catalogue)
def whole() -> dict[str, Any]:
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

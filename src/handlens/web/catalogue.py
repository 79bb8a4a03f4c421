"""Rule sheets, mends and formats, for the forms."""

from __future__ import annotations

from typing import Any

import msgspec
from flask_smorest import Blueprint

from ..core.judge import catalogue
from ..core.rules import shipped
from ..core.rules.intent import KINDS
from . import schemas

blueprint = Blueprint("catalogue", __name__, url_prefix="/api/catalogue", description="Rule sheets and mends")


@blueprint.get("")
@blueprint.response(200, schemas.Catalogue)
def whole() -> dict[str, Any]:
    return {
        "sheets": [msgspec.to_builtins(s) for s in shipped()],
        "mends": catalogue.mends(),
        "kinds": list(KINDS),
        "formats": catalogue.formats(),
    }

"""Recipes: tapes kept by name."""

from __future__ import annotations

from typing import Any

from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from ..core.route.stations import find_mend
from ..store.database import session
from ..store.models import Recipe
from . import schemas
from .find import row

blueprint = Blueprint("recipes", __name__, url_prefix="/api/recipes", description="Tapes kept by name")


@blueprint.route("")
class Recipes(MethodView):
    @blueprint.response(200, schemas.Recipes)
    def get(self) -> dict[str, Any]:
        with session() as db:
            return {"recipes": db.scalars(select(Recipe).order_by(Recipe.name)).all()}

    @blueprint.arguments(schemas.RecipeWish)
    @blueprint.response(201, schemas.Recipe)
    def post(self, wish: dict[str, Any]) -> Recipe:
        """Keep a tape; a recipe of the same name is replaced."""
        slips = [{**x, "params": find_mend(x["mend"]).read(x["params"])} for x in wish["slips"]]
        with session() as db:
            row = insert(Recipe).values(name=wish["name"].strip(), slips=slips)
            kept = row.on_conflict_do_update(index_elements=["name"], set_={"slips": slips}).returning(Recipe)
            return db.scalars(kept, execution_options={"populate_existing": True}).one()


@blueprint.route("/<int:recipe_id>")
class OneRecipe(MethodView):
    @blueprint.response(204)
    def delete(self, recipe_id: int) -> None:
        """Throw a recipe away."""
        with session() as db:
            db.delete(row(db, Recipe, recipe_id, "recipe"))

"""Request and response schemas of the Shelf."""

from __future__ import annotations

from marshmallow import Schema, fields, validate

from .schemas import STATES, Counts
from .structs import Strict


class SheetVerdict(Schema):
    sheet = fields.String(required=True)
    code = fields.String(required=True)
    counts = fields.Nested(Counts, required=True, allow_none=True)
    not_looked_at = fields.List(
        fields.String(), required=True, metadata={"description": "stations with something that nobody looked at"}
    )


class ShelfModel(Schema):
    id = fields.Integer(required=True)
    name = fields.String(required=True)
    revision = fields.Integer(required=True, metadata={"description": "id of the newest revision"})
    number = fields.Integer(required=True)
    main = fields.String(required=True)
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    sheet = fields.String(required=True)
    longest_m = fields.Float(required=True, allow_none=True)
    unit_stated = fields.Boolean(required=True)
    triangles = fields.Integer(required=True, allow_none=True)
    stage = fields.Integer(required=True, allow_none=True, metadata={"description": "inspection whose display copy can be drawn"})
    thumbnail = fields.Integer(required=True, allow_none=True)
    verdicts = fields.List(fields.Nested(SheetVerdict), required=True)
    exported = fields.Boolean(required=True)
    folder = fields.String(
        required=True, metadata={"description": "the package that it came in; empty for one that came as a file"}
    )
    tags = fields.List(fields.String(), required=True)
    touched = fields.DateTime(required=True)
    taken_off = fields.DateTime(required=True, allow_none=True)
    met = fields.String(
        required=True, allow_none=True, metadata={"description": "the part, material or finding that the search met"}
    )


class ShelfTotals(Schema):
    models = fields.Integer(required=True)
    triangles = fields.Integer(required=True)
    held = fields.Integer(required=True, metadata={"description": "models that some sheet stops"})
    fit = fields.Integer(required=True, metadata={"description": "models that every sheet lets pass"})
    reading = fields.Integer(required=True)
    off = fields.Integer(required=True, metadata={"description": "models that were taken off and can be brought back"})
    stops = fields.Dict(keys=fields.String(), values=fields.Integer(), required=True, metadata={"description": "by sheet"})


class ShelfGroup(Schema):
    name = fields.String(required=True)
    models = fields.Integer(required=True)


class Shelf(Schema):
    models = fields.List(fields.Nested(ShelfModel), required=True)
    found = fields.Integer(required=True, metadata={"description": "how many the search met, on all pages"})
    totals = fields.Nested(ShelfTotals, required=True)
    folders = fields.List(fields.Nested(ShelfGroup), required=True)
    tags = fields.List(fields.Nested(ShelfGroup), required=True)


class ShelfChoice(Strict):
    search = fields.String(load_default="", validate=validate.Length(max=200))
    show = fields.String(load_default="all", validate=validate.OneOf(["all", "held", "cautions", "fit", "unread", "off"]))
    sheet = fields.String(load_default="", metadata={"description": "whose verdict counts; every sheet's where empty"})
    folder = fields.String(load_default="", validate=validate.Length(max=400))
    tag = fields.String(load_default="", validate=validate.Length(max=60))
    age = fields.String(load_default="", validate=validate.OneOf(["", "today", "week", "older"]))
    sort = fields.String(load_default="touched", validate=validate.OneOf(["touched", "name", "verdict", "size"]))


class ShelfQuery(ShelfChoice):
    first = fields.Integer(load_default=0, validate=validate.Range(0, 10_000_000))


#: Models that can be chosen at once.
MOST_CHOSEN = 10_000


def model_number() -> fields.Integer:
    """The id of a model, as the database can hold it."""
    return fields.Integer(validate=validate.Range(0, 2**31 - 1))


class Chosen(Schema):
    models = fields.List(fields.Integer(), required=True)


class ManyWish(Strict):
    models = fields.List(model_number(), required=True, validate=validate.Length(1, MOST_CHOSEN))
    act = fields.String(
        required=True, validate=validate.OneOf(["judge-by", "tag", "untag", "take-off", "bring-back", "throw-away"])
    )
    value = fields.String(load_default="", validate=validate.Length(max=60))


class ManyDone(Schema):
    models = fields.List(fields.Integer(), required=True, metadata={"description": "those that were changed"})

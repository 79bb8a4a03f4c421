"""Request and response schemas of the way to Fit."""

from __future__ import annotations

from marshmallow import Schema, fields, validate

from ..core.offers.way import records
from .schemas import RESULTS, STATES
from .structs import Strict, schema_of

#: What records are called in the document, where their own names say too little there.
_NAMES = {
    records.Way: "WayToFit",
    records.Slip: "WaySlip",
    records.Option: "WayOption",
    records.Left: "WayLeft",
    records.Branch: "WayBranch",
    records.Cost: "WayCost",
    records.Figured: "WayFigure",
    records.Verdict: "WayVerdict",
    records.Looks: "WayLooks",
    records.Seen: "WaySide",
    records.Question: "WayQuestion",
}


class AskedQuestion(schema_of(records.Question, _NAMES)):  # type: ignore[misc]
    waiting = fields.Integer(required=True, metadata={"description": "findings whose mends wait for it"})


class Questions(Schema):
    questions = fields.List(fields.Nested(AskedQuestion), required=True)


class WayWish(Strict):
    sheets = fields.List(
        fields.String(), load_default=list, metadata={"description": "destinations; the model's own where none is named"}
    )
    goal = fields.String(load_default="caution", validate=validate.OneOf(RESULTS))
    prefer = fields.Dict(
        keys=fields.String(),
        values=fields.String(),
        load_default=dict,
        metadata={"description": "by check, or by the id of a finding, the mend that is taken, or one with its parameters"},
    )
    begin = fields.Boolean(load_default=False, metadata={"description": "look for it where nobody has asked yet"})


class Way(Schema):
    id = fields.Integer(required=True, allow_none=True, metadata={"description": "null where nobody asked for it yet"})
    state = fields.String(required=True, validate=validate.OneOf(["none", *STATES]))
    error = fields.String(required=True, allow_none=True)
    job = fields.Integer(required=True, allow_none=True)
    way = fields.Nested(schema_of(records.Way, _NAMES), required=True, allow_none=True)
    picture = fields.Boolean(required=True)


class WayRuleWish(Strict):
    check = fields.String(required=True, validate=validate.Length(1, 120))
    mend = fields.String(required=True, validate=validate.Length(1, 4_000))


class WayRule(Schema):
    check = fields.String(required=True)
    mend = fields.String(required=True)


class WayRules(Schema):
    rules = fields.List(fields.Nested(WayRule), required=True)


class BranchSlip(Strict):
    mend = fields.String(required=True)
    params = fields.Dict(keys=fields.String(), load_default=dict)


class Branches(Strict):
    branches = fields.Dict(
        keys=fields.String(),
        values=fields.List(fields.Nested(BranchSlip), validate=validate.Length(max=100)),
        required=True,
        metadata={"description": "by sheet; an empty list takes what was kept away"},
    )

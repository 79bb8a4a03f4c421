"""Request and response schemas of batches."""

from __future__ import annotations

from marshmallow import Schema, fields, validate

from ..core.formats.table import WRITERS
from ..store.batches.board import ORDERS, SHOW
from .schemas import RESULTS, STATES, Slip
from .schemas_shelf import MOST_CHOSEN as MOST_NAMED
from .schemas_shelf import model_number
from .structs import Strict


class BatchVerdict(Schema):
    stop = fields.Integer(required=True)
    caution = fields.Integer(required=True)
    note = fields.Integer(required=True)
    unlooked = fields.Integer(required=True, metadata={"description": "stations that could not be looked at"})


class BatchCell(Schema):
    stop = fields.Integer(required=True)
    caution = fields.Integer(required=True)
    note = fields.Integer(required=True)
    waived = fields.Integer(required=True)
    nothing = fields.Boolean(required=True, metadata={"description": "there was nothing to look at"})
    unlooked = fields.Boolean(required=True, metadata={"description": "could not be looked at"})


class BatchTrial(Schema):
    """What was tried on a copy of one model, and how that stands then."""

    verdict = fields.Nested(BatchVerdict, required=True, allow_none=True)
    helps = fields.Boolean(required=True, metadata={"description": "it weighs less, and no stop and no caution comes"})
    slips = fields.List(fields.String(), required=True, metadata={"description": "titles of the mends"})
    goes = fields.List(fields.String(), required=True)
    comes = fields.List(fields.String(), required=True)
    left = fields.List(fields.String(), required=True)
    asks = fields.List(fields.String(), required=True, metadata={"description": "what the intent does not say"})


class BatchModel(Schema):
    model = fields.Integer(required=True)
    name = fields.String(required=True)
    folder = fields.String(required=True)
    revision = fields.Integer(required=True, allow_none=True)
    thumbnail = fields.Integer(required=True, allow_none=True)
    step = fields.String(required=True, validate=validate.OneOf(["judge", "try", "export"]))
    state = fields.String(required=True, validate=validate.OneOf(STATES))
    error = fields.String(required=True, allow_none=True)
    verdict = fields.Nested(BatchVerdict, required=True, allow_none=True)
    changed = fields.Boolean(required=True, metadata={"description": "since the batch judged it first"})
    stations = fields.Dict(keys=fields.String(), values=fields.Nested(BatchCell), required=True)
    proved = fields.Boolean(required=True, allow_none=True)
    export = fields.Integer(required=True, allow_none=True)
    trial = fields.Nested(BatchTrial, required=True, allow_none=True)


class BatchCount(Schema):
    held = fields.Integer(required=True)
    cautions = fields.Integer(required=True)
    fit = fields.Integer(required=True)
    proved = fields.Integer(required=True)
    waiting = fields.Integer(required=True)
    failed = fields.Integer(required=True)
    changed = fields.Integer(required=True)
    tried = fields.Integer(required=True)


class Batch(Schema):
    id = fields.Integer(required=True)
    name = fields.String(required=True)
    sheet = fields.String(required=True)
    state = fields.String(required=True, validate=validate.OneOf(["running", "paused", "stopped", "done"]))
    step = fields.String(required=True, validate=validate.OneOf(["judge", "try", "export"]))
    wish = fields.Dict(required=True)
    created = fields.DateTime(required=True)
    models = fields.Integer(required=True)
    count = fields.Nested(BatchCount, required=True)
    seconds_left = fields.Float(required=True, allow_none=True)
    stops = fields.Integer(required=True)
    cautions = fields.Integer(required=True)
    first_stops = fields.Integer(required=True, metadata={"description": "when the batch judged them first"})
    first_cautions = fields.Integer(required=True)
    laid = fields.Integer(required=True, metadata={"description": "models whose tape can be taken back from here"})


class Batches(Schema):
    batches = fields.List(fields.Nested(Batch), required=True)


class StationSum(Schema):
    stop = fields.Integer(required=True)
    caution = fields.Integer(required=True)


class BatchPage(Schema):
    batch = fields.Nested(Batch, required=True)
    stations = fields.Dict(keys=fields.String(), values=fields.Nested(StationSum), required=True)
    rows = fields.List(fields.Nested(BatchModel), required=True)
    found = fields.Integer(required=True)


class BatchQuery(Strict):
    show = fields.String(load_default="all", validate=validate.OneOf(["all", *SHOW]))
    sort = fields.String(load_default="worst", validate=validate.OneOf(ORDERS))
    search = fields.String(load_default="", validate=validate.Length(max=200))
    first = fields.Integer(load_default=0, validate=validate.Range(0, 10_000_000))


class BatchWish(Strict):
    name = fields.String(load_default="", validate=validate.Length(max=120))
    sheet = fields.String(load_default="realtime-engine")
    models = fields.List(model_number(), load_default=list, validate=validate.Length(max=MOST_NAMED))
    bench_too = fields.Boolean(load_default=True, metadata={"description": "the models' Benches are judged by the sheet too"})


class BatchModels(Strict):
    models = fields.List(model_number(), required=True, validate=validate.Length(1, MOST_NAMED))


class Added(Schema):
    added = fields.Integer(required=True)


class TrialWish(Strict):
    kind = fields.String(required=True, validate=validate.OneOf(["way", "recipe", "mend"]))
    goal = fields.String(load_default="caution", validate=validate.OneOf(RESULTS))
    name = fields.String(load_default="", validate=validate.Length(max=120))
    slips = fields.List(fields.Nested(Slip), load_default=list, validate=validate.Length(max=200))
    check = fields.String(load_default="")
    mend = fields.String(load_default="")
    models = fields.List(
        model_number(),
        load_default=None,
        allow_none=True,
        validate=validate.Length(max=MOST_NAMED),
        metadata={"description": "all"},
    )


class KeepWish(Strict):
    models = fields.List(model_number(), load_default=None, allow_none=True, validate=validate.Length(max=MOST_NAMED))


class Laying(Schema):
    laid = fields.Integer(required=True)
    useless = fields.Integer(required=True, metadata={"description": "models that it does not help"})
    changed = fields.Integer(required=True, metadata={"description": "models whose tape was changed meanwhile"})


class BatchExportWish(Strict):
    format = fields.String(load_default="", validate=validate.OneOf(["", *WRITERS]))
    whole = fields.Boolean(load_default=False, metadata={"description": "each as the package that it came in"})
    models = fields.List(model_number(), load_default=None, allow_none=True, validate=validate.Length(max=MOST_NAMED))


class Remedy(Schema):
    mend = fields.String(required=True)
    title = fields.String(required=True)
    models = fields.Integer(required=True)
    safe = fields.Boolean(required=True)


class Trouble(Schema):
    check = fields.String(required=True)
    result = fields.String(required=True, validate=validate.OneOf(["stop", "caution"]))
    models = fields.Integer(required=True)
    findings = fields.Integer(required=True)
    names = fields.List(fields.String(), required=True)
    mends = fields.List(fields.Nested(Remedy), required=True)


class Troubles(Schema):
    troubles = fields.List(fields.Nested(Trouble), required=True)


class CellFinding(Schema):
    id = fields.String(required=True)
    check = fields.String(required=True)
    result = fields.String(required=True)
    title = fields.String(required=True)
    part = fields.String(required=True, allow_none=True)


class CellFindings(Schema):
    findings = fields.List(fields.Nested(CellFinding), required=True)


class CellQuery(Strict):
    model = fields.Integer(required=True, validate=validate.Range(0, 2**31 - 1))
    station = fields.String(required=True, validate=validate.Length(1, 40))
